// HTML, 10.2.1.2: DedicatedWorkerGlobalScope.

import { setPrototypeOf, toJSON } from '../shared/primordials.js';
import { attribute, must, publish } from '../shared/webidl.js';
import { own } from '../shared/settings.js';
import { handlers } from '../shared/event.js';
import { serialize } from '../shared/structuredclone.js';
import { sendable } from '../shared/messaging.js';
import { listOfTransfer } from '../shared/dedicatedworker.js';
import { WorkerGlobalScope, ownHandlers, ownMember } from '../shared/workerglobalscope.js';

class DedicatedWorkerGlobalScope extends WorkerGlobalScope {}
publish(DedicatedWorkerGlobalScope);
handlers(DedicatedWorkerGlobalScope.prototype, 'message', 'messageerror');
setPrototypeOf(global, DedicatedWorkerGlobalScope.prototype);
ownHandlers(DedicatedWorkerGlobalScope.prototype);
ownMember('name', attribute('name', () => own.name ?? ''));
const functions = {
  postMessage(message, options = undefined) {
    must(arguments, 1);
    host('dedicated.reply', toJSON(sendable(serialize(message, listOfTransfer(options)))));
  },
  close() {
    host('dedicated.close');
  },
  requestAnimationFrame: (callback) => global.setTimeout(() => callback(global.performance.now()), 16),
  cancelAnimationFrame: (id) => global.clearTimeout(id),
};
for (const name of Object.keys(functions)) ownMember(name, { value: functions[name], writable: true });
