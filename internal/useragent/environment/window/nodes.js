// DOM, 4: what nodes are made of, and the algorithms that change the tree. A node is a plain object with slots of its own: $p parent, $f and $l
// its first and last child, $n and $v its next and previous sibling, $d its document, $t its type, $s how often its subtree has changed.

import { DOMException } from '../shared/domexception.js';

// The kinds of nodes (4.4).
export const ELEMENT = 1;
export const ATTRIBUTE = 2;
export const TEXT = 3;
export const CDATA = 4;
export const INSTRUCTION = 7;
export const COMMENT = 8;
export const DOCUMENT = 9;
export const DOCTYPE = 10;
export const FRAGMENT = 11;

export const HTML = 'http://www.w3.org/1999/xhtml';
export const SVG = 'http://www.w3.org/2000/svg';
export const MATHML = 'http://www.w3.org/1998/Math/MathML';
export const XML = 'http://www.w3.org/XML/1998/namespace';
export const XMLNS = 'http://www.w3.org/2000/xmlns/';
export const XLINK = 'http://www.w3.org/1999/xlink';

export const error = (name, message) => new DOMException(message, name);

// What modules that are made later offer to earlier ones.
export const late = { styleOf: null, colour: null, displayOf: null, internals: null, renderedText: null, slotFor: null, box: null, inert: (document) => document, parseUnsafe: null };

// What else has to happen when the tree changes is told by the modules that it concerns.
export const onInserted = []; // (node): it is in a document now, with its subtree, each node in tree order
export const onRemoved = []; // (node, parent): it was taken out of a document
export const onAttribute = []; // (element, name, old, value)
export const onChildren = []; // (parent): its children have changed
export const namesGiven = new Set(); // every id and name that an element ever had: what is not among them names nothing
export const onNamed = { f: null, define: null }; // (element, name, value): an element was given an id or a name, and if it is in the document
export const record = (kin.record ??= { queue: null, transient: null }); // of all trees that one script may reach; // mutation observers set queue

export const isNode = (value) => value !== null && typeof value === 'object' && typeof value.$t === 'number';
export const isElement = (node) => node !== null && node !== undefined && node.$t === ELEMENT;
export const isText = (node) => node.$t === TEXT || node.$t === CDATA;
export const isData = (node) => isText(node) || node.$t === COMMENT || node.$t === INSTRUCTION;
export const isHTML = (node, name) => node !== null && node.$t === ELEMENT && node.$ns === HTML && node.$name === name;

export function rootOf(node) {
  while (node.$p) node = node.$p;
  return node;
}
// The root, through the hosts of shadow trees (DOM, 4.8).
export function shadowIncludingRoot(node) {
  let root = rootOf(node);
  while (root.$host && root.$shadow) root = rootOf(root.$host);
  return root;
}
export const isConnected = (node) => shadowIncludingRoot(node).$t === DOCUMENT;
export function contains(node, other) {
  for (; other; other = other.$p) if (other === node) return true;
  return false;
}
// The next node in tree order below top; with skip the children of node are left out.
export function following(node, top, skip = false) {
  if (!skip && node.$f) return node.$f;
  for (; node && node !== top; node = node.$p) if (node.$n) return node.$n;
  return null;
}
export function* descendants(top) {
  for (let node = top.$f; node; node = following(node, top)) yield node;
}
// How often elements below others are listed in a tree as it is before all of its document are.
const OFTEN = 2;
// Where the elements below an element stand in the list of its document: the first and the one after the last; null where the list is not at hand
// or the element is not in it.
function placesBelow(top) {
  const doc = top.$d;
  if (doc.$listed !== changes.trees) {
    if (doc.$askedAt !== changes.trees) {
      doc.$askedAt = changes.trees;
      doc.$askedTimes = 0;
    }
    if (++doc.$askedTimes <= OFTEN) return null;
    elementsOf(doc);
  }
  const list = doc.$elementList;
  if (list[top.$listedAt] !== top) return null;
  let node = top;
  for (;;) {
    while (node && !node.$n) node = node.$p;
    if (!node) return [top.$listedAt + 1, list.length];
    node = node.$n;
    if (node.$t === ELEMENT) return [top.$listedAt + 1, node.$listedAt];
  }
}
// The elements below a node with a name, and those that are not HTML, in tree order; null where the document's list is not at hand.
export function elementsNamed(top, name) {
  if (top.$t !== DOCUMENT && top.$t !== ELEMENT) return null;
  const doc = top.$t === DOCUMENT ? top : top.$d;
  let all = null;
  if (top === doc) all = elementsOf(doc);
  const places = all ? null : placesBelow(top);
  if (!all && !places) return null;
  if (doc.$namedAt !== changes.trees) {
    doc.$namedAt = changes.trees;
    doc.$named = new Map();
  }
  let list = doc.$named.get(name);
  if (!list) doc.$named.set(name, (list = doc.$elementList.filter((e) => e.$name === name || e.$ns !== HTML)));
  return places ? list.filter((e) => e.$listedAt >= places[0] && e.$listedAt < places[1]) : list;
}
// The elements below a node in tree order; nobody changes the list. That of a document is kept until its tree changes.
export function elementsOf(top) {
  const kept = top.$t === DOCUMENT;
  if (kept && top.$listed === changes.trees) return top.$elementList;
  const places = top.$t === ELEMENT && top.$f ? placesBelow(top) : null;
  if (places) return top.$d.$elementList.slice(places[0], places[1]);
  const list = [];
  for (let node = top.$f; node; ) {
    if (node.$t === ELEMENT) list.push(node);
    if (node.$f) {
      node = node.$f;
      continue;
    }
    while (node !== top && !node.$n) node = node.$p;
    if (node === top) break;
    node = node.$n;
  }
  if (kept) {
    for (let i = 0; i < list.length; i++) list[i].$listedAt = i;
    top.$listed = changes.trees;
    top.$elementList = list;
  }
  return list;
}
// The document element (DOM, 4.5).
export function documentElementOf(document) {
  for (let c = document.$f; c; c = c.$n) if (c.$t === ELEMENT) return c;
  return null;
}
export function indexOf(node) {
  let n = 0;
  for (let at = node.$v; at; at = at.$v) n++;
  return n;
}
export function lengthOf(node) {
  if (isData(node)) return node.$data.length;
  let n = 0;
  for (let c = node.$f; c; c = c.$n) n++;
  return n;
}
export function textOf(node) {
  let out = '';
  for (let n = node.$f; n; n = following(n, node)) if (isText(n)) out += n.$data;
  return out;
}
export function childElements(node) {
  const list = [];
  for (let c = node.$f; c; c = c.$n) if (c.$t === ELEMENT) list.push(c);
  return list;
}

// Counts of changes, by which what was made of trees knows that it is out of date: n of all, trees of those that moved nodes.
export const changes = (kin.changes ??= { n: 0, trees: 0 });

// The elements that ever had an id, by id: what has it now, and where it stands, is looked at when it is asked for.
const withId = (kin.withId ??= new Map());
const MANY = 64; // an id that more elements have had is looked for in the tree
export function noteId(element, id) {
  const there = withId.get(id);
  if (there === undefined) withId.set(id, [element]);
  else if (there !== null && !there.includes(element)) {
    if (there.length < MANY) there.push(element);
    else withId.set(id, null);
  }
}
// Those below a root that have an id now, in tree order.
export function allWithId(root, id) {
  const has = (e) => e !== root && getAttr(e, 'id') === id;
  const there = withId.get(id);
  if (there === undefined) return [];
  const found = there?.filter((e) => has(e) && contains(root, e));
  return there === null ? elementsOf(root).filter(has) : inTreeOrder(found, root);
}
// Whether a node comes before another one of the same tree.
export function precedes(a, b) {
  const pathOf = (n) => {
    const path = [];
    for (; n; n = n.$p) path.unshift(n);
    return path;
  };
  const [x, y] = [pathOf(a), pathOf(b)];
  let i = 0;
  while (i < x.length && i < y.length && x[i] === y[i]) i++;
  if (i === x.length) return true;
  if (i === y.length) return false;
  for (let n = x[i]; n; n = n.$n) if (n === y[i]) return true;
  return false;
}
const FEW = 8;
// Elements below a root in tree order.
export const inTreeOrder = (list, root) => (list.length < 2 ? list : list.length <= FEW ? list.sort((a, b) => (precedes(a, b) ? -1 : 1)) : elementsOf(root).filter((e) => list.includes(e)));

export function link(node, parent, before) {
  node.$p = parent;
  node.$n = before;
  node.$v = before ? before.$v : parent.$l;
  if (node.$v) node.$v.$n = node;
  else parent.$f = node;
  if (before) before.$v = node;
  else parent.$l = node;
  changes.n++;
  changes.trees++;
}
export function unlink(node) {
  const parent = node.$p;
  if (node.$v) node.$v.$n = node.$n;
  else parent.$f = node.$n;
  if (node.$n) node.$n.$v = node.$v;
  else parent.$l = node.$v;
  node.$p = node.$n = node.$v = null;
  changes.n++;
  changes.trees++;
}
// Gives a node a place without any of the steps that scripts could notice, for the parser.
export const place = (node, parent) => link(node, parent, null);

// "ensure pre-insert validity" (4.2.3); replaced is the child that goes, for "replace".
export function ensureValid(node, parent, child, replaced = undefined) {
  if (parent.$t !== DOCUMENT && parent.$t !== FRAGMENT && parent.$t !== ELEMENT) throw error('HierarchyRequestError', 'this node takes no children');
  if (contains(node, parent) || hostContains(node, parent)) throw error('HierarchyRequestError', 'a node cannot go into itself');
  if (child && child.$p !== parent) throw error('NotFoundError', 'the reference is no child of this node');
  if (![FRAGMENT, DOCTYPE, ELEMENT, TEXT, CDATA, COMMENT, INSTRUCTION].includes(node.$t)) throw error('HierarchyRequestError', 'this node cannot be a child');
  if ((isText(node) && parent.$t === DOCUMENT) || (node.$t === DOCTYPE && parent.$t !== DOCUMENT)) throw error('HierarchyRequestError', 'this node cannot stand there');
  if (parent.$t !== DOCUMENT) return;
  const others = (type) => {
    for (let c = parent.$f; c; c = c.$n) if (c.$t === type && c !== replaced) return true;
    return false;
  };
  const comesLater = (type) => {
    for (let c = replaced === undefined ? child : replaced.$n; c; c = c.$n) if (c.$t === type) return true;
    return false;
  };
  const elementFits = () => {
    if (others(ELEMENT) || (replaced === undefined && child && child.$t === DOCTYPE) || comesLater(DOCTYPE)) throw error('HierarchyRequestError', 'a document has one element');
  };
  if (node.$t === FRAGMENT) {
    let elements = 0;
    for (let c = node.$f; c; c = c.$n) {
      if (isText(c)) throw error('HierarchyRequestError', 'a document holds no text');
      if (c.$t === ELEMENT) elements++;
    }
    if (elements > 1) throw error('HierarchyRequestError', 'a document has one element');
    if (elements === 1) elementFits();
  } else if (node.$t === ELEMENT) elementFits();
  else if (node.$t === DOCTYPE) {
    if (others(DOCTYPE)) throw error('HierarchyRequestError', 'a document has one doctype');
    for (let c = parent.$f; c && c !== (replaced ?? child); c = c.$n) if (c.$t === ELEMENT) throw error('HierarchyRequestError', 'the doctype comes first');
    if (replaced === undefined && !child && others(ELEMENT)) throw error('HierarchyRequestError', 'the doctype comes first');
  }
}
function hostContains(node, parent) {
  for (let root = rootOf(parent); ; ) {
    const around = root.$host ?? root.$template;
    if (!around) return false;
    if (contains(node, around)) return true;
    root = rootOf(around);
  }
}

// "adopt" (4.5).
export function adopt(node, document) {
  const old = node.$d;
  if (node.$p) remove(node);
  if (old === document) return;
  const move = (n) => {
    n.$d = document;
    if (n.$root) for (let c = n.$root; c; c = following(c, n.$root)) c.$d = document;
    if (n.$content) adopt(n.$content, late.inert(document));
  };
  for (let n = node; n; n = following(n, node)) move(n);
  for (const f of stepsOf(document).adopted) f(node, old, document);
}
export const onAdopted = [];
// What is to be done in a document of another realm is done by that realm's modules.
export const steps = { inserted: onInserted, removed: onRemoved, attribute: onAttribute, children: onChildren, adopted: onAdopted };
const stepsOf = (document) => document?.$steps ?? steps;

// "insert" (4.2.3).
export function insert(node, parent, child, quiet = false) {
  const nodes = [];
  if (node.$t === FRAGMENT) {
    for (let c = node.$f; c; c = c.$n) nodes.push(c);
    if (!nodes.length) return;
    for (const c of nodes) {
      if (node.$passing) unlink(c);
      else removeFrom(c, true);
    }
    if (record.queue && !node.$passing) record.queue('childList', node, { removed: nodes, previous: null, next: null });
  } else nodes.push(node);
  const previous = child ? child.$v : parent.$l;
  const document = parent.$t === DOCUMENT ? parent : parent.$d;
  const connected = isConnected(parent);
  for (const n of nodes) {
    if (n.$p || n.$d !== document) adopt(n, document);
    adjustRangesForInsertion(n, parent, child);
    link(n, parent, child);
  }
  if (!quiet && record.queue) record.queue('childList', parent, { added: nodes, previous, next: child });
  const steps = stepsOf(document);
  for (const f of steps.children) f(parent);
  for (const n of nodes) for (const f of steps.inserted) f(n, connected);
}
// "remove" (4.2.3).
export function remove(node, quiet = false) {
  removeFrom(node, quiet);
}
export const ranges = (kin.ranges ??= new Set()); // live ranges, as { $sc, $so, $ec, $eo }
export const iterators = (kin.iterators ??= new Set());
function adjustRangesForInsertion(node, parent, child) {
  if (!ranges.size || !child) return;
  const at = indexOf(child);
  for (const r of ranges) {
    if (r.$sc === parent && r.$so > at) r.$so++;
    if (r.$ec === parent && r.$eo > at) r.$eo++;
  }
}
function removeFrom(node, quiet) {
  const parent = node.$p;
  const { $v: previous, $n: next } = node;
  if (ranges.size) {
    const at = indexOf(node);
    for (const r of ranges) {
      if (contains(node, r.$sc)) [r.$sc, r.$so] = [parent, at];
      else if (r.$sc === parent && r.$so > at) r.$so--;
      if (contains(node, r.$ec)) [r.$ec, r.$eo] = [parent, at];
      else if (r.$ec === parent && r.$eo > at) r.$eo--;
    }
  }
  for (const i of iterators) i.$before(node);
  const connected = isConnected(parent);
  if (record.transient) record.transient(node, parent);
  unlink(node);
  if (!quiet && record.queue) record.queue('childList', parent, { removed: [node], previous, next });
  const steps = stepsOf(parent.$t === DOCUMENT ? parent : parent.$d);
  for (const f of steps.children) f(parent);
  for (const f of steps.removed) f(node, parent, connected);
}
// "pre-insert", "append", "pre-remove" (4.2.3).
export function preInsert(node, parent, child) {
  ensureValid(node, parent, child);
  insert(node, parent, child === node ? node.$n : child);
  return node;
}
export const append = (node, parent) => preInsert(node, parent, null);
export function preRemove(child, parent) {
  if (child.$p !== parent) throw error('NotFoundError', 'this is no child of the node');
  remove(child);
  return child;
}
// "replace" (4.2.3).
export function replace(child, node, parent) {
  if (child.$p !== parent && (parent.$t === DOCUMENT || parent.$t === FRAGMENT || parent.$t === ELEMENT) && !contains(node, parent)) throw error('NotFoundError', 'the reference is no child of this node');
  ensureValid(node, parent, child, child);
  const next = child.$n === node ? node.$n : child.$n;
  const previous = child.$v;
  const removed = [];
  if (child === node) remove(node);
  else if (node.$p === parent) remove(node);
  if (child.$p) {
    removed.push(child);
    remove(child, true);
  }
  const added = node.$t === FRAGMENT ? [...children(node)] : [node];
  // What comes from another place is taken away from there, which is told by itself.
  if (node.$p && node.$t !== FRAGMENT) remove(node);
  insert(node, parent, next, true);
  if (record.queue) record.queue('childList', parent, { added, removed, previous, next });
  return child;
}
export function* children(node) {
  for (let c = node.$f; c; ) {
    const next = c.$n;
    yield c;
    c = next;
  }
}
// "replace all" (4.2.3).
export function replaceAll(node, parent) {
  const removed = [...children(parent)];
  const added = !node ? [] : node.$t === FRAGMENT ? [...children(node)] : [node];
  for (const c of removed) remove(c, true);
  if (node) insert(node, parent, null, true);
  if (record.queue && (added.length || removed.length)) record.queue('childList', parent, { added, removed, previous: null, next: null });
}
// "string replace all".
export function replaceAllWithText(text, parent) {
  replaceAll(text === '' ? null : makeText(text, parent.$t === DOCUMENT ? parent : parent.$d), parent);
}

// "replace data" (4.10).
export function replaceData(node, offset, count, data) {
  const { length } = node.$data;
  if (offset > length) throw error('IndexSizeError', 'the offset lies behind the text');
  if (offset + count > length) count = length - offset;
  if (record.queue) record.queue('characterData', node, { old: node.$data });
  node.$data = node.$data.slice(0, offset) + data + node.$data.slice(offset + count);
  for (const r of ranges) {
    const moved = (at) => (at <= offset ? at : at <= offset + count ? offset : at + data.length - count);
    if (r.$sc === node) r.$so = moved(r.$so);
    if (r.$ec === node) r.$eo = moved(r.$eo);
  }
  changes.n++;
  if (node.$p) for (const f of stepsOf(node.$d).children) f(node.$p);
}

// Makers of nodes. The prototypes come from the modules that define the interfaces.
export const protos = { text: null, comment: null, cdata: null, instruction: null, doctype: null, fragment: null, attr: null, element: null };
const plain = (proto, type, document) => ({ __proto__: proto, $t: type, $p: null, $f: null, $l: null, $n: null, $v: null, $d: document });
export const makeText = (data, document) => ({ __proto__: protos.text, $t: TEXT, $p: null, $f: null, $l: null, $n: null, $v: null, $d: document, $data: data });
export function makeComment(data, document) {
  const node = plain(protos.comment, COMMENT, document);
  node.$data = data;
  return node;
}
export function makeCDATA(data, document) {
  const node = plain(protos.cdata, CDATA, document);
  node.$data = data;
  return node;
}
export function makeInstruction(target, data, document) {
  const node = plain(protos.instruction, INSTRUCTION, document);
  node.$target = target;
  node.$data = data;
  return node;
}
export function makeDoctype(name, publicId, systemId, document) {
  const node = plain(protos.doctype, DOCTYPE, document);
  node.$name = name;
  node.$public = publicId;
  node.$system = systemId;
  return node;
}
export const makeFragment = (document) => plain(protos.fragment, FRAGMENT, document);

// Elements that style sheets may come from.
export const styling = (kin.styling ??= new Set());
// Elements: $ns namespace, $prefix, $name local name, $a attributes, $class what the class attribute says.
export const protoFor = { of: () => protos.element }; // (namespace, name) → prototype
export function makeElement(namespace, name, document, prefix = null) {
  const node = {
    __proto__: protoFor.of(namespace, name), $t: ELEMENT, $p: null, $f: null, $l: null, $n: null, $v: null, $d: document,
    $ns: namespace, $name: name, $prefix: prefix, $a: null, $class: undefined,
  };
  if (name === 'style' || name === 'link') styling.add(node);
  return node;
}

// Attributes. An attribute is { name, value, ns, prefix, local, node }; most have no node until a script asks for it.
export function findAttribute(element, name) {
  const list = element.$a;
  if (list) for (let i = 0; i < list.length; i++) if (list[i].name === name) return list[i];
  return null;
}
export function findAttributeNS(element, ns, local) {
  const list = element.$a;
  if (list) for (let i = 0; i < list.length; i++) if (list[i].local === local && list[i].ns === ns) return list[i];
  return null;
}
export const getAttr = (element, name) => findAttribute(element, name)?.value ?? null;
export const hasAttr = (element, name) => findAttribute(element, name) !== null;
// "change an attribute", "append an attribute" (4.9), "set an attribute value".
export function setAttr(element, name, value, ns = null, prefix = null, local = name) {
  const there = ns === null && prefix === null ? findAttribute(element, name) : findAttributeNS(element, ns, local);
  const old = there ? there.value : null;
  if (record.queue) record.queue('attributes', element, { name: local, ns, old });
  if (there) there.value = value;
  else (element.$a ??= []).push({ name, value, ns, prefix, local, node: null });
  attributeChanged(element, local, old, value, ns);
}
// Sets without any step that scripts could notice, for the parser.
export function giveAttr(element, name, value, ns = null, prefix = null, local = name) {
  (element.$a ??= []).push({ name, value, ns, prefix, local, node: null });
  if (name === 'id' || name === 'name') namesGiven.add(value);
  if (name === 'id') noteId(element, value);
  else if (name === 'class') element.$class = value;
}
export function removeAttr(element, attribute) {
  const i = element.$a.indexOf(attribute);
  if (i < 0) return;
  if (record.queue) record.queue('attributes', element, { name: attribute.local, ns: attribute.ns, old: attribute.value });
  element.$a.splice(i, 1);
  attributeChanged(element, attribute.local, attribute.value, null, attribute.ns);
  if (attribute.node) {
    attribute.node.$value = attribute.value;
    attribute.node.$element = null;
  }
}
export function attributeChanged(element, local, old, value, ns) {
  changes.n++;
  if (local === 'id' && value !== null) noteId(element, value);
  else if (local === 'class') element.$class = getAttr(element, 'class') ?? undefined;
  if ((local === 'id' || local === 'name') && value !== null && onNamed.f) onNamed.f(element, local, value);
  for (const f of stepsOf(element.$d).attribute) f(element, local, old, value, ns);
}

// "clone a node" (4.5).
export function cloneNode(node, document, deep) {
  let copy;
  switch (node.$t) {
    case ELEMENT:
      copy = createLike.of(node, document);
      if (node.$a) {
        copy.$a = node.$a.map((a) => ({ ...a, node: null }));
        const id = getAttr(copy, 'id');
        if (id !== null) noteId(copy, id);
        copy.$class = node.$class;
      }
      break;
    case TEXT: copy = makeText(node.$data, document); break;
    case CDATA: copy = makeCDATA(node.$data, document); break;
    case COMMENT: copy = makeComment(node.$data, document); break;
    case INSTRUCTION: copy = makeInstruction(node.$target, node.$data, document); break;
    case DOCTYPE: copy = makeDoctype(node.$name, node.$public, node.$system, document); break;
    case FRAGMENT: copy = makeFragment(document); break;
    case DOCUMENT:
      copy = createLike.document(node);
      document = copy;
      break;
    case ATTRIBUTE: return createLike.attribute(node, document);
    default: throw error('NotSupportedError', 'this node cannot be cloned');
  }
  for (const f of onCloned) f(node, copy, deep, document);
  if (deep) for (let c = node.$f; c; c = c.$n) link(cloneNode(c, document, true), copy, null);
  return copy;
}
export const onCloned = []; // (node, copy, deep, document)
export const createLike = { of: (node, document) => makeElement(node.$ns, node.$name, document, node.$prefix), document: null, attribute: null };

// Names (DOM, 1.4, and XML). The local name and prefix of a qualified name; what is none throws.
const NAME = /^[^\s>/=\0]+$/;
const QUALIFIED = /^[A-Za-z_:\u0080-\u{10ffff}][^\s>/=\0]*$/u;
export const isValidName = (name) => QUALIFIED.test(name);
export const isValidAttributeName = (name) => name !== '' && !/[\s/>=\0]/.test(name);
export const isValidElementName = (name) => (/^[A-Za-z]/.test(name) ? !/[\t\n\f\r />\0]/.test(name) : /^[:_\u0080-\u{10ffff}][-.:_0-9A-Za-z\u0080-\u{10ffff}]*$/u.test(name));
export function extractName(ns, qualified, valid = isValidElementName) {
  ns = ns === null || ns === undefined || ns === '' ? null : `${ns}`;
  qualified = `${qualified}`;
  let prefix = null;
  let local = qualified;
  const colon = qualified.indexOf(':');
  if (colon >= 0) {
    [prefix, local] = qualified.split(':');
    if (!NAME.test(prefix)) throw error('InvalidCharacterError', `"${qualified}" is no name`);
  }
  if (!valid(local)) throw error('InvalidCharacterError', `"${qualified}" is no name`);
  if (prefix !== null && ns === null) throw error('NamespaceError', 'a prefix needs a namespace');
  if (prefix === 'xml' && ns !== XML) throw error('NamespaceError', 'the prefix xml has a namespace of its own');
  if ((qualified === 'xmlns' || prefix === 'xmlns') !== (ns === XMLNS)) throw error('NamespaceError', 'the name xmlns has a namespace of its own');
  return { ns, prefix, local };
}
// "ASCII lowercase" (Infra, 4.6).
export function asciiLower(text) {
  const lower = text.toLowerCase();
  return lower !== text && /[^\0-\x7f]/.test(text) ? text.replace(/[A-Z]/g, (c) => c.toLowerCase()) : lower;
}
export const qualifiedName = (node) => (node.$prefix ? `${node.$prefix}:${node.$name}` : node.$name);
