// What everything else stands on: the way to the host, errors, events, abort signals.

// The environment runs in a realm of its own: its arrays, maps, texts and plain objects have built-ins that no script reaches. What goes to
// scripts and comes from them is of their realm, whose built-ins are taken here before any script has run.
const {
  Promise, Error, TypeError, RangeError, SyntaxError, ArrayBuffer, DataView, Int8Array, Uint8Array, Uint8ClampedArray, Int16Array, Uint16Array, Int32Array, Uint32Array, Float32Array, Float64Array,
  Date: RealDate, Object: ScriptObject, Array: ScriptArray, Map: ScriptMap, Set: ScriptSet, WeakMap: ScriptWeakMap, WeakSet: ScriptWeakSet, RegExp: ScriptRegExp, Boolean: ScriptBoolean, Number: ScriptNumber, String: ScriptString, Math: ScriptMath, eval: scriptEval,
} = global;
const { parse: fromJSON, stringify: toJSON } = JSON;
const { apply } = Reflect;
const { parse: jsonForScripts } = global.JSON;
const PromiseOf = Promise;
const { defineProperty, setPrototypeOf, getPrototypeOf, freeze, assign, entries: entriesOf } = Object;
const then = Function.prototype.call.bind(Promise.prototype.then);
const resolved = Promise.resolve.bind(Promise);
const rejected = Promise.reject.bind(Promise);
const quietly = (promise) => then(promise, undefined, () => {});
const firstOf = (list) => new PromiseOf((resolve, reject) => list.forEach((p) => then(p, resolve, reject)));
const allOf = (list) =>
  new PromiseOf((resolve, reject) => {
    const out = [];
    let left = list.length;
    if (!left) resolve(out);
    list.forEach((p, i) => then(resolved(p), (value) => {
      out[i] = value;
      if (--left === 0) resolve(out);
    }, reject));
  });

// What the environment makes and scripts get to see still is what it looks like: instanceof, and what scripts add to prototypes, hold.
for (const name of ['Function', 'Array', 'Map', 'Set', 'RegExp']) {
  setPrototypeOf(globalThis[name].prototype, global[name].prototype);
  defineProperty(globalThis[name].prototype, 'constructor', { value: global[name] });
}
defineProperty(Array.prototype, 'toJSON', { value: undefined }); // a script's own would be inherited
const ScriptIterator = getPrototypeOf(getPrototypeOf(new ScriptArray()[Symbol.iterator]()));
setPrototypeOf(getPrototypeOf(getPrototypeOf([][Symbol.iterator]())), ScriptIterator);

const commands = { __proto__: null };
function dispatch(op, a, b, c, d) {
  return commands[op](a, b, c, d);
}

const expose = (name, value) => defineProperty(global, name, { value, writable: true, configurable: true, enumerable: false });
const tag = (cls, name) => defineProperty(cls.prototype, Symbol.toStringTag, { value: name, configurable: true });
// Members of an interface are enumerable, as Web IDL has it. Every worker start runs this, so it does as little as can be.
const ENUMERABLE = { enumerable: true };
const namesOf = Object.getOwnPropertyNames;
const AsyncFunction = (async () => {}).constructor;
const inherits = Function.prototype.call.bind(Object.prototype.isPrototypeOf);
// What a member is called on has to be of its interface, and the arguments that it needs have to be there; else nothing is done at all
// (Web IDL, 3.7.6 and 3.7.7). Members of the global object may be called on nothing.
function guard(proto, key, counts) {
  const d = Object.getOwnPropertyDescriptor(proto, key);
  const self = (that) => ((that === undefined || that === null) && inherits(proto, global) ? global : that);
  const wrong = () => new TypeError(`${key} was called on an object of another kind`);
  const shaped = (made, from) => {
    defineProperty(made, 'length', { value: from.length, configurable: true });
    return defineProperty(made, 'name', { value: from.name, configurable: true });
  };
  if (key.startsWith('_')) return; // of the environment alone
  if (d.get || d.set) {
    const { get, set } = d;
    const promises = get && promised.has(get);
    if (get) d.get = shaped({ get() {
      const that = self(this);
      if (!inherits(proto, that)) {
        if (promises) return rejected(wrong());
        throw wrong();
      }
      return apply(get, that, []);
    } }.get, get);
    if (set) d.set = shaped({ set(value) {
      const that = self(this);
      if (!inherits(proto, that)) throw wrong();
      apply(set, that, [value]);
    } }.set, set);
  } else if (typeof d.value === 'function') {
    const { value } = d;
    const promises = value instanceof AsyncFunction || promised.has(value);
    const needs = counts ? value.length : 0;
    d.value = shaped({ call(...args) {
      const that = self(this);
      const error = !inherits(proto, that) ? wrong() : args.length < needs ? new TypeError(`${key} needs ${needs} argument${needs === 1 ? '' : 's'}, and there ${args.length === 1 ? 'is' : 'are'} ${args.length}`) : null;
      if (!error) return apply(value, that, args);
      if (promises) return rejected(error);
      throw error;
    } }.call, value);
  }
  d.enumerable = true;
  defineProperty(proto, key, d);
}
// Members that give a promise and are no async functions.
const promised = new WeakSet();
const gives = (cls, ...keys) => {
  for (const key of keys) {
    const d = Object.getOwnPropertyDescriptor(cls.prototype, key);
    promised.add(d.get ?? d.value);
  }
};
// publish is for interfaces whose members name the arguments that they need, publishLoosely for others.
const publish = (...classes) => publishAll(classes, true);
const publishLoosely = (...classes) => publishAll(classes, false);
function publishAll(classes, counts) {
  for (const cls of classes) {
    const proto = cls.prototype;
    const iterates = Object.getOwnPropertyDescriptor(proto, Symbol.iterator)?.value;
    const later = Object.getOwnPropertyDescriptor(proto, Symbol.asyncIterator)?.value;
    const laterName = later && namesOf(proto).find((key) => Object.getOwnPropertyDescriptor(proto, key).value === later);
    const iterator = iterates && namesOf(proto).find((key) => Object.getOwnPropertyDescriptor(proto, key).value === iterates);
    if (getPrototypeOf(cls) === Function.prototype) setPrototypeOf(cls, global.Function.prototype);
    if (getPrototypeOf(proto) === Object.prototype) setPrototypeOf(proto, ScriptObject.prototype);
    for (const key of namesOf(proto)) if (key !== 'constructor') guard(proto, key, counts);
    if (laterName) defineProperty(proto, Symbol.asyncIterator, { value: proto[laterName], writable: true, configurable: true });
    if (iterator) defineProperty(proto, Symbol.iterator, { value: proto[iterator], writable: true, configurable: true });
    for (const key of namesOf(cls)) if (key !== 'prototype' && key !== 'name' && key !== 'length') defineProperty(cls, key, ENUMERABLE);
    tag(cls, cls.name);
    expose(cls.name, cls);
  }
}
// An attribute that only reads, with the name that Web IDL gives its getter.
const attribute = (name, read) => Object.getOwnPropertyDescriptor({ get [name]() { return read(this); } }, name);
function must(args, n) {
  if (args.length < n) throw new TypeError(`${n} argument${n === 1 ? '' : 's'} required, but only ${args.length} given`);
}
// Web IDL's USVString: lone surrogates become the replacement character.
const usv = (value) => `${value}`.toWellFormed();
// Puts off what few workers use until a script first names it, since every start of a worker pays for what is made at once.
// make publishes all the names.
function lazy(names, make) {
  let made = false;
  const load = () => {
    if (made) return;
    made = true;
    const kept = names.filter((name) => !Object.getOwnPropertyDescriptor(global, name)?.get).map((name) => [name, Object.getOwnPropertyDescriptor(global, name)]);
    make();
    // A script put its own thing there, or took it away.
    for (const [name, theirs] of kept) {
      if (theirs) defineProperty(global, name, theirs);
      else delete global[name];
    }
  };
  for (const name of names)
    defineProperty(global, name, {
      configurable: true,
      get() {
        load();
        return global[name];
      },
      set(value) {
        defineProperty(global, name, { value, writable: true, configurable: true, enumerable: true });
      },
    });
  return load;
}
// Guards constructors of objects that only the environment makes.
const MAKE = Symbol('make');
function onlyHere(key) {
  if (key !== MAKE) throw new TypeError('Illegal constructor');
}

// Promises that the host settles.
let nextCall = 0;
const calls = new Map();
const call = (op, ...args) => callFor(null, op, ...args);
// The same, for what make makes of the host's answer.
function callFor(make, op, ...args) {
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
// For methods that give a promise: what is wrong with the arguments rejects it.
function rejecting(error) {
  return rejected(error);
}
commands.settle = (id, failure, json) => {
  const waiting = calls.get(id);
  if (!waiting) return;
  calls.delete(id);
  if (failure) waiting.reject(hostError(failure));
  else {
    const value = fromJSON(json);
    waiting.resolve(waiting.make ? waiting.make(value) : value);
  }
};

const nativeErrors = { __proto__: null, TypeError, RangeError, SyntaxError, Error };
function hostError(text) {
  const [, name, message] = /^(?:Error: )?([A-Za-z]+Error): ([^]*)$/.exec(text) || [null, 'Error', text];
  const Native = nativeErrors[name];
  return Native ? new Native(message) : new DOMException(message, name);
}
function describe(error) {
  if (error !== null && typeof error === 'object' && 'message' in error) return `${error.name || 'Error'}: ${error.message}`;
  try {
    return String(error);
  } catch {
    return 'an object that cannot be shown';
  }
}
const nameOf = (error) => (error !== null && typeof error === 'object' && typeof error.name === 'string' ? error.name : '');
const stackOf = (error) => (error !== null && typeof error === 'object' && typeof error.stack === 'string' ? error.stack : '');
function report(error) {
  const event = new ErrorEvent('error', { error, message: describe(error), cancelable: true });
  host('log', 'error', describe(error), stackOf(error), nameOf(error));
  return fire(global, event);
}

const codes = { __proto__: null, IndexSizeError: 1, HierarchyRequestError: 3, WrongDocumentError: 4, InvalidCharacterError: 5, NoModificationAllowedError: 7, NotFoundError: 8, NotSupportedError: 9, InUseAttributeError: 10, InvalidStateError: 11, SyntaxError: 12, InvalidModificationError: 13, NamespaceError: 14, InvalidAccessError: 15, TypeMismatchError: 17, SecurityError: 18, NetworkError: 19, AbortError: 20, URLMismatchError: 21, QuotaExceededError: 22, TimeoutError: 23, InvalidNodeTypeError: 24, DataCloneError: 25 };
class DOMException {
  #message;
  #name;
  constructor(message = '', name = 'Error') {
    this.#message = `${message}`;
    this.#name = `${name}`;
    defineProperty(this, 'stack', { value: new Error(this.#message).stack, configurable: true, writable: true });
  }
  get name() {
    return this.#name;
  }
  get message() {
    return this.#message;
  }
  get code() {
    return codes[this.#name] || 0;
  }
}
setPrototypeOf(DOMException.prototype, Error.prototype);
'INDEX_SIZE DOMSTRING_SIZE HIERARCHY_REQUEST WRONG_DOCUMENT INVALID_CHARACTER NO_DATA_ALLOWED NO_MODIFICATION_ALLOWED NOT_FOUND NOT_SUPPORTED INUSE_ATTRIBUTE INVALID_STATE SYNTAX INVALID_MODIFICATION NAMESPACE INVALID_ACCESS VALIDATION TYPE_MISMATCH SECURITY NETWORK ABORT URL_MISMATCH QUOTA_EXCEEDED TIMEOUT INVALID_NODE_TYPE DATA_CLONE'.split(' ').forEach((name, i) => {
  const d = { value: i + 1, enumerable: true };
  defineProperty(DOMException, name + '_ERR', d);
  defineProperty(DOMException.prototype, name + '_ERR', d);
});
publish(DOMException);

// DOM, 2: events.
let insideOf;
// Every event has it for its own (Web IDL, LegacyUnforgeable).
const TRUSTED = Object.getOwnPropertyDescriptor({ get isTrusted() { return insideOf(this).trusted; } }, 'isTrusted');
TRUSTED.configurable = false;
class Event {
  #in = { stop: false, stopNow: false, dispatching: false, passive: false, target: null, current: null, trusted: false };
  #type;
  #bubbles = false;
  #cancelable = false;
  #composed = false;
  #canceled = false;
  #time = now() - timeOrigin;
  constructor(type, init = undefined) {
    if (arguments.length === 0) throw new TypeError('an event needs a type');
    defineProperty(this, 'isTrusted', TRUSTED);
    this.#type = `${type}`;
    if (init === undefined || init === null) return;
    this.#bubbles = Boolean(init.bubbles);
    this.#cancelable = Boolean(init.cancelable);
    this.#composed = Boolean(init.composed);
  }
  // How far the dispatching of an event has come, for the environment.
  static {
    insideOf = (event) => event.#in;
  }
  get type() {
    return this.#type;
  }
  get target() {
    return this.#in.target;
  }
  get srcElement() {
    return this.#in.target;
  }
  get currentTarget() {
    return this.#in.current;
  }
  get eventPhase() {
    return this.#in.current ? 2 : 0;
  }
  get bubbles() {
    return this.#bubbles;
  }
  get cancelable() {
    return this.#cancelable;
  }
  get composed() {
    return this.#composed;
  }
  get defaultPrevented() {
    return this.#canceled;
  }
  get returnValue() {
    return !this.#canceled;
  }
  set returnValue(value) {
    if (!value) this.preventDefault();
  }
  get cancelBubble() {
    return this.#in.stop;
  }
  set cancelBubble(value) {
    if (value) this.#in.stop = true;
  }
  get timeStamp() {
    return this.#time;
  }
  composedPath() {
    return this.#in.current ? [this.#in.current] : [];
  }
  stopPropagation() {
    this.#in.stop = true;
  }
  stopImmediatePropagation() {
    this.#in.stop = this.#in.stopNow = true;
  }
  preventDefault() {
    if (this.#cancelable && !this.#in.passive) this.#canceled = true;
  }
  initEvent(type, bubbles = false, cancelable = false) {
    if (this.#in.dispatching) return;
    this.#type = `${type}`;
    this.#bubbles = Boolean(bubbles);
    this.#cancelable = Boolean(cancelable);
  }
}
for (const [i, name] of ['NONE', 'CAPTURING_PHASE', 'AT_TARGET', 'BUBBLING_PHASE'].entries())
  for (const target of [Event, Event.prototype]) defineProperty(target, name, { value: i, enumerable: true });

class CustomEvent extends Event {
  #detail;
  constructor(type, init = {}) {
    super(type, init);
    this.#detail = init?.detail ?? null;
  }
  get detail() {
    return this.#detail;
  }
  initCustomEvent(type, bubbles = false, cancelable = false, detail = null) {
    if (insideOf(this).dispatching) return;
    this.initEvent(type, bubbles, cancelable);
    this.#detail = detail;
  }
}
class ErrorEvent extends Event {
  #init;
  constructor(type, init = {}) {
    super(type, init);
    this.#init = init;
  }
  get message() {
    return `${this.#init.message ?? ''}`;
  }
  get filename() {
    return `${this.#init.filename ?? ''}`;
  }
  get lineno() {
    return this.#init.lineno ?? 0;
  }
  get colno() {
    return this.#init.colno ?? 0;
  }
  get error() {
    return this.#init.error;
  }
}
class PromiseRejectionEvent extends Event {
  #init;
  constructor(type, init) {
    super(type, init);
    must(arguments, 2);
    if (!('promise' in Object(init))) throw new TypeError('a rejection is one of a promise');
    this.#init = init;
  }
  get promise() {
    return this.#init.promise;
  }
  get reason() {
    return this.#init.reason;
  }
}
class MessageEvent extends Event {
  #init;
  constructor(type, init = {}) {
    super(type, init);
    this.#init = init;
  }
  get data() {
    return this.#init.data ?? null;
  }
  get origin() {
    return this.#init.origin ?? '';
  }
  get lastEventId() {
    return this.#init.lastEventId ?? '';
  }
  get source() {
    return this.#init.source ?? null;
  }
  get ports() {
    return freeze([...(this.#init.ports ?? [])]);
  }
  initMessageEvent(type, bubbles = false, cancelable = false, data = null, origin = '', lastEventId = '', source = null, ports = []) {
    if (insideOf(this).dispatching) return;
    this.initEvent(type, bubbles, cancelable);
    this.#init = { data, origin, lastEventId, source, ports };
  }
}

const listenersOf = new WeakMap();
const listFor = (target) => {
  let list = listenersOf.get(target);
  if (!list) listenersOf.set(target, (list = []));
  return list;
};
class EventTarget {
  addEventListener(type, callback, options = {}) {
    const target = this ?? global;
    if (arguments.length < 2) throw new TypeError('addEventListener takes a type and a listener');
    if (callback === null || callback === undefined) return;
    if (typeof callback !== 'function' && typeof callback !== 'object') throw new TypeError('the listener is neither a function nor an object');
    const o = typeof options === 'object' && options !== null ? options : { capture: Boolean(options) };
    if (o.signal?.aborted) return;
    const entry = { type: `${type}`, callback, capture: Boolean(o.capture), once: Boolean(o.once), passive: Boolean(o.passive), removed: false };
    const list = listFor(target);
    if (list.some((e) => e.type === entry.type && e.callback === callback && e.capture === entry.capture)) return;
    list.push(entry);
    if (o.signal) apply(addListener, o.signal, ['abort', () => drop(target, entry), { once: true }]);
  }
  removeEventListener(type, callback, options = {}) {
    const target = this ?? global;
    const capture = Boolean(typeof options === 'object' && options !== null ? options.capture : options);
    const entry = listFor(target).find((e) => e.type === `${type}` && e.callback === callback && e.capture === capture);
    if (entry) drop(target, entry);
  }
  dispatchEvent(event) {
    if (!(event instanceof Event)) throw new TypeError('dispatchEvent takes an event');
    if (insideOf(event).dispatching) throw new DOMException('the event is being dispatched already', 'InvalidStateError');
    insideOf(event).trusted = false;
    return fire(this ?? global, event);
  }
}
const { addEventListener: addListener } = EventTarget.prototype;
function drop(target, entry) {
  entry.removed = true;
  const list = listFor(target);
  const at = list.indexOf(entry);
  if (at >= 0) list.splice(at, 1);
}
function fire(target, event) {
  const inside = insideOf(event);
  const { type } = event;
  inside.dispatching = true;
  inside.target = inside.current = target;
  for (const entry of [...listFor(target)]) {
    if (entry.type !== type || entry.removed) continue;
    if (entry.once) drop(target, entry);
    inside.passive = entry.passive;
    try {
      if (typeof entry.callback === 'function') apply(entry.callback, target, [event]);
      else entry.callback.handleEvent(event);
    } catch (error) {
      if (event instanceof ErrorEvent) host('log', 'error', describe(error), stackOf(error), nameOf(error));
      else report(error);
    }
    inside.passive = false;
    if (inside.stopNow) break;
  }
  inside.dispatching = false;
  inside.current = null;
  inside.stop = inside.stopNow = false;
  return !event.defaultPrevented;
}
// An event that the browser itself sends.
function trusted(event) {
  insideOf(event).trusted = true;
  return event;
}
// Event handler attributes, such as onfetch (HTML, 8.1.8.1).
const handlerSlots = new WeakMap(); // target → { type: slot }
const slotsOf = (target) => {
  let slots = handlerSlots.get(target);
  if (!slots) handlerSlots.set(target, (slots = { __proto__: null }));
  return slots;
};
function handlers(proto, ...types) {
  for (const type of types) {
    const d = Object.getOwnPropertyDescriptor({
      get ['on' + type]() {
        const target = this ?? global;
        if (!inherits(proto, target) && target !== proto) throw new TypeError(`on${type} belongs to another kind of object`);
        if (target === proto) throw new TypeError(`on${type} belongs to the objects of the interface`);
        return handlerSlots.get(target)?.[type]?.handler ?? null;
      },
      set ['on' + type](handler) {
        const target = this ?? global;
        if (!inherits(proto, target)) throw new TypeError(`on${type} belongs to another kind of object`);
        const slots = slotsOf(target);
        const held = slots[type];
        handler = typeof handler === 'function' || (typeof handler === 'object' && handler !== null) ? handler : null;
        if (held) held.handler = handler;
        else if (handler) {
          const slot = { handler };
          slots[type] = slot;
          apply(addListener, target, [type, function (event) {
            if (typeof slot.handler !== 'function') return;
            if (type === 'error' && event instanceof ErrorEvent && target === global) {
              if (apply(slot.handler, target, [event.message, event.filename, event.lineno, event.colno, event.error]) === true) event.preventDefault();
            } else if (apply(slot.handler, target, [event]) === false) event.preventDefault();
          }]);
        }
      },
    }, 'on' + type);
    defineProperty(proto, 'on' + type, d);
  }
}
publish(Event, CustomEvent, ErrorEvent, PromiseRejectionEvent, MessageEvent, EventTarget);

// DOM, 3: aborting.
const abortReason = new WeakMap();
class AbortSignal extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  get aborted() {
    return abortReason.has(this);
  }
  get reason() {
    return abortReason.get(this);
  }
  throwIfAborted() {
    if (this.aborted) throw this.reason;
  }
  static abort(reason = new DOMException('the operation was aborted', 'AbortError')) {
    const signal = new AbortSignal(MAKE);
    abortReason.set(signal, reason);
    return signal;
  }
  static timeout(ms) {
    must(arguments, 1);
    const signal = new AbortSignal(MAKE);
    setTimeout(() => abort(signal, new DOMException('the time is up', 'TimeoutError')), ms);
    return signal;
  }
  static any(signals) {
    const signal = new AbortSignal(MAKE);
    const list = [...signals];
    const already = list.find((s) => s.aborted);
    if (already) abortReason.set(signal, already.reason);
    else {
      const roots = new Set();
      for (const s of list) for (const root of rootsOf.get(s) ?? [s]) roots.add(root);
      rootsOf.set(signal, roots);
      for (const root of roots) {
        if (!dependents.has(root)) dependents.set(root, []);
        dependents.get(root).push(signal);
      }
    }
    return signal;
  }
}
handlers(AbortSignal.prototype, 'abort');
const rootsOf = new WeakMap(); // of a dependent signal: the signals of controllers that it follows
const dependents = new WeakMap();
const abortSteps = new WeakMap(); // what the environment itself does at an abort, before any event
const onAbort = (signal, step) => (abortSteps.has(signal) ? abortSteps.get(signal).push(step) : abortSteps.set(signal, [step]));
function abort(signal, reason) {
  if (signal.aborted) return;
  const why = reason === undefined ? new DOMException('the operation was aborted', 'AbortError') : reason;
  const all = [signal, ...(dependents.get(signal) ?? []).filter((s) => !s.aborted)];
  for (const s of all) abortReason.set(s, why);
  for (const s of all) {
    for (const step of abortSteps.get(s) ?? []) step(why);
    abortSteps.delete(s);
    fire(s, trusted(new Event('abort')));
  }
}
class AbortController {
  #signal = new AbortSignal(MAKE);
  get signal() {
    return this.#signal;
  }
  abort(reason = undefined) {
    abort(this.#signal, reason);
  }
}
publish(AbortSignal, AbortController);
