// Service Workers, 3: what pages see of registrations and their workers.

import {
  ScriptArray, ScriptObject, TypeError, apply, assign, fromJSON, isA, rejected, resolved, toJSON,
} from '../shared/primordials.js';
import { commands } from '../shared/dispatch.js';
import { MAKE, gives, must, onlyHere, publish, usv } from '../shared/webidl.js';
import { call, callFor } from '../shared/host.js';
import { own } from '../shared/settings.js';
import {
  Event, EventTarget, MessageEvent, addListener, fire, handlerSlots, handlers, slotsOf, trusted,
} from '../shared/event.js';
import { queueTask } from '../shared/timers.js';
import { parsedURL } from '../shared/url.js';
import { deserialize, serialize } from '../shared/structuredclone.js';
import { received, sendable } from '../shared/messaging.js';
import { current } from './node.js';
import { error } from './nodes.js';

const workers = new Map(); // by number
const registrations = new Map();
const infoOf = new WeakMap();
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
  async setHeaderValue(value) {}
  async getState() {
    return assign(new ScriptObject(), { enabled: await call('registration.preload', infoOf.get(this).id, ''), headerValue: 'true' });
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
  showNotification(title, options = {}) {
    return call('registration.notify', infoOf.get(this).id, toJSON({ ...options, title: `${title}` }));
  }
  getNotifications() {
    return resolved(ScriptArray.of());
  }
}
gives(ServiceWorkerRegistration, 'unregister', 'showNotification', 'getNotifications');
handlers(ServiceWorkerRegistration.prototype, 'updatefound');
function workerFor(info) {
  if (!info) return null;
  let w = workers.get(info.id);
  if (!w) {
    w = new ServiceWorker(MAKE);
    infoOf.set(w, info);
    workers.set(info.id, w);
  }
  return w;
}
function registrationFor(info) {
  let r = registrations.get(info.id);
  if (!r) {
    r = new ServiceWorkerRegistration(MAKE);
    infoOf.set(r, { ...info });
    registrations.set(info.id, r);
  } else for (const slot of ['installing', 'waiting', 'active']) infoOf.get(r)[slot] = info[slot];
  return r;
}
export class ServiceWorkerContainer extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  get controller() {
    const info = host('container.controller');
    return info ? workerFor(fromJSON(info)) : null;
  }
  get ready() {
    return (container_.ready ??= callFor((info) => registrationFor(info), 'container.ready'));
  }
  register(script, options = {}) {
    try {
      must(arguments, 1);
      const at = parsedURL(usv(script), current.document.$base());
      if (!at) throw new TypeError(`${script} is no address`);
      const scope = options?.scope === undefined ? '' : parsedURL(usv(options.scope), current.document.$base())?.[0];
      if (scope === undefined) throw new TypeError(`${options.scope} is no address`);
      const type = options?.type === undefined ? 'classic' : `${options.type}`;
      const via = options?.updateViaCache === undefined ? 'imports' : `${options.updateViaCache}`;
      if (!['classic', 'module'].includes(type)) throw new TypeError(`"${type}" is no type of workers`);
      if (!['imports', 'all', 'none'].includes(via)) throw new TypeError(`"${via}" is no value of updateViaCache`);
      if (!/^https?:/.test(at[0])) throw new TypeError(`${at[0]} is not an http address`);
      return callFor((info) => registrationFor(info), 'container.register', at[0], scope, type, via);
    } catch (e) {
      return rejected(e);
    }
  }
  getRegistration(url = '') {
    const at = parsedURL(usv(url), current.document.$base());
    if (!at) return rejected(new TypeError(`${url} is no address`));
    if (at[1] !== own.origin) return rejected(error('SecurityError', 'the address is of another origin'));
    return callFor((info) => (info ? registrationFor(info) : undefined), 'container.registration', at[0]);
  }
  getRegistrations() {
    return callFor((list) => ScriptArray.from(list, registrationFor), 'container.registrations');
  }
  startMessages() {
    startMessages();
  }
  get onmessage() {
    return handlerSlots.get(this)?.message?.handler ?? null;
  }
  set onmessage(handler) {
    const slots = slotsOf(this);
    if (slots.message) slots.message.handler = handler;
    else {
      const slot = { handler };
      slots.message = slot;
      apply(addListener, this, ['message', function (event) { if (typeof slot.handler === 'function') apply(slot.handler, this, [event]); }]);
    }
    startMessages();
  }
}
handlers(ServiceWorkerContainer.prototype, 'controllerchange', 'messageerror');
gives(ServiceWorkerContainer, 'ready', 'register', 'getRegistration', 'getRegistrations');
publish(ServiceWorker, NavigationPreloadManager, ServiceWorkerRegistration, ServiceWorkerContainer);
export const container = new ServiceWorkerContainer(MAKE);
const container_ = { ready: null };
const waiting = { started: false, list: [] };
export function startMessages() {
  if (waiting.started) return;
  waiting.started = true;
  for (const m of waiting.list.splice(0)) queueTask(() => deliver(m));
}
function deliver({ json, worker }) {
  const { value: data, transferred } = deserialize(received(fromJSON(json)));
  fire(container, trusted(new MessageEvent('message', { data, origin: own.origin, source: worker ? workerFor(worker) : null, ports: transferred.filter((p) => isA(p, global.MessagePort)) })));
}
commands.containerMessage = (json, worker) => {
  const m = { json, worker: fromJSON(worker) };
  if (waiting.started) deliver(m);
  else waiting.list.push(m);
};
commands.controllerChange = () => fire(container, trusted(new Event('controllerchange')));
commands.registrationChanged = (json, event) => {
  const info = fromJSON(json);
  if (!registrations.has(info.id)) return;
  const r = registrationFor(info);
  if (event === 'updatefound') fire(r, trusted(new Event('updatefound')));
};
commands.workerState = (id, state) => {
  const w = workers.get(id);
  if (!w) return;
  infoOf.get(w).state = state;
  for (const r of registrations.values()) for (const slot of ['installing', 'waiting', 'active']) if (infoOf.get(r)[slot]?.id === id) infoOf.get(r)[slot].state = state;
  fire(w, trusted(new Event('statechange')));
};
commands.startMessages = startMessages;
