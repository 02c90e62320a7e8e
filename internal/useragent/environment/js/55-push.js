// What reaches a worker without a page: Push API, Background Synchronization, Notifications API; and what a worker without a network
// connection can only fail to have: sockets and event streams.

const loadPush = lazy(['PushSubscriptionChangeEvent', 'PushEvent', 'PushMessageData', 'PushManager', 'PushSubscription', 'PushSubscriptionOptions', 'SyncEvent', 'SyncManager', 'PeriodicSyncEvent', 'PeriodicSyncManager', 'Notification', 'NotificationEvent'], () => {
  class PushMessageData {
    #bytes;
    constructor(key = undefined, bytes = undefined) {
      onlyHere(key);
      this.#bytes = bytes;
    }
    arrayBuffer() {
      return this.#bytes.slice().buffer;
    }
    blob() {
      return new Blob([this.#bytes]);
    }
    bytes() {
      return this.#bytes.slice();
    }
    json() {
      return jsonForScripts(this.text());
    }
    text() {
      return decodeUTF8(this.#bytes);
    }
  }
  class PushEvent extends ExtendableEvent {
    #data;
    constructor(type, init = {}) {
      super(type, init);
      const { data } = init ?? {};
      this.#data = data === undefined || data === null ? null : new PushMessageData(MAKE, typeof data === 'string' ? encodeUTF8(data) : new Uint8Array(viewOf(data)));
    }
    get data() {
      return this.#data;
    }
  }
  class SyncEvent extends ExtendableEvent {
    #init;
    constructor(type, init) {
      if (init?.tag === undefined) throw new TypeError('a SyncEvent needs a tag');
      super(type, init);
      this.#init = init;
    }
    get tag() {
      return `${this.#init.tag}`;
    }
    get lastChance() {
      return Boolean(this.#init.lastChance);
    }
  }
  class PeriodicSyncEvent extends ExtendableEvent {
    #tag;
    constructor(type, init) {
      if (init?.tag === undefined) throw new TypeError('a PeriodicSyncEvent needs a tag');
      super(type, init);
      this.#tag = `${init.tag}`;
    }
    get tag() {
      return this.#tag;
    }
  }
  class Notification extends EventTarget {
    #info;
    constructor(key = undefined, info = undefined) {
      super();
      if (key !== MAKE) throw new TypeError('workers show notifications with registration.showNotification()');
      this.#info = info;
    }
    static get permission() {
      return 'granted';
    }
    static get maxActions() {
      return 2;
    }
    get data() {
      return this.#info.data === undefined ? null : clone(this.#info.data);
    }
    get actions() {
      return freeze((this.#info.actions ?? []).map((a) => freeze({ ...a })));
    }
    close() {
      host('notification.close', 0, this.#info.id);
    }
  }
  for (const [name, otherwise] of entriesOf({ title: '', body: '', tag: '', icon: '', badge: '', image: '', dir: 'auto', lang: '', silent: null, requireInteraction: false, renotify: false, timestamp: 0 }))
    defineProperty(Notification.prototype, name, { ...attributeOf(Notification, name, otherwise), enumerable: true });
  function attributeOf(_, name, otherwise) {
    return attribute(name, (n) => notificationInfo.get(n)?.[name] ?? otherwise);
  }
  handlers(Notification.prototype, 'click', 'show', 'error', 'close');
  makeNotification = (info) => {
    const data = info.data === undefined ? undefined : fromJSON(info.data);
    const n = new Notification(MAKE, { ...info, data });
    notificationInfo.set(n, info);
    return n;
  };
  class NotificationEvent extends ExtendableEvent {
    #init;
    constructor(type, init) {
      if (!notificationInfo.has(init?.notification)) throw new TypeError('a NotificationEvent needs a notification');
      super(type, init);
      this.#init = init;
    }
    get notification() {
      return this.#init.notification;
    }
    get action() {
      return `${this.#init.action ?? ''}`;
    }
    get reply() {
      return this.#init.reply ?? null;
    }
  }
  class PushSubscriptionOptions {
    constructor(key = undefined) {
      onlyHere(key);
    }
    get userVisibleOnly() {
      return true;
    }
    get applicationServerKey() {
      return null;
    }
  }
  class PushSubscription {
    #options = new PushSubscriptionOptions(MAKE);
    constructor(key = undefined) {
      onlyHere(key);
    }
    get endpoint() {
      return 'https://push.example/subscription';
    }
    get expirationTime() {
      return null;
    }
    get options() {
      return this.#options;
    }
    getKey(name) {
      return new Uint8Array(name === 'p256dh' ? 65 : 16).buffer;
    }
    async unsubscribe() {
      return call('push.unsubscribe');
    }
    toJSON() {
      return { endpoint: this.endpoint, expirationTime: null, keys: { p256dh: 'A'.repeat(87), auth: 'A'.repeat(22) } };
    }
  }
  class PushManager {
    constructor(key = undefined) {
      onlyHere(key);
    }
    static get supportedContentEncodings() {
      return freeze(['aes128gcm', 'aesgcm']);
    }
    subscribe() {
      return callFor(() => new PushSubscription(MAKE), 'push.subscribe');
    }
    getSubscription() {
      return callFor((there) => (there ? new PushSubscription(MAKE) : null), 'push.subscription');
    }
    async permissionState() {
      return 'granted';
    }
  }
  class SyncManager {
    constructor(key = undefined) {
      onlyHere(key);
    }
    async register(tag) {
      must(arguments, 1);
      await call('sync.register', `${tag}`);
    }
    getTags() {
      return call('sync.tags');
    }
  }
  class PeriodicSyncManager {
    constructor(key = undefined) {
      onlyHere(key);
    }
    async register(tag) {
      must(arguments, 1);
      await call('periodicsync.register', `${tag}`);
    }
    getTags() {
      return call('periodicsync.tags');
    }
    async unregister(tag) {
      await call('periodicsync.unregister', `${tag}`);
    }
  }
  pushClasses = { PushEvent, SyncEvent, PeriodicSyncEvent, NotificationEvent, PushManager, SyncManager, PeriodicSyncManager };
  class PushSubscriptionChangeEvent extends ExtendableEvent {
    #init;
    constructor(type, init = {}) {
      super(type, init);
      this.#init = init ?? {};
    }
    get newSubscription() {
      return this.#init.newSubscription ?? null;
    }
    get oldSubscription() {
      return this.#init.oldSubscription ?? null;
    }
  }
  gives(PushManager, 'subscribe', 'getSubscription');
  publish(PushSubscriptionChangeEvent);
  publishLoosely(PushMessageData, PushEvent, PushSubscriptionOptions, PushSubscription, PushManager, SyncEvent, SyncManager, PeriodicSyncEvent, PeriodicSyncManager, Notification, NotificationEvent);
});
let makeNotification;
let pushClasses;
const notificationInfo = new WeakMap();
const managers = { __proto__: null };
function manager(name) {
  loadPush();
  return (managers[name] ??= new pushClasses[name](MAKE));
}
for (const [name, cls] of [['pushManager', 'PushManager'], ['sync', 'SyncManager'], ['periodicSync', 'PeriodicSyncManager']])
  defineProperty(ServiceWorkerRegistration.prototype, name, { ...attribute(name, () => manager(cls)), enumerable: true });
defineProperty(ServiceWorkerRegistration.prototype, 'showNotification', {
  value: function showNotification(title, options = {}) {
    try {
      must(arguments, 1);
      const { data, ...rest } = options ?? {};
      if (data !== undefined) clone(data);
      const info = { ...rest, title: `${title}`, actions: [...(rest.actions ?? [])].map((a) => ({ ...a })) };
      if (data !== undefined) info.data = toJSON(data) ?? 'null';
      return callFor(() => undefined, 'notification.show', toJSON(info));
    } catch (error) {
      return rejecting(error);
    }
  }, writable: true, configurable: true, enumerable: true,
});
defineProperty(ServiceWorkerRegistration.prototype, 'getNotifications', {
  value: function getNotifications(filter = {}) {
    loadPush();
    return callFor((list) => list.map(makeNotification), 'notification.list', `${filter?.tag ?? ''}`);
  }, writable: true, configurable: true, enumerable: true,
});
// The events that come without a page; the detail is the host's.
function pushedEvent(name, detail, init) {
  loadPush();
  switch (name) {
    case 'push': return new pushClasses.PushEvent('push', { ...init, data: detail.data });
    case 'sync': return new pushClasses.SyncEvent('sync', { ...init, tag: detail.tag, lastChance: detail.lastChance });
    case 'periodicsync': return new pushClasses.PeriodicSyncEvent('periodicsync', { ...init, tag: detail.tag });
    default: return new pushClasses.NotificationEvent(name, { ...init, notification: makeNotification(detail.notification), action: detail.action });
  }
}

// Connections that stay open are not simulated: each fails, and the result says that the gap is ours.
lazy(['WebSocket', 'EventSource', 'CloseEvent'], () => {
  class CloseEvent extends Event {
    #init;
    constructor(type, init = {}) {
      super(type, init);
      this.#init = init ?? {};
    }
    get wasClean() {
      return Boolean(this.#init.wasClean);
    }
    get code() {
      return this.#init.code ?? 0;
    }
    get reason() {
      return this.#init.reason ?? '';
    }
  }
  const endpoint = (url, schemes) => {
    const parts = parsedURL(usv(url), baseURL());
    if (!parts || !schemes.includes(parts[2]) || parts[10]) throw new DOMException(`${url} is no address for this kind of connection`, 'SyntaxError');
    return parts[0];
  };
  const failing = (target, ended) => {
    host('gap', `connections that stay open (${target.constructor.name}); it was made to fail`);
    setTimeout(() => {
      ended();
      fire(target, trusted(new Event('error')));
      if (target instanceof WebSocket) fire(target, trusted(new CloseEvent('close', { code: 1006 })));
    }, 1);
  };
  class WebSocket extends EventTarget {
    #url;
    #state = 0;
    binaryType = 'blob';
    constructor(url, protocols = []) {
      super();
      must(arguments, 1);
      const given = `${url}`.replace(/^http/, 'ws');
      this.#url = endpoint(given, ['ws:', 'wss:']);
      failing(this, () => { this.#state = 3; });
    }
    get url() {
      return this.#url;
    }
    get readyState() {
      return this.#state;
    }
    get bufferedAmount() {
      return 0;
    }
    get extensions() {
      return '';
    }
    get protocol() {
      return '';
    }
    send() {
      if (this.#state === 0) throw new DOMException('the connection is not open yet', 'InvalidStateError');
    }
    close() {
      if (this.#state === 0) this.#state = 2;
    }
  }
  class EventSource extends EventTarget {
    #url;
    #state = 0;
    #credentials;
    constructor(url, init = {}) {
      super();
      must(arguments, 1);
      this.#url = endpoint(url, ['http:', 'https:']);
      this.#credentials = Boolean(init?.withCredentials);
      failing(this, () => { this.#state = 2; });
    }
    get url() {
      return this.#url;
    }
    get readyState() {
      return this.#state;
    }
    get withCredentials() {
      return this.#credentials;
    }
    close() {
      this.#state = 2;
    }
  }
  handlers(WebSocket.prototype, 'open', 'message', 'error', 'close');
  handlers(EventSource.prototype, 'open', 'message', 'error');
  for (const [cls, names] of [[WebSocket, ['CONNECTING', 'OPEN', 'CLOSING', 'CLOSED']], [EventSource, ['CONNECTING', 'OPEN', 'CLOSED']]])
    names.forEach((name, value) => [cls, cls.prototype].forEach((o) => defineProperty(o, name, { value, enumerable: true })));
  publishLoosely(CloseEvent, WebSocket, EventSource);
});

// What the engine itself lacks. Formatting has a plain stand-in, so that workers go on; the result names the gap.
lazy(['Intl'], () => {
  host('gap', 'Intl; dates and numbers were formatted plainly');
  const two = (n) => `${n}`.padStart(2, '0');
  const plainFormat = (format, resolved) => class {
    format(value) {
      return format(value);
    }
    formatToParts(value) {
      return [{ type: 'literal', value: format(value) }];
    }
    select() {
      return 'other';
    }
    of(code) {
      return `${code}`;
    }
    compare(a, b) {
      return `${a}` < `${b}` ? -1 : `${a}` > `${b}` ? 1 : 0;
    }
    segment(text) {
      return [...`${text}`].map((segment, index) => ({ segment, index }));
    }
    resolvedOptions() {
      return { locale: 'en', numberingSystem: 'latn', calendar: 'gregory', timeZone: 'UTC', ...resolved };
    }
    static supportedLocalesOf() {
      return ['en'];
    }
  };
  const day = (value) => {
    const d = value === undefined ? new Date() : new Date(value);
    return `${d.getUTCMonth() + 1}/${two(d.getUTCDate())}/${d.getUTCFullYear()}`;
  };
  const Intl = { getCanonicalLocales: (list) => [].concat(list ?? []), supportedValuesOf: () => [] };
  for (const name of ['NumberFormat', 'PluralRules', 'DisplayNames', 'Collator', 'Segmenter']) Intl[name] = plainFormat((v) => `${v}`);
  Intl.DateTimeFormat = plainFormat(day);
  Intl.ListFormat = plainFormat((list) => [...list].join(', '));
  Intl.RelativeTimeFormat = class extends plainFormat((v) => `${v}`) {
    format(value, unit) {
      return `${value} ${unit}`;
    }
  };
  expose('Intl', Intl);
});
lazy(['WebAssembly'], () => {
  host('gap', 'WebAssembly; compiling it was made to fail');
  class CompileError extends Error {}
  class RuntimeError extends Error {}
  class LinkError extends Error {}
  const refuse = () => {
    throw new CompileError('WebAssembly is not there in this user agent');
  };
  const refuseLater = async () => refuse();
  class Module {
    constructor() {
      refuse();
    }
  }
  class Instance {
    constructor() {
      refuse();
    }
  }
  expose('WebAssembly', { compile: refuseLater, instantiate: refuseLater, compileStreaming: refuseLater, instantiateStreaming: refuseLater, validate: () => false, Module, Instance, CompileError, RuntimeError, LinkError });
});
