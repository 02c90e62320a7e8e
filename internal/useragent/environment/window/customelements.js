// HTML, 4.13: custom elements; DOM, 4.8: shadow roots and slots.

import {
  PromiseOf, ScriptArray, ScriptSet, TypeError, apply, assign, rejected, resolved, setPrototypeOf, then, arrayFrom,
} from '../shared/primordials.js';
import { MAKE, gives, must, onlyHere, publish, publishLoosely } from '../shared/webidl.js';
import { handlers, reportFor } from '../shared/event.js';
import { settled } from '../shared/timers.js';
import { nodes } from './collections.js';
import { Document, custom } from './document.js';
import { Element } from './element.js';
import { customValidity, formOwner } from './forms.js';
import { byTag, classes, complete, constructing, isCustomName } from './htmlelements.js';
import { queueMutationObservers, slotSignals } from './mutationobserver.js';
import { DocumentFragment, Text, current, extendInterface, mix } from './node.js';
import {
  DOCUMENT, ELEMENT, HTML, changes, children, cloneNode, contains, descendants, elementsOf, error, getAttr, hasAttr,
  isConnected, isElement, isHTML, isNode, isText, late, link, makeElement, makeFragment, onAdopted, onAttribute,
  onChildren, onCloned, onInserted, onRemoved, remove, replaceAll, rootOf,
} from './nodes.js';
import { innerMarkup, onParsed, parseFragment, serializeChildren, shadowTools } from './parsing.js';
import { isDisabled, states } from './selectors.js';
import { documentSheets } from './styles.js';

// Whether the parser makes the elements that are made now.
export const parserAtWork = { n: 0 };
const shadows = { n: 0 }; // shadow roots so far
const scopes = { n: 0 }; // roots and elements that began without a registry
const defined = { n: 0 }; // definitions in all registries
// Whether elements need more than a place: there are custom ones, or shadow trees.
export const isPlain = () => !defined.n && !shadows.n;
// Of each registry: its definitions by name and by constructor, the promises of whenDefined, whether it is one of a script's own.
const stateOf = new WeakMap();
let defining = false;
export class CustomElementRegistry {
  constructor(key = undefined) {
    stateOf.set(this, { definitions: new Map(), byConstructor: new Map(), whenDefined: new Map(), scoped: key !== MAKE });
  }
  define(name, constructor, options = {}) {
    must(arguments, 2);
    const { definitions, byConstructor, whenDefined } = stateOf.get(this);
    name = `${name}`;
    if (typeof constructor !== 'function' || !isConstructor(constructor)) throw new TypeError('this is no constructor');
    if (!isCustomName(name)) throw error('SyntaxError', `"${name}" is no name of a custom element`);
    if (definitions.has(name)) throw error('NotSupportedError', `the name "${name}" is defined already`);
    if (byConstructor.has(constructor)) throw error('NotSupportedError', 'this constructor is used already');
    let local = name;
    const base = options?.extends;
    if (base !== undefined && base !== null) {
      if (isCustomName(`${base}`)) throw error('NotSupportedError', 'a custom element cannot be extended');
      if (!byTag.has(`${base}`)) throw error('NotSupportedError', `there is no element "${base}"`);
      local = `${base}`;
    }
    if (defining) throw error('NotSupportedError', 'another element is being defined');
    defining = true;
    const d = { name, local, constructor, registry: this, callbacks: {}, observed: [], shadow: true, internals: true, form: false, stack: [] };
    try {
      const { prototype } = constructor;
      if (typeof prototype !== 'object' || prototype === null) throw new TypeError('the prototype is no object');
      for (const key of ['connectedCallback', 'disconnectedCallback', 'adoptedCallback', 'attributeChangedCallback', 'connectedMoveCallback']) {
        const f = prototype[key];
        if (f !== undefined) {
          if (typeof f !== 'function') throw new TypeError(`${key} is no function`);
          d.callbacks[key] = f;
        }
      }
      if (d.callbacks.attributeChangedCallback) {
        const observed = constructor.observedAttributes;
        if (observed !== undefined) d.observed = [...observed].map(String);
      }
      const disabled = constructor.disabledFeatures;
      if (disabled !== undefined) for (const f of disabled) if (`${f}` === 'shadow') d.shadow = false;
      d.form = Boolean(constructor.formAssociated);
      if (d.form) for (const key of ['formAssociatedCallback', 'formResetCallback', 'formDisabledCallback', 'formStateRestoreCallback']) if (typeof prototype[key] === 'function') d.callbacks[key] = prototype[key];
    } finally {
      defining = false;
    }
    definitions.set(name, d);
    byConstructor.set(constructor, d);
    defined.n++;
    const document_ = current.document;
    if (document_) for (const e of [...shadowDescendants(document_)]) if (e.$t === ELEMENT && e.$ns === HTML && e.$name === local && (local === name ? !e.$is : e.$is === name) && registryOf(e) === this) upgrade(e, d);
    whenDefined.get(name)?.resolve(constructor);
    whenDefined.delete(name);
  }
  get(name) {
    return stateOf.get(this).definitions.get(`${name}`)?.constructor;
  }
  getName(constructor) {
    return stateOf.get(this).byConstructor.get(constructor)?.name ?? null;
  }
  whenDefined(name) {
    const { definitions, whenDefined } = stateOf.get(this);
    name = `${name}`;
    if (!isCustomName(name)) return rejected(error('SyntaxError', `"${name}" is no name of a custom element`));
    const d = definitions.get(name);
    if (d) return resolved(d.constructor);
    if (!whenDefined.has(name)) {
      const p = {};
      p.promise = new PromiseOf((resolve) => { p.resolve = resolve; });
      whenDefined.set(name, p);
    }
    return whenDefined.get(name).promise;
  }
  upgrade(root) {
    for (const e of [root, ...shadowDescendants(root)]) if (isElement(e)) tryUpgrade(e);
  }
  // Elements without a registry get this one.
  initialize(root) {
    if (!isNode(root)) throw new TypeError('this is no node');
    if (!stateOf.get(this).scoped && (root.$t === DOCUMENT ? root : root.$d) !== current.document) throw error('NotSupportedError', 'this is the registry of another document');
    if (root.$shadow && registryOf(root) === null) root.$registry = this;
    for (const e of [root, ...descendants(root)]) if (e.$t === ELEMENT && registryOf(e) === null) e.$registry = this;
    for (const e of [root, ...descendants(root)]) if (e.$t === ELEMENT && registryOf(e) === this) tryUpgrade(e);
  }
}
// The registry of an element, a shadow root or a document (DOM, 4.9): most have that of their document, null in one without a window.
function registryOf(node) {
  if (node.$registry !== undefined) return node.$registry;
  return (node.$t === DOCUMENT ? node : node.$d).$window ? registry : null;
}
// The registry that a script gives in options; those of other documents are none.
custom.registry = (document, options) => {
  const given = options?.customElementRegistry;
  if (given === undefined || typeof options !== 'object') return undefined;
  if (given !== null && !stateOf.has(given)) throw new TypeError('this is no registry of custom elements');
  if (given !== null && !stateOf.get(given).scoped) {
    if (registryOf(document) !== given) throw error('NotSupportedError', 'this is the registry of another document');
    return undefined; // it is the usual one
  }
  return given;
};
function* shadowDescendants(top) {
  for (const n of [...descendants(top)]) {
    yield n;
    if (n.$root) yield* shadowDescendants(n.$root);
  }
}
const isConstructor = (f) => {
  try {
    Reflect.construct(Object, [], apply(Function.prototype.bind, f, [])); // the prototype is not asked for
    return true;
  } catch {
    return false;
  }
};
// "look up a custom element definition": documents without a window have none.
const definitionOf = (e) => {
  const own = e.$ns === HTML && e.$d.$window ? registryOf(e) : null;
  return own ? stateOf.get(own).definitions.get(e.$is ?? e.$name) : undefined;
};
states.defined = (e) => e.$ns !== HTML || (e.$is || isCustomName(e.$name) ? e.$custom === 'custom' : true);

// Reactions run when the operation that caused them is over, before it returns to the script (4.13.6).
function enqueue(e, key, args) {
  const d = e.$definition;
  const f = d?.callbacks[key];
  if (!f) return;
  if (key === 'attributeChangedCallback' && !d.observed.includes(args[0])) return;
  queue.push({ e, f, args });
  flush();
}
const queue = [];
let flushing = false;
let held = 0;
function flush() {
  if (flushing || held) return;
  flushing = true;
  try {
    while (queue.length) {
      const { e, f, args } = queue.shift();
      flushing = false; // what a reaction causes comes before it returns
      try {
        apply(f, e, args);
      } catch (error_) {
        reportFor(f, error_);
      }
      flushing = true;
    }
  } finally {
    flushing = false;
  }
}
function tryUpgrade(e) {
  if (e.$custom) return;
  const d = definitionOf(e);
  if (d && d.local === e.$name) upgrade(e, d);
}
// "upgrade an element".
function upgrade(e, d) {
  if (e.$custom) return;
  e.$definition = d;
  e.$custom = 'failed';
  const attributes = [...(e.$a ?? [])];
  const connected = isConnected(e);
  d.stack.push(e);
  const throws = parserAtWork.n ? e.$d : null;
  if (throws) throws.$noMarkup = (throws.$noMarkup ?? 0) + 1;
  try {
    if (!d.shadow && e.$root) throw error('NotSupportedError', 'this element takes no shadow root');
    const made = construct(d);
    if (made !== e) throw new TypeError('the constructor gave another object');
  } catch (error_) {
    e.$definition = undefined;
    if (throws) throws.$noMarkup--;
    reportFor(d.constructor, error_);
    return;
  } finally {
    d.stack.pop();
  }
  e.$custom = 'custom';
  for (const x of attributes) if (e.$a?.includes(x)) enqueue(e, 'attributeChangedCallback', [x.local, null, x.value, x.ns]);
  if (throws) throws.$noMarkup--;
  if (connected && isConnected(e)) enqueue(e, 'connectedCallback', []);
  tellOfForm(e);
}
// What a form-associated element hears of its form and of being disabled (4.13.3).
function tellOfForm(e) {
  if (!e.$definition?.form) return;
  const owner = formOwner(e);
  if (owner !== (e.$owner ?? null)) {
    e.$owner = owner;
    enqueue(e, 'formAssociatedCallback', [owner]);
  }
  const off = isDisabled(e);
  if (off !== (e.$off ?? false)) {
    e.$off = off;
    enqueue(e, 'formDisabledCallback', [off]);
  }
}
customValidity.reset = (e) => enqueue(e, 'formResetCallback', []);
const FORM_ATTRIBUTES = new Set(['disabled', 'form', 'id']);
onAttribute.push((e, name) => {
  if (!defined.n || !FORM_ATTRIBUTES.has(name)) return;
  for (const n of name === 'id' ? elementsOf(rootOf(e)) : [e, ...elementsOf(e)]) tellOfForm(n);
});
// Constructors of scripts' own registries are known while their elements are made ("active custom element constructor map").
const active = new Map();
function construct(d) {
  const before = active.get(d.constructor);
  active.set(d.constructor, d);
  try {
    return new d.constructor();
  } finally {
    if (before) active.set(d.constructor, before);
    else active.delete(d.constructor);
  }
}
// The constructor of HTMLElement and its kin (HTML, 3.2.3).
constructing.html = (target) => {
  const d = active.get(target) ?? stateOf.get(registry).byConstructor.get(target);
  if (!d) throw new TypeError('Illegal constructor');
  const proto = target.prototype;
  if (!d.stack.length) {
    const e = makeElement(HTML, d.local, current.document);
    setPrototypeOf(e, proto);
    e.$custom = 'custom';
    e.$definition = d;
    if (d.name !== d.local) e.$is = d.name;
    if (d.registry !== registry) e.$registry = d.registry;
    return e;
  }
  const e = d.stack[d.stack.length - 1];
  if (e === null) throw new TypeError('the constructor was called already');
  setPrototypeOf(e, proto);
  d.stack[d.stack.length - 1] = null;
  return e;
};
custom.create = (document, name, prefix, is, own) => {
  const from = own === undefined ? registryOf(document) : own;
  const d = document.$window && from ? stateOf.get(from).definitions.get(is ?? name) : undefined;
  if (!d || d.local !== name) {
    if (is === undefined && own === undefined) return null;
    const e = makeElement(HTML, name, document, prefix);
    if (is !== undefined) e.$is = `${is}`;
    if (own !== undefined) e.$registry = own;
    if (own === null) scopes.n++;
    return e;
  }
  if (d.name !== d.local) {
    const e = makeElement(HTML, name, document, prefix);
    e.$is = d.name;
    upgrade(e, d);
    return e;
  }
  try {
    const e = construct(d);
    if (!isNode(e) || e.$t !== ELEMENT) throw new TypeError('the constructor gave no element');
    if (e.$a?.length) throw error('NotSupportedError', 'the constructor gave the element attributes');
    if (e.$f) throw error('NotSupportedError', 'the constructor gave the element children');
    if (e.$p) throw error('NotSupportedError', 'the constructor gave the element a place');
    if (e.$d !== document) throw error('NotSupportedError', 'the constructor gave an element of another document');
    if (e.$name !== name) throw error('NotSupportedError', 'the constructor gave another element');
    e.$d = document;
    e.$prefix = prefix;
    return e;
  } catch (error_) {
    reportFor(d.constructor, error_);
    const e = makeElement(HTML, name, document, prefix);
    complete(classes.HTMLUnknownElement);
    setPrototypeOf(e, classes.HTMLUnknownElement.prototype);
    e.$custom = 'failed';
    return e;
  }
};
// What copies get: registry is what a script names for them, deep says that they lie in the shadow tree of a copy, which keeps its own.
const copying = { registry: undefined, deep: 0 };
custom.cloned = (node, document) => {
  const own = copying.deep ? node.$registry : copying.registry ?? node.$registry ?? undefined;
  const plain = node.$ns !== HTML || (!node.$is && !isCustomName(node.$name));
  if (plain && own === undefined) return null;
  const e = makeElement(node.$ns, node.$name, document, node.$prefix);
  if (own !== undefined) e.$registry = own;
  if (plain) return e;
  if (node.$is) e.$is = node.$is;
  const d = definitionOf(e);
  if (d && document === current.document) queueUpgrade(e, d);
  return e;
};
// Clonable shadow trees are copied with their hosts (DOM, 4.4, "clone a node", step 6).
onCloned.push((node, copy, deep, document) => {
  if (node.$t !== ELEMENT || !node.$root?.$clonable) return;
  const { $mode: mode, $delegates: delegatesFocus, $manual: manual, $serializable: serializable, $registry: own } = node.$root;
  const root = attachShadow(copy, { mode, delegatesFocus, slotAssignment: manual ? 'manual' : 'named', clonable: true, serializable, customElementRegistry: own });
  root.$declarative = node.$root.$declarative;
  copying.deep++;
  for (let c = node.$root.$f; c; c = c.$n) link(cloneNode(c, document, true), root, null);
  copying.deep--;
});
custom.imported = (own, copy) => {
  const before = copying.registry;
  copying.registry = own;
  try {
    return copy();
  } finally {
    copying.registry = before;
    flushPending();
  }
};
const pending = [];
function queueUpgrade(e, d) {
  pending.push([e, d]);
  then(settled, () => {
    for (const [x, y] of pending.splice(0)) upgrade(x, y);
  });
}
const flushPending = () => {
  for (const [x, y] of pending.splice(0)) upgrade(x, y);
};
onInserted.push((node, connected) => {
  // What had no registry has that of its place.
  if (scopes.n) for (const e of [node, ...descendants(node)]) if (e.$registry === null && e.$t === ELEMENT && e.$p) e.$registry = e.$p.$registry;
  flushPending();
  if (!connected || !defined.n) return;
  for (const e of [node, ...shadowDescendants(node)]) {
    if (e.$t !== ELEMENT) continue;
    if (e.$custom === 'custom') enqueue(e, 'connectedCallback', []);
    else tryUpgrade(e);
  }
});
onRemoved.push((node, parent, connected) => {
  if (!defined.n) return;
  for (const e of [node, ...shadowDescendants(node)]) {
    if (e.$custom !== 'custom') continue;
    if (connected) enqueue(e, 'disconnectedCallback', []);
    tellOfForm(e);
  }
});
onInserted.push((node) => {
  if (defined.n) for (const e of [node, ...descendants(node)]) if (e.$custom === 'custom') tellOfForm(e);
});
onAdopted.push((node, old, document) => {
  if (!defined.n) return;
  for (const e of [node, ...shadowDescendants(node)]) if (e.$custom === 'custom') enqueue(e, 'adoptedCallback', [old, document]);
});
onAttribute.push((e, name, old, value, ns) => e.$custom === 'custom' && enqueue(e, 'attributeChangedCallback', [name, old, value, ns]));
export const registry = new CustomElementRegistry(MAKE);
gives(CustomElementRegistry, 'whenDefined');
publish(CustomElementRegistry);

// 4.13.7: element internals.
export class ElementInternals {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get shadowRoot() {
    return internalsOf.get(this).$root ?? null;
  }
  get form() {
    return formOwner(formed(this));
  }
  get states() {
    const e = internalsOf.get(this);
    return (e.$states ??= new ScriptSet());
  }
  setFormValue(value) {
    formed(this).$formValue = value;
  }
  setValidity(flags = {}, message = undefined) {
    const e = formed(this);
    const given = {};
    for (const key of customValidity.flags) given[key] = Boolean(flags?.[key]);
    const some = customValidity.flags.some((key) => given[key]);
    if (some && (message === undefined || `${message}` === '')) throw new TypeError('what is wrong has to be said');
    e.$flags = given;
    e.$wrong = some ? `${message}` : '';
    changes.n++;
  }
  get validity() {
    return customValidity.validity(formed(this));
  }
  checkValidity() {
    return customValidity.check(formed(this));
  }
  reportValidity() {
    return this.checkValidity();
  }
  get willValidate() {
    return customValidity.willValidate(formed(this));
  }
  get validationMessage() {
    return formed(this).$wrong ?? '';
  }
  get labels() {
    return nodes([]);
  }
}
const internalsOf = new WeakMap();
// Forms are for elements that say that they belong to them.
function formed(internals) {
  const e = internalsOf.get(internals);
  if (!e.$definition?.form) throw error('NotSupportedError', 'this element belongs to no form');
  return e;
}
export function internals(e) {
  if (!e.$definition || e.$is || e.$internals) throw error('NotSupportedError', 'this element has no internals');
  e.$internals = true;
  const made = { __proto__: ElementInternals.prototype };
  internalsOf.set(made, e);
  return made;
}

// DOM, 4.8: shadow roots.
export class ShadowRoot extends DocumentFragment {
  constructor() {
    throw new TypeError('Illegal constructor');
  }
  get mode() {
    return this.$mode;
  }
  get host() {
    return this.$host;
  }
  get delegatesFocus() {
    return this.$delegates;
  }
  get slotAssignment() {
    return this.$manual ? 'manual' : 'named';
  }
  get clonable() {
    return this.$clonable;
  }
  get serializable() {
    return this.$serializable;
  }
  get innerHTML() {
    return innerMarkup(this);
  }
  set innerHTML(text) {
    replaceAll(parseFragment(text === null ? '' : text, this.$host, false, this.$registry), this);
  }
  setHTMLUnsafe(text) {
    replaceAll(parseFragment(`${text}`, this.$host, true, this.$registry), this);
  }
  getHTML() {
    return serializeChildren(this);
  }
  get activeElement() {
    return states.focused && contains(this, states.focused) ? states.focused : null;
  }
  elementFromPoint() {
    return null;
  }
  get customElementRegistry() {
    return registryOf(this);
  }
}
mix(ShadowRoot, documentSheets);
handlers(ShadowRoot.prototype, 'slotchange');
const SHADOWED = new Set(['article', 'aside', 'blockquote', 'body', 'div', 'footer', 'h1', 'h2', 'h3', 'h4', 'h5', 'h6', 'header', 'main', 'nav', 'p', 'section', 'span']);
export function attachShadow(e, init) {
  if (e.$ns !== HTML || !(SHADOWED.has(e.$name) || isCustomName(e.$name))) throw error('NotSupportedError', 'this element takes no shadow root');
  if (e.$definition && !e.$definition.shadow) throw error('NotSupportedError', 'this element takes no shadow root');
  if (e.$root) {
    if (!e.$declarative || e.$root.$mode !== init.mode) throw error('NotSupportedError', 'there is a shadow root already');
    e.$declarative = false;
    for (const c of [...children(e.$root)]) remove(c);
    return e.$root;
  }
  const root = makeFragment(e.$d);
  shadows.n++;
  setPrototypeOf(root, ShadowRoot.prototype);
  root.$shadow = true;
  root.$host = e;
  root.$mode = init.mode;
  root.$delegates = Boolean(init.delegatesFocus);
  root.$manual = init.slotAssignment === 'manual';
  root.$clonable = Boolean(init.clonable);
  root.$serializable = Boolean(init.serializable);
  root.$registry = init.customElementRegistry;
  if (init.customElementRegistry === null) scopes.n++;
  e.$root = root;
  changes.n++;
  return root;
}
extendInterface(Element, {
  attachShadow(init) {
    if (!['open', 'closed'].includes(init?.mode)) throw new TypeError('a shadow root is open or closed');
    if (init.slotAssignment !== undefined && !['named', 'manual'].includes(`${init.slotAssignment}`)) throw new TypeError('slots are assigned by name or by hand');
    return attachShadow(this, { ...init, customElementRegistry: custom.registry(this.$d, init) });
  },
  get shadowRoot() {
    return this.$root && this.$root.$mode === 'open' ? this.$root : null;
  },
  get assignedSlot() {
    return openSlot(this);
  },
  get customElementRegistry() {
    return registryOf(this);
  },
});
extendInterface(Document, { get customElementRegistry() { return registryOf(this); } });
extendInterface(Text, { get assignedSlot() { return openSlot(this); } });
// "find a slot" with the open flag: what lies in closed trees is not told.
const openSlot = (node) => {
  const slot = slotFor(node);
  return slot && rootOf(slot).$mode === 'open' ? slot : null;
};
// "assign slottables for a tree": slots that have other nodes than before are told.
function assignSlottables(root) {
  if (!root.$shadow) return;
  for (const slot of descendants(root)) {
    if (!isHTML(slot, 'slot')) continue;
    const list = assignedNodes(slot, false);
    const old = slot.$last ?? [];
    if (list.length === old.length && list.every((n, k) => n === old[k])) continue;
    slot.$last = list;
    signalSlot(slot);
  }
}
const signalSlot = (slot) => {
  if (slotSignals.includes(slot)) return;
  slotSignals.push(slot);
  queueMutationObservers();
};
const slotFor = (late.slotFor = (node) => {
  const root = isElement(node.$p) ? node.$p.$root : null;
  if (!root) return null;
  if (root.$manual) return node.$assigned && rootOf(node.$assigned) === root ? node.$assigned : null;
  const name = node.$t === ELEMENT ? getAttr(node, 'slot') ?? '' : '';
  return elementsOf(root).find((n) => isHTML(n, 'slot') && (getAttr(n, 'name') ?? '') === name) ?? null;
});
function assignedNodes(slot, flatten) {
  const root = rootOf(slot);
  if (!root.$shadow) return flatten ? [...children(slot)] : [];
  const list = root.$manual ? (slot.$manual ?? []).filter((n) => n.$p === root.$host) : [...children(root.$host)].filter((n) => (n.$t === ELEMENT || isText(n)) && slotFor(n) === slot);
  if (!flatten) return list;
  const out = [];
  for (const n of list.length ? list : [...children(slot)].filter((c) => c.$t === ELEMENT || isText(c))) {
    if (isHTML(n, 'slot') && rootOf(n).$shadow) out.push(...assignedNodes(n, true));
    else out.push(n);
  }
  return out;
}
mix(classes.HTMLSlotElement, {
  assignedNodes(options = {}) {
    return arrayFrom(assignedNodes(this, Boolean(options?.flatten)));
  },
  assignedElements(options = {}) {
    return arrayFrom(assignedNodes(this, Boolean(options?.flatten)).filter(isElement));
  },
  assign(...list) {
    for (const n of list) if (!isElement(n) && !(isNode(n) && isText(n))) throw new TypeError('only elements and texts can be assigned to a slot');
    const nodes_ = [...new Set(list)];
    for (const n of this.$manual ?? []) if (n.$assigned === this) n.$assigned = null;
    for (const n of nodes_) {
      if (n.$assigned && n.$assigned !== this) n.$assigned.$manual = n.$assigned.$manual?.filter((other) => other !== n);
      n.$assigned = this;
    }
    this.$manual = nodes_;
    assignSlottables(rootOf(this));
  },
});
const hasSlots = (node) => isHTML(node, 'slot') || (node.$f && elementsOf(node).some((n) => isHTML(n, 'slot')));
onChildren.push((parent) => {
  if (parent.$t === ELEMENT && parent.$root) assignSlottables(parent.$root);
  else if (isHTML(parent, 'slot') && rootOf(parent).$shadow && !assignedNodes(parent, false).length) signalSlot(parent);
});
onRemoved.push((node, parent) => {
  const root = rootOf(parent);
  if (!root.$shadow || !hasSlots(node)) return;
  for (const slot of [node, ...descendants(node)]) {
    if (!isHTML(slot, 'slot') || !slot.$last?.length) continue;
    slot.$last = [];
    signalSlot(slot);
  }
  assignSlottables(root);
});
onInserted.push((node) => {
  if (!shadows.n) return;
  const root = rootOf(node);
  if (root.$shadow && hasSlots(node)) assignSlottables(root);
});
onAttribute.push((e, name) => {
  if (name === 'slot' && isElement(e.$p) && e.$p.$root) assignSlottables(e.$p.$root);
  else if (name === 'name' && isHTML(e, 'slot')) assignSlottables(rootOf(e));
});
onParsed.push((e) => {
  if (!isHTML(e, 'template')) return;
  const mode = getAttr(e, 'shadowrootmode');
  if (mode !== 'open' && mode !== 'closed') return;
  e.$declares = { mode, delegatesFocus: hasAttr(e, 'shadowrootdelegatesfocus'), clonable: hasAttr(e, 'shadowrootclonable'), serializable: hasAttr(e, 'shadowrootserializable'), customElementRegistry: hasAttr(e, 'shadowrootcustomelementregistry') ? null : undefined };
});
publishLoosely(ElementInternals, ShadowRoot);

assign(late, { internals, assignedTo: assignedNodes, hasShadows: () => shadows.n > 0, upgrade: (top) => { for (const e of descendants(top)) if (e.$t === ELEMENT) tryUpgrade(e); },
  copied: (copy) => (defined.n ? custom.imported(undefined, copy) : copy()) });
shadowTools.attach = attachShadow;
