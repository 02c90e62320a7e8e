// Service Workers, 4: the global scope, its events and what it tells of the registration and the pages.

let own = { script: 'about:blank', scope: 'about:blank', origin: 'null', type: 'classic', state: 'parsed', via: 'imports' };
const baseURL = () => own.script;
const ownOrigin = () => own.origin;

class WorkerLocation {
  #url;
  constructor(key = undefined, url = undefined) {
    onlyHere(key);
    this.#url = new URL(url);
  }
  toString() {
    return this.#url.href;
  }
  static {
    for (const name of URL_PARTS) if (name !== 'username' && name !== 'password') defineProperty(WorkerLocation.prototype, name, attribute(name, (location) => location.#url[name]));
  }
}
class WorkerNavigator {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get userAgent() {
    return 'Mozilla/5.0 (tachyform)';
  }
  get onLine() {
    return true;
  }
  get language() {
    return 'en';
  }
  get languages() {
    return freeze(['en']);
  }
  get hardwareConcurrency() {
    return 2;
  }
  get platform() {
    return '';
  }
  get appName() {
    return 'Netscape';
  }
  get appCodeName() {
    return 'Mozilla';
  }
  get appVersion() {
    return '5.0 (tachyform)';
  }
  get product() {
    return 'Gecko';
  }
}
publish(WorkerLocation, WorkerNavigator);
const ownNavigator = new WorkerNavigator(MAKE);
let ownLocation = null;

class ServiceWorker extends EventTarget {
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
  postMessage(message) {
    must(arguments, 1);
    const token = ++nextMessage;
    messages.set(token, clone(message));
    host('postSelf', token);
  }
}
let nextMessage = 0;
const messages = new Map(); // sent by the worker to itself
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
class ServiceWorkerRegistration extends EventTarget {
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
const selfWorker = new ServiceWorker(MAKE, { get script() { return own.script; }, get state() { return own.state; } });
const registration = new ServiceWorkerRegistration(MAKE);

class Client {
  #info;
  constructor(key = undefined, info = undefined) {
    onlyHere(key);
    this.#info = info;
  }
  get id() {
    return this.#info.id;
  }
  get url() {
    return this.#info.url;
  }
  get type() {
    return this.#info.type;
  }
  get frameType() {
    return this.#info.frameType;
  }
  postMessage(message) {
    must(arguments, 1);
    host('toPage', 0, this.#info.id, toJSON(clone(message)) ?? 'undefined');
  }
}
class WindowClient extends Client {
  get visibilityState() {
    return 'visible';
  }
  get focused() {
    return true;
  }
  get ancestorOrigins() {
    return freeze([]);
  }
  async focus() {
    host('focus', 0, this.id);
    return this;
  }
  navigate(url) {
    try {
      must(arguments, 1);
      const parts = parsedURL(usv(url), baseURL());
      if (!parts || parts[0] === 'about:blank') throw new TypeError(`${url} is no address that a page can be sent to`);
      return callFor((info) => (info ? clientFrom(info) : null), 'navigate', this.id, parts[0]);
    } catch (error) {
      return rejecting(error);
    }
  }
}
const clientFrom = (info) => new WindowClient(MAKE, info);
class Clients {
  constructor(key = undefined) {
    onlyHere(key);
  }
  async get(id) {
    const info = await call('client', `${id}`);
    return info ? clientFrom(info) : undefined;
  }
  async matchAll(options = {}) {
    const list = await call('clients', toJSON({ includeUncontrolled: Boolean(options?.includeUncontrolled), type: options?.type === undefined ? 'window' : `${options.type}` }));
    return freeze(list.map(clientFrom));
  }
  openWindow(url) {
    try {
      must(arguments, 1);
      const parts = parsedURL(usv(url), baseURL());
      if (!parts) throw new TypeError(`${url} is no address`);
      return callFor((info) => (info ? clientFrom(info) : null), 'openWindow', parts[0]);
    } catch (error) {
      return rejecting(error);
    }
  }
  async claim() {
    await call('claim');
  }
}
gives(WindowClient, 'navigate');
gives(Clients, 'openWindow');
publish(Client, WindowClient, Clients);

// Service Workers, 4.4: events that keep the worker alive until their promises are settled.
const eventState = new WeakMap();
class ExtendableEvent extends Event {
  constructor(type, init = {}) {
    super(type, init);
  }
  waitUntil(promise) {
    const s = eventState.get(this);
    if (!s || !(s.dispatching || s.pending > 0)) throw new DOMException('the event is over; waitUntil comes too late', 'InvalidStateError');
    extend(s, resolved(promise));
  }
}
function extend(s, promise) {
  s.pending++;
  const over = () => {
    s.pending--;
    finish(s);
  };
  // What the promise's own reactions do comes first.
  then(
    promise,
    () => then(settled, over),
    (error) => {
      s.failed = true;
      if (!s.quiet) host('log', 'error', describe(error), stackOf(error), nameOf(error));
      then(settled, over);
    },
  );
}
function finish(s) {
  if (s.pending === 0 && !s.dispatching && !s.done) {
    s.done = true;
    host('eventDone', s.id, !s.failed);
  }
}
const ROUTE_SOURCES = ['network', 'cache', 'fetch-event', 'race-network-and-fetch-handler'];
const CONDITIONS = ['urlPattern', 'requestMethod', 'requestMode', 'requestDestination', 'runningStatus', 'or', 'not'];
function routeCondition(c, depth = 0) {
  if (typeof c !== 'object' || c === null || depth > 10) throw new TypeError('a route needs a condition');
  const out = {};
  for (const key of CONDITIONS) if (c[key] !== undefined) out[key] = c[key];
  if (!Object.keys(out).length) throw new TypeError('a route needs a condition');
  if ((out.or || out.not) && Object.keys(out).length > 1) throw new TypeError('or and not stand alone in a condition');
  if (out.urlPattern !== undefined) {
    const pattern = out.urlPattern instanceof global.URLPattern ? out.urlPattern : typeof out.urlPattern === 'string' ? new global.URLPattern(out.urlPattern, own.script) : new global.URLPattern({ baseURL: own.script, ...out.urlPattern });
    if (pattern.hasRegExpGroups) throw new TypeError('the URL pattern of a route may hold no regular expression');
    out.urlPattern = Object.fromEntries(PATTERN_PARTS.map((part) => [part, pattern[part]]));
  }
  if (out.or) out.or = [...out.or].map((x) => routeCondition(x, depth + 1));
  if (out.not) out.not = routeCondition(out.not, depth + 1);
  return out;
}
class InstallEvent extends ExtendableEvent {
  constructor(type, init = {}) {
    super(type, init);
  }
  async addRoutes(rules) {
    must(arguments, 1);
    const list = (Array.isArray(rules) ? rules : [rules]).map((rule) => {
      const { source } = rule;
      const named = typeof source === 'object' && source !== null;
      if (!named && !ROUTE_SOURCES.includes(source)) throw new TypeError(`"${source}" is no source of a route`);
      return { condition: routeCondition(rule.condition), source: named ? 'cache' : source, cacheName: named ? `${source.cacheName}` : null };
    });
    try {
      host('routes', toJSON(list));
    } catch (error) {
      throw hostError(error.message);
    }
  }
}
class FetchEvent extends ExtendableEvent {
  #init;
  #handled;
  constructor(type, init) {
    if (arguments.length < 2 || !(init?.request instanceof Request)) throw new TypeError('a FetchEvent needs a request');
    super(type, init);
    this.#init = init;
  }
  get request() {
    return this.#init.request;
  }
  get preloadResponse() {
    return this.#init.preloadResponse ?? resolved(undefined);
  }
  get clientId() {
    return this.#init.clientId ?? '';
  }
  get resultingClientId() {
    return this.#init.resultingClientId ?? '';
  }
  get replacesClientId() {
    return this.#init.replacesClientId ?? '';
  }
  get handled() {
    if (!this.#handled) {
      const s = eventState.get(this);
      this.#handled = deferred();
      if (s) s.handled = this.#handled;
      if (s?.answered) s.answered(this.#handled);
    }
    return this.#handled.promise;
  }
  respondWith(answer) {
    const s = eventState.get(this);
    if (!s || !s.dispatching) throw new DOMException('the event is over; respondWith has to be called while it is being dispatched', 'InvalidStateError');
    if (s.responding) throw new DOMException('respondWith was called already', 'InvalidStateError');
    s.responding = true;
    this.stopImmediatePropagation();
    s.quiet = true;
    const end = (how) => {
      s.answered = how;
      if (s.handled) how(s.handled);
    };
    const given = then(resolved(answer), (response) => {
      if (!(response instanceof Response)) throw new TypeError(`respondWith was given ${response === undefined ? 'nothing (undefined)' : shown(response)} instead of a response`);
      if (response.type === 'error') throw new TypeError('respondWith was given Response.error()');
      if (isUnusable(bodyOf.get(response))) throw new TypeError('respondWith was given a response whose body was read already');
      const send = (json) => host('respond', s.id, 'response', json);
      const json = answerNow(response);
      return json === null ? then(answerJSON(response, this.request.mode === 'navigate'), send) : send(json);
    });
    extend(s, then(given, () => end((handled) => handled.resolve()), (error) => {
      host('respond', s.id, 'error', describe(error));
      end((handled) => handled.reject(error));
    }));
  }
}
class ExtendableMessageEvent extends ExtendableEvent {
  #init;
  #ports;
  constructor(type, init = {}) {
    super(type, init);
    this.#init = init ?? {};
    const { ports = [], source = null } = this.#init;
    if (typeof ports !== 'object' || ports === null || typeof ports[Symbol.iterator] !== 'function') throw new TypeError('ports is a list of message ports');
    this.#ports = freeze([...ports]);
    if (this.#ports.some((p) => !portState.has(p))) throw new TypeError('ports is a list of message ports');
    if (source !== null && !(source instanceof Client || source instanceof ServiceWorker || portState.has(source))) throw new TypeError('source is a client, a worker or a port');
  }
  get data() {
    return this.#init.data === undefined ? null : this.#init.data;
  }
  get origin() {
    return usv(this.#init.origin ?? '');
  }
  get lastEventId() {
    return `${this.#init.lastEventId ?? ''}`;
  }
  get source() {
    return this.#init.source ?? null;
  }
  get ports() {
    return this.#ports;
  }
}
gives(FetchEvent, 'handled', 'preloadResponse');
publish(ExtendableEvent, InstallEvent, FetchEvent, ExtendableMessageEvent);

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

// What the host calls.
commands.start = (json) => {
  own = fromJSON(json);
  for (const path of own.lacks ?? []) {
    const names = path.split('.');
    let holder = global;
    for (const name of names.slice(0, -1)) holder = holder?.[name];
    if (holder) delete holder[names.at(-1)];
  }
  ownLocation = new WorkerLocation(MAKE, own.script);
};
commands.state = (state) => {
  own.state = state;
  fire(selfWorker, trusted(new Event('statechange')));
};
commands.script = (text, url) => {
  try {
    host('eval', text, url);
  } catch (error) {
    const where = /([^\s(]+:\d+)(?::\d+)?\)?\s*$/m.exec(stackOf(error))?.[1];
    return describe(error) + (where ? ` (${where.slice(where.lastIndexOf('/') + 1)})` : '');
  }
  return '';
};
let moduleFailure = 'the module did not finish';
commands.module = (url) => {
  then(host('module', url), () => { moduleFailure = ''; }, (error) => { moduleFailure = describe(error); });
};
commands.moduleResult = () => moduleFailure;
commands.listens = (type) => listFor(global).some((e) => e.type === type);

commands.event = (id, name, json) => {
  const detail = fromJSON(json);
  const init = { cancelable: name === 'fetch' };
  let event;
  if (name === 'fetch') {
    if (detail.request.redirect === undefined) detail.request.redirect = 'follow';
    let preloadResponse;
    if (detail.preload) {
      preloadResponse = new PromiseOf((resolve, reject) => calls.set(detail.preload, { resolve: (data) => resolve(responseFrom(data)), reject }));
      then(preloadResponse, undefined, () => {});
    }
    event = new FetchEvent('fetch', { ...init, ...detail, preloadResponse, request: requestFrom(detail.request) });
  } else if (name === 'install') event = new InstallEvent('install', init);
  else if (name === 'message') {
    const data = detail.token ? messages.get(detail.token) : detail.data;
    messages.delete(detail.token);
    event = new ExtendableMessageEvent('message', { ...init, data, origin: own.origin, source: detail.token ? selfWorker : detail.source ? clientFrom(detail.source) : null });
  }
  else if (['push', 'sync', 'periodicsync', 'notificationclick', 'notificationclose'].includes(name)) event = pushedEvent(name, detail, init);
  else event = new ExtendableEvent(name, init);
  trusted(event);
  const s = { id, pending: 0, dispatching: true, failed: false, responding: false, done: false };
  eventState.set(event, s);
  fire(global, event);
  if (name === 'fetch' && !s.responding) host('respond', id, event.defaultPrevented ? 'error' : 'none', '');
  s.dispatching = false;
  finish(s);
};
