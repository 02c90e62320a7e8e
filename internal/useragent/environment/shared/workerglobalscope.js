// HTML, 10.2.1: what the global objects of all kinds of worker have in common.

import { TypeError, defineProperty, forScripts, fromJSON, rejected } from './primordials.js';
import { attribute, guard, namesOf, onlyHere, publish } from './webidl.js';
import { DOMException } from './domexception.js';
import { hostError } from './host.js';
import { baseURL, own } from './settings.js';
import { EventTarget, handlers } from './event.js';
import { loadPerformance, performanceObject } from './performance.js';
import { performFetch } from './fetch.js';
import { cachesObject } from './cache.js';
import { ownLocation } from './workerlocation.js';
import { ownNavigator } from './workernavigator.js';

export class WorkerGlobalScope extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
}
publish(WorkerGlobalScope);
handlers(WorkerGlobalScope.prototype, 'error', 'languagechange', 'rejectionhandled', 'unhandledrejection');
// Members of the interface of a global object are its own (Web IDL, 3.7.6: Global).
export function ownMember(name, d) {
  defineProperty(global, name, { ...d, enumerable: true, configurable: true });
}
export function ownHandlers(proto) {
  for (const name of namesOf(proto)) {
    if (!name.startsWith('on')) continue;
    const { get, set } = Object.getOwnPropertyDescriptor(proto, name);
    ownMember(name, { get, set });
    delete proto[name];
  }
}
defineProperty(WorkerGlobalScope.prototype, 'caches', { ...attribute('caches', () => cachesObject), enumerable: true });
defineProperty(WorkerGlobalScope.prototype, 'performance', { ...attribute('performance', () => {
  loadPerformance();
  return performanceObject;
}), enumerable: true });
delete global[Symbol.toStringTag]; // that of the interface shows
// The functions and attributes that all workers share belong to the interface, not to the object.
const needs = { __proto__: null, setTimeout: 1, setInterval: 1, clearTimeout: 0, clearInterval: 0, queueMicrotask: 1, reportError: 1, btoa: 1, atob: 1, structuredClone: 1, importScripts: 0 };
function shareFunction(name, run) {
  defineProperty(run, 'length', { value: needs[name], configurable: true });
  defineProperty(WorkerGlobalScope.prototype, name, { value: forScripts(run), writable: true, configurable: true });
  guard(WorkerGlobalScope.prototype, name, true);
}
for (const name of Object.keys(needs)) {
  if (!global[name]) continue;
  shareFunction(name, global[name]);
  delete global[name];
}
const shareAttribute = (name, read) => {
  defineProperty(WorkerGlobalScope.prototype, name, attribute(name, read));
  guard(WorkerGlobalScope.prototype, name, true);
};
defineProperty(WorkerGlobalScope.prototype, 'fetch', {
  value: { fetch(input, init = undefined) {
    if (this !== undefined && this !== null && this !== global) return rejected(new TypeError('fetch belongs to the global scope'));
    return performFetch(input, init, arguments.length);
  } }.fetch,
  writable: true, configurable: true, enumerable: true,
});

shareAttribute('self', () => global);
shareAttribute('navigator', () => ownNavigator);
shareAttribute('location', () => ownLocation);
shareAttribute('origin', () => own.origin);
shareAttribute('isSecureContext', () => true);
shareAttribute('crossOriginIsolated', () => false);
shareFunction('importScripts', function importScripts(...urls) {
  if (own.type === 'module') throw new TypeError('module workers import with import statements');
  const resolved = urls.map((url) => {
    const text = host('url', `${url}`, baseURL());
    if (!text) throw new DOMException(`${url} is not a URL`, 'SyntaxError');
    return fromJSON(text)[0];
  });
  for (const url of resolved) {
    let text;
    try {
      text = host('import', url);
    } catch (error) {
      throw hostError(error.message);
    }
    host('eval', text, url);
  }
});
