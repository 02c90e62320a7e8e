// HTML, 10.2.1.2: DedicatedWorkerGlobalScope.

import { setPrototypeOf, toJSON } from '../shared/primordials.js';
import { attribute, must, publish } from '../shared/webidl.js';
import { own } from '../shared/settings.js';
import { handlers } from '../shared/event.js';
import { serialize } from '../shared/structuredclone.js';
import { sendable } from '../shared/messaging.js';
import { listOfTransfer } from '../shared/dedicatedworker.js';
import { WorkerGlobalScope, ownHandlers, ownMember } from '../shared/workerglobalscope.js';

// What both kinds have beside what all workers have.
export function become(Scope, events, functions) {
  publish(Scope);
  handlers(Scope.prototype, ...events);
  setPrototypeOf(global, Scope.prototype);
  ownHandlers(Scope.prototype);
  // A script that puts something there has its own property (Web IDL, 3.4.8: Replaceable).
  const set = (value) => ownMember('name', { value, writable: true });
  ownMember('name', { get: attribute('name', () => own.name ?? '').get, set });
  functions.close = { close() {
    host('dedicated.close');
  } }.close;
  for (const name of Object.keys(functions)) ownMember(name, { value: functions[name], writable: true });
}
export const becomeDedicated = () => become(class DedicatedWorkerGlobalScope extends WorkerGlobalScope {}, ['message', 'messageerror'], {
  postMessage(message, options = undefined) {
    must(arguments, 1);
    host('dedicated.reply', toJSON(sendable(serialize(message, listOfTransfer(options)))));
  },
  requestAnimationFrame: (callback) => global.setTimeout(() => callback(global.performance.now()), 16),
  cancelAnimationFrame: (id) => global.clearTimeout(id),
});
