// HTML, 10.3.1: WorkerLocation.

import { defineProperty } from './primordials.js';
import { MAKE, attribute, onlyHere, publish } from './webidl.js';
import { URL, URL_PARTS } from './url.js';

class WorkerLocation {
  #url;
  constructor(key = undefined, url = undefined) {
    onlyHere(key);
    this.#url = new URL(url);
  }
  toString() {
    return this.#url.href;
  }
  static {
    for (const name of URL_PARTS) if (name !== 'username' && name !== 'password') defineProperty(WorkerLocation.prototype, name, attribute(name, (location) => location.#url[name]));
  }
}

publish(WorkerLocation);
export let ownLocation = null;
export function setLocation(url) {
  ownLocation = new WorkerLocation(MAKE, url);
}
