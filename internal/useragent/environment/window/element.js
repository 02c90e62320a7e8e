// DOM, 4.9: elements and attributes.

import {
  ScriptArray, ScriptObject, TypeError, assign, defineProperty, rejected, resolved, arrayFrom, arrayOf,
} from '../shared/primordials.js';
import { onlyHere, publish } from '../shared/webidl.js';
import { queueTask } from '../shared/timers.js';
import { ARIA, ariaName } from './aria.js';
import { byClassName, byTagName, byTagNameNS, tokenList } from './collections.js';
import { Node, mixChild, mixParent, mixSiblings } from './node.js';
import {
  HTML, asciiLower, attributeChanged, createLike, documentElementOf, error, extractName, findAttribute,
  findAttributeNS, getAttr, isConnected, isElement, isNode, isValidAttributeName, late, makeText, preInsert, protos,
  qualifiedName, record, removeAttr, setAttr,
} from './nodes.js';
import { matches, parseSelectors } from './selectors.js';

export class Attr extends Node {
  get namespaceURI() {
    return this.$x.ns;
  }
  get prefix() {
    return this.$x.prefix;
  }
  get localName() {
    return this.$x.local;
  }
  get name() {
    return this.$x.name;
  }
  get value() {
    return this.$x.value;
  }
  set value(value) {
    const { $x: x, $element: e } = this;
    if (!e) x.value = `${value}`;
    else setAttr(e, x.name, `${value}`, x.ns, x.prefix, x.local);
  }
  get ownerElement() {
    return this.$element;
  }
  get specified() {
    return true;
  }
}
// The node of an attribute, which is the same as long as the attribute is.
export function attrNode(x, element, document = element.$d) {
  return (x.node ??= { __proto__: Attr.prototype, $t: 2, $p: null, $f: null, $l: null, $n: null, $v: null, $d: document, $x: x, $element: element });
}
createLike.attribute = ({ $x: x }, document) => attrNode({ name: x.name, value: x.value, ns: x.ns, prefix: x.prefix, local: x.local, node: null }, null, document);
export const makeAttr = (name, document, ns = null, prefix = null, local = name) => attrNode({ name, value: '', ns, prefix, local, node: null }, null, document);
function setAttributeNode(element, node) {
  if (!isNode(node) || node.$t !== 2) throw new TypeError('this is no attribute');
  if (node.$element === element) return node;
  if (node.$element) throw error('InUseAttributeError', 'the attribute belongs to another element');
  const x = node.$x;
  const old = findAttributeNS(element, x.ns, x.local);
  let result = null;
  if (old) {
    result = attrNode(old, element);
    if (record.queue) record.queue('attributes', element, { name: x.local, ns: x.ns, old: old.value });
    element.$a[element.$a.indexOf(old)] = x;
    result.$element = null;
  } else {
    if (record.queue) record.queue('attributes', element, { name: x.local, ns: x.ns, old: null });
    (element.$a ??= []).push(x);
  }
  node.$element = element;
  attributeChanged(element, x.local, old ? old.value : null, x.value, x.ns);
  return result;
}

const mapOf = new WeakMap();
export class NamedNodeMap {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get length() {
    return mapOf.get(this).$a?.length ?? 0;
  }
  item(index) {
    const e = mapOf.get(this);
    const x = e.$a?.[index >>> 0];
    return x ? attrNode(x, e) : null;
  }
  getNamedItem(name) {
    return mapOf.get(this).getAttributeNode(name);
  }
  getNamedItemNS(ns, local) {
    return mapOf.get(this).getAttributeNodeNS(ns, local);
  }
  setNamedItem(attr) {
    return setAttributeNode(mapOf.get(this), attr);
  }
  setNamedItemNS(attr) {
    return setAttributeNode(mapOf.get(this), attr);
  }
  removeNamedItem(name) {
    const e = mapOf.get(this);
    const x = findAttribute(e, lowered(e, name));
    if (!x) throw error('NotFoundError', `there is no attribute "${name}"`);
    const node = attrNode(x, e);
    removeAttr(e, x);
    return node;
  }
  removeNamedItemNS(ns, local) {
    const e = mapOf.get(this);
    const x = findAttributeNS(e, ns || null, `${local}`);
    if (!x) throw error('NotFoundError', `there is no attribute "${local}"`);
    const node = attrNode(x, e);
    removeAttr(e, x);
    return node;
  }
}
defineProperty(NamedNodeMap.prototype, Symbol.iterator, { value: ScriptArray.prototype[Symbol.iterator], writable: true, configurable: true });
const mapHandler = {
  get(target, key) {
    if (typeof key === 'string') {
      if (/^(0|[1-9]\d*)$/.test(key)) return target.item(Number(key)) ?? undefined;
      if (!(key in target)) return namedIn(mapOf.get(target), key) ?? undefined;
    }
    return Reflect.get(target, key, target);
  },
  has: (target, key) => (typeof key === 'string' && (/^(0|[1-9]\d*)$/.test(key) ? Number(key) < target.length : !(key in target) && Boolean(namedIn(mapOf.get(target), key)))) || key in target,
  ownKeys: (target) => arrayFrom([...(mapOf.get(target).$a ?? []).map((_, i) => `${i}`), ...supportedNames(mapOf.get(target)), ...Reflect.ownKeys(target)]),
  getOwnPropertyDescriptor(target, key) {
    if (typeof key === 'string' && /^(0|[1-9]\d*)$/.test(key)) {
      const value = target.item(Number(key));
      return value ? { value, enumerable: true, configurable: true, writable: false } : undefined;
    }
    if (typeof key === 'string' && !(key in target) && supportedNames(mapOf.get(target)).has(key)) {
      const value = namedIn(mapOf.get(target), key);
      return value ? { value, enumerable: false, configurable: true, writable: false } : undefined;
    }
    return Reflect.getOwnPropertyDescriptor(target, key);
  },
};
// "supported property names" (DOM, 4.9.1).
const supportedNames = (e) => new Set((e.$a ?? []).map((x) => x.name).filter((name) => e.$ns !== HTML || !e.$d.$html || name === asciiLower(name)));
const namedIn = (e, key) => {
  const x = findAttribute(e, key);
  return x ? attrNode(x, e) : null;
};
// An HTML element in an HTML document has its attributes by lower-case names.
const lowered = (e, name) => (e.$ns === HTML && e.$d.$html ? asciiLower(`${name}`) : `${name}`);

export class Element extends Node {
  get namespaceURI() {
    return this.$ns;
  }
  get prefix() {
    return this.$prefix;
  }
  get localName() {
    return this.$name;
  }
  get tagName() {
    const name = qualifiedName(this);
    return this.$ns === HTML && this.$d.$html ? name.toUpperCase() : name;
  }
  get id() {
    return getAttr(this, 'id') ?? '';
  }
  set id(value) {
    setAttr(this, 'id', `${value}`);
  }
  get className() {
    return getAttr(this, 'class') ?? '';
  }
  set className(value) {
    setAttr(this, 'class', `${value}`);
  }
  get classList() {
    return (this.$classes ??= tokenList(this, 'class'));
  }
  set classList(value) {
    setAttr(this, 'class', `${value}`);
  }
  get slot() {
    return getAttr(this, 'slot') ?? '';
  }
  set slot(value) {
    setAttr(this, 'slot', `${value}`);
  }
  get part() {
    return (this.$parts ??= tokenList(this, 'part'));
  }
  set part(value) {
    setAttr(this, 'part', `${value}`);
  }
  hasAttributes() {
    return Boolean(this.$a?.length);
  }
  get attributes() {
    if (!this.$map) {
      const target = { __proto__: NamedNodeMap.prototype };
      mapOf.set(target, this);
      this.$map = new Proxy(target, mapHandler);
      mapOf.set(this.$map, this);
    }
    return this.$map;
  }
  getAttributeNames() {
    return arrayFrom((this.$a ?? []).map((x) => x.name));
  }
  getAttribute(name) {
    return findAttribute(this, lowered(this, name))?.value ?? null;
  }
  getAttributeNS(ns, local) {
    return findAttributeNS(this, ns || null, `${local}`)?.value ?? null;
  }
  setAttribute(name, value) {
    if (arguments.length < 2) throw new TypeError('setAttribute takes a name and a value');
    if (!isValidAttributeName(`${name}`)) throw error('InvalidCharacterError', `"${name}" is no name of an attribute`);
    name = lowered(this, name);
    value = `${value}`;
    const x = findAttribute(this, name);
    if (x) setAttr(this, x.name, value, x.ns, x.prefix, x.local);
    else setAttr(this, name, value);
  }
  setAttributeNS(ns, qualified, value) {
    const { ns: space, prefix, local } = extractName(ns, qualified, isValidAttributeName);
    setAttr(this, `${qualified}`, `${value}`, space, prefix, local);
  }
  removeAttribute(name) {
    const x = findAttribute(this, lowered(this, name));
    if (x) removeAttr(this, x);
  }
  removeAttributeNS(ns, local) {
    const x = findAttributeNS(this, ns || null, `${local}`);
    if (x) removeAttr(this, x);
  }
  toggleAttribute(name, force = undefined) {
    if (!isValidAttributeName(`${name}`)) throw error('InvalidCharacterError', `"${name}" is no name of an attribute`);
    name = lowered(this, name);
    const x = findAttribute(this, name);
    if (!x) {
      if (force !== undefined && !force) return false;
      setAttr(this, name, '');
      return true;
    }
    if (force !== undefined && force) return true;
    removeAttr(this, x);
    return false;
  }
  hasAttribute(name) {
    return findAttribute(this, lowered(this, name)) !== null;
  }
  hasAttributeNS(ns, local) {
    return findAttributeNS(this, ns || null, `${local}`) !== null;
  }
  getAttributeNode(name) {
    const x = findAttribute(this, lowered(this, name));
    return x ? attrNode(x, this) : null;
  }
  getAttributeNodeNS(ns, local) {
    const x = findAttributeNS(this, ns || null, `${local}`);
    return x ? attrNode(x, this) : null;
  }
  setAttributeNode(attr) {
    return setAttributeNode(this, attr);
  }
  setAttributeNodeNS(attr) {
    return setAttributeNode(this, attr);
  }
  removeAttributeNode(attr) {
    if (attr?.$element !== this) throw error('NotFoundError', 'the attribute does not belong to this element');
    removeAttr(this, attr.$x);
    return attr;
  }
  closest(selectors) {
    const list = parseSelectors(`${selectors}`);
    for (let e = this; isElement(e); e = e.$p) if (matches(e, list, this)) return e;
    return null;
  }
  matches(selectors) {
    return matches(this, parseSelectors(`${selectors}`), this);
  }
  webkitMatchesSelector(selectors) {
    return matches(this, parseSelectors(`${selectors}`), this);
  }
  getElementsByTagName(name) {
    return byTagName(this, `${name}`);
  }
  getElementsByTagNameNS(ns, local) {
    return byTagNameNS(this, ns, `${local}`);
  }
  getElementsByClassName(names) {
    return byClassName(this, `${names}`);
  }
  insertAdjacentElement(where, element) {
    if (!isElement(element)) throw new TypeError('this is no element');
    return insertAdjacent(this, `${where}`, element);
  }
  insertAdjacentText(where, data) {
    insertAdjacent(this, `${where}`, makeText(`${data}`, this.$d));
  }
  // Geometry: nothing is laid out, boxes are empty.
  getBoundingClientRect() {
    return emptyBox();
  }
  getClientRects() {
    return arrayOf();
  }
  scrollIntoView() {}
  scroll() {}
  scrollTo() {}
  scrollBy() {}
  requestFullscreen() {
    return rejected(new TypeError('fullscreen is not there'));
  }
  animate() {
    return animation();
  }
  getAnimations() {
    return arrayOf();
  }
  checkVisibility() {
    for (let e = this; isElement(e); e = e.$p) if (late.displayOf(e) === 'none') return false;
    return isConnected(this);
  }
  setPointerCapture() {}
  releasePointerCapture() {}
  hasPointerCapture() {
    return false;
  }
}
const emptyBox = () => late.box(0, 0, 0, 0);
const animation = () => {
  const a = assign(new ScriptObject(), { playState: 'finished', currentTime: 0, effect: null, onfinish: null, oncancel: null, cancel() {}, play() {}, pause() {}, finish() {}, reverse() {}, commitStyles() {}, addEventListener() {}, removeEventListener() {} });
  a.finished = resolved(a);
  a.ready = resolved(a);
  queueTask(() => typeof a.onfinish === 'function' && a.onfinish({ target: a }));
  return a;
};
for (const name of ['scrollTop', 'scrollLeft', 'scrollWidth', 'scrollHeight', 'clientTop', 'clientLeft', 'clientWidth', 'clientHeight'])
  defineProperty(Element.prototype, name, Object.getOwnPropertyDescriptor({ get [name]() { return this.$d && this === documentElementOf(this.$d) ? { clientWidth: 1000, clientHeight: 700, scrollWidth: 1000, scrollHeight: 700 }[name] ?? 0 : 0; }, set [name](value) {} }, name));
export function insertAdjacent(element, where, node) {
  switch (asciiLower(where)) {
    case 'beforebegin': return element.$p ? preInsert(node, element.$p, element) : null;
    case 'afterbegin': return preInsert(node, element, element.$f);
    case 'beforeend': return preInsert(node, element, null);
    case 'afterend': return element.$p ? preInsert(node, element.$p, element.$n) : null;
  }
  throw error('SyntaxError', `"${where}" is no place beside an element`);
}
for (const name of ARIA)
  defineProperty(Element.prototype, name, Object.getOwnPropertyDescriptor({
    get [name]() { return getAttr(this, ariaName(name)); },
    set [name](value) {
      if (value === null || value === undefined) this.removeAttribute(ariaName(name));
      else setAttr(this, ariaName(name), `${value}`);
    },
  }, name));
mixParent(Element);
mixChild(Element);
mixSiblings(Element);
defineProperty(Element.prototype, Symbol.unscopables, { value: { __proto__: null, before: true, after: true, replaceWith: true, remove: true, prepend: true, append: true, replaceChildren: true, slot: true }, configurable: true });
protos.element = Element.prototype;
publish(Attr, NamedNodeMap, Element);
