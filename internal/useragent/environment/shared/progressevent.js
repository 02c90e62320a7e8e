// XMLHttpRequest, 7: events that tell how far something has come.

import { publishLoosely } from './webidl.js';
import { Event } from './event.js';

export class ProgressEvent extends Event {
  #init;
  constructor(type, init = {}) {
    super(type, init);
    this.#init = init ?? {};
  }
  get lengthComputable() {
    return Boolean(this.#init.lengthComputable);
  }
  get loaded() {
    return Number(this.#init.loaded ?? 0);
  }
  get total() {
    return Number(this.#init.total ?? 0);
  }
}
publishLoosely(ProgressEvent);
