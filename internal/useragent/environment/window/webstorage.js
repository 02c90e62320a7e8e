// HTML, 12: web storage, which lies in the browser.

import { ScriptArray, fromJSON, arrayFrom } from '../shared/primordials.js';
import { commands } from '../shared/commands.js';
import { must, onlyHere, publish } from '../shared/webidl.js';
import { dispatch, trusted } from '../shared/event.js';
import { error } from './nodes.js';
import { StorageEvent } from './uievents.js';

const areaOf = new WeakMap();
export class Storage {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get length() {
    return keysOf(this).length;
  }
  key(i) {
    return keysOf(this)[i >>> 0] ?? null;
  }
  getItem(key) {
    must(arguments, 1);
    return host('webstorage.get', areaOf.get(this), `${key}`);
  }
  setItem(key, value) {
    must(arguments, 2);
    if (!host('webstorage.set', areaOf.get(this), `${key}`, `${value}`)) throw error('QuotaExceededError', 'the storage is full');
  }
  removeItem(key) {
    must(arguments, 1);
    host('webstorage.remove', areaOf.get(this), `${key}`);
  }
  clear() {
    host('webstorage.clear', areaOf.get(this));
  }
}
const keysOf = (s) => fromJSON(host('webstorage.keys', areaOf.get(s)));
const handler = {
  get: (target, key) => (typeof key !== 'string' || key in target ? Reflect.get(target, key, target) : target.getItem(key) ?? undefined),
  set(target, key, value) {
    if (typeof key !== 'string' || (key in Storage.prototype && key !== 'length')) return Reflect.set(target, key, value, target);
    target.setItem(key, value);
    return true;
  },
  has: (target, key) => key in target || (typeof key === 'string' && target.getItem(key) !== null),
  deleteProperty(target, key) {
    if (typeof key === 'string') target.removeItem(key);
    return true;
  },
  ownKeys: (target) => arrayFrom([...new Set([...Reflect.ownKeys(target), ...keysOf(target)])]),
  getOwnPropertyDescriptor(target, key) {
    if (typeof key !== 'string' || key in target) return Reflect.getOwnPropertyDescriptor(target, key);
    const value = target.getItem(key);
    return value === null ? undefined : { value, writable: true, enumerable: true, configurable: true };
  },
  defineProperty(target, key, d) {
    target.setItem(key, d.value);
    return true;
  },
};
publish(Storage);
export function storageArea(name) {
  const target = { __proto__: Storage.prototype };
  areaOf.set(target, name);
  const proxy = new Proxy(target, handler);
  areaOf.set(proxy, name);
  return proxy;
}
commands.storageEvent = (area, json, url) => {
  const [key, oldValue, newValue] = fromJSON(json);
  dispatch(global, trusted(new StorageEvent('storage', { key, oldValue, newValue, url, storageArea: global[area === 'local' ? 'localStorage' : 'sessionStorage'] })));
};
