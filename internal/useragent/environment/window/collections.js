// DOM, 4.2.10 and 4.7.1: collections, live and fixed. A live one is made anew when the tree has changed since it was last looked at.

import { ScriptArray, TypeError, defineProperty, getPrototypeOf, arrayFrom } from '../shared/primordials.js';
import { onlyHere, publish, publishLoosely } from '../shared/webidl.js';
import {
  DOCUMENT, HTML, asciiLower, changes, elementsOf, error, getAttr, hasAttr, isHTML, qualifiedName, setAttr,
} from './nodes.js';

const stateOf = new WeakMap(); // collection → { list, make, at, names }
export const listOf = (collection) => {
  const s = stateOf.get(collection);
  if (s.make && s.at !== changes.n) {
    s.list = s.make();
    s.at = changes.n;
  }
  return s.list;
};
export const ownerOf = (collection) => stateOf.get(collection).owner;
const isIndex = (key) => typeof key === 'string' && /^(0|[1-9]\d*)$/.test(key) && Number(key) < 4294967295;
// Array indices, and for HTMLCollection names, are properties of the object (Web IDL, 3.9: legacy platform objects).
const handler = {
  get(target, key, receiver) {
    if (isIndex(key)) return listOf(target)[key];
    if (typeof key === 'string' && !(key in target)) return named(target, key) ?? undefined;
    return Reflect.get(target, key, stateOf.has(receiver) ? target : receiver);
  },
  has(target, key) {
    if (isIndex(key)) return Number(key) < listOf(target).length;
    return key in target || (typeof key === 'string' && named(target, key) !== null);
  },
  set(target, key, value) {
    if (isIndex(key)) {
      if (stateOf.get(target).set) return stateOf.get(target).set(Number(key), value), true;
      return false;
    }
    if (typeof key === 'string' && !Object.hasOwn(target, key) && !(key in getPrototypeOf(target)) && named(target, key)) return false;
    return Reflect.set(target, key, value, target);
  },
  deleteProperty(target, key) {
    if (isIndex(key)) return Number(key) >= listOf(target).length;
    if (typeof key === 'string' && !(key in target) && named(target, key)) return false;
    return Reflect.deleteProperty(target, key);
  },
  defineProperty(target, key, d) {
    if (isIndex(key) || (typeof key === 'string' && !(key in target) && named(target, key))) return false;
    return Reflect.defineProperty(target, key, d);
  },
  ownKeys(target) {
    const s = stateOf.get(target);
    const keys = listOf(target).map((_, i) => `${i}`);
    if (s.names) for (const name of s.names(listOf(target))) if (!keys.includes(name)) keys.push(name);
    for (const key of Reflect.ownKeys(target)) if (!keys.includes(key)) keys.push(key);
    return arrayFrom(keys);
  },
  getOwnPropertyDescriptor(target, key) {
    if (isIndex(key)) {
      const list = listOf(target);
      return Number(key) < list.length ? { value: list[key], writable: Boolean(stateOf.get(target).set), enumerable: true, configurable: true } : undefined;
    }
    if (typeof key === 'string' && !Object.hasOwn(target, key) && !(key in getPrototypeOf(target))) {
      const value = named(target, key);
      if (value) return { value, writable: false, enumerable: false, configurable: true };
    }
    return Reflect.getOwnPropertyDescriptor(target, key);
  },
};
function named(target, key) {
  const s = stateOf.get(target);
  return s.named && key !== '' ? s.named(listOf(target), key) : null;
}
const collection = (cls, state) => {
  const target = { __proto__: cls.prototype };
  stateOf.set(target, state);
  const proxy = new Proxy(target, handler);
  stateOf.set(proxy, state);
  return proxy;
};
export const live = (cls, make, more = {}) => collection(cls, { list: [], make, at: -1, ...more });
export const fixed = (cls, list) => collection(cls, { list, make: null, at: 0 });

export class NodeList {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get length() {
    return listOf(this).length;
  }
  item(index) {
    return listOf(this)[index >>> 0] ?? null;
  }
}
for (const name of ['entries', 'keys', 'values', 'forEach']) defineProperty(NodeList.prototype, name, { value: ScriptArray.prototype[name], writable: true, enumerable: true, configurable: true });
defineProperty(NodeList.prototype, Symbol.iterator, { value: ScriptArray.prototype[Symbol.iterator], writable: true, configurable: true });
export class RadioNodeList extends NodeList {
  get value() {
    for (const e of listOf(this)) if (isHTML(e, 'input') && getAttr(e, 'type') === 'radio' && e.checked) return getAttr(e, 'value') ?? 'on';
    return '';
  }
  set value(value) {
    for (const e of listOf(this)) if (isHTML(e, 'input') && getAttr(e, 'type') === 'radio' && (getAttr(e, 'value') ?? 'on') === `${value}`) return void (e.checked = true);
  }
}
export class HTMLCollection {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get length() {
    if (!stateOf.has(this)) throw new TypeError('this is no collection');
    return listOf(this).length;
  }
  item(index) {
    return listOf(this)[index >>> 0] ?? null;
  }
  namedItem(name) {
    return named(this, `${name}`);
  }
}
defineProperty(HTMLCollection.prototype, Symbol.iterator, { value: ScriptArray.prototype[Symbol.iterator], writable: true, configurable: true });
const byName = {
  named: (list, key) => list.find((e) => getAttr(e, 'id') === key || (e.$ns === HTML && getAttr(e, 'name') === key)) ?? null,
  names: (list) => [...new Set(list.flatMap((e) => [getAttr(e, 'id'), e.$ns === HTML ? getAttr(e, 'name') : null]).filter(Boolean))],
};
export const elements = (make) => live(HTMLCollection, make, byName);
export const elementsAs = (cls, make, more = {}) => live(cls, make, { ...byName, ...more });
export const nodes = (list) => fixed(NodeList, list);
export const liveNodes = (make, cls = NodeList) => live(cls, make);
publish(NodeList, RadioNodeList, HTMLCollection);

// "getElementsByTagName" and its kin (4.5).
// The same list is given for the same question.
function once(root, key, make) {
  const lists = (root.$lists ??= new Map());
  if (!lists.has(key)) lists.set(key, elements(make));
  return lists.get(key);
}
export function byTagName(root, name) {
  const all = name === '*';
  const lower = asciiLower(name);
  return once(root, `tag ${name}`, () => {
    const list = elementsOf(root);
    if (all) return list;
    const { $html } = root.$t === DOCUMENT ? root : root.$d;
    return list.filter((n) => (n.$prefix ? qualifiedName(n) : n.$name) === ($html && n.$ns === HTML ? lower : name));
  });
}
export function byTagNameNS(root, ns, local) {
  ns = ns === '' || ns === null || ns === undefined ? null : `${ns}`;
  return once(root, `tag ${local} ${ns}`, () => {
    return elementsOf(root).filter((n) => (ns === '*' || n.$ns === ns) && (local === '*' || n.$name === local));
  });
}
export const wordsOf = (text) => text.split(/[\t\n\f\r ]+/).filter(Boolean);
const isSpace = (c) => c === 32 || (c >= 9 && c <= 13 && c !== 11);
// Whether a word is among those of a text.
export function hasWord(text, word) {
  if (word === '') return false;
  for (let at = text.indexOf(word); at >= 0; at = text.indexOf(word, at + 1)) {
    const end = at + word.length;
    if ((at === 0 || isSpace(text.charCodeAt(at - 1))) && (end === text.length || isSpace(text.charCodeAt(end)))) return !/[\t\n\f\r ]/.test(word);
  }
  return false;
}
// Whether an element has a class; quirks says that letters of either case are the same.
export function hasClass(element, cls, quirks) {
  const value = element.$class;
  if (value === undefined) return false;
  return quirks ? hasWord(asciiLower(value), asciiLower(cls)) : hasWord(value, cls);
}
export function byClassName(root, names) {
  const wanted = wordsOf(names);
  return once(root, `class ${names}`, () => {
    if (!wanted.length) return [];
    const quirks = Boolean((root.$t === DOCUMENT ? root : root.$d).$quirks);
    const [first] = wanted;
    return elementsOf(root).filter((n) => n.$class !== undefined && (quirks || n.$class.includes(first)) && wanted.every((w) => hasClass(n, w, quirks)));
  });
}

// DOM, 7.1: sets of tokens in an attribute.
const tokensOf = new WeakMap();
export class DOMTokenList {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get length() {
    return tokens(this).length;
  }
  item(index) {
    return tokens(this)[index >>> 0] ?? null;
  }
  contains(token) {
    return tokens(this).includes(`${token}`);
  }
  add() {
    const list = checked(arguments);
    update(this, [...new Set([...tokens(this), ...list])]);
  }
  remove() {
    const list = checked(arguments);
    update(this, tokens(this).filter((t) => !list.includes(t)));
  }
  toggle(token, force = undefined) {
    const [t] = checked([token]);
    const list = tokens(this);
    if (list.includes(t)) {
      if (force === undefined || !force) {
        update(this, list.filter((x) => x !== t));
        return false;
      }
      return true;
    }
    if (force !== undefined && !force) return false;
    update(this, [...list, t]);
    return true;
  }
  replace(token, by) {
    const [a, b] = checked([token, by]);
    const list = tokens(this);
    if (!list.includes(a)) return false;
    update(this, [...new Set(list.map((t) => (t === a ? b : t)))]);
    return true;
  }
  supports(token) {
    const { known } = tokensOf.get(this);
    if (!known) throw new TypeError('this list supports any word');
    return known.includes(asciiLower(`${token}`));
  }
  get value() {
    const { element, name } = tokensOf.get(this);
    return getAttr(element, name) ?? '';
  }
  set value(value) {
    const { element, name } = tokensOf.get(this);
    setAttr(element, name, `${value}`);
  }
  toString() {
    return this.value;
  }
}
for (const name of ['entries', 'keys', 'values', 'forEach']) defineProperty(DOMTokenList.prototype, name, { value: ScriptArray.prototype[name], writable: true, enumerable: true, configurable: true });
defineProperty(DOMTokenList.prototype, Symbol.iterator, { value: ScriptArray.prototype[Symbol.iterator], writable: true, configurable: true });
const tokens = (list) => {
  const { element, name } = tokensOf.get(list);
  return [...new Set(wordsOf(getAttr(element, name) ?? ''))];
};
const checked = (list) => {
  const out = [...list].map((t) => `${t}`);
  if (out.includes('')) throw error('SyntaxError', 'a token is not empty');
  if (out.some((t) => /[\t\n\f\r ]/.test(t))) throw error('InvalidCharacterError', 'a token holds no white space');
  return out;
};
const update = (list, set) => {
  const { element, name } = tokensOf.get(list);
  if (!hasAttr(element, name) && !set.length) return;
  setAttr(element, name, set.join(' '));
};
export function tokenList(element, name, known = null) {
  const target = { __proto__: DOMTokenList.prototype };
  const state = { element, name, known };
  tokensOf.set(target, state);
  stateOf.set(target, { list: [], make: () => tokens(target), at: -1 });
  const proxy = new Proxy(target, handler);
  tokensOf.set(proxy, state);
  stateOf.set(proxy, stateOf.get(target));
  return proxy;
}
publishLoosely(DOMTokenList);
