// Service Workers, 3.1 and 3.2: ServiceWorker, ServiceWorkerRegistration and NavigationPreloadManager as a worker sees its own.

import { MAKE, must, onlyHere, publish } from '../shared/webidl.js';
import { call } from '../shared/host.js';
import { own } from '../shared/settings.js';
import { EventTarget, handlers } from '../shared/event.js';
import { serialize } from '../shared/structuredclone.js';

export class ServiceWorker extends EventTarget {
  #info;
  constructor(key = undefined, info = undefined) {
    onlyHere(key);
    super();
    this.#info = info;
  }
  get scriptURL() {
    return this.#info.script;
  }
  get state() {
    return this.#info.state;
  }
  postMessage(message, options = undefined) {
    must(arguments, 1);
    const token = ++nextMessage;
    messages.set(token, serialize(message, Array.isArray(options) ? options : options?.transfer));
    host('postSelf', token);
  }
}
let nextMessage = 0;
export const messages = new Map(); // sent by the worker to itself
handlers(ServiceWorker.prototype, 'statechange', 'error');
class NavigationPreloadManager {
  constructor(key = undefined) {
    onlyHere(key);
  }
  async enable() {
    await call('preload', 'enable');
  }
  async disable() {
    await call('preload', 'disable');
  }
  async setHeaderValue(value) {}
  async getState() {
    return { enabled: await call('preload', ''), headerValue: 'true' };
  }
}
export class ServiceWorkerRegistration extends EventTarget {
  #preload = new NavigationPreloadManager(MAKE);
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  get scope() {
    return own.scope;
  }
  get updateViaCache() {
    return own.via;
  }
  get navigationPreload() {
    return this.#preload;
  }
  get installing() {
    return own.state === 'installing' ? selfWorker : null;
  }
  get waiting() {
    return own.state === 'installed' ? selfWorker : null;
  }
  get active() {
    return own.state === 'activating' || own.state === 'activated' ? selfWorker : null;
  }
  async update() {
    await call('update');
    return this;
  }
  async unregister() {
    return call('unregister');
  }
}
handlers(ServiceWorkerRegistration.prototype, 'updatefound');
publish(ServiceWorker, NavigationPreloadManager, ServiceWorkerRegistration);
export const selfWorker = new ServiceWorker(MAKE, { get script() { return own.script; }, get state() { return own.state; } });
export const registration = new ServiceWorkerRegistration(MAKE);
