// Indexed Database API 3.0, in memory. What a transaction leaves behind is kept at the host, so that it outlives the worker.

import {
  ArrayBuffer, RealDate, ScriptArray, ScriptMap, ScriptObject, ScriptRegExp, ScriptSet, TypeError, Uint8Array, assign,
  defineProperty, entriesOf, fromJSON, toJSON,
} from './primordials.js';
import { MAKE, expose, lazy, must, onlyHere, publishLoosely } from './webidl.js';
import { DOMException } from './domexception.js';
import { Date_ } from './time.js';
import { Event, EventTarget, fire, handlers, trusted } from './event.js';
import { queueTask } from './timers.js';
import { bytesOf, viewOf } from './bytes.js';
import { clone } from './structuredclone.js';
import { Blob, blobHandle } from './blob.js';

lazy(['indexedDB', 'IDBFactory', 'IDBDatabase', 'IDBTransaction', 'IDBObjectStore', 'IDBIndex', 'IDBCursor', 'IDBCursorWithValue', 'IDBKeyRange', 'IDBRequest', 'IDBOpenDBRequest', 'IDBVersionChangeEvent'], () => {
  // Values cross to the host as JSON with tags for what JSON lacks.
  const pack = (v) => {
    if (v === undefined) return { $: 'undefined' };
    if (typeof v === 'bigint') return { $: 'bigint', v: `${v}` };
    if (typeof v === 'number' && (!Number.isFinite(v) || Object.is(v, -0))) return { $: 'number', v: Object.is(v, -0) ? '-0' : `${v}` };
    if (typeof v !== 'object' || v === null) return v;
    if (v instanceof RealDate) return { $: 'date', v: v.getTime() };
    if (v instanceof ScriptRegExp) return { $: 'regexp', v: v.source, f: v.flags };
    if (v instanceof ScriptMap) return { $: 'map', v: [...v].map(([k, x]) => [pack(k), pack(x)]) };
    if (v instanceof ScriptSet) return { $: 'set', v: [...v].map(pack) };
    if (v instanceof Blob) return { $: 'blob', t: v.type, v: [...new Uint8Array(bytesOf(blobHandle.get(v)))] };
    if (v instanceof ArrayBuffer) return { $: 'buffer', v: [...new Uint8Array(v)] };
    if (ArrayBuffer.isView(v)) return { $: 'view', k: v.constructor.name, v: [...viewOf(v)] };
    if (Array.isArray(v)) return { $: 'array', v: v.map(pack) };
    const out = {};
    for (const [k, x] of entriesOf(v)) out[k] = pack(x);
    return { $: 'object', v: out };
  };
  const unpack = (p) => {
    if (typeof p !== 'object' || p === null) return p;
    switch (p.$) {
      case 'undefined': return undefined;
      case 'bigint': return BigInt(p.v);
      case 'number': return Number(p.v);
      case 'date': return new Date_(p.v);
      case 'regexp': return new ScriptRegExp(p.v, p.f);
      case 'map': return new ScriptMap(p.v.map(([k, x]) => [unpack(k), unpack(x)]));
      case 'set': return new ScriptSet(p.v.map(unpack));
      case 'blob': return new Blob([new Uint8Array(p.v)], { type: p.t });
      case 'buffer': return new Uint8Array(p.v).buffer;
      case 'view': return new global[p.k](new Uint8Array(p.v).buffer);
      case 'array': return ScriptArray.from(p.v, unpack);
    }
    const out = new ScriptObject();
    for (const [k, x] of entriesOf(p.v)) out[k] = unpack(x);
    return out;
  };

  // 2.4 and 3.1: keys and their order.
  const rank = (k) => (typeof k === 'number' ? 1 : k instanceof RealDate ? 2 : typeof k === 'string' ? 3 : Array.isArray(k) ? 5 : 4);
  const toKey = (v, seen = []) => {
    if (typeof v === 'number' && !Number.isNaN(v)) return v;
    if (typeof v === 'string') return v;
    if (v instanceof RealDate && !Number.isNaN(v.getTime())) return new Date_(v.getTime());
    if (v instanceof ArrayBuffer || ArrayBuffer.isView(v)) return viewOf(v).slice().buffer;
    if (Array.isArray(v) && !seen.includes(v)) return v.map((x) => toKey(x, [...seen, v]));
    throw new DOMException('this is no valid key', 'DataError');
  };
  const compare = (a, b) => {
    if (rank(a) !== rank(b)) return rank(a) < rank(b) ? -1 : 1;
    if (Array.isArray(a)) {
      for (let i = 0; i < Math.min(a.length, b.length); i++) {
        const c = compare(a[i], b[i]);
        if (c) return c;
      }
      return Math.sign(a.length - b.length);
    }
    if (rank(a) === 4) return compare([...new Uint8Array(a)], [...new Uint8Array(b)]);
    if (rank(a) === 2) return Math.sign(a.getTime() - b.getTime());
    return a < b ? -1 : a > b ? 1 : 0;
  };
  const atPath = (value, path) => {
    if (Array.isArray(path)) {
      const list = path.map((p) => atPath(value, p));
      return list.includes(undefined) ? undefined : list;
    }
    if (path === '') return value;
    for (const part of path.split('.')) {
      if (value === null || value === undefined) return undefined;
      value = value[part];
    }
    return value;
  };
  const validKey = (v) => {
    try {
      return toKey(v);
    } catch {
      return undefined;
    }
  };

  class IDBKeyRange {
    constructor(key, lower, upper, lowerOpen, upperOpen) {
      onlyHere(key);
      assign(this, { lower, upper, lowerOpen, upperOpen });
    }
    static only(v) {
      const k = toKey(v);
      return new IDBKeyRange(MAKE, k, k, false, false);
    }
    static lowerBound(v, open = false) {
      return new IDBKeyRange(MAKE, toKey(v), undefined, Boolean(open), true);
    }
    static upperBound(v, open = false) {
      return new IDBKeyRange(MAKE, undefined, toKey(v), true, Boolean(open));
    }
    static bound(a, b, lowerOpen = false, upperOpen = false) {
      const [lower, upper] = [toKey(a), toKey(b)];
      const c = compare(lower, upper);
      if (c > 0 || (c === 0 && (lowerOpen || upperOpen))) throw new DOMException('the lower bound lies above the upper', 'DataError');
      return new IDBKeyRange(MAKE, lower, upper, Boolean(lowerOpen), Boolean(upperOpen));
    }
    includes(v) {
      const k = toKey(v);
      if (this.lower !== undefined) {
        const c = compare(k, this.lower);
        if (c < 0 || (c === 0 && this.lowerOpen)) return false;
      }
      if (this.upper !== undefined) {
        const c = compare(k, this.upper);
        if (c > 0 || (c === 0 && this.upperOpen)) return false;
      }
      return true;
    }
  }
  const all = new IDBKeyRange(MAKE, undefined, undefined, true, true);
  const rangeOf = (query, needed) => {
    if (query instanceof IDBKeyRange) return query;
    if (query === undefined || query === null) {
      if (needed) throw new DOMException('a key or range is needed', 'DataError');
      return all;
    }
    return IDBKeyRange.only(query);
  };

  // A database: { version, stores: Map(name → { keyPath, auto, next, rows: [{ key, value }], indexes: Map(name → { keyPath, unique, multi }) }) }
  const databases = new Map();
  for (const [name, text] of entriesOf(fromJSON(host('idbLoad')))) databases.set(name, unpack(fromJSON(text)));
  const save = (name) => {
    const db = databases.get(name);
    return host('idbSave', name, db ? toJSON(pack(db)) : '');
  };
  const find = (rows, key) => {
    let [lo, hi] = [0, rows.length];
    while (lo < hi) {
      const mid = (lo + hi) >> 1;
      if (compare(rows[mid].key, key) < 0) lo = mid + 1;
      else hi = mid;
    }
    return lo;
  };
  const indexKeys = (index, value) => {
    const raw = atPath(value, index.keyPath);
    if (index.multi && Array.isArray(raw)) {
      const keys = [];
      for (const k of raw.map(validKey)) if (k !== undefined && !keys.some((x) => compare(x, k) === 0)) keys.push(k);
      return keys;
    }
    const key = raw === undefined ? undefined : validKey(raw);
    return key === undefined ? [] : [key];
  };
  // The rows of a store or index, as { key, primaryKey, value } in their order.
  const rowsOf = (store, index) => {
    if (!index) return store.rows.map((r) => ({ key: r.key, primaryKey: r.key, value: r.value }));
    const out = [];
    for (const r of store.rows) for (const key of indexKeys(index, r.value)) out.push({ key, primaryKey: r.key, value: r.value });
    return out.sort((a, b) => compare(a.key, b.key) || compare(a.primaryKey, b.primaryKey));
  };

  class IDBRequest extends EventTarget {
    constructor(key = undefined, source = undefined, transaction = undefined) {
      onlyHere(key);
      super();
      defineProperty(this, '_s', { value: { source, transaction, done: false, result: undefined, error: null }, enumerable: false });
    }
    get result() {
      if (!this._s.done) throw new DOMException('the request is not through yet', 'InvalidStateError');
      return this._s.result;
    }
    get error() {
      if (!this._s.done) throw new DOMException('the request is not through yet', 'InvalidStateError');
      return this._s.error;
    }
    get source() {
      return this._s.source;
    }
    get transaction() {
      return this._s.transaction;
    }
    get readyState() {
      return this._s.done ? 'done' : 'pending';
    }
  }
  handlers(IDBRequest.prototype, 'success', 'error');
  class IDBOpenDBRequest extends IDBRequest {}
  handlers(IDBOpenDBRequest.prototype, 'blocked', 'upgradeneeded');
  class IDBVersionChangeEvent extends Event {
    #init;
    constructor(type, init = {}) {
      super(type, init);
      this.#init = init;
    }
    get oldVersion() {
      return this.#init.oldVersion ?? 0;
    }
    get newVersion() {
      return this.#init.newVersion ?? null;
    }
  }

  const stringList = (list) => {
    const sorted = [...list].sort();
    defineProperty(sorted, 'contains', { value: (name) => sorted.includes(`${name}`) });
    defineProperty(sorted, 'item', { value: (i) => sorted[i] ?? null });
    return sorted;
  };

  class IDBTransaction extends EventTarget {
    constructor(key, db, scope, mode, durability = 'default') {
      onlyHere(key);
      super();
      defineProperty(this, '_s', { value: { db, scope, mode, durability, queue: [], state: 'active', running: false, error: null, before: null, after: null }, enumerable: false });
    }
    get db() {
      return this._s.db;
    }
    get mode() {
      return this._s.mode;
    }
    get durability() {
      return this._s.durability;
    }
    get error() {
      return this._s.error;
    }
    get objectStoreNames() {
      return stringList(this._s.scope);
    }
    objectStore(name) {
      const s = this._s;
      if (s.state === 'finished') throw new DOMException('the transaction is over', 'InvalidStateError');
      if (!s.scope.includes(`${name}`)) throw new DOMException(`there is no object store "${name}" in this transaction`, 'NotFoundError');
      return new IDBObjectStore(MAKE, this, `${name}`);
    }
    commit() {
      if (this._s.state !== 'active') throw new DOMException('the transaction is over', 'InvalidStateError');
      this._s.state = 'committing';
    }
    abort() {
      if (this._s.state === 'finished') throw new DOMException('the transaction is over', 'InvalidStateError');
      abortTransaction(this, null);
    }
  }
  handlers(IDBTransaction.prototype, 'complete', 'error', 'abort');

  const record = (db) => databases.get(db.name);
  const later = queueTask;
  // Read-write transactions of a database run one after the other.
  const waiting = new Map();
  function start(tx) {
    const name = tx._s.db.name;
    if (!waiting.has(name)) waiting.set(name, []);
    const line = waiting.get(name);
    line.push(tx);
    later(() => begin(name));
  }
  function begin(name) {
    const line = waiting.get(name);
    for (const tx of [...line]) {
      if (tx._s.running) {
        if (tx._s.mode !== 'readonly') return;
        continue;
      }
      if (tx._s.mode !== 'readonly' && line[0] !== tx) return;
      tx._s.running = true;
      if (tx._s.mode !== 'readonly' && tx._s.before === null) tx._s.before = toJSON(pack(record(tx._s.db)));
      step(tx);
      if (tx._s.mode !== 'readonly') return;
    }
  }
  function step(tx) {
    const s = tx._s;
    if (s.state === 'finished') return;
    const job = s.queue.shift();
    if (!job) {
      // Nothing is asked for any more: the transaction commits by itself.
      later(() => (s.queue.length ? step(tx) : s.state !== 'finished' && complete(tx)));
      return;
    }
    const { request, run } = job;
    let event;
    try {
      request._s.result = run();
      request._s.error = null;
      event = new Event('success');
    } catch (error) {
      request._s.result = undefined;
      request._s.error = error;
      event = new Event('error', { bubbles: true, cancelable: true });
    }
    request._s.done = true;
    trusted(event);
    const unhandled = fire(request, event);
    if (event.type === 'error') {
      fire(tx, new Event('error', { bubbles: true }));
      if (unhandled) {
        abortTransaction(tx, request._s.error);
        return;
      }
    }
    later(() => step(tx));
  }
  function leave(tx) {
    const line = waiting.get(tx._s.db.name);
    line.splice(line.indexOf(tx), 1);
    if (line.length) later(() => begin(tx._s.db.name));
  }
  function complete(tx) {
    if (tx._s.mode !== 'readonly' && !save(tx._s.db.name)) {
      host('idbFull');
      abortTransaction(tx, new DOMException('the databases hold too much', 'QuotaExceededError'));
      return;
    }
    tx._s.state = 'finished';
    leave(tx);
    const event = new Event('complete');
    trusted(event);
    fire(tx, event);
    tx._s.after?.(true);
  }
  function abortTransaction(tx, error) {
    const s = tx._s;
    s.state = 'finished';
    s.error = error;
    if (s.before !== null) databases.set(s.db.name, unpack(fromJSON(s.before)));
    for (const { request } of s.queue.splice(0)) {
      request._s.done = true;
      request._s.error = new DOMException('the transaction was aborted', 'AbortError');
      later(() => fire(request, new Event('error', { bubbles: true, cancelable: true })));
    }
    leave(tx);
    later(() => {
      fire(tx, new Event('abort', { bubbles: true }));
      s.after?.(false);
    });
  }
  function ask(tx, source, run, request = new IDBRequest(MAKE, source, tx)) {
    if (tx._s.state !== 'active') throw new DOMException('the transaction is over', 'TransactionInactiveError');
    request._s.done = false;
    tx._s.queue.push({ request, run });
    return request;
  }

  class Source {
    get keyPath() {
      const { keyPath } = this._info();
      return keyPath ?? null;
    }
    get(query) {
      must(arguments, 1);
      const range = rangeOf(query, true);
      return this._ask(() => clone(this._rows().find((r) => range.includes(r.key))?.value));
    }
    getKey(query) {
      must(arguments, 1);
      const range = rangeOf(query, true);
      return this._ask(() => this._rows().find((r) => range.includes(r.key))?.primaryKey);
    }
    getAll(query = undefined, count = undefined) {
      const range = rangeOf(query);
      return this._ask(() => this._rows().filter((r) => range.includes(r.key)).slice(0, count || undefined).map((r) => clone(r.value)));
    }
    getAllKeys(query = undefined, count = undefined) {
      const range = rangeOf(query);
      return this._ask(() => this._rows().filter((r) => range.includes(r.key)).slice(0, count || undefined).map((r) => r.primaryKey));
    }
    count(query = undefined) {
      const range = rangeOf(query);
      return this._ask(() => this._rows().filter((r) => range.includes(r.key)).length);
    }
    openCursor(query = undefined, direction = 'next') {
      return openCursor(this, rangeOf(query), direction, true);
    }
    openKeyCursor(query = undefined, direction = 'next') {
      return openCursor(this, rangeOf(query), direction, false);
    }
  }
  class IDBObjectStore extends Source {
    constructor(key = undefined, tx = undefined, name = undefined) {
      onlyHere(key);
      super();
      defineProperty(this, '_tx', { value: tx, enumerable: false });
      defineProperty(this, '_name', { value: name, enumerable: false });
    }
    _info() {
      const info = record(this._tx._s.db).stores.get(this._name);
      if (!info) throw new DOMException('the object store was deleted', 'InvalidStateError');
      return info;
    }
    _rows() {
      return rowsOf(this._info());
    }
    _ask(run, request = undefined) {
      return ask(this._tx, this, run, request);
    }
    get name() {
      return this._name;
    }
    get transaction() {
      return this._tx;
    }
    get autoIncrement() {
      return this._info().auto;
    }
    get indexNames() {
      return stringList(this._info().indexes.keys());
    }
    #write(value, key, replace) {
      if (this._tx._s.mode === 'readonly') throw new DOMException('the transaction only reads', 'ReadOnlyError');
      const info = this._info();
      const copy = clone(value);
      if (info.keyPath !== null && key !== undefined) throw new DOMException('this store takes its keys from the values', 'DataError');
      let given = key === undefined ? undefined : toKey(key);
      if (info.keyPath !== null) {
        const inside = atPath(copy, info.keyPath);
        if (inside !== undefined) given = toKey(inside);
      }
      if (given === undefined && !info.auto) throw new DOMException('the value has no key', 'DataError');
      return this._ask(() => storeRow(this._info(), copy, given, replace));
    }
    put(value, key = undefined) {
      must(arguments, 1);
      return this.#write(value, key, true);
    }
    add(value, key = undefined) {
      must(arguments, 1);
      return this.#write(value, key, false);
    }
    delete(query) {
      must(arguments, 1);
      if (this._tx._s.mode === 'readonly') throw new DOMException('the transaction only reads', 'ReadOnlyError');
      const range = rangeOf(query, true);
      return this._ask(() => {
        const info = this._info();
        info.rows = info.rows.filter((r) => !range.includes(r.key));
      });
    }
    clear() {
      if (this._tx._s.mode === 'readonly') throw new DOMException('the transaction only reads', 'ReadOnlyError');
      return this._ask(() => {
        this._info().rows = [];
      });
    }
    createIndex(name, keyPath, options = {}) {
      must(arguments, 2);
      if (this._tx._s.mode !== 'versionchange') throw new DOMException('indexes are made while the version changes', 'InvalidStateError');
      const info = this._info();
      if (info.indexes.has(`${name}`)) throw new DOMException(`there is an index "${name}" already`, 'ConstraintError');
      info.indexes.set(`${name}`, { keyPath: Array.isArray(keyPath) ? keyPath.map(String) : `${keyPath}`, unique: Boolean(options?.unique), multi: Boolean(options?.multiEntry) });
      return new IDBIndex(MAKE, this, `${name}`);
    }
    deleteIndex(name) {
      if (!this._info().indexes.delete(`${name}`)) throw new DOMException(`there is no index "${name}"`, 'NotFoundError');
    }
    index(name) {
      if (!this._info().indexes.has(`${name}`)) throw new DOMException(`there is no index "${name}"`, 'NotFoundError');
      return new IDBIndex(MAKE, this, `${name}`);
    }
  }
  function storeRow(info, value, given, replace) {
    let key = given;
    if (key === undefined) {
      key = info.next++;
      if (info.keyPath !== null) {
        const parts = info.keyPath.split('.');
        let at = value;
        for (const part of parts.slice(0, -1)) at = at[part] ??= {};
        at[parts[parts.length - 1]] = key;
      }
    } else if (info.auto && typeof key === 'number' && key >= info.next) info.next = Math.floor(key) + 1;
    const at = find(info.rows, key);
    const there = info.rows[at] && compare(info.rows[at].key, key) === 0;
    if (there && !replace) throw new DOMException('there is a value with this key already', 'ConstraintError');
    for (const index of info.indexes.values())
      if (index.unique)
        for (const k of indexKeys(index, value))
          if (rowsOf(info, index).some((r) => compare(r.key, k) === 0 && compare(r.primaryKey, key) !== 0)) throw new DOMException('an index allows each key only once', 'ConstraintError');
    info.rows.splice(at, there ? 1 : 0, { key, value });
    return key;
  }
  class IDBIndex extends Source {
    constructor(key = undefined, store = undefined, name = undefined) {
      onlyHere(key);
      super();
      defineProperty(this, '_store', { value: store, enumerable: false });
      defineProperty(this, '_name', { value: name, enumerable: false });
    }
    _info() {
      return this._store._info().indexes.get(this._name);
    }
    _rows() {
      return rowsOf(this._store._info(), this._info());
    }
    _ask(run, request = undefined) {
      return ask(this._store._tx, this, run, request);
    }
    get name() {
      return this._name;
    }
    get objectStore() {
      return this._store;
    }
    get unique() {
      return this._info().unique;
    }
    get multiEntry() {
      return this._info().multi;
    }
  }

  class IDBCursor {
    constructor(key = undefined, state = undefined) {
      onlyHere(key);
      defineProperty(this, '_c', { value: state, enumerable: false });
    }
    get source() {
      return this._c.source;
    }
    get direction() {
      return this._c.direction;
    }
    get key() {
      return this._c.row?.key;
    }
    get primaryKey() {
      return this._c.row?.primaryKey;
    }
    get request() {
      return this._c.request;
    }
    continue(key = undefined) {
      const wanted = key === undefined ? undefined : toKey(key);
      this.#go((rows, back) => rows.find((r) => wanted === undefined || (back ? compare(r.key, wanted) <= 0 : compare(r.key, wanted) >= 0)));
    }
    advance(count) {
      if (!(count > 0)) throw new TypeError('advance takes a positive number');
      this.#go((rows) => rows[count - 1]);
    }
    #go(pick) {
      const c = this._c;
      if (c.moving || !c.row) throw new DOMException('the cursor is moving or past its end', 'InvalidStateError');
      c.moving = true;
      c.source._ask(() => move(this, pick), c.request);
    }
    update(value) {
      const store = this._c.source._store ?? this._c.source;
      const { primaryKey } = this._c.row;
      const copy = clone(value);
      return store._ask(() => storeRow(store._info(), copy, primaryKey, true));
    }
    delete() {
      const store = this._c.source._store ?? this._c.source;
      return store.delete(this._c.row.primaryKey);
    }
  }
  class IDBCursorWithValue extends IDBCursor {
    get value() {
      const { row } = this._c;
      if (!row) return undefined;
      return (row.copy ??= { v: clone(row.value) }).v;
    }
  }
  function move(cursor, pick) {
    const c = cursor._c;
    const back = c.direction.startsWith('prev');
    let rows = c.source._rows().filter((r) => c.range.includes(r.key));
    if (back) rows.reverse();
    if (c.direction.endsWith('unique')) rows = rows.filter((r, i) => i === 0 || compare(r.key, rows[i - 1].key) !== 0);
    if (c.row) rows = rows.filter((r) => (compare(r.key, c.row.key) || (c.direction.endsWith('unique') ? 0 : compare(r.primaryKey, c.row.primaryKey))) * (back ? -1 : 1) > 0);
    c.row = pick(rows, back) ?? null;
    c.moving = false;
    return c.row ? cursor : null;
  }
  function openCursor(source, range, direction, withValue) {
    if (!['next', 'nextunique', 'prev', 'prevunique'].includes(`${direction}`)) throw new TypeError(`"${direction}" is no direction`);
    const state = { source, range, direction: `${direction}`, row: null, moving: true, request: null };
    const cursor = new (withValue ? IDBCursorWithValue : IDBCursor)(MAKE, state);
    state.request = source._ask(() => move(cursor, (rows) => rows[0]));
    return state.request;
  }

  class IDBDatabase extends EventTarget {
    #name;
    constructor(key = undefined, name = undefined) {
      onlyHere(key);
      super();
      this.#name = name;
      defineProperty(this, '_s', { value: { closed: false, upgrade: null }, enumerable: false });
    }
    get name() {
      return this.#name;
    }
    get version() {
      return record(this)?.version ?? 0;
    }
    get objectStoreNames() {
      return stringList(record(this)?.stores.keys() ?? []);
    }
    #upgrading() {
      if (!this._s.upgrade) throw new DOMException('object stores are made while the version changes', 'InvalidStateError');
      return record(this).stores;
    }
    createObjectStore(name, options = {}) {
      must(arguments, 1);
      const stores = this.#upgrading();
      if (stores.has(`${name}`)) throw new DOMException(`there is an object store "${name}" already`, 'ConstraintError');
      const keyPath = options?.keyPath === undefined || options.keyPath === null ? null : Array.isArray(options.keyPath) ? options.keyPath.map(String) : `${options.keyPath}`;
      stores.set(`${name}`, { keyPath, auto: Boolean(options?.autoIncrement), next: 1, rows: [], indexes: new Map() });
      this._s.upgrade._s.scope.push(`${name}`);
      return new IDBObjectStore(MAKE, this._s.upgrade, `${name}`);
    }
    deleteObjectStore(name) {
      if (!this.#upgrading().delete(`${name}`)) throw new DOMException(`there is no object store "${name}"`, 'NotFoundError');
    }
    transaction(scope, mode = 'readonly', options = {}) {
      must(arguments, 1);
      if (this._s.closed || this._s.upgrade) throw new DOMException('the database is closed or changing its version', 'InvalidStateError');
      const list = typeof scope === 'string' ? [scope] : [...scope].map(String);
      if (!list.length) throw new DOMException('a transaction needs an object store', 'InvalidAccessError');
      for (const name of list) if (!record(this).stores.has(name)) throw new DOMException(`there is no object store "${name}"`, 'NotFoundError');
      if (mode !== 'readonly' && mode !== 'readwrite') throw new TypeError(`"${mode}" is no mode of transactions`);
      const tx = new IDBTransaction(MAKE, this, list, mode, options?.durability);
      start(tx);
      return tx;
    }
    close() {
      this._s.closed = true;
    }
  }
  handlers(IDBDatabase.prototype, 'abort', 'close', 'error', 'versionchange');

  class IDBFactory {
    constructor(key = undefined) {
      onlyHere(key);
    }
    open(name, version = undefined) {
      must(arguments, 1);
      if (version !== undefined && !(Math.floor(Number(version)) >= 1)) throw new TypeError(`${version} is no version`);
      const request = new IDBOpenDBRequest(MAKE, null, null);
      later(() => {
        const old = databases.get(`${name}`)?.version ?? 0;
        const wanted = version === undefined ? old || 1 : Math.floor(Number(version));
        const settle = (result, error) => {
          assign(request._s, { done: true, result, error: error ?? null, transaction: null });
          fire(request, new Event(error ? 'error' : 'success', error ? { bubbles: true, cancelable: true } : {}));
        };
        if (wanted < old) return settle(undefined, new DOMException(`the database has version ${old}, which is above ${wanted}`, 'VersionError'));
        const db = new IDBDatabase(MAKE, `${name}`);
        if (wanted === old) return settle(db);
        const before = databases.has(`${name}`) ? toJSON(pack(databases.get(`${name}`))) : null;
        if (!databases.has(`${name}`)) databases.set(`${name}`, { version: 0, stores: new Map() });
        record(db).version = wanted;
        const tx = new IDBTransaction(MAKE, db, [...record(db).stores.keys()], 'versionchange');
        tx._s.before = before ?? toJSON(pack({ version: 0, stores: new Map() }));
        db._s.upgrade = tx;
        tx._s.after = (done) => {
          db._s.upgrade = null;
          if (done) return settle(db);
          if (before === null) databases.delete(`${name}`);
          settle(undefined, new DOMException('the version change was aborted', 'AbortError'));
        };
        assign(request._s, { done: true, result: db, transaction: tx });
        if (!waiting.has(`${name}`)) waiting.set(`${name}`, []);
        waiting.get(`${name}`).unshift(tx);
        tx._s.running = true;
        fire(request, new IDBVersionChangeEvent('upgradeneeded', { oldVersion: old, newVersion: wanted }));
        later(() => step(tx));
      });
      return request;
    }
    deleteDatabase(name) {
      const request = new IDBOpenDBRequest(MAKE, null, null);
      later(() => {
        const old = databases.get(`${name}`)?.version ?? 0;
        databases.delete(`${name}`);
        save(`${name}`);
        request._s.done = true;
        fire(request, new IDBVersionChangeEvent('success', { oldVersion: old, newVersion: null }));
      });
      return request;
    }
    async databases() {
      return [...databases].map(([name, { version }]) => ({ name, version }));
    }
    cmp(a, b) {
      return compare(toKey(a), toKey(b));
    }
  }
  publishLoosely(IDBFactory, IDBDatabase, IDBTransaction, IDBObjectStore, IDBIndex, IDBCursor, IDBCursorWithValue, IDBKeyRange, IDBRequest, IDBOpenDBRequest, IDBVersionChangeEvent);
  expose('indexedDB', new IDBFactory(MAKE));
});
