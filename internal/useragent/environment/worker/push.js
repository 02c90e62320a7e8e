// What reaches a worker without a page: Push API, Background Synchronization, Notifications API; and what a worker without a network
// connection can only fail to have: sockets and event streams.

import {
  TypeError, Uint8Array, defineProperty, entriesOf, freeze, fromJSON, jsonForScripts, toJSON,
} from '../shared/primordials.js';
import { MAKE, attribute, gives, lazy, must, onlyHere, publish, publishLoosely } from '../shared/webidl.js';
import { call, callFor, rejecting } from '../shared/host.js';
import { EventTarget, handlers } from '../shared/event.js';
import { decodeUTF8, encodeUTF8, viewOf } from '../shared/bytes.js';
import { clone } from '../shared/structuredclone.js';
import { Blob } from '../shared/blob.js';
import { ServiceWorkerRegistration } from '../shared/serviceworkers.js';
import { ExtendableEvent } from './extendableevent.js';

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
  value: { showNotification(title, options = {}) {
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
  } }.showNotification, writable: true, configurable: true, enumerable: true,
});
defineProperty(ServiceWorkerRegistration.prototype, 'getNotifications', {
  value: { getNotifications(filter = {}) {
    loadPush();
    return callFor((list) => list.map(makeNotification), 'notification.list', `${filter?.tag ?? ''}`);
  } }.getNotifications, writable: true, configurable: true, enumerable: true,
});
// The events that come without a page; the detail is the host's.
export function pushedEvent(name, detail, init) {
  loadPush();
  switch (name) {
    case 'push': return new pushClasses.PushEvent('push', { ...init, data: detail.data });
    case 'sync': return new pushClasses.SyncEvent('sync', { ...init, tag: detail.tag, lastChance: detail.lastChance });
    case 'periodicsync': return new pushClasses.PeriodicSyncEvent('periodicsync', { ...init, tag: detail.tag });
    default: return new pushClasses.NotificationEvent(name, { ...init, notification: makeNotification(detail.notification), action: detail.action });
  }
}
