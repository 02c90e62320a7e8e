// Web IDL: how interfaces, members and constructors are laid out for scripts.

import {
  ScriptArray, ScriptIterator, ScriptObject, TypeError, addKind, apply, defineProperty, forScripts, getPrototypeOf, isA, iterationResult, rejected, setPrototypeOf, uncurried,
} from './primordials.js';

export const expose = (name, value) => defineProperty(global, name, { value: forScripts(value), writable: true, configurable: true, enumerable: false });
const tag = (cls, name) => defineProperty(cls.prototype, Symbol.toStringTag, { value: name, configurable: true });
// Members of an interface are enumerable, as Web IDL has it. Every worker start runs this, so it does as little as can be.
const ENUMERABLE = { enumerable: true };
export const namesOf = Object.getOwnPropertyNames;
const asyncFunctions = getPrototypeOf(async () => {});
export const inherits = uncurried(Object.prototype.isPrototypeOf);
// What a member is called on has to be of its interface, and the arguments that it needs have to be there; else nothing is done at all
// (Web IDL, 3.7.6 and 3.7.7). Members of the global object may be called on nothing.
export function guard(proto, key, counts) {
  if (key[0] === '$') return; // of the environment alone
  const d = Object.getOwnPropertyDescriptor(proto, key);
  const { get, set, value } = d;
  if (get || set) {
    const member = guardedAccessor(proto, key, get, set);
    if (get) d.get = member.get;
    if (set) d.set = member.set;
  } else if (typeof value === 'function') {
    if (ScriptArray.prototype[key] === value) return; // lists have it from arrays
    d.value = guardedMethod(proto, key, value, counts ? value.length : 0);
  }
  d.enumerable = true;
  defineProperty(proto, key, d);
}
const wrong = (key) => new TypeError(`${key} was called on an object of another kind`);
const selfOf = (proto, that) => ((that === undefined || that === null) && inherits(proto, global) ? global : that);
// Objects of the same interface in another realm of the engine will do.
const fits = (proto, that) => (typeof that === 'object' && that !== null && getPrototypeOf(that) === proto) || inherits(proto, that) || isA(that, proto.constructor);
const NONE = Object.freeze([]);
// Members are called so often that they hold the usual case of these checks themselves: an object with the same prototype as the one
// before.
function guardedAccessor(proto, key, get, set) {
  const promises = get && promised.has(get);
  let known = proto;
  return Object.getOwnPropertyDescriptor({
    get [key]() {
      let that = this;
      if (typeof that !== 'object' || that === null || getPrototypeOf(that) !== known) {
        that = selfOf(proto, that);
        if (!fits(proto, that)) {
          if (promises) return rejected(wrong(key));
          throw wrong(key);
        }
        known = getPrototypeOf(that);
      }
      const value = apply(get, that, NONE);
      return typeof value === 'object' || typeof value === 'function' ? forScripts(value) : value;
    },
    set [key](given) {
      let that = this;
      if (typeof that !== 'object' || that === null || getPrototypeOf(that) !== known) {
        that = selfOf(proto, that);
        if (!fits(proto, that)) throw wrong(key);
      }
      apply(set, that, [given]);
    },
  }, key);
}
function guardedMethod(proto, key, value, needs) {
  const promises = getPrototypeOf(value) === asyncFunctions || promised.has(value);
  let known = proto;
  const made = { [key](...args) {
    let that = this;
    if (typeof that !== 'object' || that === null || getPrototypeOf(that) !== known || args.length < needs) {
      that = selfOf(proto, that);
      const error = !fits(proto, that) ? wrong(key) : args.length < needs ? new TypeError(`${key} needs ${needs} argument${needs === 1 ? '' : 's'}, and there ${args.length === 1 ? 'is' : 'are'} ${args.length}`) : null;
      if (error) {
        if (promises) return rejected(error);
        throw error;
      }
      known = getPrototypeOf(that);
    }
    const result = apply(value, that, args);
    return typeof result === 'object' || typeof result === 'function' ? forScripts(result) : result;
  } }[key];
  if (value.length) defineProperty(made, 'length', { value: value.length, configurable: true });
  return made;
}
// Members that give a promise and are no async functions.
const promised = new WeakSet();
export const gives = (cls, ...keys) => {
  for (const key of keys) {
    const d = Object.getOwnPropertyDescriptor(cls.prototype, key);
    promised.add(d.get ?? d.value);
  }
};
// publish is for interfaces whose members name the arguments that they need, publishLoosely for others.
export const publish = (...classes) => publishAll(classes, true);
export const publishLoosely = (...classes) => publishAll(classes, false);
// publishPlainly is for the many interfaces of elements, whose members find out by themselves what they are called on.
export const publishPlainly = (...classes) => publishAll(classes, null);
function publishAll(classes, counts) {
  for (const cls of classes) {
    const proto = cls.prototype;
    const iterates = Object.getOwnPropertyDescriptor(proto, Symbol.iterator)?.value;
    const later = Object.getOwnPropertyDescriptor(proto, Symbol.asyncIterator)?.value;
    const laterName = later && namesOf(proto).find((key) => Object.getOwnPropertyDescriptor(proto, key).value === later);
    const iterator = iterates && namesOf(proto).find((key) => Object.getOwnPropertyDescriptor(proto, key).value === iterates);
    if (getPrototypeOf(cls) === Function.prototype) setPrototypeOf(cls, global.Function.prototype);
    let base = proto; // classes that are not published may lie between
    while (getPrototypeOf(base) !== Object.prototype && getPrototypeOf(base) !== ScriptObject.prototype && getPrototypeOf(base)) base = getPrototypeOf(base);
    if (getPrototypeOf(base) === Object.prototype) setPrototypeOf(base, ScriptObject.prototype);
    if (counts === null) {
      for (const key of namesOf(proto)) if (key !== 'constructor') defineProperty(proto, key, ENUMERABLE);
    } else for (const key of namesOf(proto)) if (key !== 'constructor') guard(proto, key, counts);
    if (laterName) defineProperty(proto, Symbol.asyncIterator, { value: proto[laterName], writable: true, configurable: true });
    if (iterator) defineProperty(proto, Symbol.iterator, { value: proto[iterator], writable: true, configurable: true });
    for (const key of namesOf(cls)) if (key !== 'prototype' && key !== 'name' && key !== 'length') defineProperty(cls, key, ENUMERABLE);
    tag(cls, cls.name);
    addKind(cls);
    expose(cls.name, cls);
  }
}
// Iterators of an interface (Web IDL, 3.7.10). step gives the next value, or END.
export const END = Symbol('end');
export function iteratorsOf(name) {
  const steps = new WeakMap();
  const proto = {
    next() {
      const step = steps.get(this);
      if (!step) throw new TypeError(`this is no iterator of ${name}`);
      const value = step();
      return value === END ? iterationResult(undefined, true) : iterationResult(value, false);
    },
  };
  setPrototypeOf(proto, ScriptIterator);
  defineProperty(proto, Symbol.toStringTag, { value: `${name} Iterator`, configurable: true });
  const { next } = proto;
  const make = (step) => {
    const it = { __proto__: proto };
    steps.set(it, step);
    return it;
  };
  // Whether scripts have left them as they are.
  make.untouched = () => proto.next === next;
  return make;
}
// The members that the declaration iterable<K, V> gives an interface (Web IDL, 2.5.9), before it is published. list gives the pairs
// of an object; an iteration sees changes that are made meanwhile.
export function pairIterable(cls, list) {
  const makeIterator = iteratorsOf(cls.name);
  const iterate = (object, pick) => {
    let at = 0;
    return makeIterator(() => {
      const pairs = list(object);
      return at < pairs.length ? pick(pairs[at++]) : END;
    });
  };
  const members = {
    entries() {
      return iterate(this, ([k, v]) => [k, v]);
    },
    forEach(callback, thisArg = undefined) {
      if (typeof callback !== 'function') throw new TypeError('forEach takes a function');
      for (let i = 0; i < list(this).length; i++) {
        const [k, v] = list(this)[i];
        apply(callback, thisArg, [v, k, this]);
      }
    },
    keys() {
      return iterate(this, ([k]) => k);
    },
    values() {
      return iterate(this, ([, v]) => v);
    },
  };
  for (const name of namesOf(members)) defineProperty(cls.prototype, name, { value: members[name], writable: true, configurable: true });
  defineProperty(cls.prototype, Symbol.iterator, { value: members.entries, writable: true, configurable: true });
  return makeIterator;
}
// An attribute that only reads, with the name that Web IDL gives its getter.
export const attribute = (name, read) => Object.getOwnPropertyDescriptor({ get [name]() { return read(this); } }, name);
export function must(args, n) {
  if (args.length < n) throw new TypeError(`${n} argument${n === 1 ? '' : 's'} required, but only ${args.length} given`);
}
// Web IDL's USVString: lone surrogates become the replacement character.
export const usv = (value) => `${value}`.toWellFormed();
// Puts off what few workers use until a script first names it, since every start of a worker pays for what is made at once.
// make publishes all the names.
export function lazy(names, make) {
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
// The same for many names, each of which is made by itself.
export function lazyEach(names, make) {
  for (const name of names)
    defineProperty(global, name, {
      configurable: true,
      get() {
        make(name);
        return global[name];
      },
      set(value) {
        defineProperty(global, name, { value, writable: true, configurable: true, enumerable: true });
      },
    });
}
// Guards constructors of objects that only the environment makes.
export const MAKE = Symbol('make');
export function onlyHere(key) {
  if (key !== MAKE) throw new TypeError('Illegal constructor');
}
