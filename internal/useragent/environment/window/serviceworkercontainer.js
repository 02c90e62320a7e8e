// Service Workers, 3.4: how pages register workers and hear of them.

import { ScriptArray, TypeError, apply, fromJSON, isA, rejected, resolved, toJSON, arrayFrom, arrayOf } from '../shared/primordials.js';
import { commands } from '../shared/commands.js';
import { MAKE, gives, must, onlyHere, publish, usv } from '../shared/webidl.js';
import { call, callFor } from '../shared/host.js';
import { own } from '../shared/settings.js';
import { EventTarget, addListener, dispatch, handlerSlots, handlers, messageWith, slotsOf } from '../shared/event.js';
import { queueTask } from '../shared/timers.js';
import { parsedURL } from '../shared/url.js';
import { deserialize } from '../shared/structuredclone.js';
import { received } from '../shared/messaging.js';
import { ServiceWorkerRegistration, hear, infoOf, registrationFor, workerFor } from '../shared/serviceworkers.js';
import { current, extendInterface } from './node.js';
import { error } from './nodes.js';

extendInterface(ServiceWorkerRegistration, {
  showNotification(title, options = {}) {
    return call('registration.notify', infoOf.get(this).id, toJSON({ ...options, title: `${title}` }));
  },
  getNotifications() {
    return resolved(arrayOf());
  },
});
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
    return callFor((list) => arrayFrom(list, registrationFor), 'container.registrations');
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
publish(ServiceWorkerContainer);
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
  dispatch(container, messageWith({ data, origin: own.origin, source: worker ? workerFor(worker) : null, ports: transferred.filter((p) => isA(p, global.MessagePort)) }));
}
commands.containerMessage = (json, worker) => {
  const m = { json, worker: fromJSON(worker) };
  if (waiting.started) deliver(m);
  else waiting.list.push(m);
};
commands.controllerChange = () => hear(container, 'controllerchange');
commands.startMessages = startMessages;
