// HTML, 10.2.6: Worker, as those see it who start one.

import { ScriptObject, TypeError, assign, fromJSON, isA, toJSON } from './primordials.js';
import { commands } from './commands.js';
import { MAKE, must, publishLoosely, usv } from './webidl.js';
import { DOMException } from './domexception.js';
import { baseURL, own } from './settings.js';
import { ErrorEvent, EventTarget, MessageEvent, fire, dispatch, handlers, messageWith, trusted } from './event.js';
import { parsedURL } from './url.js';
import { deserialize, serialize } from './structuredclone.js';
import { received, sendable } from './messaging.js';

const workers = new Map();
let nextWorker = 0;
// What a worker is made with, where it may be made of an address at all.
export function workerOptions(at, options) {
  const local = at[0].startsWith('blob:') || at[0].startsWith('data:');
  if (!local && at[1] !== own.origin) throw new DOMException(`a worker of ${own.origin} cannot be made of ${at[0]}`, 'SecurityError');
  const { type = 'classic', name = '', credentials = 'same-origin' } = options ?? {};
  if (`${type}` !== 'classic' && `${type}` !== 'module') throw new TypeError(`"${type}" is no kind of worker`);
  if (!['omit', 'same-origin', 'include'].includes(`${credentials}`)) throw new TypeError(`"${credentials}" is no mode of credentials`);
  return { type: `${type}`, name: `${name}`, credentials: `${credentials}` };
}
export class Worker extends EventTarget {
  #id;
  constructor(url, options = {}) {
    must(arguments, 1);
    super(MAKE);
    const at = parsedURL(usv(url), baseURL());
    if (!at) throw new DOMException(`${url} is no address`, 'SyntaxError');
    const given = workerOptions(at, options);
    this.#id = ++nextWorker;
    workers.set(this.#id, this);
    host('dedicated.start', this.#id, at[0], toJSON(given));
  }
  postMessage(message, options = undefined) {
    must(arguments, 1);
    host('dedicated.post', this.#id, toJSON(sendable(serialize(message, listOfTransfer(options)))));
  }
  terminate() {
    if (workers.delete(this.#id)) host('dedicated.end', this.#id);
  }
}
export const listOfTransfer = (options) => [...(Array.isArray(options) ? options : options?.transfer ?? [])];
handlers(Worker.prototype, 'message', 'error');
publishLoosely(Worker);
commands.fromDedicated = (id, json) => {
  const worker = workers.get(id);
  if (worker) deliverMessage(worker, json);
};
commands.dedicatedFailed = (id, message, filename, line) => {
  const worker = workers.get(id);
  if (!worker) return;
  if (!message) return void fire(worker, 'error', { cancelable: true });
  if (dispatch(worker, trusted(new ErrorEvent('error', { message, filename, lineno: line, cancelable: true })))) host('log', 'error', message, '', '');
};
export function deliverMessage(target, json) {
  let value, transferred;
  try {
    ({ value, transferred } = deserialize(received(fromJSON(json))));
  } catch {
    return void dispatch(target, trusted(new MessageEvent('messageerror', assign(new ScriptObject(), {}))));
  }
  dispatch(target, messageWith({ data: value, ports: transferred.filter((p) => isA(p, global.MessagePort)) }));
}
