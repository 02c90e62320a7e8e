// HTML, 10.2.1, and Service Workers, 4.1: the global object and what its interfaces hold.

import { TypeError, defineProperty, fromJSON, rejected, setPrototypeOf } from '../shared/primordials.js';
import { MAKE, attribute, guard, namesOf, onlyHere, publish } from '../shared/webidl.js';
import { DOMException } from '../shared/domexception.js';
import { call, hostError } from '../shared/host.js';
import { baseURL, own } from '../shared/settings.js';
import { EventTarget, handlers } from '../shared/event.js';
import { loadPerformance, performanceObject } from '../shared/performance.js';
import { performFetch } from '../shared/fetch.js';
import { cachesObject } from '../shared/cache.js';
import { ownLocation } from './location.js';
import { ownNavigator } from './navigator.js';
import { registration, selfWorker } from './registration.js';
import { Clients } from './client.js';

class WorkerGlobalScope extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
}
class ServiceWorkerGlobalScope extends WorkerGlobalScope {}
publish(WorkerGlobalScope, ServiceWorkerGlobalScope);
handlers(WorkerGlobalScope.prototype, 'error', 'languagechange', 'offline', 'online', 'rejectionhandled', 'unhandledrejection');
handlers(ServiceWorkerGlobalScope.prototype, 'install', 'activate', 'fetch', 'message', 'messageerror', 'push', 'pushsubscriptionchange', 'notificationclick', 'notificationclose', 'sync', 'periodicsync');
setPrototypeOf(global, ServiceWorkerGlobalScope.prototype);
// Members of the interface of a global object are its own (Web IDL, 3.7.6: Global).
function own_(name, d) {
  defineProperty(global, name, { ...d, enumerable: true, configurable: true });
}
for (const name of namesOf(ServiceWorkerGlobalScope.prototype)) {
  if (!name.startsWith('on')) continue;
  const { get, set } = Object.getOwnPropertyDescriptor(ServiceWorkerGlobalScope.prototype, name);
  own_(name, { get, set });
  delete ServiceWorkerGlobalScope.prototype[name];
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
  defineProperty(WorkerGlobalScope.prototype, name, { value: run, writable: true, configurable: true });
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
  value: function fetch(input, init = undefined) {
    if (this !== undefined && this !== null && this !== global) return rejected(new TypeError('fetch belongs to the global scope'));
    return performFetch(input, init, arguments.length);
  },
  writable: true, configurable: true, enumerable: true,
});

shareAttribute('self', () => global);
const clientsObject = new Clients(MAKE);
for (const [name, value] of [['registration', registration], ['serviceWorker', selfWorker], ['clients', clientsObject]]) own_(name, attribute(name, (that) => {
  if (that !== undefined && that !== null && that !== global) throw new TypeError(`${name} belongs to the global object`);
  return value;
}));
own_('skipWaiting', {
  async value() {
    if (this !== undefined && this !== null && this !== global) throw new TypeError('skipWaiting belongs to the global object');
    await call('skipWaiting');
  },
  writable: true,
});
defineProperty(global.skipWaiting, 'name', { value: 'skipWaiting', configurable: true });
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
