// Selectors 4: one engine for scripts and style sheets.

import { hasClass, hasWord } from './collections.js';
import {
  DOCUMENT, ELEMENT, HTML, allWithId, asciiLower, childElements, contains, elementsNamed, elementsOf, error, following, getAttr,
  hasAttr, isElement, isHTML, isText,
} from './nodes.js';

const syntax = (text) => error('SyntaxError', `"${text}" is no selector`);
const IDENT = /(?:--|-?(?:[_a-zA-Z\u0080-\u{10ffff}]|\\(?:[0-9a-fA-F]{1,6}\s?|[^\n])))(?:[-_a-zA-Z0-9\u0080-\u{10ffff}]|\\(?:[0-9a-fA-F]{1,6}\s?|[^\n]))*/uy;
const unescape_ = (text) => text.replace(/\\(?:([0-9a-fA-F]{1,6})\s?|([^\n]))/gu, (_, hex, char) => {
  if (!hex) return char;
  const code = parseInt(hex, 16);
  return code === 0 || code > 0x10ffff || (code >= 0xd800 && code < 0xe000) ? '\ufffd' : String.fromCodePoint(code);
});

// A selector list is a list of complex selectors; one is a list of { compound, combinator }, the last one first. A compound is a list of
// tests; id, cls and tag are names that what it matches has for certain.
const known = new Map();
export function parseSelectors(text, relative = false) {
  const key = relative ? `>${text}` : text;
  let list = known.get(key);
  if (!list) {
    const p = { text, at: 0 };
    list = selectorList(p, relative);
    if (p.at < text.length) throw syntax(text);
    if (known.size > 2000) known.clear();
    known.set(key, list);
  }
  return list;
}
const space = (p) => {
  const from = p.at;
  while (/[\t\n\f\r ]/.test(p.text[p.at] ?? '')) p.at++;
  if (p.text.startsWith('/*', p.at)) {
    const end = p.text.indexOf('*/', p.at + 2);
    p.at = end < 0 ? p.text.length : end + 2;
    space(p);
  }
  return p.at > from;
};
function ident(p) {
  IDENT.lastIndex = p.at;
  const m = IDENT.exec(p.text);
  if (!m) return null;
  p.at = IDENT.lastIndex;
  return unescape_(m[0]);
}
function selectorList(p, relative = false, forgiving = false) {
  const list = [];
  space(p);
  if (forgiving && (p.at >= p.text.length || p.text[p.at] === ')')) return list;
  for (;;) {
    const from = p.at;
    try {
      list.push(complex(p, relative));
      space(p);
      if (p.at < p.text.length && p.text[p.at] !== ',' && p.text[p.at] !== ')') throw syntax(p.text);
    } catch (e) {
      if (!forgiving) throw e;
      p.at = skipTo(p.text, from);
    }
    if (p.text[p.at] !== ',') return list;
    p.at++;
    space(p);
  }
}
function skipTo(text, at) {
  for (let depth = 0; at < text.length; at++) {
    const c = text[at];
    if (c === '\\') at++;
    else if (c === '(' || c === '[') depth++;
    else if (c === ']' || c === ')') {
      if (depth === 0) return at;
      depth--;
    } else if (c === ',' && depth === 0) return at;
  }
  return at;
}
const MOST_PARTS = 1000;
function complex(p, relative) {
  const parts = [];
  space(p);
  let combinator = null;
  if (relative) {
    combinator = ' ';
    if ('>+~'.includes(p.text[p.at] ?? '?')) combinator = p.text[p.at++];
    space(p);
  }
  for (;;) {
    if (parts.push({ compound: compound(p), combinator }) > MOST_PARTS) throw syntax('a selector of more than 1000 parts');
    const spaced = space(p);
    const c = p.text[p.at];
    if (c === undefined || c === ',' || c === ')') break;
    if (c === '>' || c === '+' || c === '~') {
      combinator = c;
      p.at++;
      space(p);
    } else if (spaced) combinator = ' ';
    else throw syntax(p.text);
  }
  return parts.reverse();
}
function compound(p) {
  const tests = [];
  const star = p.text[p.at] === '*';
  let name = null;
  if (star) p.at++;
  else name = ident(p);
  if (p.text[p.at] === '|' && p.text[p.at + 1] !== '=') { // a namespace: only "any" and "none" are there
    if (name !== null) throw syntax(p.text);
    p.at++;
    if (p.text[p.at] === '*') p.at++;
    else {
      name = ident(p);
      if (name === null) throw syntax(p.text);
      if (star) name = name;
      else tests.push((e) => e.$ns === null);
    }
    if (name !== null) tests.push(typeTest(name));
  } else if (name !== null) {
    tests.tag = asciiLower(name);
    tests.push(typeTest(name));
  }
  let any = star || name !== null;
  for (;;) {
    const c = p.text[p.at];
    if (c === '#') {
      p.at++;
      const id = ident(p);
      if (id === null) throw syntax(p.text);
      tests.id ??= id;
      tests.push((e) => getAttr(e, 'id') === id || (e.$d.$quirks && asciiLower(getAttr(e, 'id') ?? '\0') === asciiLower(id)));
    } else if (c === '.') {
      p.at++;
      const cls = ident(p);
      if (cls === null) throw syntax(p.text);
      tests.cls ??= cls;
      tests.push((e) => hasClass(e, cls, e.$d.$quirks));
    } else if (c === '[') tests.push(attributeTest(p));
    else if (c === ':') {
      const test = pseudo(p);
      if (test) tests.push(test);
    } else if (c === '&') {
      p.at++;
      tests.push((e, scope) => e === scope);
    } else break;
    any = true;
  }
  if (!any) throw syntax(p.text);
  return tests;
}
const typeTest = (name) => {
  const lower = asciiLower(name);
  return (e) => e.$name === (e.$ns === HTML && e.$d.$html ? lower : name);
};
const IGNORE_CASE = new Set('accept accept-charset align alink axis bgcolor charset checked clear codetype color compact declare defer dir direction disabled enctype face frame hreflang http-equiv lang language link media method multiple nohref noresize noshade nowrap readonly rel rev rules scope scrolling selected shape target text type valign valuetype vlink'.split(' '));
function attributeTest(p) {
  p.at++;
  space(p);
  if (p.text[p.at] === '|') p.at++;
  else if (p.text.startsWith('*|', p.at)) p.at += 2;
  const name = ident(p);
  if (name === null) throw syntax(p.text);
  if (p.text[p.at] === '|' && p.text[p.at + 1] !== '=') throw syntax(p.text);
  space(p);
  const lowerName = asciiLower(name);
  const find = (e) => {
    const given = e.$a;
    if (!given) return null;
    const wanted = e.$ns === HTML && e.$d.$html ? lowerName : name;
    for (let i = 0; i < given.length; i++) if (given[i].local === wanted || given[i].name === wanted) return given[i].value;
    return null;
  };
  if (p.text[p.at] === ']') {
    p.at++;
    return (e) => find(e) !== null;
  }
  let op = p.text[p.at];
  if (op === '=') p.at++;
  else if ('~|^$*'.includes(op ?? '?') && p.text[p.at + 1] === '=') p.at += 2;
  else throw syntax(p.text);
  space(p);
  let value;
  const quote = p.text[p.at];
  if (quote === '"' || quote === "'") {
    let end = p.at + 1;
    while (end < p.text.length && p.text[end] !== quote) end += p.text[end] === '\\' ? 2 : 1;
    value = unescape_(p.text.slice(p.at + 1, end).replace(/\\\n/g, ''));
    p.at = Math.min(end + 1, p.text.length);
  } else {
    value = ident(p);
    if (value === null) throw syntax(p.text);
  }
  space(p);
  let flag = null;
  if (/[iIsS]/.test(p.text[p.at] ?? '')) {
    flag = p.text[p.at++].toLowerCase();
    space(p);
  }
  if (p.at >= p.text.length) { // the end of the text closes what is open
  } else if (p.text[p.at] !== ']') throw syntax(p.text);
  else p.at++;
  const compare = (a, v) => {
    switch (op) {
      case '=': return a === v;
      case '~': return hasWord(a, v);
      case '|': return a === v || a.startsWith(`${v}-`);
      case '^': return v !== '' && a.startsWith(v);
      case '$': return v !== '' && a.endsWith(v);
      default: return v !== '' && a.includes(v);
    }
  };
  const lower = asciiLower(value);
  const ignores = IGNORE_CASE.has(lowerName);
  return (e) => {
    const a = find(e);
    if (a === null) return false;
    const loose = flag === 'i' || (flag !== 's' && ignores && e.$ns === HTML && e.$d.$html);
    return loose ? compare(asciiLower(a), lower) : compare(a, value);
  };
}
const argument = (p, read) => {
  const out = read();
  space(p);
  if (p.at < p.text.length) {
    if (p.text[p.at] !== ')') throw syntax(p.text);
    p.at++;
  }
  return out;
};
const rawArgument = (p) => {
  const end = skipTo(p.text.replaceAll(',', ' '), p.at);
  const text = p.text.slice(p.at, end).trim();
  p.at = Math.min(end + 1, p.text.length);
  return text;
};
function nth(text, p) {
  const t = text.toLowerCase().trim();
  if (t === 'odd') return [2, 1];
  if (t === 'even') return [2, 0];
  let m = /^([+-]?\d+)$/.exec(t);
  if (m) return [0, Number(m[1])];
  m = /^([+-]?\d*)n(?:\s*([+-])\s*(\d+))?$/.exec(t);
  if (!m) throw syntax(p.text);
  const a = m[1] === '' || m[1] === '+' ? 1 : m[1] === '-' ? -1 : Number(m[1]);
  return [a, m[3] ? Number(m[2] + m[3]) : 0];
}
const fits = ([a, b], i) => (a === 0 ? i === b : (i - b) / a >= 0 && (i - b) % a === 0);
const previousElement = (e) => {
  for (let n = e.$v; n; n = n.$v) if (n.$t === ELEMENT) return n;
  return null;
};
const nextElement = (e) => {
  for (let n = e.$n; n; n = n.$n) if (n.$t === ELEMENT) return n;
  return null;
};
const place_ = (e, way, counts) => {
  let i = 1;
  for (let n = way(e); n; n = way(n)) if (counts(n)) i++;
  return i;
};
const sameType = (e) => (n) => n.$name === e.$name && n.$ns === e.$ns;
const isFormControl = (e) => e.$ns === HTML && (['button', 'input', 'select', 'textarea', 'optgroup', 'option', 'fieldset'].includes(e.$name) || e.$definition?.form === true);
export const isDisabled = (e) => {
  if (!isFormControl(e)) return false;
  if (hasAttr(e, 'disabled')) return true;
  if (e.$name === 'option') return isHTML(e.$p, 'optgroup') && hasAttr(e.$p, 'disabled');
  for (let n = e.$p; isElement(n); n = n.$p) {
    if (!isHTML(n, 'fieldset') || !hasAttr(n, 'disabled')) continue;
    const legend = childElements(n).find((c) => isHTML(c, 'legend'));
    if (!legend || !contains(legend, e)) return true;
  }
  return false;
};
const TYPED = new Set(['text', 'search', 'url', 'tel', 'email', 'password', 'date', 'month', 'week', 'time', 'datetime-local', 'number']);
const isWritable = (e) => ((isHTML(e, 'textarea') || (isHTML(e, 'input') && TYPED.has(e.type))) && !hasAttr(e, 'readonly') && !isDisabled(e)) || (e.$ns === HTML && Boolean(e.isContentEditable));
export const states = { radioChosen: () => true, defaultButton: () => false, focused: null, defined: () => true, checked: () => false, valid: () => null, target: null };
const SIMPLE = {
  root: (e) => e.$p !== null && e.$p.$t === DOCUMENT,
  empty: (e) => {
    for (let c = e.$f; c; c = c.$n) if (c.$t === ELEMENT || (isText(c) && c.$data !== '')) return false;
    return true;
  },
  'first-child': (e) => e.$p !== null && !previousElement(e),
  'last-child': (e) => e.$p !== null && !nextElement(e),
  'only-child': (e) => e.$p !== null && !previousElement(e) && !nextElement(e),
  'first-of-type': (e) => e.$p !== null && place_(e, previousElement, sameType(e)) === 1,
  'last-of-type': (e) => e.$p !== null && place_(e, nextElement, sameType(e)) === 1,
  'only-of-type': (e) => e.$p !== null && place_(e, previousElement, sameType(e)) === 1 && place_(e, nextElement, sameType(e)) === 1,
  scope: (e, scope) => (scope && scope.$t === ELEMENT ? e === scope : e.$p !== null && e.$p.$t === DOCUMENT),
  enabled: (e) => isFormControl(e) && !isDisabled(e),
  disabled: isDisabled,
  checked: (e) => states.checked(e),
  link: (e) => (isHTML(e, 'a') || isHTML(e, 'area')) && hasAttr(e, 'href'),
  'any-link': (e) => (isHTML(e, 'a') || isHTML(e, 'area')) && hasAttr(e, 'href'),
  visited: () => false,
  hover: () => false,
  active: () => false,
  focus: (e) => states.focused === e,
  'focus-visible': (e) => states.focused === e,
  'focus-within': (e) => Boolean(states.focused) && contains(e, states.focused),
  target: (e) => states.target === e,
  required: (e) => ['input', 'select', 'textarea'].includes(e.$name) && e.$ns === HTML && hasAttr(e, 'required'),
  optional: (e) => ['input', 'select', 'textarea', 'button', 'output'].includes(e.$name) && e.$ns === HTML && !hasAttr(e, 'required') && e.$name !== 'output',
  'read-write': isWritable,
  'read-only': (e) => e.$ns === HTML && !isWritable(e),
  'placeholder-shown': (e) => (isHTML(e, 'input') || isHTML(e, 'textarea')) && hasAttr(e, 'placeholder') && e.value === '',
  valid: (e) => states.valid(e) === true,
  invalid: (e) => states.valid(e) === false,
  default: (e) => (isHTML(e, 'option') ? hasAttr(e, 'selected') : isHTML(e, 'input') && hasAttr(e, 'checked') && ['checkbox', 'radio'].includes(e.type)) || states.defaultButton(e),
  indeterminate: (e) => (isHTML(e, 'input') && (e.type === 'checkbox' ? Boolean(e.indeterminate) : e.type === 'radio' && !states.radioChosen(e))) || (isHTML(e, 'progress') && !hasAttr(e, 'value')),
  defined: (e) => states.defined(e),
  open: (e) => (isHTML(e, 'details') || isHTML(e, 'dialog')) && hasAttr(e, 'open'),
  modal: (e) => states.modal(e),
  fullscreen: () => false,
  'popover-open': (e) => states.popover(e),
  autofill: () => false,
  playing: () => false,
  paused: (e) => isHTML(e, 'video') || isHTML(e, 'audio'),
  host: (e, scope) => Boolean(e.$root) && e.$root === scope,
};
const ELEMENTS_ONLY = new Set(['before', 'after', 'first-line', 'first-letter', 'placeholder', 'selection', 'marker', 'backdrop', 'file-selector-button', 'cue', 'target-text', 'grammar-error', 'spelling-error', 'details-content']);
function pseudo(p) {
  p.at++;
  if (p.text[p.at] === ':') {
    p.at++;
    const name = ident(p)?.toLowerCase();
    if (p.text[p.at] === '(') {
      p.at++;
      rawArgument(p);
      if (!['slotted', 'part', 'highlight', 'cue', 'view-transition-group'].includes(name)) throw syntax(p.text);
      return () => false;
    }
    if (!ELEMENTS_ONLY.has(name) && !name?.startsWith('-webkit-')) throw syntax(p.text);
    return () => false;
  }
  const name = ident(p)?.toLowerCase();
  if (name === undefined) throw syntax(p.text);
  if (p.text[p.at] !== '(') {
    if (Object.hasOwn(SIMPLE, name)) return SIMPLE[name];
    if (['before', 'after', 'first-line', 'first-letter'].includes(name)) return () => false;
    throw syntax(p.text);
  }
  p.at++;
  switch (name) {
    case 'is':
    case 'where':
    case 'matches':
    case '-webkit-any': {
      const list = argument(p, () => selectorList(p, false, true));
      return (e, scope) => matches(e, list, scope);
    }
    case 'not': {
      const list = argument(p, () => selectorList(p));
      return (e, scope) => !matches(e, list, scope);
    }
    case 'has': {
      const list = argument(p, () => selectorList(p, true));
      return (e, scope) => list.some((c) => has(e, c, scope));
    }
    case 'nth-child':
    case 'nth-last-child':
    case 'nth-of-type':
    case 'nth-last-of-type': {
      let text = rawArgument(p);
      let of = null;
      const m = /^(.*?)\s+of\s+(.*)$/s.exec(text);
      if (m && name.endsWith('child')) {
        text = m[1];
        of = parseSelectors(m[2]);
      }
      const formula = nth(text, p);
      const way = name.includes('last') ? nextElement : previousElement;
      if (name.endsWith('type')) return (e) => e.$p !== null && fits(formula, place_(e, way, sameType(e)));
      return (e, scope) => e.$p !== null && (!of || matches(e, of, scope)) && fits(formula, place_(e, way, of ? (n) => matches(n, of, scope) : () => true));
    }
    case 'lang': {
      const langs = rawArgument(p).split(',').map((l) => l.trim().replace(/^["']|["']$/g, '').toLowerCase());
      return (e) => {
        for (let n = e; isElement(n); n = n.$p) {
          const lang = getAttr(n, 'lang') ?? getAttr(n, 'xml:lang');
          if (lang !== null) return langs.some((l) => lang.toLowerCase() === l || lang.toLowerCase().startsWith(`${l}-`));
        }
        return false;
      };
    }
    case 'dir': {
      const dir = rawArgument(p);
      return (e) => {
        for (let n = e; isElement(n); n = n.$p) if (/^(ltr|rtl)$/i.test(getAttr(n, 'dir') ?? '')) return getAttr(n, 'dir').toLowerCase() === dir;
        return dir === 'ltr';
      };
    }
    case 'host':
    case 'host-context': {
      const list = argument(p, () => selectorList(p));
      return (e, scope) => Boolean(e.$root) && e.$root === scope && matches(e, list, scope);
    }
    case 'state': {
      const state = rawArgument(p).trim();
      return (e) => Boolean(e.$states?.has(state));
    }
  }
  throw syntax(p.text);
}
const test = (e, tests, scope) => {
  for (const t of tests) if (!t(e, scope)) return false;
  return true;
};
// "match a complex selector against an element", from the right. Of long selectors is remembered where a part did not match:
// the ways there are many.
const LONG = 4;
function matchesFrom(e, parts, i, scope, relativeTo = null, failed = parts.length >= LONG ? [] : null) {
  if (failed === null || i === 0) return matchesHere(e, parts, i, scope, relativeTo, failed);
  if (failed[i]?.has(e)) return false;
  if (matchesHere(e, parts, i, scope, relativeTo, failed)) return true;
  (failed[i] ??= new Set()).add(e);
  return false;
}
function matchesHere(e, parts, i, scope, relativeTo, failed) {
  if (!test(e, parts[i].compound, scope)) return false;
  const { combinator } = parts[i];
  if (combinator === null) return true;
  if (i + 1 === parts.length) { // a relative selector: what comes before is the anchor
    switch (combinator) {
      case ' ': return e !== relativeTo && contains(relativeTo, e);
      case '>': return e.$p === relativeTo;
      case '+': return previousElement(e) === relativeTo;
      default: {
        for (let n = previousElement(e); n; n = previousElement(n)) if (n === relativeTo) return true;
        return false;
      }
    }
  }
  switch (combinator) {
    case ' ':
      for (let n = e.$p; isElement(n); n = n.$p) if (matchesFrom(n, parts, i + 1, scope, relativeTo, failed)) return true;
      return false;
    case '>': return isElement(e.$p) && matchesFrom(e.$p, parts, i + 1, scope, relativeTo, failed);
    case '+': {
      const n = previousElement(e);
      return n !== null && matchesFrom(n, parts, i + 1, scope, relativeTo, failed);
    }
    default:
      for (let n = previousElement(e); n; n = previousElement(n)) if (matchesFrom(n, parts, i + 1, scope, relativeTo, failed)) return true;
      return false;
  }
}
export function matches(e, list, scope = null) {
  for (const parts of list) if (matchesFrom(e, parts, 0, scope)) return true;
  return false;
}
function has(anchor, parts, scope) {
  const first = parts[parts.length - 1].combinator;
  const top = first === '+' || first === '~' ? anchor.$p : anchor;
  if (!top) return false;
  for (let n = top.$f; n; n = following(n, top)) if (n.$t === ELEMENT && matchesFrom(n, parts, 0, scope, anchor)) return true;
  return false;
}
// "scope-match a selectors string" (DOM, 1.3).
export function query(root, text, one) {
  const list = parseSelectors(text);
  const { $quirks, $html } = root.$t === DOCUMENT ? root : root.$d;
  const { id, tag: name } = list.length === 1 ? list[0][0].compound : {};
  const all = id !== undefined && !$quirks ? allWithId(root, id) : (name !== undefined && $html && elementsNamed(root, name)) || elementsOf(root);
  const found = [];
  const heads = list.map((selector) => selector[0].compound);
  for (let i = 0; i < all.length; i++) {
    const e = all[i];
    for (let k = 0; k < heads.length; k++) {
      // What says at once that the selector does not match is looked at first.
      const { tag, cls } = heads[k];
      if (tag !== undefined && e.$name !== tag && $html && e.$ns === HTML) continue;
      if (cls !== undefined && (e.$class === undefined || (!$quirks && !e.$class.includes(cls)))) continue;
      if (!matchesFrom(e, list[k], 0, root)) continue;
      if (one) return [e];
      found.push(e);
      break;
    }
  }
  return found;
}
