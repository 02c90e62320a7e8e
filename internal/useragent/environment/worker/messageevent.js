// Service Workers, 4.7: ExtendableMessageEvent.

import { TypeError, freeze, isA } from '../shared/primordials.js';
import { publish, usv } from '../shared/webidl.js';
import { portState } from '../shared/messaging.js';
import { Client } from './client.js';
import { ExtendableEvent } from './extendableevent.js';
import { ServiceWorker } from './registration.js';

export class ExtendableMessageEvent extends ExtendableEvent {
  #init;
  #ports;
  constructor(type, init = {}) {
    super(type, init);
    this.#init = init ?? {};
    const { ports = [], source = null } = this.#init;
    if (typeof ports !== 'object' || ports === null || typeof ports[Symbol.iterator] !== 'function') throw new TypeError('ports is a list of message ports');
    this.#ports = freeze([...ports]);
    if (this.#ports.some((p) => !portState.has(p))) throw new TypeError('ports is a list of message ports');
    if (source !== null && !(isA(source, Client) || isA(source, ServiceWorker) || portState.has(source))) throw new TypeError('source is a client, a worker or a port');
  }
  get data() {
    return this.#init.data === undefined ? null : this.#init.data;
  }
  get origin() {
    return usv(this.#init.origin ?? '');
  }
  get lastEventId() {
    return `${this.#init.lastEventId ?? ''}`;
  }
  get source() {
    return this.#init.source ?? null;
  }
  get ports() {
    return this.#ports;
  }
}
publish(ExtendableMessageEvent);
