// Service Workers, 3.1, 3.2 and 3.5: registrations and their workers, as pages and workers see them.

import { ScriptObject, TypeError, assign, fromJSON, toJSON } from './primordials.js';
import { commands } from './commands.js';
import { MAKE, gives, must, onlyHere, publish } from './webidl.js';
import { call } from './host.js';
import { EventTarget, fire, handlers, listFor } from './event.js';
import { serialize } from './structuredclone.js';
import { sendable } from './messaging.js';

const workers = new Map(); // by number
const registrations = new Map();
export const infoOf = new WeakMap();
export class ServiceWorker extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  get scriptURL() {
    return infoOf.get(this).script;
  }
  get state() {
    return infoOf.get(this).state;
  }
  postMessage(message, options = undefined) {
    must(arguments, 1);
    const sent = serialize(message, Array.isArray(options) ? options : options?.transfer);
    host('worker.postMessage', infoOf.get(this).id, toJSON(sendable(sent)));
  }
}
handlers(ServiceWorker.prototype, 'statechange', 'error');
export class NavigationPreloadManager {
  constructor(key = undefined) {
    onlyHere(key);
  }
  async enable() {
    await call('registration.preload', infoOf.get(this).id, 'enable');
  }
  async disable() {
    await call('registration.preload', infoOf.get(this).id, 'disable');
  }
  async setHeaderValue(value) {
    const text = `${value}`;
    if (/[^\0-\xff]/.test(text) || /[\0\r\n]/.test(text)) throw new TypeError('this is no value of a header');
    await call('registration.preload', infoOf.get(this).id, 'header', text);
  }
  async getState() {
    return assign(new ScriptObject(), await call('registration.preload', infoOf.get(this).id, ''));
  }
}
export class ServiceWorkerRegistration extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  get installing() {
    return workerFor(infoOf.get(this).installing);
  }
  get waiting() {
    return workerFor(infoOf.get(this).waiting);
  }
  get active() {
    return workerFor(infoOf.get(this).active);
  }
  get scope() {
    return infoOf.get(this).scope;
  }
  get updateViaCache() {
    return infoOf.get(this).via;
  }
  get navigationPreload() {
    const s = infoOf.get(this);
    if (!s.preload) {
      s.preload = new NavigationPreloadManager(MAKE);
      infoOf.set(s.preload, s);
    }
    return s.preload;
  }
  async update() {
    await call('registration.update', infoOf.get(this).id);
    return this;
  }
  unregister() {
    return call('registration.unregister', infoOf.get(this).id);
  }
}
gives(ServiceWorkerRegistration, 'unregister');
handlers(ServiceWorkerRegistration.prototype, 'updatefound');
publish(ServiceWorker, NavigationPreloadManager, ServiceWorkerRegistration);
export function workerFor(info) {
  if (!info) return null;
  let w = workers.get(info.id);
  if (!w) {
    w = new ServiceWorker(MAKE);
    infoOf.set(w, info);
    workers.set(info.id, w);
  }
  return w;
}
export function registrationFor(info) {
  let r = registrations.get(info.id);
  if (!r) {
    r = new ServiceWorkerRegistration(MAKE);
    infoOf.set(r, { ...info });
    registrations.set(info.id, r);
  } else assign(infoOf.get(r), info);
  return r;
}
// An event by which scripts hear of a worker; that somebody listens is noted.
export function hear(target, type) {
  if (listFor(target).some((entry) => entry.type === type)) host('hears', type);
  fire(target, type);
}
commands.registrationChanged = (json, event) => {
  const info = fromJSON(json);
  if (!registrations.has(info.id)) return;
  const r = registrationFor(info);
  if (event === 'updatefound') hear(r, 'updatefound');
};
commands.workerState = (id, state) => {
  // Objects of scripts are made when they ask for them: until then the registration alone knows the state.
  for (const r of registrations.values()) for (const slot of ['installing', 'waiting', 'active']) if (infoOf.get(r)[slot]?.id === id) infoOf.get(r)[slot].state = state;
  const w = workers.get(id);
  if (!w) return;
  infoOf.get(w).state = state;
  hear(w, 'statechange');
};
