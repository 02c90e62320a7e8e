// Promises that the browser settles, and errors that it reports.

import { Error, PromiseOf, RangeError, SyntaxError, TypeError, forScripts, fromJSON, rejected } from './primordials.js';
import { commands } from './commands.js';
import { DOMException } from './domexception.js';

// Promises that the host settles.
let nextCall = 0;
export const calls = new Map();
export const call = (op, ...args) => callFor(null, op, ...args);
// The same, for what make makes of the host's answer.
export function callFor(make, op, ...args) {
  const id = ++nextCall;
  return new PromiseOf((resolve, reject) => {
    calls.set(id, { resolve, reject, make });
    try {
      host(op, id, ...args);
    } catch (error) {
      calls.delete(id);
      reject(hostError(error.message));
    }
  });
}
// The same with the number of the promise, by which the host knows what was asked for.
export function numberedCall(op, ...args) {
  const promise = callFor(null, op, ...args);
  return { id: nextCall, promise };
}
// For methods that give a promise: what is wrong with the arguments rejects it.
export function rejecting(error) {
  return rejected(error);
}
commands.settle = (id, failure, json) => {
  const waiting = calls.get(id);
  if (!waiting) return;
  calls.delete(id);
  if (failure) waiting.reject(hostError(failure));
  else {
    const value = fromJSON(json);
    // What make makes is for scripts as it is; else the environment itself may wait for it.
    waiting.resolve(waiting.make ? forScripts(waiting.make(value)) : value);
  }
};

// Errors that the browser made, such as that of a fetch that failed: no script is wrong, and nothing is lacking.
export const ofBrowser = new WeakSet();
export const nativeErrors = { __proto__: null, TypeError, RangeError, SyntaxError, Error };
export function hostError(text) {
  const [, name, message] = /^(?:Error: )?([A-Za-z]+Error): ([^]*)$/.exec(text) || [null, 'Error', text];
  const Native = nativeErrors[name];
  const error = Native ? new Native(message) : new DOMException(message, name);
  ofBrowser.add(error);
  return error;
}
