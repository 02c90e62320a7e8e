// DOM, 5 and 6: ranges, walkers and iterators; the selection, of which a page without a person has none.

import { ScriptArray, TypeError, assign, defineProperty, sharedState, arrayOf } from '../shared/primordials.js';
import { MAKE, expose, onlyHere, publishLoosely } from '../shared/webidl.js';
import { fire } from '../shared/event.js';
import { queueTask } from '../shared/timers.js';
import { Document } from './document.js';
import { constant, current, extendInterface, position } from './node.js';
import {
  COMMENT, DOCTYPE, DOCUMENT, ELEMENT, FRAGMENT, HTML, INSTRUCTION, append, children, cloneNode, contains,
  descendants, documentElementOf, ensureValid, error, following, indexOf, isData, isHTML, isNode, isText, iterators,
  lengthOf, makeElement, makeFragment, preInsert, ranges, remove, replaceAll, replaceData, rootOf,
} from './nodes.js';
import { parseFragment } from './parsing.js';

const bounds = sharedState('bounds'); // range → { $sc, $so, $ec, $eo }
// Private names cannot be copied, only set.
function place(s, startContainer, startOffset, endContainer, endOffset) {
  s.$sc = startContainer;
  s.$so = startOffset;
  s.$ec = endContainer;
  s.$eo = endOffset;
}
const state = (r) => bounds.get(r);
const compare = (a, i, b, j) => {
  if (a === b) return Math.sign(i - j);
  const p = position(a, b);
  if (p & 2) return -compare(b, j, a, i);
  if (p & 16) {
    let child = b;
    while (child.$p !== a) child = child.$p;
    return indexOf(child) < i ? 1 : -1;
  }
  return -1;
};
export class AbstractRange {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get startOffset() {
    return state(this).$so;
  }
  get endOffset() {
    return state(this).$eo;
  }
  get collapsed() {
    const s = state(this);
    return s.$sc === s.$ec && s.$so === s.$eo;
  }
}
// What browsers put between, with the nodes.
class NodeRange extends AbstractRange {
  get startContainer() {
    return state(this).$sc;
  }
  get endContainer() {
    return state(this).$ec;
  }
}
const parentOf = (node) => {
  if (!node.$p) throw error('InvalidNodeTypeError', 'the node has no parent');
  return node.$p;
};
const setStart = (s, node, offset) => {
  if (node.$t === DOCTYPE) throw error('InvalidNodeTypeError', 'a range does not lie in a doctype');
  if (offset > lengthOf(node)) throw error('IndexSizeError', 'the offset lies behind the node');
  if (rootOf(node) !== rootOf(s.$ec) || compare(node, offset, s.$ec, s.$eo) > 0) [s.$ec, s.$eo] = [node, offset];
  [s.$sc, s.$so] = [node, offset];
};
const setEnd = (s, node, offset) => {
  if (node.$t === DOCTYPE) throw error('InvalidNodeTypeError', 'a range does not lie in a doctype');
  if (offset > lengthOf(node)) throw error('IndexSizeError', 'the offset lies behind the node');
  if (rootOf(node) !== rootOf(s.$sc) || compare(node, offset, s.$sc, s.$so) < 0) [s.$sc, s.$so] = [node, offset];
  [s.$ec, s.$eo] = [node, offset];
};
const isContained = (n, s) => rootOf(n) === rootOf(s.$sc) && compare(n, 0, s.$sc, s.$so) > 0 && compare(n, lengthOf(n), s.$ec, s.$eo) < 0;
const childAt = (node, i) => {
  let c = node.$f;
  while (i-- > 0 && c) c = c.$n;
  return c;
};
function commonAncestor(s) {
  let n = s.$sc;
  while (!contains(n, s.$ec)) n = n.$p;
  return n;
}
export class Range extends NodeRange {
  constructor() {
    const r = { __proto__: Range.prototype };
    return initRange(r, current.document);
  }
  get commonAncestorContainer() {
    return commonAncestor(state(this));
  }
  setStart(node, offset) {
    setStart(state(this), node, offset >>> 0);
  }
  setEnd(node, offset) {
    setEnd(state(this), node, offset >>> 0);
  }
  setStartBefore(node) {
    setStart(state(this), parentOf(node), indexOf(node));
  }
  setStartAfter(node) {
    setStart(state(this), parentOf(node), indexOf(node) + 1);
  }
  setEndBefore(node) {
    setEnd(state(this), parentOf(node), indexOf(node));
  }
  setEndAfter(node) {
    setEnd(state(this), parentOf(node), indexOf(node) + 1);
  }
  collapse(toStart = false) {
    const s = state(this);
    if (toStart) [s.$ec, s.$eo] = [s.$sc, s.$so];
    else [s.$sc, s.$so] = [s.$ec, s.$eo];
  }
  selectNode(node) {
    const p = parentOf(node);
    const i = indexOf(node);
    place(state(this), p, i, p, i + 1);
  }
  selectNodeContents(node) {
    if (node.$t === DOCTYPE) throw error('InvalidNodeTypeError', 'a range does not lie in a doctype');
    place(state(this), node, 0, node, lengthOf(node));
  }
  compareBoundaryPoints(how, other) {
    const [a, b] = [state(this), state(other)];
    if (rootOf(a.$sc) !== rootOf(b.$sc)) throw error('WrongDocumentError', 'the ranges lie in different trees');
    switch (how >>> 0) {
      case 0: return compare(a.$sc, a.$so, b.$sc, b.$so);
      case 1: return compare(a.$ec, a.$eo, b.$sc, b.$so);
      case 2: return compare(a.$ec, a.$eo, b.$ec, b.$eo);
      case 3: return compare(a.$sc, a.$so, b.$ec, b.$eo);
    }
    throw error('NotSupportedError', 'there is no such comparison');
  }
  deleteContents() {
    const s = state(this);
    if (this.collapsed) return;
    const { $sc, $so, $ec, $eo } = s;
    if ($sc === $ec && isData($sc)) return replaceData($sc, $so, $eo - $so, '');
    const gone = [...descendants(commonAncestor(s))].filter((n) => isContained(n, s) && !(n.$p && isContained(n.$p, s)));
    let [node, offset] = [$sc, $so];
    if (!contains($sc, $ec)) {
      let reference = $sc;
      while (reference.$p && !contains(reference.$p, $ec)) reference = reference.$p;
      [node, offset] = [reference.$p, indexOf(reference) + 1];
    }
    if (isData($sc)) replaceData($sc, $so, $sc.$data.length - $so, '');
    for (const n of gone) remove(n);
    if (isData($ec)) replaceData($ec, 0, $eo, '');
    place(s, node, offset, node, offset);
  }
  cloneContents() {
    return contentsOf(state(this), false);
  }
  extractContents() {
    return contentsOf(state(this), true);
  }
  insertNode(node) {
    const s = state(this);
    const { $sc, $so } = s;
    if ($sc.$t === COMMENT || $sc.$t === INSTRUCTION || (isText($sc) && !$sc.$p) || node === $sc) throw error('HierarchyRequestError', 'the node cannot go there');
    let reference = isText($sc) ? $sc : childAt($sc, $so);
    const parent = reference ? reference.$p : $sc;
    ensureValid(node, parent, reference);
    if (isText($sc)) reference = $sc.splitText($so);
    if (node === reference) reference = reference.$n;
    if (node.$p) remove(node);
    const at = (reference ? indexOf(reference) : lengthOf(parent)) + (node.$t === FRAGMENT ? lengthOf(node) : 1);
    const collapsed = s.$sc === s.$ec && s.$so === s.$eo;
    preInsert(node, parent, reference);
    if (collapsed) [s.$ec, s.$eo] = [parent, at];
  }
  surroundContents(parent) {
    const { startContainer: from, endContainer: to } = this;
    // What is taken in part has to be text.
    for (const [end, other] of [[from, to], [to, from]]) for (let n = end; n; n = n.$p) if (!isText(n) && n !== other && !contains(n, other)) throw error('InvalidStateError', 'the range takes an element in part');
    if (parent.$t === DOCUMENT || parent.$t === DOCTYPE || parent.$t === FRAGMENT) throw error('InvalidNodeTypeError', 'a node of this kind surrounds nothing');
    const fragment = this.extractContents();
    if (parent.$f) replaceAll(null, parent);
    this.insertNode(parent);
    append(fragment, parent);
    this.selectNode(parent);
  }
  cloneRange() {
    const r = { __proto__: Range.prototype };
    initRange(r, current.document);
    const { $sc, $so, $ec, $eo } = state(this);
    place(state(r), $sc, $so, $ec, $eo);
    return r;
  }
  detach() {}
  isPointInRange(node, offset) {
    const s = state(this);
    if (rootOf(node) !== rootOf(s.$sc)) return false;
    if (node.$t === DOCTYPE) throw error('InvalidNodeTypeError', 'a range does not lie in a doctype');
    if (offset > lengthOf(node)) throw error('IndexSizeError', 'the offset lies behind the node');
    return compare(node, offset, s.$sc, s.$so) >= 0 && compare(node, offset, s.$ec, s.$eo) <= 0;
  }
  comparePoint(node, offset) {
    const s = state(this);
    if (rootOf(node) !== rootOf(s.$sc)) throw error('WrongDocumentError', 'the node lies in another tree');
    if (node.$t === DOCTYPE) throw error('InvalidNodeTypeError', 'a range does not lie in a doctype');
    if (offset > lengthOf(node)) throw error('IndexSizeError', 'the offset lies behind the node');
    return compare(node, offset, s.$sc, s.$so) < 0 ? -1 : compare(node, offset, s.$ec, s.$eo) > 0 ? 1 : 0;
  }
  intersectsNode(node) {
    const s = state(this);
    if (rootOf(node) !== rootOf(s.$sc)) return false;
    if (!node.$p) return true;
    const i = indexOf(node);
    return compare(node.$p, i, s.$ec, s.$eo) < 0 && compare(node.$p, i + 1, s.$sc, s.$so) > 0;
  }
  toString() {
    const s = state(this);
    if (s.$sc === s.$ec && isText(s.$sc)) return s.$sc.$data.slice(s.$so, s.$eo);
    let out = isText(s.$sc) ? s.$sc.$data.slice(s.$so) : '';
    for (const n of descendants(commonAncestor(s))) if (isText(n) && isContained(n, s)) out += n.$data;
    return out + (isText(s.$ec) ? s.$ec.$data.slice(0, s.$eo) : '');
  }
  createContextualFragment(text) {
    const { $sc } = state(this);
    const e = $sc.$t === ELEMENT ? $sc : $sc.$p && $sc.$p.$t === ELEMENT ? $sc.$p : null;
    const context = !e || isHTML(e, 'html') ? makeElement(HTML, 'body', current.document) : e;
    const fragment = parseFragment(text, context);
    for (const n of descendants(fragment)) if (isHTML(n, 'script')) n.$started = false;
    return fragment;
  }
  getBoundingClientRect() {
    return documentElementOf(current.document).getBoundingClientRect();
  }
  getClientRects() {
    return arrayOf();
  }
}
['START_TO_START', 'START_TO_END', 'END_TO_END', 'END_TO_START'].forEach((name, i) => constant(Range, name, i));
function initRange(r, node) {
  const s = { $sc: node, $so: 0, $ec: node, $eo: 0 };
  bounds.set(r, s);
  ranges.add(s);
  return r;
}
// "clone" and "extract" (5.5): the second takes what lies in the range out of the tree.
function contentsOf(s, extracts) {
  const fragment = makeFragment(s.$sc.$t === DOCUMENT ? s.$sc : s.$sc.$d);
  const { $sc, $so, $ec, $eo } = s;
  if ($sc === $ec && $so === $eo) return fragment;
  const part = (node, from, to, into) => {
    const copy = cloneNode(node, node.$d, false);
    copy.$data = node.$data.slice(from, to);
    append(copy, into);
    if (extracts) replaceData(node, from, to - from, '');
  };
  if ($sc === $ec && isData($sc)) {
    part($sc, $so, $eo, fragment);
    return fragment;
  }
  let common = $sc;
  while (!contains(common, $ec)) common = common.$p;
  const childWith = (node) => [...children(common)].find((c) => contains(c, node));
  const first = contains($sc, $ec) ? null : childWith($sc);
  const last = contains($ec, $sc) ? null : childWith($ec);
  const contained = [...children(common)].filter((c) => isContained(c, s));
  if (contained.some((c) => c.$t === DOCTYPE)) throw error('HierarchyRequestError', 'a doctype cannot be taken along');
  let [node, offset] = [$sc, $so];
  if (!contains($sc, $ec)) {
    let reference = $sc;
    while (reference.$p && !contains(reference.$p, $ec)) reference = reference.$p;
    [node, offset] = [reference.$p, indexOf(reference) + 1];
  }
  // What lies in the range in part is copied, with what of it lies within.
  const partly = (child, inner, from, to) => {
    if (isData(child)) {
      part(child, from, to, fragment);
      return;
    }
    const copy = cloneNode(child, child.$d, false);
    append(copy, fragment);
    append(contentsOf(inner, extracts), copy);
  };
  if (first) partly(first, { $sc, $so, $ec: first, $eo: lengthOf(first) }, $so, isData($sc) ? $sc.$data.length : 0);
  for (const c of contained) append(extracts ? c : cloneNode(c, c.$d, true), fragment);
  if (last) partly(last, { $sc: last, $so: 0, $ec, $eo }, 0, $eo);
  if (extracts) place(s, node, offset, node, offset);
  return fragment;
}
export class StaticRange extends NodeRange {
  constructor(init) {
    const r = { __proto__: StaticRange.prototype };
    for (const n of [init.startContainer, init.endContainer]) if (n.$t === DOCTYPE || n.$t === 2) throw error('InvalidNodeTypeError', 'a range does not lie there');
    bounds.set(r, { $sc: init.startContainer, $so: init.startOffset, $ec: init.endContainer, $eo: init.endOffset });
    return r;
  }
}
// 6: traversal.
const { NodeFilter } = {
  NodeFilter() {
    throw new TypeError('Illegal constructor');
  },
};
[['FILTER_ACCEPT', 1], ['FILTER_REJECT', 2], ['FILTER_SKIP', 3], ['SHOW_ALL', 0xffffffff], ['SHOW_ELEMENT', 1], ['SHOW_ATTRIBUTE', 2], ['SHOW_TEXT', 4], ['SHOW_CDATA_SECTION', 8], ['SHOW_ENTITY_REFERENCE', 16], ['SHOW_ENTITY', 32], ['SHOW_PROCESSING_INSTRUCTION', 64], ['SHOW_COMMENT', 128], ['SHOW_DOCUMENT', 256], ['SHOW_DOCUMENT_TYPE', 512], ['SHOW_DOCUMENT_FRAGMENT', 1024], ['SHOW_NOTATION', 2048]].forEach(([name, value]) => defineProperty(NodeFilter, name, { value, enumerable: true }));
const walks = sharedState('walks');
function filterNode(w, node) {
  if (w.active) throw error('InvalidStateError', 'the filter is at work already');
  if (!((1 << (node.$t - 1)) & w.show)) return 3;
  if (w.filter === null) return 1;
  w.active = true;
  try {
    return Number(typeof w.filter === 'function' ? w.filter(node) : w.filter.acceptNode(node));
  } finally {
    w.active = false;
  }
}
class Traversal {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get root() {
    return walks.get(this).root;
  }
  get whatToShow() {
    return walks.get(this).show;
  }
  get filter() {
    return walks.get(this).filter;
  }
}
const traversal = Object.getOwnPropertyDescriptors(Traversal.prototype);
delete traversal.constructor;
export class TreeWalker {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get currentNode() {
    return walks.get(this).node;
  }
  set currentNode(node) {
    if (!isNode(node)) throw new TypeError('this is no node');
    walks.get(this).node = node;
  }
  parentNode() {
    const w = walks.get(this);
    let n = w.node;
    while (n && n !== w.root) {
      n = n.$p;
      if (n && filterNode(w, n) === 1) return (w.node = n);
    }
    return null;
  }
  firstChild() {
    return walkChildren(walks.get(this), '$f', '$n');
  }
  lastChild() {
    return walkChildren(walks.get(this), '$l', '$v');
  }
  nextSibling() {
    return walkSiblings(walks.get(this), '$n', '$f');
  }
  previousSibling() {
    return walkSiblings(walks.get(this), '$v', '$l');
  }
  previousNode() {
    const w = walks.get(this);
    let n = w.node;
    while (n !== w.root) {
      let s = n.$v;
      while (s) {
        n = s;
        let r = filterNode(w, n);
        while (r !== 2 && n.$l) {
          n = n.$l;
          r = filterNode(w, n);
        }
        if (r === 1) return (w.node = n);
        s = n.$v;
      }
      if (n === w.root || !n.$p) return null;
      n = n.$p;
      if (filterNode(w, n) === 1) return (w.node = n);
    }
    return null;
  }
  nextNode() {
    const w = walks.get(this);
    let n = w.node;
    let r = 1;
    for (;;) {
      while (r !== 2 && n.$f) {
        n = n.$f;
        r = filterNode(w, n);
        if (r === 1) return (w.node = n);
      }
      let s = null;
      let t = n;
      while (t) {
        if (t === w.root) return null;
        s = t.$n;
        if (s) {
          n = s;
          break;
        }
        t = t.$p;
      }
      if (!s) return null;
      r = filterNode(w, n);
      if (r === 1) return (w.node = n);
    }
  }
}
function walkChildren(w, first, next) {
  let n = w.node[first];
  while (n) {
    const r = filterNode(w, n);
    if (r === 1) return (w.node = n);
    if (r === 3 && n[first]) {
      n = n[first];
      continue;
    }
    while (n) {
      if (n[next]) {
        n = n[next];
        break;
      }
      const p = n.$p;
      if (!p || p === w.root || p === w.node) return null;
      n = p;
    }
  }
  return null;
}
function walkSiblings(w, next, first) {
  let n = w.node;
  if (n === w.root) return null;
  for (;;) {
    let s = n[next];
    while (s) {
      n = s;
      const r = filterNode(w, n);
      if (r === 1) return (w.node = n);
      s = n[first];
      if (r === 2 || !s) s = n[next];
    }
    n = n.$p;
    if (!n || n === w.root) return null;
    if (filterNode(w, n) === 1) return null;
  }
}
export class NodeIterator {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get referenceNode() {
    return walks.get(this).node;
  }
  get pointerBeforeReferenceNode() {
    return walks.get(this).before;
  }
  nextNode() {
    return step(walks.get(this), true);
  }
  previousNode() {
    return step(walks.get(this), false);
  }
  detach() {}
}
const preceding = (n, root) => {
  if (n === root) return null;
  if (!n.$v) return n.$p;
  n = n.$v;
  while (n.$l) n = n.$l;
  return n;
};
function step(w, forward) {
  let { node, before } = w;
  for (;;) {
    if (forward) {
      if (!before) {
        node = following(node, w.root);
        if (!node) return null;
      } else before = false;
    } else if (before) {
      node = preceding(node, w.root);
      if (!node) return null;
    } else before = true;
    if (filterNode(w, node) === 1) break;
  }
  w.node = node;
  w.before = before;
  return node;
}
defineProperty(TreeWalker.prototype, 'root', traversal.root);
for (const cls of [TreeWalker, NodeIterator]) for (const key of ['root', 'whatToShow', 'filter']) defineProperty(cls.prototype, key, { ...traversal[key], configurable: true });
extendInterface(Document, {
  createRange() {
    const r = { __proto__: Range.prototype };
    return initRange(r, this);
  },
  createTreeWalker(root, show = 0xffffffff, filter = null) {
    if (!isNode(root)) throw new TypeError('this is no node');
    const w = { __proto__: TreeWalker.prototype };
    walks.set(w, { root, show: show >>> 0, filter, node: root, active: false });
    return w;
  },
  createNodeIterator(root, show = 0xffffffff, filter = null) {
    if (!isNode(root)) throw new TypeError('this is no node');
    const w = { __proto__: NodeIterator.prototype };
    const s = {
      root, show: show >>> 0, filter, node: root, before: true, active: false,
      // "NodeIterator pre-removing steps" (6.1)
      $before(gone) {
        if (gone === s.root || !contains(gone, s.node) || contains(gone, s.root)) return;
        if (s.before) {
          const next = following(gone, s.root, true);
          if (next) {
            s.node = next;
            return;
          }
          s.before = false;
        }
        s.node = preceding(gone, s.root) ?? gone.$p;
      },
    };
    walks.set(w, s);
    iterators.add(s);
    return w;
  },
  getSelection() {
    return this === current.document ? selection : null;
  },
});
// Selection API: one range, with a direction.
class Selection {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get rangeCount() {
    return chosen.range ? 1 : 0;
  }
  get anchorNode() {
    return edge(true)?.[0] ?? null;
  }
  get anchorOffset() {
    return edge(true)?.[1] ?? 0;
  }
  get focusNode() {
    return edge(false)?.[0] ?? null;
  }
  get focusOffset() {
    return edge(false)?.[1] ?? 0;
  }
  get isCollapsed() {
    return chosen.range?.collapsed ?? true;
  }
  get type() {
    return !chosen.range ? 'None' : chosen.range.collapsed ? 'Caret' : 'Range';
  }
  get direction() {
    return !chosen.range || chosen.range.collapsed ? 'none' : chosen.backward ? 'backward' : 'forward';
  }
  getRangeAt(i) {
    if (i !== 0 || !chosen.range) throw error('IndexSizeError', 'there is no such range');
    return chosen.range;
  }
  addRange(range) {
    if (!chosen.range && rootOf(range.startContainer) === current.document) choose(range);
  }
  removeRange(range) {
    if (chosen.range !== range) throw error('NotFoundError', 'this is not the selected range');
    choose(null);
  }
  removeAllRanges() {
    choose(null);
  }
  empty() {
    choose(null);
  }
  collapse(node, offset = 0) {
    if (node === null) return choose(null);
    const range = new Range();
    range.setStart(node, offset);
    range.collapse(true);
    if (rootOf(node) === current.document) choose(range);
  }
  setPosition(node, offset = 0) {
    this.collapse(node, offset);
  }
  collapseToStart() {
    this.$collapse(true);
  }
  collapseToEnd() {
    this.$collapse(false);
  }
  $collapse(toStart) {
    if (!chosen.range) throw error('InvalidStateError', 'nothing is selected');
    const range = chosen.range.cloneRange();
    range.collapse(toStart);
    choose(range);
  }
  extend(node, offset = 0) {
    if (rootOf(node) !== current.document) return;
    if (!chosen.range) throw error('InvalidStateError', 'nothing is selected');
    this.setBaseAndExtent(...edge(true), node, offset);
  }
  selectAllChildren(node) {
    if (rootOf(node) !== current.document) return;
    const range = new Range();
    range.selectNodeContents(node);
    choose(range);
  }
  setBaseAndExtent(a, i, b, j) {
    const range = new Range();
    range.setStart(a, i);
    const there = new Range();
    there.setStart(b, j);
    if (rootOf(a) !== current.document || rootOf(b) !== current.document) return;
    const backward = there.compareBoundaryPoints(0, range) < 0;
    if (backward) {
      range.setStart(b, j);
      range.setEnd(a, i);
    } else range.setEnd(b, j);
    choose(range, backward);
  }
  containsNode(node, partly = false) {
    const { range } = chosen;
    if (!range || !node.$p) return false;
    if (partly) return range.intersectsNode(node);
    const whole = new Range();
    whole.selectNode(node);
    return range.compareBoundaryPoints(0, whole) <= 0 && range.compareBoundaryPoints(2, whole) >= 0;
  }
  deleteFromDocument() {
    chosen.range?.deleteContents();
  }
  modify() {}
  toString() {
    return chosen.range ? chosen.range.toString() : '';
  }
}
const chosen = { range: null, backward: false, told: false };
// The place where the selection began, or where it ends.
const edge = (anchor) => chosen.range && (anchor === chosen.backward ? [chosen.range.endContainer, chosen.range.endOffset] : [chosen.range.startContainer, chosen.range.startOffset]);
// "schedule a selectionchange event": one for all changes of a task.
function choose(range, backward = false) {
  assign(chosen, { range, backward });
  if (chosen.told) return;
  chosen.told = true;
  queueTask(() => {
    chosen.told = false;
    fire(current.document, 'selectionchange');
  });
}
export const selection = new Selection(MAKE);
expose('NodeFilter', NodeFilter);
publishLoosely(AbstractRange, NodeRange, Range, StaticRange, TreeWalker, NodeIterator, Selection);
