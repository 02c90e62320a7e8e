// DOM Parsing and Serialization, and HTML, 13.3: trees from markup, which the browser parses, and markup from trees.

import { TypeError, defineProperty, fromJSON } from '../shared/primordials.js';
import { publish } from '../shared/webidl.js';
import { Element, insertAdjacent } from './element.js';
import { current, extendInterface } from './node.js';
import {
  CDATA, COMMENT, DOCTYPE, DOCUMENT, ELEMENT, FRAGMENT, HTML, INSTRUCTION, MATHML, SVG, TEXT, XLINK, XML, XMLNS,
  append, asciiLower, children, descendants, error, following, isElement, isHTML, isNode, late, makeComment,
  makeDoctype, makeElement, makeFragment, makeInstruction, makeText, namesGiven, noteId, place, qualifiedName, remove,
  replace, replaceAll,
} from './nodes.js';

// What the parser gives: one flat list of nodes in tree order, each as its kind, the number of its parent, and what its kind has.
// 1 element of HTML: its name, how many attributes, their names and values; 2 any other: its name, namespace, prefix, how many
// attributes, and of each its name, value, namespace, prefix and local name; 3 text, 7 instruction, 8 comment, 10 doctype, 11 the
// content of a template.
const OTHER = 2;
export function itemEnd(list, at) {
  switch (list[at]) {
    case ELEMENT: return at + 4 + 2 * list[at + 3];
    case OTHER: return at + 6 + 5 * list[at + 5];
    case TEXT:
    case COMMENT: return at + 3;
    case INSTRUCTION: return at + 4;
    case DOCTYPE: return at + 5;
    default: return at + 2;
  }
}
export function build(list, top, document, script = null) {
  const made = [top];
  let i = 0;
  for (let at = 0; at < list.length; at = itemEnd(list, at)) {
    const parent = made[list[at + 1]];
    if (list[at] === FRAGMENT) {
      made.push(contentOf(parent));
      continue;
    }
    const node = nodeFrom(list, at, document, parent);
    made.push(node);
    if (parent.$registry !== undefined) node.$registry = parent.$registry;
    place(node, parent);
    if (script) script(node, i++);
  }
}
export function contentOf(template) {
  if (!template.$content) {
    template.$content = makeFragment(inertDocument(template.$d));
    template.$content.$template = template;
  }
  return template.$content;
}
const inertDocument = (document) => (document.$inert ??= document.$isInert ? document : makeInert(document));
late.inert = inertDocument;
export const makers = { document: null };
function makeInert(document) {
  const d = makers.document(document.$html ? 'html' : 'xml');
  d.$isInert = true;
  return d;
}
// The node of the item at a place.
export function nodeFrom(list, at, document, parent) {
  const kind = list[at];
  if (kind === TEXT) return makeText(list[at + 2], document);
  switch (kind) {
    case ELEMENT:
    case OTHER: {
      const owner = parent && parent.$d !== document && parent.$t === FRAGMENT ? parent.$d : document;
      const html = kind === ELEMENT;
      const e = html ? makeElement(HTML, list[at + 2], owner, null) : makeElement(list[at + 3], list[at + 2], owner, list[at + 4]);
      const n = list[at + (html ? 3 : 5)];
      let more = e.$name === 'img' || e.$name === 'template';
      if (n) {
        const step = html ? 2 : 5;
        const given = (e.$a = []);
        for (let i = 0, k = at + (html ? 4 : 6); i < n; i++, k += step) {
          const name = list[k];
          const value = list[k + 1];
          if (name === 'class') e.$class = value;
          else if (name === 'id' || name === 'name') {
            namesGiven.add(value);
            if (name === 'id') noteId(e, value);
          } else if (name === 'is') {
            if (e.$ns === HTML) e.$is = value;
          } else if (name[0] === 'o' && name[1] === 'n') more = true;
          given[i] = html ? { name, value, ns: null, prefix: null, local: name, node: null } : { name, value, ns: list[k + 2], prefix: list[k + 3], local: list[k + 4], node: null };
        }
      }
      if (more) for (let i = 0; i < onParsed.length; i++) onParsed[i](e);
      return e;
    }
    case COMMENT: return makeComment(list[at + 2], document);
    case INSTRUCTION: return makeInstruction(list[at + 2], list[at + 3], document);
    case DOCTYPE: return makeDoctype(list[at + 2], list[at + 3], list[at + 4], document);
    default: return null;
  }
}
export const onParsed = []; // an element that the parser made, before it has a place: a picture, a template, or one with handlers

// "parse HTML from a string" as a fragment: context is an element.
// declared says that templates may declare shadow roots.
export function parseFragment(text, context, declared = false, registry = context.$registry) {
  if (!context.$d.$html) return parseXMLFragment(`${text}`, context);
  const list = fromJSON(host('html.fragment', `${text}`, context.$name, context.$ns === HTML ? '' : context.$ns === SVG ? 'svg' : 'math'));
  const fragment = makeFragment(context.$d);
  if (registry !== undefined) fragment.$registry = registry;
  build(list, fragment, context.$d);
  for (let n = fragment.$f; n; n = following(n, fragment)) if (isHTML(n, 'script')) n.$started = true; // scripts from markup do not run
  if (declared) declareRoots(fragment);
  if (registry) late.upgrade(fragment); // with a registry of one's own, browsers do not wait for a place in the document
  return fragment;
}

// "XML fragment parsing algorithm": in an element that knows the namespaces around the context.
function parseXMLFragment(text, context) {
  const known = new Map();
  const bind = (prefix, ns) => known.has(prefix) || known.set(prefix, ns ?? '');
  for (let e = context; isElement(e); e = e.$p ?? e.$host) {
    bind(e.$prefix ?? '', e.$ns);
    for (const x of e.$a ?? []) if (x.ns === XMLNS) bind(x.local === 'xmlns' ? '' : x.local, x.value);
  }
  let open = '<context';
  for (const [prefix, ns] of known) if (prefix !== 'xml') open += ` xmlns${prefix && ':'}${prefix}="${xmlValue(ns)}"`;
  const { list, failed } = fromJSON(host('xml.document', `${open}>${text}</context>`));
  if (failed) throw error('SyntaxError', failed);
  const d = makers.document('xml');
  build(list, d, context.$d);
  const fragment = makeFragment(context.$d);
  for (const c of [...children(d.$f)]) append(c, fragment);
  for (let n = fragment.$f; n; n = following(n, fragment)) if (isHTML(n, 'script')) n.$started = true;
  return fragment;
}
// What innerHTML gives.
export const innerMarkup = (node) => (node.$d.$html ? serializeChildren(node) : [...children(isHTML(node, 'template') ? contentOf(node) : node)].map((c) => serializeXML(c, node.$ns)).join(''));

// "HTML fragment serialization".
const VOID = new Set(['area', 'base', 'basefont', 'bgsound', 'br', 'col', 'embed', 'frame', 'hr', 'img', 'input', 'keygen', 'link', 'meta', 'param', 'source', 'track', 'wbr']);
const RAW = new Set(['style', 'script', 'xmp', 'iframe', 'noembed', 'noframes', 'plaintext', 'noscript']);
const escapeText = (s) => (!/[&<>\u00a0]/.test(s) ? s : escapedText(s));
const escapedText = (s) => s.replace(/[&<>\u00a0]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '\u00a0': '&nbsp;' })[c]);
const escapeValue = (s) => (!/[&"<>\u00a0]/.test(s) ? s : escapedValue(s));
const escapedValue = (s) => s.replace(/[&"<>\u00a0]/g, (c) => ({ '&': '&amp;', '"': '&quot;', '<': '&lt;', '>': '&gt;', '\u00a0': '&nbsp;' })[c]);
const attributeName = (x) => (x.ns === XML ? `xml:${x.local}` : x.ns === XMLNS ? (x.local === 'xmlns' ? 'xmlns' : `xmlns:${x.local}`) : x.ns === XLINK ? `xlink:${x.local}` : x.name);
// The same for a whole tree without templates' contents or shadow roots in it, in one go: calls cost as much as what they do.
export function serializeTree(top) {
  let out = '';
  for (let n = top.$f; n; ) {
    const parent = n.$p;
    if (n.$t === TEXT) {
      const data = n.$data;
      out += parent.$ns === HTML && RAW.has(parent.$name) ? data : PLAIN.test(data) ? data : escapedText(data);
    } else if (n.$t === ELEMENT && n.$ns === HTML && n.$name !== 'template' && !n.$is) {
      const name = n.$name;
      out += `<${name}`;
      const given = n.$a;
      if (given) for (let i = 0; i < given.length; i++) {
        const x = given[i];
        out += ` ${x.ns ? attributeName(x) : x.name}="${escapeValue(x.value)}"`;
      }
      out += '>';
      if (!VOID.has(name)) {
        if (n.$f) {
          n = n.$f;
          continue;
        }
        out += `</${name}>`;
      }
    } else out += serializeNode(n);
    while (!n.$n) {
      n = n.$p;
      if (n === top) return out;
      out += `</${n.$name}>`;
    }
    n = n.$n;
  }
  return out;
}
const PLAIN = /^[^&<>\u00a0]*$/;
// keep, if given, says of each node whether it is taken along, shown of each shadow root whether it is written.
export function serializeChildren(node, keep = null, shown = null) {
  if (node.$t === ELEMENT && node.$ns === HTML && VOID.has(node.$name)) return '';
  const top = isHTML(node, 'template') ? contentOf(node) : node;
  let out = '';
  const root = shown && node.$root;
  if (root && shown(root)) {
    const flags = `${root.$delegates ? ' shadowrootdelegatesfocus=""' : ''}${root.$serializable ? ' shadowrootserializable=""' : ''}${root.$clonable ? ' shadowrootclonable=""' : ''}`;
    out += `<template shadowrootmode="${root.$mode}"${flags}>${serializeChildren(root, keep, shown)}</template>`;
  }
  for (let c = top.$f; c; c = c.$n) if (!keep || keep(c, node)) out += serializeNode(c, keep, shown);
  return out;
}
export function serializeNode(n, keep = null, shown = null) {
  switch (n.$t) {
    case ELEMENT: {
      const name = n.$ns === HTML || n.$ns === SVG || n.$ns === MATHML ? n.$name : qualifiedName(n);
      let out = `<${name}`;
      if (n.$is && !(n.$a ?? []).some((x) => x.name === 'is')) out += ` is="${escapeValue(n.$is)}"`;
      for (const x of n.$a ?? []) out += ` ${attributeName(x)}="${escapeValue(x.value)}"`;
      out += '>';
      if (n.$ns === HTML && VOID.has(n.$name)) return out;
      return `${out}${serializeChildren(n, keep, shown)}</${name}>`;
    }
    case TEXT: return n.$p && n.$p.$t === ELEMENT && n.$p.$ns === HTML && RAW.has(n.$p.$name) ? n.$data : escapeText(n.$data);
    case COMMENT: return `<!--${n.$data}-->`;
    case INSTRUCTION: return `<?${n.$target} ${n.$data}>`;
    case DOCTYPE: return `<!DOCTYPE ${n.$name}>`;
    case CDATA: return n.$data;
    default: return serializeChildren(n, keep);
  }
}
// XML serialization, for trees without prefixes that would have to be invented.
const xmlText = (s) => s.replace(/[&<>]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;' })[c]);
const xmlValue = (s) => s.replace(/[&"<>\t\n\r]/g, (c) => ({ '&': '&amp;', '"': '&quot;', '<': '&lt;', '>': '&gt;', '\t': '&#9;', '\n': '&#10;', '\r': '&#13;' })[c]);
const NO_PREFIXES = new Map();
// prefixes are those that are declared around, with what they stand for.
export function serializeXML(n, ns = null, prefixes = NO_PREFIXES) {
  switch (n.$t) {
    case ELEMENT: {
      const name = qualifiedName(n);
      let out = `<${name}`;
      const known = new Map(prefixes);
      for (const x of n.$a ?? []) if (x.ns === XMLNS && x.local !== 'xmlns') known.set(x.local, x.value);
      if (n.$prefix) known.set(n.$prefix, n.$ns);
      const declared = n.$a?.find((x) => x.ns === XMLNS && (n.$prefix ? x.local === n.$prefix : x.local === 'xmlns'));
      if (n.$ns !== ns && !declared && !n.$prefix) out += ` xmlns="${xmlValue(n.$ns ?? '')}"`;
      else if (n.$prefix && !declared && n.$ns !== ns) out += ` xmlns:${n.$prefix}="${xmlValue(n.$ns ?? '')}"`;
      for (const x of n.$a ?? []) {
        if (x.ns && x.prefix && x.ns !== XMLNS && x.ns !== XML && known.get(x.prefix) !== x.ns) {
          known.set(x.prefix, x.ns);
          out += ` xmlns:${x.prefix}="${xmlValue(x.ns)}"`;
        }
        out += ` ${x.ns === XMLNS ? attributeName(x) : x.name}="${xmlValue(x.value)}"`;
      }
      const top = isHTML(n, 'template') ? contentOf(n) : n;
      if (!top.$f) return n.$ns === HTML ? (VOID.has(n.$name) ? `${out} />` : `${out}></${name}>`) : `${out}/>`;
      out += '>';
      for (let c = top.$f; c; c = c.$n) out += serializeXML(c, n.$prefix ? ns : n.$ns, known);
      return `${out}</${name}>`;
    }
    case TEXT: return xmlText(n.$data);
    case CDATA: return `<![CDATA[${n.$data}]]>`;
    case COMMENT: return `<!--${n.$data}-->`;
    case INSTRUCTION: return `<?${n.$target} ${n.$data}?>`;
    case DOCTYPE: return `<!DOCTYPE ${n.$name}${n.$public ? ` PUBLIC "${n.$public}" "${n.$system}"` : n.$system ? ` SYSTEM "${n.$system}"` : ''}>`;
    default: {
      let out = '';
      for (let c = n.$f; c; c = c.$n) out += serializeXML(c, ns, prefixes);
      return out;
    }
  }
}
const contextFor = (e) => (e.$t !== ELEMENT || (isHTML(e, 'html') && e.$d.$html) ? makeElement(HTML, 'body', e.$t === DOCUMENT ? e : e.$d) : e);
extendInterface(Element, {
  get innerHTML() {
    return innerMarkup(this);
  },
  set innerHTML(text) {
    const fragment = parseFragment(text === null ? '' : text, this);
    replaceAll(fragment, isHTML(this, 'template') ? contentOf(this) : this);
  },
  get outerHTML() {
    return this.$d.$html ? serializeNode(this) : serializeXML(this);
  },
  set outerHTML(text) {
    const parent = this.$p;
    if (!parent) return;
    if (parent.$t === DOCUMENT) throw error('NoModificationAllowedError', 'the element of a document cannot be replaced by markup');
    replace(this, parseFragment(text === null ? '' : text, contextFor(parent), false, parent.$registry), parent);
  },
  insertAdjacentHTML(where, text) {
    where = asciiLower(`${where}`);
    if (!['beforebegin', 'afterbegin', 'beforeend', 'afterend'].includes(where)) throw error('SyntaxError', `"${where}" is no place beside an element`);
    const beside = where === 'beforebegin' || where === 'afterend';
    const context = beside ? this.$p : this;
    if (!context || context.$t === DOCUMENT) throw error('NoModificationAllowedError', 'there is no place for markup');
    insertAdjacent(this, where, parseFragment(text, contextFor(context), false, context.$registry));
  },
  setHTMLUnsafe(text) {
    replaceAll(parseFragment(`${text}`, this, true), isHTML(this, 'template') ? contentOf(this) : this);
  },
  getHTML(options = {}) {
    const listed = new Set([...(options?.shadowRoots ?? [])]);
    return serializeChildren(this, null, (root) => listed.has(root) || (Boolean(options?.serializableShadowRoots) && root.$serializable === true));
  },
});
export const shadowTools = { attach: null };
function declareRoots(root) {
  for (const t of [...descendants(root)]) {
    if (!isHTML(t, 'template')) continue;
    declareRoots(contentOf(t));
    if (!t.$declares || !isElement(t.$p) || t.$p.$root) continue;
    const host_ = t.$p;
    const inner = contentOf(t);
    remove(t);
    const root = shadowTools.attach(host_, t.$declares);
    append(inner, root);
    if (root.$registry === null) for (const e of descendants(root)) if (e.$t === ELEMENT) e.$registry = null;
  }
}
export class DOMParser {
  constructor() {
    defineProperty(this, '$for', { value: current.document });
  }
  parseFromString(text, type) {
    type = `${type}`;
    const url = (this.$for ?? current.document).$url();
    if (type === 'text/html') {
      const d = makers.document('html');
      d.$url = () => url;
      const { list, quirks } = fromJSON(host('html.document', `${text}`));
      d.$quirks = quirks;
      build(list, d, d);
      for (let n = d.$f; n; n = following(n, d)) if (isHTML(n, 'script')) n.$started = true;
      return d;
    }
    if (!['text/xml', 'application/xml', 'application/xhtml+xml', 'image/svg+xml'].includes(type)) throw new TypeError(`"${type}" is no type of documents`);
    const d = makers.document('xml', type);
    d.$url = () => url;
    const { list, failed } = fromJSON(host('xml.document', `${text}`));
    if (failed) {
      const e = makeElement('http://www.mozilla.org/newlayout/xml/parsererror.xml', 'parsererror', d);
      append(makeText(failed, d), e);
      append(e, d);
    } else build(list, d, d);
    return d;
  }
}
// "parseHTMLUnsafe" (HTML, 8.5.3).
late.parseUnsafe = (text) => {
  const d = makers.document('html');
  const { list, quirks } = fromJSON(host('html.document', text));
  d.$quirks = quirks;
  build(list, d, d);
  for (let n = d.$f; n; n = following(n, d)) if (isHTML(n, 'script')) n.$started = true;
  declareRoots(d);
  return d;
};
export class XMLSerializer {
  serializeToString(node) {
    if (!isNode(node)) throw new TypeError('this is no node');
    return serializeXML(node);
  }
}
publish(DOMParser, XMLSerializer);
