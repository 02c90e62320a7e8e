// CSSOM, 6 and CSSOM View, as far as scripts go without layout: inline styles, sheets of rules, computed values of a few properties.

import {
  ScriptArray, ScriptObject, TypeError, assign, defineProperty, fromJSON, resolved, saved, arrayFrom, arrayOf,
} from '../shared/primordials.js';
import { gap } from '../shared/gap.js';
import { onlyHere, publishLoosely } from '../shared/webidl.js';
import { listOf, live, wordsOf } from './collections.js';
import { Document } from './document.js';
import { classes, toggle } from './htmlelements.js';
import { extendInterface, mix } from './node.js';
import {
  DOCUMENT, HTML, asciiLower, changes, contains, error, getAttr, hasAttr, inTreeOrder, isConnected, isElement, isHTML,
  late, rootOf, setAttr, styling, textOf,
} from './nodes.js';
import { matches, parseSelectors } from './selectors.js';

const camel = (name) => (name.startsWith('--') ? name : name.replace(/^-/, '').replace(/-([a-z])/g, (_, c) => c.toUpperCase()));
const dashed = (key) => (key === 'cssFloat' ? 'float' : `${/^(webkit|moz|ms)[A-Z]/.test(key) ? '-' : ''}${key.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`)}`);
// Declarations of a block: [name, value, important].
export function parseDeclarations(text) {
  const out = [];
  for (const part of splitTop(text.replace(/\/\*[^]*?\*\//g, ''), ';')) {
    const at = part.indexOf(':');
    if (at < 0) continue;
    const raw = part.slice(0, at).trim();
    const name = raw.startsWith('--') ? raw : raw.toLowerCase();
    let value = part.slice(at + 1).trim();
    const important = /!\s*important$/i.test(value);
    if (important) value = value.replace(/!\s*important$/i, '').trim();
    if (!/^-?[-_a-zA-Z\u0080-\uffff][-\w\u0080-\uffff]*$/.test(name) || (value === '' && !name.startsWith('--'))) continue;
    set(out, name, value, important);
  }
  return out;
}
function splitTop(text, by) {
  if (!/["'([{\\)\]}]/.test(text)) return text.split(by);
  const out = [];
  let depth = 0;
  let quote = '';
  let from = 0;
  for (let i = 0; i < text.length; i++) {
    const c = text[i];
    if (c === '\\') i++;
    else if (quote) {
      if (c === quote) quote = '';
    } else if (c === '"' || c === "'") quote = c;
    else if ('([{'.includes(c)) depth++;
    else if (')]}'.includes(c)) depth--;
    else if (c === by && depth === 0) {
      out.push(text.slice(from, i));
      from = i + 1;
    }
  }
  out.push(text.slice(from));
  return out;
}
function set(list, name, value, important) {
  const there = list.find((d) => d[0] === name);
  if (there) [there[1], there[2]] = [value, important];
  else list.push([name, value, important]);
}
const blockOf = new WeakMap(); // declaration object → { read, write }
export class CSSStyleDeclaration {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get cssText() {
    return textOfBlock(blockOf.get(this).read());
  }
  set cssText(text) {
    blockOf.get(this).write(parseDeclarations(`${text}`));
  }
  get length() {
    return blockOf.get(this).read().length;
  }
  item(i) {
    return blockOf.get(this).read()[i >>> 0]?.[0] ?? '';
  }
  getPropertyValue(name) {
    return blockOf.get(this).value(`${name}`.startsWith('--') ? `${name}` : `${name}`.toLowerCase());
  }
  getPropertyPriority(name) {
    return blockOf.get(this).read().find((d) => d[0] === `${name}`.toLowerCase())?.[2] ? 'important' : '';
  }
  setProperty(name, value, priority = '') {
    const key = `${name}`.startsWith('--') ? `${name}` : `${name}`.toLowerCase();
    const text = value === null ? '' : `${value}`.trim();
    if (text === '') return void this.removeProperty(key);
    if (priority !== '' && `${priority}`.toLowerCase() !== 'important') return;
    const { read, write } = blockOf.get(this);
    const list = read();
    set(list, key, text, priority !== '');
    write(list);
  }
  removeProperty(name) {
    const key = `${name}`.startsWith('--') ? `${name}` : `${name}`.toLowerCase();
    const { read, write } = blockOf.get(this);
    const list = read();
    const i = list.findIndex((d) => d[0] === key);
    if (i < 0) return '';
    const [[, value]] = list.splice(i, 1);
    write(list);
    return value;
  }
  get parentRule() {
    return null;
  }
  get cssFloat() {
    return this.getPropertyValue('float');
  }
  set cssFloat(v) {
    setProperty(this, 'float', v);
  }
}
const { setProperty } = saved(CSSStyleDeclaration, 'setProperty');
publishLoosely(CSSStyleDeclaration);
const textOfBlock = (list) => list.map(([n, v, i]) => `${n}: ${v}${i ? ' !important' : ''};`).join(' ');
const PROPERTY = /^[a-zA-Z-]+$/;
const blockHandler = {
  get(target, key) {
    if (typeof key !== 'string' || key in target) return Reflect.get(target, key, target);
    if (/^\d+$/.test(key)) return blockOf.get(target).read()[key]?.[0];
    return PROPERTY.test(key) ? blockOf.get(target).value(dashed(key)) : undefined;
  },
  set(target, key, value) {
    if (typeof key !== 'string' || key in target || !PROPERTY.test(key)) return Reflect.set(target, key, value, target);
    setProperty(target, dashed(key), value);
    return true;
  },
  has: (target, key) => key in target || (typeof key === 'string' && (/^\d+$/.test(key) ? Number(key) < target.length : known(dashed(key)))),
};
const KNOWN = new Set('align-content align-items align-self animation animation-delay animation-duration animation-name appearance aspect-ratio backdrop-filter background background-color background-image border border-color border-radius bottom box-shadow box-sizing break-inside clip-path color color-scheme column-count columns contain container content content-visibility cursor direction display fill filter flex flex-basis flex-direction flex-grow flex-shrink flex-wrap float font font-family font-size font-weight gap grid grid-area grid-template grid-template-columns grid-template-rows height inset isolation justify-content left letter-spacing line-height list-style margin margin-bottom margin-left margin-right margin-top mask max-height max-width min-height min-width mix-blend-mode object-fit opacity order outline overflow overflow-x overflow-y overscroll-behavior padding place-items pointer-events position resize right rotate row-gap scale scroll-behavior scroll-snap-type scrollbar-width stroke table-layout text-align text-decoration text-overflow text-transform text-wrap top touch-action transform transform-origin transition transition-duration translate user-select vertical-align view-transition-name visibility white-space width will-change word-break writing-mode z-index zoom'.split(' '));
const known = (name) => KNOWN.has(name) || /^(-webkit-)?(animation|background|border|column|flex|font|grid|margin|mask|outline|overflow|padding|scroll|text|transition)-[a-z-]+$/.test(name);
function makeBlock(read, write, value) {
  const target = { __proto__: CSSStyleDeclaration.prototype };
  const block = { read, write, value: value ?? ((name) => read().find((d) => d[0] === name)?.[1] ?? '') };
  blockOf.set(target, block);
  const proxy = new Proxy(target, blockHandler);
  blockOf.set(proxy, block);
  return proxy;
}
export function styleOf(e) {
  return (e.$style ??= makeBlock(
    () => parseDeclarations(getAttr(e, 'style') ?? ''),
    (list) => setAttr(e, 'style', textOfBlock(list)),
  ));
}

// Style sheets: rules as [{ selector, block, media }].
const sheetOf = new WeakMap();
const ruleOwners = new Set(); // elements whose sheets scripts gave rules
export class StyleSheet {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get type() {
    return 'text/css';
  }
  get href() {
    return sheetOf.get(this).href;
  }
  get ownerNode() {
    return sheetOf.get(this).owner;
  }
  get parentStyleSheet() {
    return null;
  }
  get title() {
    return null;
  }
  get media() {
    return assign(new ScriptObject(), { mediaText: '', length: 0 });
  }
  get disabled() {
    return sheetOf.get(this).disabled;
  }
  set disabled(v) {
    sheetOf.get(this).disabled = Boolean(v);
    sheetChanged();
  }
}
export class CSSStyleSheet extends StyleSheet {
  constructor() {
    const s = { __proto__: CSSStyleSheet.prototype };
    sheetOf.set(s, { href: null, owner: null, disabled: false, rules: [] });
    return s;
  }
  get cssRules() {
    return (sheetOf.get(this).list ??= fixedRules(this));
  }
  get rules() {
    return this.cssRules;
  }
  get ownerRule() {
    return null;
  }
  insertRule(text, index = 0) {
    const { rules, owner } = sheetOf.get(this);
    if (index > rules.length) throw error('IndexSizeError', 'there is no such place');
    const [rule] = parseRules(`${text}`);
    if (!rule) throw error('SyntaxError', `"${text}" is no rule`);
    rules.splice(index, 0, rule);
    sheetChanged();
    if (owner) {
      (owner.$rules ??= []).push(rule.text);
      ruleOwners.add(owner);
    }
    return index;
  }
  deleteRule(index) {
    const { rules } = sheetOf.get(this);
    if (!rules[index]) throw error('IndexSizeError', 'there is no such rule');
    rules.splice(index, 1);
    sheetChanged();
  }
  addRule(selector = 'undefined', block = 'undefined', index = undefined) {
    this.insertRule(`${selector} { ${block} }`, index ?? sheetOf.get(this).rules.length);
    return -1;
  }
  removeRule(index = 0) {
    this.deleteRule(index);
  }
  replaceSync(text) {
    sheetOf.get(this).rules.splice(0, Infinity, ...parseRules(`${text}`));
    sheetChanged();
  }
  replace(text) {
    this.replaceSync(text);
    return resolved(this);
  }
}
const RULE_TYPES = { charset: 2, import: 3, media: 4, 'font-face': 5, page: 6, keyframes: 7, namespace: 10, 'counter-style': 11, supports: 12 };
class CSSRule {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get cssText() {
    const r = ruleOf.get(this);
    return r.selector ? `${r.selector} { ${textOfBlock(r.block)}${r.block.length ? ' ' : ''}}` : r.text;
  }
  get parentStyleSheet() {
    return ruleOf.get(this).sheet;
  }
  get parentRule() {
    return null;
  }
  get type() {
    const r = ruleOf.get(this);
    return r.selector ? 1 : RULE_TYPES[/^@(?:-[a-z]+-)?([-\w]+)/.exec(r.text)?.[1]] ?? 0;
  }
}
class CSSStyleRule extends CSSRule {
  get selectorText() {
    return ruleOf.get(this).selector;
  }
  get style() {
    const r = ruleOf.get(this);
    return (r.style ??= makeBlock(() => r.block, (list) => { r.block = list; sheetChanged(); }));
  }
}
const ruleOf = new WeakMap();
// Members that both kinds of lists have.
const asList = (cls) => {
  mix(cls, {
    get length() {
      return listOf(this).length;
    },
    item(i) {
      return listOf(this)[i >>> 0] ?? null;
    },
  });
  defineProperty(cls.prototype, Symbol.iterator, { value: ScriptArray.prototype[Symbol.iterator], writable: true, configurable: true });
};
class CSSRuleList {
  constructor(key = undefined) {
    onlyHere(key);
  }
}
asList(CSSRuleList);
const fixedRules = (sheet) => live(CSSRuleList, () => sheetOf.get(sheet).rules.map((r) => {
  if (!r.object) {
    r.object = { __proto__: (r.selector ? CSSStyleRule : CSSRule).prototype };
    r.sheet = sheet;
    ruleOf.set(r.object, r);
  }
  return r.object;
}));
publishLoosely(StyleSheet, CSSStyleSheet, CSSRule, CSSStyleRule, CSSRuleList);
// A rule: its declarations, and the rules that stand in it (CSS Nesting 1, 3), are read when they are first asked for.
class Rule {
  constructor(selector, inner, media, text, depth = 0, parts = null) {
    this.depth = depth;
    this.parts = parts; // its selectors, each followed by what an element that matches has for certain, where the browser found out
    this.selector = selector;
    this.inner = inner;
    this.media = media;
    this.text = text;
    this.$block = this.$nested = null;
  }
  get block() {
    this.$nested ?? this.nested;
    return this.$block;
  }
  set block(list) {
    this.nested;
    this.$block = list;
  }
  get nested() {
    return (this.$nested ??= this.inner === null ? (this.$block = [], []) : nestedRules(this.inner, this));
  }
}
export const parseRules = (text, depth = 0) => fromJSON(host('css.rules', text)).map(([selector, inner, media, whole, parts]) => new Rule(selector, inner, media, whole ?? `${selector} {${inner}}`, depth, parts));
// Rules that stand deeper in each other are left away, and those whose selectors would be longer.
const MOST_NESTED = 10;
const LONGEST_SELECTOR = 4_000;
// What a rule holds besides declarations (CSS Nesting 1, 3): rules of their own, whose selectors stand under it.
function nestedRules(inner, rule) {
  if (!inner.includes('{')) {
    rule.$block = parseDeclarations(inner);
    return [];
  }
  const plain_ = [];
  const nested = [];
  for (const part of splitTop(inner.replace(/\}/g, '};'), ';')) (part.includes('{') ? nested : plain_).push(part.replace(/^(\s*@(?:media|supports|layer|container)[^{]*)\{([^]*)\}\s*$/, '$1{ & {$2} }'));
  rule.$block = parseDeclarations(plain_.join(';'));
  if (rule.depth >= MOST_NESTED) {
    gap('style rules that stand deeper than 10 in each other');
    return [];
  }
  return parseRules(nested.join(' '), rule.depth + 1).flatMap((r) => (r.selector ? [under(r, rule), ...r.nested.map((n) => under(n, rule))] : []));
}
function under(r, { selector, media }) {
  const times = 1 + r.selector.split('&').length + r.selector.split(',').length;
  if (times * selector.length + r.selector.length > LONGEST_SELECTOR) {
    gap('style rules in each other whose selectors grow too long');
    return new Rule(':not(*)', '', media, '');
  }
  const own = splitTop(r.selector, ',').map((s) => (s.includes('&') ? s.trim().replace(/&/g, `:is(${selector})`) : `:is(${selector}) ${s.trim()}`)).join(', ');
  const rule = new Rule(own, '', media && r.media ? `${media} and ${r.media}` : media ?? r.media, `${own} {${r.inner}}`);
  rule.block = r.block;
  return rule;
}
// The sheets of a document: of style elements by their text, of links by what came.
const elementSheets = new WeakMap();
export function sheetOfElement(e) {
  if (isHTML(e, 'style') ? !isConnected(e) : !e.$sheetText) return null;
  const text = isHTML(e, 'style') ? textOf(e) : e.$sheetText;
  let made = elementSheets.get(e);
  if (!made || made.text !== text || made.count !== e.$sheetMade) {
    const sheet = { __proto__: CSSStyleSheet.prototype };
    sheetOf.set(sheet, { href: isHTML(e, 'link') ? e.href : null, owner: e, disabled: false, rules: parseRules(text) });
    made = { text, sheet, count: e.$sheetMade };
    elementSheets.set(e, made);
  }
  return made.sheet;
}
class StyleSheetList {
  constructor(key = undefined) {
    onlyHere(key);
  }
}
asList(StyleSheetList);
publishLoosely(StyleSheetList);
const sheetsOf = (root) => {
  const all = [...styling].filter((e) => (e.$name === 'style' || e.$sheetText) && e.$ns === HTML && contains(root, e));
  return inTreeOrder(all, root).map(sheetOfElement).filter(Boolean);
};
export const sheetTools = { adopted: new WeakMap() };
const adoptedOf = (root) => sheetTools.adopted.get(root) ?? sheetTools.adopted.set(root, arrayOf()).get(root);
export const documentSheets = {
  get styleSheets() {
    return (this.$sheets ??= live(StyleSheetList, () => sheetsOf(this)));
  },
  get adoptedStyleSheets() {
    return adoptedOf(this);
  },
  set adoptedStyleSheets(list) {
    sheetTools.adopted.set(this, arrayFrom(list));
    sheetChanged();
  },
};
extendInterface(Document, documentSheets);
mix(classes.HTMLStyleElement, { get sheet() { return sheetOfElement(this); }, get disabled() { return false; }, set disabled(v) {} });
mix(classes.HTMLLinkElement, { get sheet() { return hasAttr(this, 'disabled') ? null : sheetOfElement(this); }, get disabled() { return hasAttr(this, 'disabled'); }, set disabled(v) { toggle(this, 'disabled', v); } });

// How often scripts have changed what is in sheets.
const sheetChanges = { n: 0 };
const sheetChanged = () => {
  sheetChanges.n++;
  changes.n++;
};
// getComputedStyle: the cascade over the rules that are there, without layout.
let cascade = { at: -1, of: new Map() };
const rulesOf = new WeakMap(); // root → { made: what the sheets were made of, all, by }
// What the sheets of a root are made of: they are read anew only when this has changed.
function sourcesOf(root) {
  const out = [sheetChanges.n];
  for (const e of styling) if ((e.$sheetText || e.$name === 'style') && e.$p && rootOf(e) === root) out.push(e, e.$sheetMade, e.$sheetText, hasAttr(e, 'disabled'));
  for (const sheet of sheetTools.adopted.get(root) ?? []) out.push(sheet);
  return out;
}
// One selector of a rule, which is read when an element may match it.
class Selecting {
  constructor(text, block, at) {
    this.text = text;
    this.block = block;
    this.at = at;
    this.$list = this.$weight = null;
    this.slotted = text.includes('::slotted(') ? slottedBy(text) : null;
  }
  // A selector that is none matches nothing.
  get list() {
    if (this.$list === null) {
      try {
        this.$list = parseSelectors(this.text);
      } catch {
        this.$list = [];
      }
    }
    return this.$list;
  }
  get weight() {
    return (this.$weight ??= specificity(this.text));
  }
  // What an element that matches has for certain: an id, a class or a name, * if nothing is certain.
  key(quirks) {
    const last = /(?:^|[\s>+~])([a-zA-Z][-\w]*)?((?:[.#][a-zA-Z_][-\w]*)*)$/.exec(this.text);
    if (last && (last[1] || last[2])) {
      const named = quirks || !last[2] ? null : (/#[^.#]+/.exec(last[2]) ?? /\.[^.#]+/.exec(last[2]))[0];
      return named ?? (last[1] ? asciiLower(last[1]) : '*');
    }
    const { id, cls, tag } = this.list.length === 1 ? this.list[0][0].compound : {};
    return id !== undefined && !quirks ? `#${id}` : cls !== undefined && !quirks ? `.${cls}` : tag ?? '*';
  }
}
const mediaKnown = new Map();
const mediaFits = (text) => mediaKnown.get(text) ?? mediaKnown.set(text, host('media', text)).get(text);
const alike = (a, b) => a.length === b.length && a.every((x, i) => x === b[i]);
// The rules of a root's sheets in their order, and which of them an element may match, by its id, its classes and its name.
function currentRules(root) {
  if (cascade.at !== changes.n) cascade = { at: changes.n, of: new Map(), seen: new Set() };
  let there = rulesOf.get(root);
  if (there && cascade.seen.has(root)) return there;
  cascade.seen.add(root);
  const made = sourcesOf(root);
  if (there && alike(there.made, made)) return there;
  there = { made, all: [], by: { __proto__: null } };
  rulesOf.set(root, there);
  const quirks = (root.$t === DOCUMENT ? root : root.$d).$quirks;
  for (const sheet of [...sheetsOf(root), ...adoptedOf(root)]) {
    const s = sheetOf.get(sheet);
    if (s.disabled) continue;
    for (const r of s.rules.flatMap((one) => (one.inner?.includes('{') ? [one, ...one.nested] : [one]))) {
      if (!r.selector || (r.media && !mediaFits(r.media))) continue;
      const parts = quirks ? null : r.parts;
      const list = parts ?? splitTop(r.selector, ',');
      for (let i = 0; i < list.length; i += parts ? 2 : 1) {
        const rule = new Selecting(parts ? list[i] : list[i].trim(), r, there.all.length);
        there.all.push(rule);
        (there.by[parts ? list[i + 1] : rule.key(quirks)] ??= []).push(rule);
      }
    }
  }
  return there;
}
const byPlace = (a, b) => a.at - b.at;
function rulesFor(e, { by }) {
  const list = [...(by['*'] ?? []), ...(by[asciiLower(e.$name)] ?? [])];
  if (e.$a) {
    const id = getAttr(e, 'id');
    if (id && by[`#${id}`]) list.push(...by[`#${id}`]);
    const cls = getAttr(e, 'class');
    if (cls) for (const c of new Set(wordsOf(cls))) if (by[`.${c}`]) list.push(...by[`.${c}`]);
  }
  return list.sort(byPlace);
}
// What ::slotted() names, null for a selector without it.
function slottedBy(text) {
  const m = /::slotted\((.*)\)\s*$/.exec(text);
  return m && parseSelectors(m[1]);
}
const specificity = (s) => {
  const t = s.replace(/:where\([^)]*\)/g, '').replace(/::[-\w]+/g, ' x ');
  return (t.match(/#[-\w]+/g)?.length ?? 0) * 10000 + (t.match(/\.[-\w]+|\[[^\]]*\]|:(?!not|is|has)[-\w]+/g)?.length ?? 0) * 100 + (t.match(/(^|[\s>+~(])[a-zA-Z][-\w]*/g)?.length ?? 0);
};
const HIDDEN = new Set(['head', 'script', 'style', 'title', 'meta', 'link', 'template', 'base', 'noscript', 'param', 'datalist', 'area', 'noframes', 'rp']);
const BLOCK = new Set('address article aside blockquote body center dd details dialog dir div dl dt fieldset figcaption figure footer form h1 h2 h3 h4 h5 h6 header hgroup hr html legend listing main menu nav ol optgroup option p plaintext pre search section summary ul xmp'.split(' '));
const TABLE = { table: 'table', tr: 'table-row', td: 'table-cell', th: 'table-cell', tbody: 'table-row-group', thead: 'table-header-group', tfoot: 'table-footer-group', caption: 'table-caption', col: 'table-column', colgroup: 'table-column-group', li: 'list-item', button: 'inline-block', input: 'inline-block', select: 'inline-block', textarea: 'inline-block' };
const INHERITED = new Set(['color', 'visibility', 'cursor', 'direction', 'font-family', 'font-size', 'font-style', 'font-weight', 'letter-spacing', 'line-height', 'list-style-type', 'pointer-events', 'text-align', 'text-transform', 'white-space', 'word-break', 'writing-mode']);
const INITIAL = { 'text-transform': 'none', 'font-style': 'normal', 'letter-spacing': 'normal', 'object-fit': 'fill', 'user-select': 'auto', 'flex-direction': 'row', color: 'rgb(0, 0, 0)', visibility: 'visible', position: 'static', float: 'none', opacity: '1', 'font-size': '16px', 'font-weight': '400', 'background-color': 'rgba(0, 0, 0, 0)', 'background-image': 'none', overflow: 'visible', 'overflow-x': 'visible', 'overflow-y': 'visible', transform: 'none', 'z-index': 'auto', 'box-sizing': 'content-box', direction: 'ltr', 'text-align': 'start', 'white-space': 'normal', 'pointer-events': 'auto', cursor: 'auto', 'animation-name': 'none', 'animation-duration': '0s', 'animation-delay': '0s', 'transition-property': 'all', 'transition-duration': '0s', 'transition-delay': '0s', content: 'normal', width: 'auto', height: 'auto', 'line-height': 'normal', 'margin-top': '0px', 'margin-left': '0px', 'margin-right': '0px', 'margin-bottom': '0px', 'padding-top': '0px', 'padding-left': '0px', 'padding-right': '0px', 'padding-bottom': '0px' };
function declared(e) {
  const root = rootOf(e);
  const rules = currentRules(root);
  let block = cascade.of.get(e);
  if (block) return block;
  block = new Map();
  const put = (name, value, important, weight) => {
    const there = block.get(name);
    if (!there || (important && !there.important) || (important === there.important && weight >= there.weight)) block.set(name, { value, important, weight });
  };
  for (const { list, weight, block: r } of rulesFor(e, rules)) if (matches(e, list)) for (const [n, v, i] of r.block) put(n, v, i, weight);
  // A shadow tree styles its host, and what stands in its slots; what the outer tree says goes first (CSS Scoping, 3.2).
  const inner = -1e9;
  if (e.$root) for (const { list, weight, block: r } of currentRules(e.$root).all) if (r.selector.includes(':host') && matches(e, list, e.$root)) for (const [n, v, i] of r.block) put(n, v, i, weight + inner);
  if (e.$p?.$root) for (const { slotted, weight, block: r } of currentRules(e.$p.$root).all) if (slotted && matches(e, slotted)) for (const [n, v, i] of r.block) put(n, v, i, weight + inner);
  for (const [n, v, i] of parseDeclarations(getAttr(e, 'style') ?? '')) put(n, v, i, 1e9);
  cascade.of.set(e, block);
  return block;
}
const NAMED_COLOURS = { black: [0, 0, 0], white: [255, 255, 255], red: [255, 0, 0], green: [0, 128, 0], blue: [0, 0, 255], yellow: [255, 255, 0], gray: [128, 128, 128], grey: [128, 128, 128], orange: [255, 165, 0], purple: [128, 0, 128], navy: [0, 0, 128], teal: [0, 128, 128], lime: [0, 255, 0], silver: [192, 192, 192], maroon: [128, 0, 0] };
// CSS Color 4, 7.1: hue in degrees, saturation and lightness in percent.
const colourOfHue = (hue, saturation, lightness, alpha) => {
  const l = lightness / 100;
  const range = (saturation / 100) * Math.min(l, 1 - l);
  const part = (n) => {
    const k = (n + hue / 30) % 12;
    return Math.round(255 * (l - range * Math.max(-1, Math.min(k - 3, 9 - k, 1))));
  };
  const numbers = [part(0), part(8), part(4)].join(', ');
  return alpha >= 1 ? `rgb(${numbers})` : `rgba(${numbers}, ${alpha})`;
};
const computedColour = (text) => {
  const t = text.trim().toLowerCase();
  if (NAMED_COLOURS[t]) return `rgb(${NAMED_COLOURS[t].join(', ')})`;
  if (t === 'transparent') return 'rgba(0, 0, 0, 0)';
  const given = /^rgba?\(\s*(\d+)[\s,]+(\d+)[\s,]+(\d+)(?:\s*[,/]\s*([\d.]+))?\s*\)$/.exec(t);
  if (given) {
    const numbers = given.slice(1, 4).map((n) => Math.min(255, Number(n))).join(', ');
    return given[4] === undefined || Number(given[4]) >= 1 ? `rgb(${numbers})` : `rgba(${numbers}, ${Number(given[4])})`;
  }
  const turned = /^hsla?\(\s*([\d.]+)(?:deg)?[\s,]+([\d.]+)%[\s,]+([\d.]+)%(?:\s*[,/]\s*([\d.]+))?\s*\)$/.exec(t);
  if (turned) return colourOfHue(...turned.slice(1).map((n) => (n === undefined ? 1 : Number(n))));
  const m = /^#([0-9a-f]{3,4}|[0-9a-f]{6}|[0-9a-f]{8})$/.exec(t);
  if (!m) return text;
  const hex = m[1].length < 5 ? [...m[1]].map((c) => c + c).join('') : m[1];
  const [r, g, b, a] = hex.match(/../g).map((x) => parseInt(x, 16));
  return a === undefined || a === 255 ? `rgb(${r}, ${g}, ${b})` : `rgba(${r}, ${g}, ${b}, ${Math.round((a / 255) * 1000) / 1000})`;
};
late.colour = computedColour;
export function computed(e, name, depth = 0) {
  if (depth > 100) return '';
  let value = declared(e).get(name)?.value;
  const parent = isElement(e.$p) ? e.$p : null;
  const inherits_ = INHERITED.has(name) || name.startsWith('--');
  if (value !== undefined && value.includes('var(')) value = substitute(e, value, depth);
  if (value === undefined && name === 'white-space' && e.$ns === HTML && ['pre', 'listing', 'plaintext', 'textarea'].includes(e.$name)) return 'pre';
  if (value === 'inherit' || ((value === undefined || value === 'unset' || value === null) && inherits_)) return parent ? computed(parent, name, depth + 1) : INITIAL[name] ?? '';
  if (value === undefined || value === null || value === 'initial' || value === 'unset' || value === 'revert') {
    if (name === 'display') return e.$ns !== HTML ? 'inline' : HIDDEN.has(e.$name) || hasAttr(e, 'hidden') || (e.$name === 'dialog' && !hasAttr(e, 'open')) || (e.$name === 'input' && getAttr(e, 'type') === 'hidden') ? 'none' : BLOCK.has(e.$name) ? 'block' : TABLE[e.$name] ?? 'inline';
    return INITIAL[name] ?? '';
  }
  if (name === 'color' || name.endsWith('-color')) return computedColour(value);
  return value;
}
function substitute(e, value, depth) {
  for (let i = 0; i < 20 && value.includes('var('); i++) {
    const at = value.lastIndexOf('var(');
    let end = at + 4;
    for (let open = 1; end < value.length && open; end++) {
      if (value[end] === '(') open++;
      if (value[end] === ')') open--;
    }
    const [name, ...fallback] = splitTop(value.slice(at + 4, end - 1), ',');
    const v = computed(e, name.trim(), depth + 1) || (fallback.length ? fallback.join(',').trim() : null);
    if (v === null) return null;
    value = value.slice(0, at) + v + value.slice(end);
  }
  return value;
}
export const displayOf = (e) => computed(e, 'display');
export function computedStyle(e, pseudo) {
  if (!isElement(e)) throw new TypeError('this is no element');
  const value = (name) => (pseudo || !isConnected(e) ? '' : computed(e, name));
  return makeBlock(() => (pseudo || !isConnected(e) ? [] : Object.keys(INITIAL).map((n) => [n, computed(e, n), false])), () => {
    throw error('NoModificationAllowedError', 'computed styles cannot be changed');
  }, value);
}
export const CSS = {
  supports: (property, value) => (value === undefined ? /^\(?\s*[-\w]+\s*:/.test(`${property}`) : known(`${property}`.toLowerCase()) || `${property}`.startsWith('--')),
  escape: (text) => `${text}`.replace(/\0/g, '\ufffd').replace(/^-$|^(-?)([0-9])|[\x01-\x1f\x7f]|[^-\w\u0080-\uffff]/g, (m, dash, digit) => (m === '-' ? '\\-' : digit !== undefined ? `${dash}\\3${digit} ` : /[\x01-\x1f\x7f]/.test(m) ? `\\${m.charCodeAt(0).toString(16)} ` : `\\${m}`)),
  registerProperty() {},
};

// Rules that scripts put into sheets, which no element's text has.
export function addedRules(root) {
  const out = [];
  if (ruleOwners.size) for (const e of ruleOwners) if (isConnected(e)) out.push(...e.$rules);
  for (const sheet of sheetTools.adopted.get(root) ?? []) out.push(...sheetOf.get(sheet).rules.map((r) => r.text));
  return out.join('\n');
}

assign(late, { styleOf, displayOf });
