// DOM, 4.5 and HTML, 3.1: documents.

import {
  ScriptArray, TypeError, defineProperty, getPrototypeOf, resolved, then, arrayOf,
} from '../shared/primordials.js';
import { MAKE, attribute, must, onlyHere, publish, publishLoosely, usv } from '../shared/webidl.js';
import { own } from '../shared/settings.js';
import { handlers, insideOf } from '../shared/event.js';
import { parsedURL } from '../shared/url.js';
import { byClassName, byTagName, byTagNameNS, elements, liveNodes } from './collections.js';
import { makeAttr } from './element.js';
import { Node, current, elementById, mixParent } from './node.js';
import {
  DOCTYPE, DOCUMENT, ELEMENT, HTML, SVG, adopt, append, asciiLower, changes, childElements, children, cloneNode,
  contains, createLike, documentElementOf, elementsOf, error, extractName, following, getAttr, hasAttr, isElement,
  isHTML, isNode, isText, isValidAttributeName, isValidElementName, isValidName, late, makeCDATA, makeComment,
  makeDoctype, makeElement, makeFragment, makeInstruction, makeText, preInsert, replace, replaceAllWithText, setAttr,
  steps,
} from './nodes.js';
import { makers } from './parsing.js';
import { states } from './selectors.js';

const implementationOf = new WeakMap();
export class DOMImplementation {
  constructor(key = undefined) {
    onlyHere(key);
  }
  createDocumentType(name, publicId, systemId) {
    if (/[\t\n\f\r >\0]/.test(`${name}`)) throw error('InvalidCharacterError', `"${name}" is no name`);
    return makeDoctype(`${name}`, `${publicId}`, `${systemId}`, implementationOf.get(this));
  }
  createDocument(namespace, name, doctype = null) {
    const d = makeDocument('xml', namespace === HTML ? 'application/xhtml+xml' : namespace === SVG ? 'image/svg+xml' : 'application/xml');
    const element = name === null || name === '' ? null : d.createElementNS(namespace, name);
    if (doctype) append(doctype, d);
    if (element) append(element, d);
    return d;
  }
  createHTMLDocument(title = undefined) {
    const d = makeDocument('html');
    append(makeDoctype('html', '', '', d), d);
    const html = append(makeElement(HTML, 'html', d), d);
    const head = append(makeElement(HTML, 'head', d), html);
    if (title !== undefined) append(makeText(`${title}`, d), append(makeElement(HTML, 'title', d), head));
    append(makeElement(HTML, 'body', d), html);
    return d;
  }
  hasFeature() {
    return true;
  }
}
publish(DOMImplementation);

class ViewTransition {
  constructor(key = undefined) {
    onlyHere(key);
  }
  skipTransition() {}
}
publishLoosely(ViewTransition);
export class Document extends Node {
  constructor() {
    return makeDocument('xml', 'application/xml', Document);
  }
  get implementation() {
    if (!this.$implementation) {
      this.$implementation = new DOMImplementation(MAKE);
      implementationOf.set(this.$implementation, this);
    }
    return this.$implementation;
  }
  get URL() {
    return this.$url();
  }
  get documentURI() {
    return this.$url();
  }
  get compatMode() {
    return this.$quirks ? 'BackCompat' : 'CSS1Compat';
  }
  get characterSet() {
    const name = this.$charset;
    return /^(utf|iso|koi|gbk|big5|euc|ibm)/i.test(name) ? name.toUpperCase() : name;
  }
  get charset() {
    return this.$charset;
  }
  get inputEncoding() {
    return this.characterSet;
  }
  get contentType() {
    return this.$type;
  }
  get doctype() {
    for (let c = this.$f; c; c = c.$n) if (c.$t === DOCTYPE) return c;
    return null;
  }
  get documentElement() {
    return documentElementOf(this);
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
  getElementById(id) {
    return elementById(this, `${id}`);
  }
  createElement(name, options = undefined) {
    must(arguments, 1);
    name = `${name}`;
    if (!isValidElementName(name)) throw error('InvalidCharacterError', `"${name}" is no name of an element`);
    if (this.$html) name = asciiLower(name);
    return createElement(this, this.$html || this.$type === 'application/xhtml+xml' ? HTML : null, name, null, options?.is, custom.registry(this, options));
  }
  createElementNS(namespace, qualified, options = undefined) {
    must(arguments, 2);
    const { ns, prefix, local } = extractName(namespace, qualified);
    return createElement(this, ns, local, prefix, options?.is, custom.registry(this, options));
  }
  createDocumentFragment() {
    return makeFragment(this);
  }
  createTextNode(data) {
    return makeText(`${data}`, this);
  }
  createCDATASection(data) {
    if (this.$html) throw error('NotSupportedError', 'HTML documents have no CDATA sections');
    if (`${data}`.includes(']]>')) throw error('InvalidCharacterError', 'the data ends the section');
    return makeCDATA(`${data}`, this);
  }
  createComment(data) {
    return makeComment(`${data}`, this);
  }
  createProcessingInstruction(target, data) {
    if (!isValidName(`${target}`)) throw error('InvalidCharacterError', `"${target}" is no name`);
    if (`${data}`.includes('?>')) throw error('InvalidCharacterError', 'the data ends the instruction');
    return makeInstruction(`${target}`, `${data}`, this);
  }
  importNode(node, options = false) {
    if (!isNode(node)) throw new TypeError('this is no node');
    if (node.$t === DOCUMENT || node.$shadow) throw error('NotSupportedError', 'a document cannot be imported');
    const object = typeof options === 'object'; // null as well
    if (options?.customElementRegistry === null) throw new TypeError('null is no registry of custom elements');
    return custom.imported(custom.registry(this, options), () => cloneNode(node, this, object ? !options?.selfOnly : Boolean(options)));
  }
  adoptNode(node) {
    if (!isNode(node)) throw new TypeError('this is no node');
    if (node.$t === DOCUMENT) throw error('NotSupportedError', 'a document cannot be adopted');
    if (node.$shadow) throw error('HierarchyRequestError', 'a shadow root cannot be adopted');
    adopt(node, this);
    return node;
  }
  createAttribute(name) {
    name = `${name}`;
    if (!isValidAttributeName(name)) throw error('InvalidCharacterError', `"${name}" is no name of an attribute`);
    return makeAttr(this.$html ? asciiLower(name) : name, this);
  }
  createAttributeNS(namespace, qualified) {
    const { ns, prefix, local } = extractName(namespace, qualified, isValidAttributeName);
    return makeAttr(`${qualified}`, this, ns, prefix, local);
  }
  createEvent(name) {
    const Made = LEGACY_EVENTS[`${name}`.toLowerCase()];
    const cls = Made && global[Made];
    if (!cls || (Made === 'TouchEvent' && own.lacks?.includes('touch'))) throw error('NotSupportedError', `"${name}" is no kind of event`);
    const event = new cls('');
    insideOf(event).uninitialized = true;
    return event;
  }
  // HTML, 3.1.
  get domain() {
    return parsedURL(this.$url())?.[6] ?? '';
  }
  // Browsers keep origins apart whatever is set.
  set domain(value) {
    const name = usv(value);
    if (this !== current.document || own.sandbox || !name || !`.${this.domain}`.endsWith(`.${name}`)) throw error('SecurityError', `the domain of this document cannot become "${name}"`);
  }
  get referrer() {
    return this === current.document ? own.referrer ?? '' : '';
  }
  get cookie() {
    return this === current.document ? host('cookie.get') : '';
  }
  set cookie(text) {
    if (this === current.document) host('cookie.set', `${text}`);
  }
  get lastModified() {
    return '01/05/2026 09:00:00';
  }
  get readyState() {
    return this.$ready;
  }
  get title() {
    const svg = documentElementOf(this)?.$ns === SVG;
    for (let n = this.$f; n; n = following(n, this)) if (svg ? n.$t === ELEMENT && n.$ns === SVG && n.$name === 'title' : isHTML(n, 'title')) return ownText(n).replace(/[\t\n\f\r ]+/g, ' ').replace(/^ | $/g, '');
    return '';
  }
  set title(value) {
    const { documentElement } = this;
    if (documentElement?.$ns === SVG && documentElement.$name === 'svg') {
      let own = [...children(documentElement)].find((c) => c.$t === ELEMENT && c.$ns === SVG && c.$name === 'title');
      own ??= preInsert(makeElement(SVG, 'title', this), documentElement, documentElement.$f);
      replaceAllWithText(`${value}`, own);
      return;
    }
    if (documentElement?.$ns !== HTML) return;
    let t = null;
    for (let n = this.$f; n && !t; n = following(n, this)) if (isHTML(n, 'title')) t = n;
    if (!t) {
      const { head } = this;
      if (!head) return;
      t = append(makeElement(HTML, 'title', this), head);
    }
    replaceAllWithText(`${value}`, t);
  }
  get dir() {
    const dir = (documentElementOf(this) && getAttr(documentElementOf(this), 'dir'))?.toLowerCase();
    return ['ltr', 'rtl', 'auto'].includes(dir) ? dir : '';
  }
  set dir(value) {
    if (documentElementOf(this)) setAttr(documentElementOf(this), 'dir', `${value}`);
  }
  get body() {
    const html = documentElementOf(this);
    return isHTML(html, 'html') ? childElements(html).find((c) => isHTML(c, 'body') || isHTML(c, 'frameset')) ?? null : null;
  }
  set body(value) {
    if (value !== null && !isElement(value)) throw new TypeError('this is no element');
    if (!isHTML(value, 'body') && !isHTML(value, 'frameset')) throw error('HierarchyRequestError', 'this is no body');
    const old = this.body;
    if (old === value) return;
    if (old) replace(old, value, old.$p);
    else if (documentElementOf(this)) append(value, documentElementOf(this));
    else throw error('HierarchyRequestError', 'the document has no element');
  }
  get head() {
    const html = documentElementOf(this);
    return isHTML(html, 'html') ? childElements(html).find((c) => isHTML(c, 'head')) ?? null : null;
  }
  getElementsByName(name) {
    name = `${name}`;
    return liveNodes(() => elementsOf(this).filter((n) => n.$ns === HTML && getAttr(n, 'name') === name));
  }
  get currentScript() {
    return this.$script ?? null;
  }
  get defaultView() {
    return this.$window ?? null;
  }
  get activeElement() {
    return states.focused && contains(this, states.focused) ? states.focused : this.body ?? documentElementOf(this);
  }
  hasFocus() {
    return this === current.document;
  }
  get designMode() {
    return 'off';
  }
  set designMode(value) {}
  // CSS View Transitions 1, 6.1: the change itself, without anything that moves.
  startViewTransition(options = undefined) {
    const update = typeof options === 'function' ? options : options?.update;
    const updateCallbackDone = then(resolved(), () => update?.());
    const done = then(updateCallbackDone, () => undefined);
    return { __proto__: ViewTransition.prototype, ready: done, finished: done, updateCallbackDone };
  }
  get hidden() {
    return own.left === true;
  }
  get visibilityState() {
    return own.left ? 'hidden' : 'visible';
  }
  get scrollingElement() {
    return documentElementOf(this);
  }
  get fullscreenElement() {
    return null;
  }
  get fullscreenEnabled() {
    return false;
  }
  get pictureInPictureElement() {
    return null;
  }
  get pictureInPictureEnabled() {
    return false;
  }
  get pointerLockElement() {
    return null;
  }
  execCommand() {
    return false;
  }
  queryCommandSupported(command) {
    return ['bold', 'italic', 'underline', 'copy', 'cut', 'delete', 'forecolor', 'inserthtml', 'inserttext', 'selectall', 'undo', 'redo'].includes(`${command}`.toLowerCase());
  }
  queryCommandEnabled() {
    return false;
  }
  queryCommandState() {
    return false;
  }
  queryCommandIndeterm() {
    return false;
  }
  queryCommandValue() {
    return '';
  }
  elementFromPoint() {
    return null;
  }
  caretRangeFromPoint() {
    return null;
  }
  caretPositionFromPoint() {
    return null;
  }
  elementsFromPoint() {
    return arrayOf();
  }
  hasStorageAccess() {
    return resolved(true);
  }
  getAnimations() {
    return arrayOf();
  }
  static parseHTMLUnsafe(text) {
    must(arguments, 1);
    const d = late.parseUnsafe(`${text}`);
    d.$apart = true; // its base is no other document's
    return d;
  }
  open(...args) {
    if (args.length > 2) return global.open(...args);
    writing.open(this);
    return this;
  }
  close() {
    writing.close(this);
  }
  write(...texts) {
    writing.write(this, texts.map(String).join(''));
  }
  writeln(...texts) {
    writing.write(this, `${texts.map(String).join('')}\n`);
  }
}
mixParent(Document);
const ownText = (n) => {
  let out = '';
  for (let c = n.$f; c; c = c.$n) if (isText(c)) out += c.$data;
  return out;
};
const LEGACY_EVENTS = { __proto__: null, beforeunloadevent: 'BeforeUnloadEvent', compositionevent: 'CompositionEvent', customevent: 'CustomEvent', devicemotionevent: 'DeviceMotionEvent', deviceorientationevent: 'DeviceOrientationEvent', dragevent: 'DragEvent', event: 'Event', events: 'Event', focusevent: 'FocusEvent', hashchangeevent: 'HashChangeEvent', htmlevents: 'Event', keyboardevent: 'KeyboardEvent', messageevent: 'MessageEvent', mouseevent: 'MouseEvent', mouseevents: 'MouseEvent', storageevent: 'StorageEvent', svgevents: 'Event', touchevent: 'TouchEvent', textevent: 'TextEvent', uievent: 'UIEvent', uievents: 'UIEvent' };
// What scripts write: parser takes it while the browser parses the page, the other functions do so later; prepare runs a script.
export const writing = { parser: null, open: null, write: null, close: null, prepare: null };
const COLLECTIONS = {
  images: (n) => isHTML(n, 'img'), embeds: (n) => isHTML(n, 'embed'), forms: (n) => isHTML(n, 'form'), scripts: (n) => isHTML(n, 'script'),
  links: (n) => (isHTML(n, 'a') || isHTML(n, 'area')) && hasAttr(n, 'href'), anchors: (n) => isHTML(n, 'a') && hasAttr(n, 'name'),
};
for (const name of Object.keys(COLLECTIONS))
  defineProperty(Document.prototype, name, attribute(name, (d) => {
    const lists = (d.$collections ??= new Map());
    if (!lists.has(name)) lists.set(name, elements(() => elementsOf(d).filter(COLLECTIONS[name])));
    return lists.get(name);
  }));
defineProperty(Document.prototype, 'plugins', attribute('plugins', (d) => d.embeds));
defineProperty(Document.prototype, 'applets', attribute('applets', (d) => (d.$applets ??= elements(() => []))));
defineProperty(Document.prototype, 'all', attribute('all', (d) => elements(() => elementsOf(d))));
defineProperty(Document.prototype, Symbol.unscopables, { value: { __proto__: null, prepend: true, append: true, replaceChildren: true }, configurable: true });
export class HTMLDocument extends Document {}
export class XMLDocument extends Document {}
publishLoosely(Document);
publish(HTMLDocument, XMLDocument);
handlers(Document.prototype, 'readystatechange', 'visibilitychange', 'fullscreenchange', 'fullscreenerror', 'pointerlockchange', 'selectionchange');

// Every document has it for its own (Web IDL, LegacyUnforgeable).
const LOCATION = { get() { return this.$window ? global.location : null; }, set(url) { if (this.$window) global.location = url; }, enumerable: true, configurable: false };
export function makeDocument(kind, type = kind === 'html' ? 'text/html' : 'application/xml', cls = kind === 'html' ? HTMLDocument : XMLDocument) {
  return defineProperty({
    __proto__: cls.prototype, $t: DOCUMENT, $p: null, $f: null, $l: null, $n: null, $v: null, $d: null, $root: null, $shadow: false, $host: null, $a: null, $custom: undefined,
    $html: kind === 'html', $type: type, $quirks: false, $charset: 'UTF-8', $ready: 'complete', $window: null, $steps: steps, $url: () => 'about:blank', $base() { return baseOf(this); },
  }, 'location', LOCATION);
}
makers.document = makeDocument;
createLike.document = (d) => {
  const made = makeDocument(d.$html ? 'html' : 'xml', d.$type, getPrototypeOf(d).constructor);
  made.$quirks = d.$quirks;
  made.$charset = d.$charset;
  made.$url = d.$url;
  return made;
};
// "document base URL" (HTML, 2.4.1).
export function baseOf(d) {
  const url = d.$url();
  const fallback = d === current.document && own.base ? own.base : url === 'about:blank' && d !== current.document && !d.$apart && current.document ? current.document.$base() : url;
  if (d.$found?.at !== changes.n || d.$found.fallback !== fallback) d.$found = { at: changes.n, fallback, base: findBase(d, fallback) };
  return d.$found.base;
}
function findBase(d, fallback) {
  for (let n = d.$f; n; n = following(n, d)) {
    if (n.$name === 'base' && isHTML(n, 'base') && hasAttr(n, 'href')) {
      const at = parsedURL(getAttr(n, 'href'), fallback)?.[0] ?? fallback;
      return /^(data|javascript):/.test(at) ? fallback : at;
    }
    if (n.$name === 'body' && isHTML(n, 'body')) break;
  }
  return fallback;
}
// "create an element" (DOM, 4.9); custom elements say what more is to be done.
export const custom = { create: null };
export function createElement(document, ns, name, prefix = null, is = undefined, registry = undefined) {
  if (custom.create && ns === HTML) {
    const made = custom.create(document, name, prefix, is, registry);
    if (made) return made;
  }
  return makeElement(ns, name, document, prefix);
}
createLike.of = (node, document) => (custom.cloned ? custom.cloned(node, document) : null) ?? makeElement(node.$ns, node.$name, document, node.$prefix);
