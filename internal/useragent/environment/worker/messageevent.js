// Service Workers, 4.7: ExtendableMessageEvent.

import { TypeError, freeze, isA } from '../shared/primordials.js';
import { publish, usv } from '../shared/webidl.js';
import { portState } from '../shared/messaging.js';
import { ServiceWorker } from '../shared/serviceworkers.js';
import { Client } from './client.js';
import { ExtendableEvent } from './extendableevent.js';

export let extendableMessageWith;
export class ExtendableMessageEvent extends ExtendableEvent {
  #init;
  #ports;
  constructor(type, init = {}) {
    super(type, init);
    const { data = null, lastEventId = '', origin = '', ports = [], source = null } = init ?? {};
    this.#init = { data, lastEventId: `${lastEventId}`, origin: usv(origin), source };
    if (typeof ports !== 'object' || ports === null || typeof ports[Symbol.iterator] !== 'function') throw new TypeError('ports is a list of message ports');
    this.#ports = freeze([...ports]);
    if (this.#ports.some((p) => !portState.has(p))) throw new TypeError('ports is a list of message ports');
    if (source !== null && !(isA(source, Client) || isA(source, ServiceWorker) || portState.has(source))) throw new TypeError('source is a client, a worker or a port');
  }
  static {
    extendableMessageWith = (init) => {
      const event = new ExtendableMessageEvent('message', init);
      event.#init.data = init.data;
      return event;
    };
  }
  get data() {
    return this.#init.data;
  }
  get origin() {
    return this.#init.origin;
  }
  get lastEventId() {
    return this.#init.lastEventId;
  }
  get source() {
    return this.#init.source;
  }
  get ports() {
    return this.#ports;
  }
}
publish(ExtendableMessageEvent);
