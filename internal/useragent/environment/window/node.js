// DOM, 4.4 to 4.12: the interfaces Node, Document fragments, character data and doctypes, and what Parent- and ChildNode mix in.

import { TypeError, assign, defineProperty, getPrototypeOf, setPrototypeOf } from '../shared/primordials.js';
import { guard, namesOf, publish } from '../shared/webidl.js';
import { EventTarget, addParents } from '../shared/event.js';
import { elements, liveNodes, nodes } from './collections.js';
import {
  ATTRIBUTE, CDATA, COMMENT, DOCTYPE, DOCUMENT, ELEMENT, FRAGMENT, INSTRUCTION, TEXT, XML, XMLNS, adopt, allWithId,
  append, childElements, children, cloneNode, contains, descendants, ensureValid, error, findAttributeNS, indexOf,
  insert, isConnected, isData, isElement, isNode, isText, late, link, makeComment, makeFragment, makeText, preInsert,
  preRemove, precedes, protos, ranges, remove, replace, replaceAll, replaceAllWithText, replaceData, rootOf,
  shadowIncludingRoot, textOf, unlink,
} from './nodes.js';
import { query } from './selectors.js';

const illegal = () => new TypeError('Illegal constructor');
export class Node extends EventTarget {
  constructor() {
    throw illegal();
  }
  get nodeType() {
    return this.$t;
  }
  get nodeName() {
    switch (this.$t) {
      case ELEMENT: return this.tagName;
      case TEXT: return '#text';
      case CDATA: return '#cdata-section';
      case COMMENT: return '#comment';
      case DOCUMENT: return '#document';
      case FRAGMENT: return '#document-fragment';
      case INSTRUCTION: return this.$target;
      case ATTRIBUTE: return this.name;
      default: return this.$name;
    }
  }
  get baseURI() {
    return (this.$t === DOCUMENT ? this : this.$d).$base();
  }
  get isConnected() {
    return isConnected(this);
  }
  get ownerDocument() {
    return this.$t === DOCUMENT ? null : this.$d;
  }
  getRootNode(options = {}) {
    return options?.composed ? shadowIncludingRoot(this) : rootOf(this);
  }
  get parentNode() {
    return this.$p ?? null;
  }
  get parentElement() {
    return isElement(this.$p) ? this.$p : null;
  }
  hasChildNodes() {
    return this.$f !== null;
  }
  get childNodes() {
    return (this.$c ??= liveNodes(() => [...children(this)]));
  }
  get firstChild() {
    return this.$f;
  }
  get lastChild() {
    return this.$l;
  }
  get previousSibling() {
    return this.$v;
  }
  get nextSibling() {
    return this.$n;
  }
  get nodeValue() {
    return isData(this) ? this.$data : this.$t === ATTRIBUTE ? this.value : null;
  }
  set nodeValue(value) {
    const text = value === null || value === undefined ? '' : `${value}`;
    if (isData(this)) replaceData(this, 0, this.$data.length, text);
    else if (this.$t === ATTRIBUTE) this.value = text;
  }
  get textContent() {
    if (this.$t === ELEMENT || this.$t === FRAGMENT) return textOf(this);
    return isData(this) ? this.$data : this.$t === ATTRIBUTE ? this.value : null;
  }
  set textContent(value) {
    const text = value === null || value === undefined ? '' : `${value}`;
    if (this.$t === ELEMENT || this.$t === FRAGMENT) replaceAllWithText(text, this);
    else this.nodeValue = text;
  }
  normalize() {
    for (const n of [...descendants(this)]) {
      if (n.$t !== TEXT || !n.$p) continue;
      if (n.$data === '') {
        remove(n);
        continue;
      }
      if (!n.$n || n.$n.$t !== TEXT) continue;
      let length = n.$data.length;
      let more = '';
      for (let next = n.$n; next && next.$t === TEXT; next = next.$n) more += next.$data;
      if (more) replaceData(n, length, 0, more);
      // Ends of ranges in what goes, or right before it, lie in what stays.
      for (let next = n.$n; next && next.$t === TEXT; next = next.$n) {
        if (ranges.size) {
          const index = indexOf(next);
          for (const r of ranges) {
            if (r.$sc === next) [r.$sc, r.$so] = [n, r.$so + length];
            else if (r.$sc === n.$p && r.$so === index) [r.$sc, r.$so] = [n, length];
            if (r.$ec === next) [r.$ec, r.$eo] = [n, r.$eo + length];
            else if (r.$ec === n.$p && r.$eo === index) [r.$ec, r.$eo] = [n, length];
          }
        }
        length += next.$data.length;
      }
      while (n.$n && n.$n.$t === TEXT) remove(n.$n);
    }
  }
  cloneNode(deep = false) {
    if (this.$shadow) throw error('NotSupportedError', 'a shadow root cannot be cloned');
    return late.copied(() => cloneNode(this, this.$t === DOCUMENT ? this : this.$d, Boolean(deep)));
  }
  isEqualNode(other) {
    return other !== null && other !== undefined && equal(this, other);
  }
  isSameNode(other) {
    return this === other;
  }
  compareDocumentPosition(other) {
    if (!isNode(other)) throw new TypeError('this is no node');
    return position(this, other);
  }
  contains(other) {
    return other !== null && other !== undefined && contains(this, other);
  }
  lookupPrefix(namespace) {
    if (namespace === null || namespace === '') return null;
    for (let e = elementFor(this); e; e = isElement(e.$p) ? e.$p : null) {
      if (e.$ns === namespace && e.$prefix !== null) return e.$prefix;
      const a = e.$a?.find((x) => x.prefix === 'xmlns' && x.value === namespace);
      if (a) return a.local;
    }
    return null;
  }
  lookupNamespaceURI(prefix) {
    return lookupNamespace(this, prefix === '' || prefix === undefined ? null : prefix);
  }
  isDefaultNamespace(namespace) {
    return lookupNamespace(this, null) === (namespace === '' || namespace === undefined ? null : namespace);
  }
  insertBefore(node, child) {
    if (arguments.length < 2) throw new TypeError('insertBefore takes a node and a child');
    nodeArgument(node);
    if (child !== null && child !== undefined) nodeArgument(child);
    return preInsert(node, this, child ?? null);
  }
  appendChild(node) {
    return append(nodeArgument(node), this);
  }
  replaceChild(node, child) {
    return replace(nodeArgument(child), nodeArgument(node), this);
  }
  removeChild(child) {
    return preRemove(nodeArgument(child), this);
  }
}
const nodeArgument = (node) => {
  if (!isNode(node)) throw new TypeError('this is no node');
  return node;
};
['ELEMENT_NODE', 'ATTRIBUTE_NODE', 'TEXT_NODE', 'CDATA_SECTION_NODE', 'ENTITY_REFERENCE_NODE', 'ENTITY_NODE', 'PROCESSING_INSTRUCTION_NODE', 'COMMENT_NODE', 'DOCUMENT_NODE', 'DOCUMENT_TYPE_NODE', 'DOCUMENT_FRAGMENT_NODE', 'NOTATION_NODE'].forEach((name, i) => constant(Node, name, i + 1));
['DISCONNECTED', 'PRECEDING', 'FOLLOWING', 'CONTAINS', 'CONTAINED_BY', 'IMPLEMENTATION_SPECIFIC'].forEach((name, i) => constant(Node, `DOCUMENT_POSITION_${name}`, 1 << i));
export function constant(cls, name, value) {
  for (const target of [cls, cls.prototype]) defineProperty(target, name, { value, enumerable: true });
}
function equal(a, b) {
  if (a.$t !== b.$t) return false;
  switch (a.$t) {
    case ELEMENT:
      if (a.$ns !== b.$ns || a.$prefix !== b.$prefix || a.$name !== b.$name || (a.$a?.length ?? 0) !== (b.$a?.length ?? 0)) return false;
      for (const x of a.$a ?? []) if (findAttributeNS(b, x.ns, x.local)?.value !== x.value) return false;
      break;
    case DOCTYPE: if (a.$name !== b.$name || a.$public !== b.$public || a.$system !== b.$system) return false; break;
    case INSTRUCTION: if (a.$target !== b.$target || a.$data !== b.$data) return false; break;
    case 2: return a.namespaceURI === b.namespaceURI && a.localName === b.localName && a.value === b.value;
    default: if (isData(a) && a.$data !== b.$data) return false;
  }
  let [x, y] = [a.$f, b.$f];
  for (; x && y; [x, y] = [x.$n, y.$n]) if (!equal(x, y)) return false;
  return !x && !y;
}
export function position(node, other) {
  if (node === other) return 0;
  let [a, b] = [other, node];
  let [attrA, attrB] = [null, null];
  if (a.$t === 2) [attrA, a] = [a, a.$element];
  if (b.$t === 2) {
    [attrB, b] = [b, b.$element];
    if (attrA && a && a === b) {
      for (const x of b.$a) {
        if (x.node === attrA) return 32 | 2;
        if (x.node === attrB) return 32 | 4;
      }
    }
  }
  if (!a || !b || rootOf(a) !== rootOf(b)) return 1 | 32 | 2;
  if ((contains(a, b) && a !== b && !attrA) || (a === b && attrB)) return 8 | 2;
  if ((contains(b, a) && a !== b && !attrB) || (a === b && attrA)) return 16 | 4;
  return precedes(a, b) ? 2 : 4;
}
const elementFor = (node) => (node.$t === ELEMENT ? node : node.$t === DOCUMENT ? childElements(node)[0] ?? null : node.$t === 2 ? node.$element : isElement(node.$p) ? node.$p : null);
function lookupNamespace(node, prefix) {
  const start = elementFor(node);
  for (let e = start; e; e = isElement(e.$p) ? e.$p : null) {
    if (prefix === 'xml') return XML;
    if (prefix === 'xmlns') return XMLNS;
    if (e.$ns !== null && e.$prefix === prefix) return e.$ns;
    const a = e.$a?.find((x) => x.ns === XMLNS && ((prefix !== null && x.prefix === 'xmlns' && x.local === prefix) || (prefix === null && x.prefix === null && x.local === 'xmlns')));
    if (a) return a.value || null;
  }
  return null;
}

// Mixins: ParentNode, NonDocumentTypeChildNode, ChildNode (4.2.6 to 4.2.8).
// "convert nodes into a node", and what is done with it. In browsers several nodes never stand in a fragment that ranges or
// scripts could see: where they can't be placed, they are left without a parent.
function placing(list, document, place) {
  const all = list.map((x) => (isNode(x) ? x : makeText(`${x}`, document)));
  if (all.length === 1) return place(all[0]);
  const fragment = makeFragment(document);
  fragment.$passing = true;
  try {
    for (const n of all) {
      ensureValid(n, fragment, null);
      for (const c of n.$t === FRAGMENT ? [...children(n)] : [n]) {
        if (c.$p === fragment) unlink(c);
        else if (c.$p) remove(c);
        if (c.$d !== document) adopt(c, document);
        link(c, fragment, null);
      }
    }
    place(fragment);
  } catch (e) {
    for (const c of [...children(fragment)]) unlink(c);
    throw e;
  }
}
const documentOf = (node) => (node.$t === DOCUMENT ? node : node.$d);
const parentNode = {
  get children() {
    return (this.$e ??= elements(() => childElements(this)));
  },
  get firstElementChild() {
    for (let c = this.$f; c; c = c.$n) if (c.$t === ELEMENT) return c;
    return null;
  },
  get lastElementChild() {
    for (let c = this.$l; c; c = c.$v) if (c.$t === ELEMENT) return c;
    return null;
  },
  get childElementCount() {
    return childElements(this).length;
  },
  prepend(...list) {
    placing(list, documentOf(this), (node) => preInsert(node, this, this.$f));
  },
  append(...list) {
    placing(list, documentOf(this), (node) => append(node, this));
  },
  replaceChildren(...list) {
    placing(list, documentOf(this), (node) => {
      ensureValid(node, this, null);
      replaceAll(node, this);
    });
  },
  querySelector(selectors) {
    return query(this, `${selectors}`, true)[0] ?? null;
  },
  querySelectorAll(selectors) {
    return nodes(query(this, `${selectors}`, false));
  },
  moveBefore(node, child) {
    if (shadowIncludingRoot(nodeArgument(node)) !== shadowIncludingRoot(this)) throw error('HierarchyRequestError', 'what is moved stands in the same tree');
    if (!isElement(node) && !isData(node)) throw error('HierarchyRequestError', 'elements and texts can be moved');
    preInsert(node, this, child ?? null);
  },
};
const viable = (start, list, way) => {
  let n = start[way];
  while (n && list.includes(n)) n = n[way];
  return n;
};
const childNode = {
  before(...list) {
    const parent = this.$p;
    if (!parent) return;
    const previous = viable(this, list, '$v');
    placing(list, documentOf(this), (node) => preInsert(node, parent, previous ? previous.$n : parent.$f));
  },
  after(...list) {
    const parent = this.$p;
    if (!parent) return;
    const next = viable(this, list, '$n');
    placing(list, documentOf(this), (node) => preInsert(node, parent, next));
  },
  replaceWith(...list) {
    const parent = this.$p;
    if (!parent) return;
    const next = viable(this, list, '$n');
    placing(list, documentOf(this), (node) => (this.$p === parent ? replace(this, node, parent) : preInsert(node, parent, next)));
  },
  remove() {
    if (this.$p) remove(this);
  },
};
const siblings = {
  get previousElementSibling() {
    for (let n = this.$v; n; n = n.$v) if (n.$t === ELEMENT) return n;
    return null;
  },
  get nextElementSibling() {
    for (let n = this.$n; n; n = n.$n) if (n.$t === ELEMENT) return n;
    return null;
  },
};
export const mix = (cls, ...parts) => {
  for (const part of parts) Object.defineProperties(cls.prototype, Object.getOwnPropertyDescriptors(part));
};
// The same for an interface that is published already.
export const extendInterface = (cls, part) => {
  mix(cls, part);
  for (const key of namesOf(part)) guard(cls.prototype, key, false);
};
export const mixParent = (cls) => mix(cls, parentNode);
export const mixChild = (cls) => mix(cls, childNode);
export const mixSiblings = (cls) => mix(cls, siblings);
const unscopable = (cls) => defineProperty(cls.prototype, Symbol.unscopables, { value: { __proto__: null, before: true, after: true, replaceWith: true, remove: true, prepend: true, append: true, replaceChildren: true, slot: true }, configurable: true });

export class CharacterData extends Node {
  get data() {
    return this.$data;
  }
  set data(value) {
    replaceData(this, 0, this.$data.length, value === null ? '' : `${value}`);
  }
  get length() {
    return this.$data.length;
  }
  substringData(offset, count) {
    offset >>>= 0;
    if (offset > this.$data.length) throw error('IndexSizeError', 'the offset lies behind the text');
    return this.$data.slice(offset, offset + (count >>> 0));
  }
  appendData(data) {
    replaceData(this, this.$data.length, 0, `${data}`);
  }
  insertData(offset, data) {
    replaceData(this, offset >>> 0, 0, `${data}`);
  }
  deleteData(offset, count) {
    replaceData(this, offset >>> 0, count >>> 0, '');
  }
  replaceData(offset, count, data) {
    replaceData(this, offset >>> 0, count >>> 0, `${data}`);
  }
}
mixChild(CharacterData);
mixSiblings(CharacterData);
unscopable(CharacterData);
export class Text extends CharacterData {
  constructor(data = '') {
    return makeAs(new.target, makeText(`${data}`, current.document));
  }
  splitText(offset) {
    offset >>>= 0;
    const { length } = this.$data;
    if (offset > length) throw error('IndexSizeError', 'the offset lies behind the text');
    const node = makeText(this.$data.slice(offset), this.$d);
    const parent = this.$p;
    if (parent) {
      insert(node, parent, this.$n);
      const at = indexOf(this) + 1;
      for (const r of ranges) {
        if (r.$sc === this && r.$so > offset) [r.$sc, r.$so] = [node, r.$so - offset];
        else if (r.$sc === parent && r.$so === at) r.$so++;
        if (r.$ec === this && r.$eo > offset) [r.$ec, r.$eo] = [node, r.$eo - offset];
        else if (r.$ec === parent && r.$eo === at) r.$eo++;
      }
    }
    replaceData(this, offset, length - offset, '');
    return node;
  }
  get wholeText() {
    let first = this;
    while (first.$v && isText(first.$v)) first = first.$v;
    let out = '';
    for (let n = first; n && isText(n); n = n.$n) out += n.$data;
    return out;
  }
}
export class CDATASection extends Text {
  constructor() {
    throw illegal();
  }
}
export class Comment extends CharacterData {
  constructor(data = '') {
    return makeAs(new.target, makeComment(`${data}`, current.document));
  }
}
export class ProcessingInstruction extends CharacterData {
  get target() {
    return this.$target;
  }
}
export class DocumentType extends Node {
  get name() {
    return this.$name;
  }
  get publicId() {
    return this.$public;
  }
  get systemId() {
    return this.$system;
  }
}
mixChild(DocumentType);
unscopable(DocumentType);
export class DocumentFragment extends Node {
  constructor() {
    return makeAs(new.target, makeFragment(current.document));
  }
  getElementById(id) {
    return elementById(this, `${id}`);
  }
}
mixParent(DocumentFragment);
unscopable(DocumentFragment);
export const makeAs = (cls, node) => (getPrototypeOf(node) === cls.prototype ? node : setPrototypeOf(node, cls.prototype));
export function elementById(root, id) {
  if (id === '') return null;
  return allWithId(root, id)[0] ?? null;
}
// The document of the window, once there is one.
export const current = { document: null };
assign(protos, { text: Text.prototype, comment: Comment.prototype, cdata: CDATASection.prototype, instruction: ProcessingInstruction.prototype, doctype: DocumentType.prototype, fragment: DocumentFragment.prototype });
publish(Node, CharacterData, Text, CDATASection, Comment, ProcessingInstruction, DocumentType, DocumentFragment);
// Events go from a node to its parent, and from the document to the window (2.7; a shadow root's go on at its host when they are composed).
addParents(isNode, (node, event, root) => {
  if (node.$t === DOCUMENT) return event.type !== 'load' ? node.$window ?? null : null;
  if (node.$shadow) return !event.composed && node === root ? null : node.$host;
  return node.$p;
});
