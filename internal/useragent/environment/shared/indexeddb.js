// Indexed Database API 3.0. The databases lie in the browser, for all realms of it; requests are made there one after the other.

import {
  ArrayBuffer, RealDate, ScriptArray, ScriptObject, TypeError, Uint8Array, assign, defineProperty, fromJSON, isA,
  resolved, toJSON, arrayFrom, isView,
} from './primordials.js';
import { commands } from './commands.js';
import { MAKE, expose, gives, lazy, must, onlyHere, publishLoosely } from './webidl.js';
import { DOMException } from './domexception.js';
import { hostError } from './host.js';
import { Date_ } from './time.js';
import { Event, EventTarget, addParents, fire, dispatch, handlers, insideOf, trusted } from './event.js';
import { queueTask } from './timers.js';
import { viewOf } from './bytes.js';
import { deserialize, fromHost, serialize, toHost } from './structuredclone.js';
import { nameFromHost, nameToHost } from './names.js';

lazy(['indexedDB', 'IDBFactory', 'IDBDatabase', 'IDBTransaction', 'IDBObjectStore', 'IDBIndex', 'IDBCursor', 'IDBCursorWithValue', 'IDBKeyRange', 'IDBRequest', 'IDBOpenDBRequest', 'IDBVersionChangeEvent'], () => {
  // 2.4 and 7.4: keys, and how they cross.
  const toKey = (v, seen = []) => {
    if (typeof v === 'number' && !Number.isNaN(v)) return v;
    if (typeof v === 'string') return v;
    if (isA(v, RealDate) && !Number.isNaN(v.getTime())) return new Date_(v.getTime());
    if (isA(v, ArrayBuffer) || isView(v)) return viewOf(v).slice().buffer;
    if (Array.isArray(v) && !seen.includes(v)) return arrayFrom(v, (x) => toKey(x, [...seen, v]));
    throw new DOMException('this is no valid key', 'DataError');
  };
  const keyToHost = (key) => {
    if (key === undefined) return null;
    if (typeof key === 'number') return Number.isFinite(key) ? key : { number: key > 0 ? '+Inf' : '-Inf' };
    if (isA(key, RealDate)) return { date: key.getTime() };
    if (isA(key, ArrayBuffer)) return { binary: Array.from(new Uint8Array(key), (b) => b.toString(16).padStart(2, '0')).join('') };
    return Array.isArray(key) ? Array.from(key, keyToHost) : key;
  };
  const keyFromHost = (key) => {
    if (key === null || key === undefined) return undefined;
    if (typeof key !== 'object') return key;
    if (Array.isArray(key)) return arrayFrom(key, keyFromHost);
    if (key.date !== undefined) return new Date_(key.date);
    if (key.number !== undefined) return key.number === '+Inf' ? Infinity : -Infinity;
    return Uint8Array.from(key.binary.match(/../g) ?? [], (two) => parseInt(two, 16)).buffer;
  };
  const rank = (k) => (typeof k === 'number' ? 1 : isA(k, RealDate) ? 2 : typeof k === 'string' ? 3 : Array.isArray(k) ? 5 : 4);
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

  const bounds = new WeakMap();
  class IDBKeyRange {
    constructor(key, lower, upper, lowerOpen, upperOpen) {
      onlyHere(key);
      bounds.set(this, { lower, upper, lowerOpen, upperOpen });
    }
    get lower() {
      return bounds.get(this).lower;
    }
    get upper() {
      return bounds.get(this).upper;
    }
    get lowerOpen() {
      return bounds.get(this).lowerOpen;
    }
    get upperOpen() {
      return bounds.get(this).upperOpen;
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
      const { lower, upper, lowerOpen, upperOpen } = bounds.get(this);
      if (lower !== undefined) {
        const c = compare(k, lower);
        if (c < 0 || (c === 0 && lowerOpen)) return false;
      }
      if (upper !== undefined) {
        const c = compare(k, upper);
        if (c > 0 || (c === 0 && upperOpen)) return false;
      }
      return true;
    }
  }
  // A key range, as it crosses, from what a request is made with.
  const rangeOf = (query, needed) => {
    let range;
    if (isA(query, IDBKeyRange)) range = query;
    else if (query === undefined || query === null) {
      if (needed) throw new DOMException('a key or range is needed', 'DataError');
      return {};
    } else range = IDBKeyRange.only(query);
    const { lower, upper, lowerOpen, upperOpen } = bounds.get(range);
    return { lower: keyToHost(lower), upper: keyToHost(upper), lowerOpen, upperOpen };
  };
  const valueFrom = (kept) => (kept ? deserialize(fromHost(kept)).value : undefined);
  const pathOf = (keyPath) => (keyPath === undefined || keyPath === null ? null : Array.isArray(keyPath) ? Array.from(keyPath, String) : `${keyPath}`);
  const IDENTIFIER = /^[\p{ID_Start}$_][\p{ID_Continue}$\u200c\u200d]*$/u;
  const isPath = (path) => path === null || [path].flat().every((p) => p === '' || p.split('.').every((part) => IDENTIFIER.test(part))) && !(Array.isArray(path) && !path.length);
  const asScriptHas = (path) => (Array.isArray(path) ? arrayFrom(path) : path);
  // What the host answers at once; its errors are exceptions.
  const ask = (op, ...args) => {
    try {
      return host(op, ...args);
    } catch (error) {
      throw hostError(error.message);
    }
  };

  const requests = new Map(); // those that wait for the host, by number
  let nextRequest = 0;
  const stateOf = new WeakMap();
  class IDBRequest extends EventTarget {
    constructor(key = undefined, source = null, transaction = null) {
      onlyHere(key);
      super();
      stateOf.set(this, { source, transaction, done: false, result: undefined, error: null });
    }
    get result() {
      const s = stateOf.get(this);
      if (!s.done) throw new DOMException('the request is not through yet', 'InvalidStateError');
      return s.result;
    }
    get error() {
      const s = stateOf.get(this);
      if (!s.done) throw new DOMException('the request is not through yet', 'InvalidStateError');
      return s.error;
    }
    get source() {
      return stateOf.get(this).source;
    }
    get transaction() {
      return stateOf.get(this).transaction;
    }
    get readyState() {
      return stateOf.get(this).done ? 'done' : 'pending';
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
    const sorted = arrayFrom([...list].sort());
    defineProperty(sorted, 'contains', { value: (name) => sorted.includes(`${name}`) });
    defineProperty(sorted, 'item', { value: (i) => sorted[i] ?? null });
    return sorted;
  };

  // 2.7: transactions. state is active while requests may be made, else inactive, committing or finished.
  const transactions = new Map(); // by their numbers at the host
  const inactive = () => new DOMException('the transaction is over, or nothing may be asked of it now', 'TransactionInactiveError');
  class IDBTransaction extends EventTarget {
    constructor(key, db, scope, mode, durability = 'default') {
      onlyHere(key);
      super();
      stateOf.set(this, { db, scope, mode, durability, id: 0, queue: [], state: 'active', started: false, error: null, request: null, stores: new Map() });
    }
    get db() {
      return stateOf.get(this).db;
    }
    get mode() {
      return stateOf.get(this).mode;
    }
    get durability() {
      return stateOf.get(this).durability;
    }
    get error() {
      return stateOf.get(this).error;
    }
    get objectStoreNames() {
      const s = stateOf.get(this);
      return stringList(s.mode === 'versionchange' ? Object.keys(layoutOf(s.db).stores) : s.scope);
    }
    objectStore(name) {
      const s = stateOf.get(this);
      if (s.state === 'finished' || s.state === 'committing') throw new DOMException('the transaction is over', 'InvalidStateError');
      if (!(s.mode === 'versionchange' ? layoutOf(s.db).stores[`${name}`] : s.scope.includes(`${name}`))) throw new DOMException(`there is no object store "${name}" in this transaction`, 'NotFoundError');
      if (!s.stores.has(`${name}`)) s.stores.set(`${name}`, new IDBObjectStore(MAKE, this, `${name}`, layoutOf(s.db).stores[`${name}`].id));
      return s.stores.get(`${name}`);
    }
    commit() {
      const s = stateOf.get(this);
      if (s.state !== 'active') throw new DOMException('the transaction is over', 'InvalidStateError');
      s.state = 'committing';
      if (s.started && !s.queue.length) queueTask(() => step(this));
    }
    abort() {
      const s = stateOf.get(this);
      if (s.state === 'finished' || s.state === 'committing') throw new DOMException('the transaction is over', 'InvalidStateError');
      abortTransaction(this, null);
    }
  }
  handlers(IDBTransaction.prototype, 'complete', 'error', 'abort');

  function start(tx, id) {
    stateOf.get(tx).id = id;
    transactions.set(id, tx);
  }
  commands.databaseStarted = (id) => {
    const tx = transactions.get(id);
    stateOf.get(tx).started = true;
    step(tx);
  };
  // Makes the next request of a transaction, or commits it when there is none any more.
  function step(tx) {
    const s = stateOf.get(tx);
    if (s.state === 'finished' || !s.started) return;
    const job = s.queue.shift();
    if (!job) {
      queueTask(() => (s.queue.length ? step(tx) : s.state !== 'finished' && complete(tx)));
      return;
    }
    const { request, run } = job;
    const r = stateOf.get(request);
    let event;
    try {
      assign(r, { result: run(), error: null, done: true });
      event = new Event('success');
    } catch (error) {
      assign(r, { result: undefined, error, done: true });
      event = new Event('error', { bubbles: true, cancelable: true });
    }
    // It may be asked for more until the listeners have returned and their microtasks are through.
    if (s.state === 'inactive') s.state = 'active';
    const unhandled = dispatch(request, trusted(event));
    if (s.state === 'finished') return;
    if (insideOf(event).threw) abortTransaction(tx, new DOMException('a listener threw an exception', 'AbortError'));
    else if (insideOf(event).type === 'error' && unhandled) abortTransaction(tx, r.error);
    else
      queueTask(() => {
        if (s.state === 'active') s.state = 'inactive';
        step(tx);
      });
  }
  // Events go from requests to their transactions, and from these to databases (2.7).
  addParents((target) => isA(target, IDBRequest), (request) => stateOf.get(request).transaction);
  addParents((target) => isA(target, IDBTransaction), (tx) => stateOf.get(tx).db);
  function complete(tx) {
    const s = stateOf.get(tx);
    try {
      host('database.commit', s.id);
    } catch (error) {
      abortTransaction(tx, hostError(error.message));
      return;
    }
    over(tx);
    fire(tx, 'complete');
  }
  function over(tx) {
    const s = stateOf.get(tx);
    s.state = 'finished';
    transactions.delete(s.id);
    if (s.mode === 'versionchange') stateOf.get(s.db).upgrade = null;
    stateOf.get(s.db).layout = null;
  }
  function abortTransaction(tx, error) {
    const s = stateOf.get(tx);
    if (s.state === 'finished') return;
    s.error = error;
    host('database.abort', s.id);
    over(tx);
    for (const { request } of s.queue.splice(0)) {
      assign(stateOf.get(request), { done: true, result: undefined, error: new DOMException('the transaction was aborted', 'AbortError') });
      queueTask(() => fire(request, 'error', { bubbles: true, cancelable: true }));
    }
    queueTask(() => {
      fire(tx, 'abort', { bubbles: true });
      if (s.request) stateOf.get(s.request).transaction = null;
    });
  }
  // Queues a request of a transaction; run makes it at the host and gives the result.
  function enqueue(tx, source, run, request = new IDBRequest(MAKE, source, tx)) {
    const s = stateOf.get(tx);
    stateOf.get(request).done = false;
    s.queue.push({ request, run });
    return request;
  }
  const rowsOf = (tx, question) => fromJSON(ask('database.request', stateOf.get(tx).id, toJSON(question)));

  // What stores and indexes have in common. where names them for the host.
  class Source {
    get(query) {
      must(arguments, 1);
      return this.$rows('rows', query, 1, true, ([row]) => row && valueFrom(row.value));
    }
    getKey(query) {
      must(arguments, 1);
      return this.$rows('keys', query, 1, true, ([row]) => row && keyFromHost(row.primary));
    }
    getAll(query = undefined, count = undefined) {
      return this.$rows('rows', query, count, false, (rows) => arrayFrom(rows, (row) => valueFrom(row.value)));
    }
    getAllKeys(query = undefined, count = undefined) {
      return this.$rows('keys', query, count, false, (rows) => arrayFrom(rows, (row) => keyFromHost(row.primary)));
    }
    count(query = undefined) {
      return this.$rows('count', query, 0, false, (n) => n);
    }
    openCursor(query = undefined, direction = 'next') {
      return openCursor(this, query, direction, true);
    }
    openKeyCursor(query = undefined, direction = 'next') {
      return openCursor(this, query, direction, false);
    }
    $rows(op, query, count, needed, read) {
      const { tx, where } = this.$ready();
      const question = { op, ...where, range: rangeOf(query, needed), limit: Number(count ?? 0) || 0 };
      return enqueue(tx, this, () => read(rowsOf(tx, question)));
    }
    // The transaction that a request belongs to, which has to be active; what it is about has to be there still.
    $ready(writes = false) {
      const { tx, where } = this.$where();
      this.$layout();
      const s = stateOf.get(tx);
      if (s.state !== 'active') throw inactive();
      if (writes && s.mode === 'readonly') throw new DOMException('the transaction only reads', 'ReadOnlyError');
      return { tx, where };
    }
  }
  class IDBObjectStore extends Source {
    constructor(key = undefined, tx = undefined, name = undefined, id = undefined) {
      onlyHere(key);
      super();
      stateOf.set(this, { tx, name, id, indexes: new Map() });
    }
    $where() {
      const { tx, id } = stateOf.get(this);
      return { tx, where: { store: id } };
    }
    $layout() {
      const { tx, id } = stateOf.get(this);
      const layout = layoutOf(stateOf.get(tx).db).byID.get(id);
      if (!layout) throw new DOMException('the object store was deleted', 'InvalidStateError');
      return layout;
    }
    get name() {
      return stateOf.get(this).name;
    }
    set name(value) {
      const { tx } = this.$upgrading();
      const s = stateOf.get(this);
      value = `${value}`;
      this.$layout();
      if (value === s.name) return;
      const db = stateOf.get(stateOf.get(tx).db);
      if (layoutOf(stateOf.get(tx).db).stores[value]) throw new DOMException(`there is an object store "${value}" already`, 'ConstraintError');
      ask('database.request', stateOf.get(tx).id, toJSON({ op: 'renameStore', store: s.id, name: nameToHost(value) }));
      db.layout = null;
      stateOf.get(tx).stores.delete(s.name);
      stateOf.get(tx).stores.set(value, this);
      s.name = value;
    }
    get transaction() {
      return stateOf.get(this).tx;
    }
    get keyPath() {
      return asScriptHas(this.$layout().keyPath);
    }
    get autoIncrement() {
      return this.$layout().autoIncrement;
    }
    get indexNames() {
      return stringList(Object.keys(this.$layout().indexes));
    }
    put(value, key = undefined) {
      must(arguments, 1);
      return this.$write('put', value, key);
    }
    add(value, key = undefined) {
      must(arguments, 1);
      return this.$write('add', value, key);
    }
    $write(op, value, key, cursorKey = undefined, source = this) {
      const { tx, where } = this.$ready(true);
      const s = stateOf.get(tx);
      const given = key === undefined ? undefined : toKey(key);
      s.state = 'inactive'; // while the value's own code runs
      let kept;
      try {
        kept = toHost(serialize(value));
      } finally {
        s.state = 'active';
      }
      const question = { op, ...where, value: kept };
      // A cursor over a store whose values have no keys in them has the key.
      const outside = cursorKey !== undefined && this.$layout().keyPath === null;
      const found = ask('database.check', stateOf.get(s.db).id, toJSON({ ...question, key: keyToHost(outside ? cursorKey : given) }));
      if (cursorKey !== undefined) {
        const inside = keyFromHost(fromJSON(found));
        if (!outside && (inside === undefined || compare(inside, cursorKey))) throw new DOMException('the key of the record cannot change', 'DataError');
        question.key = keyToHost(cursorKey);
      } else question.key = fromJSON(found);
      return enqueue(tx, source, () => keyFromHost(rowsOf(tx, question)));
    }
    delete(query) {
      must(arguments, 1);
      return this.$delete(rangeOf(query, true));
    }
    clear() {
      return this.$delete({});
    }
    $delete(range, source = this) {
      const { tx, where } = this.$ready(true);
      return enqueue(tx, source, () => {
        rowsOf(tx, { op: 'delete', ...where, range });
      });
    }
    createIndex(name, keyPath, options = {}) {
      must(arguments, 2);
      const { tx, where } = this.$upgrading();
      const s = stateOf.get(tx);
      if (this.$layout().indexes[`${name}`]) throw new DOMException(`there is an index "${name}" already`, 'ConstraintError');
      const path = pathOf(keyPath);
      if (!isPath(path)) throw new DOMException('this is no key path', 'SyntaxError');
      if (Array.isArray(path) && options?.multiEntry) throw new DOMException('an index by several paths takes no members of arrays', 'InvalidAccessError');
      try {
        ask('database.request', s.id, toJSON({ op: 'createIndex', ...where, name: nameToHost(`${name}`), path, unique: Boolean(options?.unique), multi: Boolean(options?.multiEntry) }));
      } catch (error) {
        queueTask(() => abortTransaction(tx, error));
      }
      stateOf.get(s.db).layout = null;
      return this.index(name, true);
    }
    deleteIndex(name) {
      must(arguments, 1);
      const { tx, where } = this.$upgrading();
      const there = this.$layout().indexes[`${name}`];
      if (!there) throw new DOMException(`there is no index "${name}"`, 'NotFoundError');
      ask('database.request', stateOf.get(tx).id, toJSON({ op: 'deleteIndex', ...where, index: there.id }));
      stateOf.get(stateOf.get(tx).db).layout = null;
      stateOf.get(this).indexes.delete(`${name}`);
    }
    $upgrading() {
      if (stateOf.get(stateOf.get(this).tx).mode !== 'versionchange') throw new DOMException('indexes are made while the version changes', 'InvalidStateError');
      return this.$ready();
    }
    index(name) {
      must(arguments, 1);
      const { tx, indexes } = stateOf.get(this);
      if (stateOf.get(tx).state === 'finished') throw new DOMException('the transaction is over', 'InvalidStateError');
      if (!this.$layout().indexes[`${name}`] && arguments.length === 1) throw new DOMException(`there is no index "${name}"`, 'NotFoundError');
      if (!indexes.has(`${name}`)) indexes.set(`${name}`, new IDBIndex(MAKE, this, `${name}`, this.$layout().indexes[`${name}`]?.id));
      return indexes.get(`${name}`);
    }
  }
  class IDBIndex extends Source {
    constructor(key = undefined, store = undefined, name = undefined, id = undefined) {
      onlyHere(key);
      super();
      stateOf.set(this, { store, name, id });
    }
    $where() {
      const { store, id } = stateOf.get(this);
      const { tx, where } = store.$where();
      return { tx, where: { ...where, index: id } };
    }
    $layout() {
      const { store, id } = stateOf.get(this);
      const layout = Object.values(store.$layout().indexes).find((x) => x.id === id);
      if (!layout) throw new DOMException('the index was deleted', 'InvalidStateError');
      return layout;
    }
    get name() {
      return stateOf.get(this).name;
    }
    set name(value) {
      const s = stateOf.get(this);
      const { tx, where } = s.store.$upgrading();
      value = `${value}`;
      this.$layout();
      if (value === s.name) return;
      if (s.store.$layout().indexes[value]) throw new DOMException(`there is an index "${value}" already`, 'ConstraintError');
      ask('database.request', stateOf.get(tx).id, toJSON({ op: 'renameIndex', ...where, index: s.id, name: nameToHost(value) }));
      stateOf.get(stateOf.get(tx).db).layout = null;
      const { indexes } = stateOf.get(s.store);
      indexes.delete(s.name);
      indexes.set(value, this);
      s.name = value;
    }
    get objectStore() {
      return stateOf.get(this).store;
    }
    get keyPath() {
      return asScriptHas(this.$layout().keyPath);
    }
    get unique() {
      return this.$layout().unique;
    }
    get multiEntry() {
      return this.$layout().multiEntry;
    }
  }

  // 2.10: cursors.
  const DIRECTIONS = ['next', 'nextunique', 'prev', 'prevunique'];
  class IDBCursor {
    constructor(key = undefined, state = undefined) {
      onlyHere(key);
      stateOf.set(this, state);
    }
    get source() {
      return stateOf.get(this).source;
    }
    get direction() {
      return stateOf.get(this).direction;
    }
    get key() {
      return stateOf.get(this).key;
    }
    get primaryKey() {
      return stateOf.get(this).primaryKey;
    }
    get request() {
      return stateOf.get(this).request;
    }
    continue(key = undefined) {
      const c = this.$ready();
      const to = key === undefined ? undefined : toKey(key);
      if (to !== undefined && compare(to, c.key) * (c.back ? -1 : 1) <= 0) throw new DOMException('the cursor is past this key', 'DataError');
      iterate(this, { to: keyToHost(to) });
    }
    continuePrimaryKey(key, primaryKey) {
      must(arguments, 2);
      const c = this.$ready();
      if (!isA(c.source, IDBIndex) || c.direction.endsWith('unique')) throw new DOMException('only cursors over all of an index go on by two keys', 'InvalidAccessError');
      const [to, toPrimary] = [toKey(key), toKey(primaryKey)];
      if ((compare(to, c.key) || compare(toPrimary, c.primaryKey)) * (c.back ? -1 : 1) <= 0) throw new DOMException('the cursor is past these keys', 'DataError');
      iterate(this, { to: keyToHost(to), toPrimary: keyToHost(toPrimary) });
    }
    advance(count) {
      must(arguments, 1);
      if (!(Number(count) >= 1)) throw new TypeError('advance takes a positive number');
      this.$ready();
      iterate(this, { count: Math.floor(Number(count)) });
    }
    update(value) {
      must(arguments, 1);
      const { store, primaryKey } = this.$writable();
      return store.$write('put', value, undefined, primaryKey, this);
    }
    delete() {
      const { store, primaryKey } = this.$writable();
      return store.$delete(rangeOf(IDBKeyRange.only(primaryKey)), this);
    }
    $ready(writes = false) {
      const c = stateOf.get(this);
      c.source.$ready(writes);
      if (c.moving || c.key === undefined) throw new DOMException('the cursor is moving or past its end', 'InvalidStateError');
      return c;
    }
    $writable() {
      const c = this.$ready(true);
      if (!isA(this, IDBCursorWithValue)) throw new DOMException('a cursor over keys writes nothing', 'InvalidStateError');
      return { store: isA(c.source, IDBIndex) ? c.source.objectStore : c.source, primaryKey: c.primaryKey };
    }
  }
  class IDBCursorWithValue extends IDBCursor {
    get value() {
      return stateOf.get(this).value;
    }
  }
  function iterate(cursor, how) {
    const c = stateOf.get(cursor);
    const { tx, where } = c.source.$ready();
    c.moving = true;
    const walk = { back: c.back, unique: c.direction.endsWith('unique'), from: keyToHost(c.key), fromPrimary: keyToHost(c.primaryKey), ...how };
    const question = { op: isA(cursor, IDBCursorWithValue) ? 'walk' : 'walkKeys', ...where, range: c.range, walk };
    return enqueue(tx, c.source, () => {
      const row = rowsOf(tx, question);
      c.moving = false;
      if (!row) {
        assign(c, { key: undefined, primaryKey: undefined, value: undefined });
        return null;
      }
      assign(c, { key: keyFromHost(row.key), primaryKey: keyFromHost(row.primary), value: valueFrom(row.value) });
      return cursor;
    }, c.request ?? undefined);
  }
  function openCursor(source, query, direction, withValue) {
    if (!DIRECTIONS.includes(`${direction}`)) throw new TypeError(`"${direction}" is no direction`);
    source.$ready();
    const state = { source, range: rangeOf(query), direction: `${direction}`, back: `${direction}`.startsWith('prev'), key: undefined, primaryKey: undefined, value: undefined, moving: true, request: null };
    const cursor = new (withValue ? IDBCursorWithValue : IDBCursor)(MAKE, state);
    state.request = iterate(cursor, {});
    return state.request;
  }

  // 2.1: databases. A connection's state has its number at the host, and what was last heard of the stores.
  const connections = new Map();
  const layoutOf = (db) => {
    const s = stateOf.get(db);
    if (!s.layout) {
      const { version, stores } = fromJSON(ask('database.layout', s.id));
      const named = (list) => {
        const out = { __proto__: null };
        for (const name of Object.keys(list)) out[nameFromHost(name)] = list[name];
        return out;
      };
      s.layout = { version, stores: named(stores), byID: new Map() };
      for (const store of Object.values(s.layout.stores)) {
        store.indexes = named(store.indexes);
        s.layout.byID.set(store.id, store);
      }
    }
    return s.layout;
  };
  class IDBDatabase extends EventTarget {
    constructor(key = undefined, id = 0, name = undefined) {
      onlyHere(key);
      super();
      stateOf.set(this, { id, name, closed: false, upgrade: null, layout: null, version: undefined });
      connections.set(id, this);
    }
    get name() {
      return stateOf.get(this).name;
    }
    get version() {
      return stateOf.get(this).version ?? layoutOf(this).version;
    }
    get objectStoreNames() {
      return stringList(Object.keys(layoutOf(this).stores));
    }
    createObjectStore(name, options = {}) {
      must(arguments, 1);
      const s = upgrading(this);
      const path = pathOf(options?.keyPath);
      if (!isPath(path)) throw new DOMException('this is no key path', 'SyntaxError');
      if (layoutOf(this).stores[`${name}`]) throw new DOMException(`there is an object store "${name}" already`, 'ConstraintError');
      if (options?.autoIncrement && (path === '' || Array.isArray(path))) throw new DOMException('a key cannot be generated for this key path', 'InvalidAccessError');
      ask('database.request', stateOf.get(s.upgrade).id, toJSON({ op: 'createStore', name: nameToHost(`${name}`), path, auto: Boolean(options?.autoIncrement) }));
      s.layout = null;
      return s.upgrade.objectStore(name);
    }
    deleteObjectStore(name) {
      must(arguments, 1);
      const s = upgrading(this);
      const there = layoutOf(this).stores[`${name}`];
      if (!there) throw new DOMException(`there is no object store "${name}"`, 'NotFoundError');
      ask('database.request', stateOf.get(s.upgrade).id, toJSON({ op: 'deleteStore', store: there.id }));
      s.layout = null;
      stateOf.get(s.upgrade).stores.delete(`${name}`);
    }
    transaction(scope, mode = 'readonly', options = {}) {
      must(arguments, 1);
      const s = stateOf.get(this);
      if (s.closed || s.upgrade) throw new DOMException('the database is closed or changing its version', 'InvalidStateError');
      const list = typeof scope === 'string' ? [scope] : [...new Set([...scope].map(String))];
      for (const name of list) if (!layoutOf(this).stores[name]) throw new DOMException(`there is no object store "${name}"`, 'NotFoundError');
      if (!list.length) throw new DOMException('a transaction needs an object store', 'InvalidAccessError');
      if (mode !== 'readonly' && mode !== 'readwrite') throw new TypeError(`"${mode}" is no mode of transactions`);
      const tx = new IDBTransaction(MAKE, this, list, mode, options?.durability);
      start(tx, ask('database.begin', s.id, toJSON(list.map(nameToHost)), mode === 'readwrite'));
      // What made it may use it until it returns and its microtasks are through.
      queueTask(() => {
        const t = stateOf.get(tx);
        if (t.state === 'active') t.state = 'inactive';
      });
      return tx;
    }
    close() {
      const s = stateOf.get(this);
      if (s.closed) return;
      s.version = layoutOf(this).version;
      s.closed = true;
      host('database.close', s.id);
    }
  }
  handlers(IDBDatabase.prototype, 'abort', 'close', 'error', 'versionchange');
  const upgrading = (db) => {
    const s = stateOf.get(db);
    if (!s.upgrade) throw new DOMException('object stores are made while the version changes', 'InvalidStateError');
    if (stateOf.get(s.upgrade).state !== 'active') throw inactive();
    return s;
  };

  const answer = (id, state, event) => {
    const request = requests.get(id);
    requests.delete(id);
    assign(stateOf.get(request), { done: true, transaction: null, ...state });
    dispatch(request, trusted(event));
  };
  commands.databaseOpened = (id, connection, failure) => {
    if (failure) return answer(id, { result: undefined, error: hostError(failure) }, new Event('error', { bubbles: true, cancelable: true }));
    const { name } = stateOf.get(requests.get(id));
    const db = connections.get(connection) ?? new IDBDatabase(MAKE, connection, name);
    stateOf.get(db).layout = null;
    answer(id, { result: db, error: null }, new Event('success'));
  };
  commands.databaseUpgrade = (json) => {
    const [id, connection, transaction, from, to] = fromJSON(json);
    const request = requests.get(id);
    const db = new IDBDatabase(MAKE, connection, stateOf.get(request).name);
    const tx = new IDBTransaction(MAKE, db, [], 'versionchange');
    start(tx, transaction);
    assign(stateOf.get(tx), { started: true, request });
    stateOf.get(db).upgrade = tx;
    assign(stateOf.get(request), { done: true, result: db, error: null, transaction: tx });
    dispatch(request, trusted(new IDBVersionChangeEvent('upgradeneeded', { oldVersion: from, newVersion: to })));
    const t = stateOf.get(tx);
    queueTask(() => {
      if (t.state === 'active') t.state = 'inactive';
      step(tx);
    });
  };
  commands.databaseVersionChange = (connection, from, to) => {
    const db = connections.get(connection);
    if (!stateOf.get(db).closed) dispatch(db, trusted(new IDBVersionChangeEvent('versionchange', { oldVersion: from, newVersion: to || null })));
  };
  commands.databaseBlocked = (id, from, to) => {
    dispatch(requests.get(id), trusted(new IDBVersionChangeEvent('blocked', { oldVersion: from, newVersion: to || null })));
  };
  commands.databaseDeleted = (id, from) => {
    answer(id, { result: undefined, error: null }, new IDBVersionChangeEvent('success', { oldVersion: from, newVersion: null }));
  };

  class IDBFactory {
    constructor(key = undefined) {
      onlyHere(key);
    }
    open(name, version = undefined) {
      must(arguments, 1);
      const wanted = version === undefined ? 0 : Math.floor(Number(version));
      if (version !== undefined && !(wanted >= 1 && wanted <= Number.MAX_SAFE_INTEGER)) throw new TypeError(`${version} is no version`);
      return this.$ask('database.open', `${name}`, wanted);
    }
    deleteDatabase(name) {
      must(arguments, 1);
      return this.$ask('database.delete', `${name}`);
    }
    $ask(op, name, ...more) {
      const request = new IDBOpenDBRequest(MAKE);
      stateOf.get(request).name = name;
      requests.set(++nextRequest, request);
      host(op, nextRequest, nameToHost(name), ...more);
      return request;
    }
    databases() {
      return resolved(arrayFrom(fromJSON(host('database.list')), ({ name, version }) => assign(new ScriptObject(), { name: nameFromHost(name), version })));
    }
    cmp(a, b) {
      must(arguments, 2);
      return compare(toKey(a), toKey(b));
    }
  }
  gives(IDBFactory, 'databases');
  publishLoosely(IDBFactory, IDBDatabase, IDBTransaction, IDBObjectStore, IDBIndex, IDBCursor, IDBCursorWithValue, IDBKeyRange, IDBRequest, IDBOpenDBRequest, IDBVersionChangeEvent);
  expose('indexedDB', new IDBFactory(MAKE));
});
