// What a person does with a page: clicking, typing, choosing, submitting. Each says why it could not be done, '' where it was.

import { apply, fromJSON, toJSON } from '../shared/primordials.js';
import { commands } from '../shared/commands.js';
import { fire, dispatch, listenersOf, trusted } from '../shared/event.js';
import { focusOn } from './htmlelements.js';
import { current } from './node.js';
import { ELEMENT, changes, descendants, getAttr, hasAttr, isConnected, isHTML, textOf } from './nodes.js';
import { isDisabled, query } from './selectors.js';
import { displayOf } from './styles.js';

const plain = (text) => text.replace(/\s+/g, ' ').trim();
const isShown = (e) => {
  for (let n = e; n && n.$t === ELEMENT; n = n.$p ?? null) if (displayOf(n) === 'none') return false;
  return isConnected(e);
};
const USABLE = new Set(['a', 'button', 'input', 'select', 'textarea', 'summary', 'label', 'option']);
const isUsable = (e) => USABLE.has(e.$name) || ['button', 'link', 'tab', 'menuitem', 'switch', 'checkbox', 'radio', 'option'].includes(getAttr(e, 'role') ?? '');
const nameOfControl = (e) => [getAttr(e, 'aria-label'), isHTML(e, 'input') ? getAttr(e, 'value') : null, getAttr(e, 'placeholder'), getAttr(e, 'name'), getAttr(e, 'title')];
// Persons see no bounds of shadow trees.
function* everything(root) {
  for (const n of descendants(root)) {
    yield n;
    if (n.$root) yield* everything(n.$root);
  }
}
// The elements that a selector or a visible text stands for, the most fitting first.
function find(on, fits = () => true) {
  const all = [...everything(current.document)].filter((e) => e.$t === ELEMENT);
  let chosen = [];
  try {
    for (const root of [current.document, ...all.map((e) => e.$root).filter(Boolean)]) chosen.push(...query(root, on, true));
  } catch {
    // no selector
  }
  chosen = chosen.filter(fits);
  if (chosen.length) return chosen;
  const wanted = plain(on);
  const byText = all.filter((e) => fits(e) && isShown(e) && (plain(textOf(e)) === wanted || nameOfControl(e).some((n) => n !== null && plain(n) === wanted)));
  // Of nested elements with the same text the one that can be used, or else the innermost.
  return [...byText.filter(isUsable), ...byText.filter((e) => !isUsable(e)).reverse()];
}
const isField = (e) => isHTML(e, 'input') || isHTML(e, 'textarea') || isHTML(e, 'select') || hasAttr(e, 'contenteditable');
// A field by selector, by its label or by what it calls itself.
function findField(on) {
  const [direct] = find(on, isField);
  if (direct) return direct;
  const wanted = plain(on);
  for (const label of everything(current.document)) if (isHTML(label, 'label') && plain(textOf(label)) === wanted && label.control) return label.control;
  return null;
}
const mouse = (e, type, more = {}) => dispatch(e, trusted(new global.PointerEvent(type, { bubbles: true, cancelable: true, composed: true, view: global, detail: 1, ...more })));
function press(e) {
  for (const type of ['pointerdown', 'mousedown']) mouse(e, type, { buttons: 1 });
  focusOn(e);
  for (const type of ['pointerup', 'mouseup']) mouse(e, type);
  mouse(e, 'click');
}
function fill(e, text) {
  focusOn(e);
  const input = (data) => dispatch(e, trusted(new global.InputEvent('input', { bubbles: true, composed: true, data, inputType: 'insertText' })));
  if (hasAttr(e, 'contenteditable')) {
    e.textContent = text;
    return void input(text);
  }
  // Past what scripts may have put over the property, as a keyboard does.
  const proto = isHTML(e, 'textarea') ? global.HTMLTextAreaElement.prototype : global.HTMLInputElement.prototype;
  const { set } = Object.getOwnPropertyDescriptor(proto, 'value');
  const key = (type, c) => dispatch(e, trusted(new global.KeyboardEvent(type, { bubbles: true, cancelable: true, composed: true, key: c })));
  let so = '';
  for (const c of text) {
    const goes = key('keydown', c);
    if (goes) {
      so += c;
      apply(set, e, [so]);
      e.$typed = true;
      input(c);
    }
    key('keyup', c);
  }
  fire(e, 'change', { bubbles: true });
}
function choose(e, option) {
  if (isHTML(e, 'input')) return press(e);
  const wanted = plain(option);
  const found = [...e.options].find((o) => plain(o.text) === wanted || o.value === option);
  if (!found) return `there is no option ${option}`;
  e.value = found.value;
  changes.n++;
  fire(e, 'input', { bubbles: true, composed: true });
  fire(e, 'change', { bubbles: true });
}
// Buttons, tabs, menu entries, summaries and what opens dialogs: what is pressed beside links and fields. Not what sends a form, which may change
// something at a server, nor what the page asks to leave alone.
const PRESSED = new Set(['button', 'tab', 'menuitem', 'menuitemcheckbox', 'menuitemradio', 'switch']);
const OPENERS = ['aria-haspopup', 'popovertarget', 'commandfor'];
function isPressed(e) {
  if (isHTML(e, 'a') && hasAttr(e, 'href') && !(getAttr(e, 'href').startsWith('#') && hasAttr(e, 'role'))) return false;
  if (isHTML(e, 'button')) return e.type === 'button' || (e.type === 'submit' && !e.form);
  if (isHTML(e, 'input')) return e.type === 'button';
  return isHTML(e, 'summary') || PRESSED.has(getAttr(e, 'role') ?? '') || OPENERS.some((name) => hasAttr(e, name));
}
const parentOf = (n) => n.$p ?? n.$host ?? null;
function isLeftAlone(e) {
  for (let n = e; n; n = parentOf(n)) if (n.$t === ELEMENT && getAttr(n, 'data-tachyform-press') === 'no') return true;
  return false;
}
// The functions that a press calls: listeners, and what libraries that listen further up keep at the element itself.
const HEARS = /^(?:click|pointer|mouse|touch)/;
const functionText = Function.prototype.toString;
function scriptOf(e) {
  const texts = [];
  const add = (f) => {
    if (typeof f !== 'function') return;
    texts.push(apply(functionText, f, []));
    const inner = Object.getOwnPropertyDescriptor(f, 'value')?.value;
    if (typeof inner === 'function') texts.push(apply(functionText, inner, []));
  };
  for (const { type, callback } of listenersOf.get(e) ?? []) if (HEARS.test(type)) add(callback);
  if (hasAttr(e, 'onclick')) texts.push(getAttr(e, 'onclick'));
  for (const key of Reflect.ownKeys(e)) {
    const value = Object.getOwnPropertyDescriptor(e, key).value;
    add(value);
    if (typeof value === 'object' && value !== null && !(value instanceof global.Node))
      for (const name of Reflect.ownKeys(value)) add(Object.getOwnPropertyDescriptor(value, name).value);
  }
  return texts.join('\n');
}
// Where an element stands, by the names of those around it.
function placeOf(e) {
  const names = [];
  for (let n = e; n; n = parentOf(n)) if (n.$t === ELEMENT) names.unshift(n.$name);
  return names.join('>');
}
const MARKS = /^(?:id|aria-controls|popovertarget|commandfor|data-.*)$/;
const calledSo = (e) => (getAttr(e, 'aria-label') || plain(textOf(e)) || nameOfControl(e).find(Boolean) || getAttr(e, 'id') || e.$name).slice(0, 60);
const keyOf = (e) => `${placeOf(e)} ${getAttr(e, 'id') ?? ''} ${calledSo(e)}`;
const pressable = () => [...everything(current.document)].filter((e) => e.$t === ELEMENT && isPressed(e) && !isDisabled(e) && !isLeftAlone(e));
const hash = (text) => {
  let h = 5381;
  for (let i = 0; i < text.length; i++) h = (Math.imul(h, 33) + text.charCodeAt(i)) | 0;
  return h;
};
const MOST_PRESSED = 20;
const SAME_UNSCRIPTED = 3;
const MOST_KEYS = 6;
// What can be pressed, [keys, shape, name] each; of those with the same place and script one, and of those whose script is not known, since it
// listens further up, the first few. Which of several is shown is found out once it is pressed: that takes styles.
commands.pressable = () => {
  const list = [];
  const seen = new Map();
  const rows = new Map();
  for (const e of pressable()) {
    const script = scriptOf(e);
    const place = `${placeOf(e)} ${getAttr(e, 'role') ?? ''}`;
    const marks = script ? '' : e.getAttributeNames().filter((name) => MARKS.test(name)).map((name) => `${name}=${getAttr(e, name)}`).join(' ');
    const same = `${place} ${hash(script)}`;
    const shape = `${same} ${hash(marks)}`;
    const known = seen.get(same) ?? [];
    if (known.includes(shape) || known.length === SAME_UNSCRIPTED) {
      const row = rows.get(shape);
      if (row && row[0].length < MOST_KEYS) row[0].push(keyOf(e));
      continue;
    }
    if (list.length === MOST_PRESSED) continue;
    seen.set(same, [...known, shape]);
    const row = [[keyOf(e)], shape, calledSo(e)];
    rows.set(shape, row);
    list.push(row);
  }
  for (const row of list) row[0] = toJSON(row[0]);
  return list.length ? toJSON(list) : '';
};
commands.act = (kind, on, text) => {
  if (kind === 'press') {
    const keys = fromJSON(on);
    const e = pressable().find((x) => keys.includes(keyOf(x)) && isShown(x));
    if (!e) return 'nothing';
    press(e);
    return '';
  }
  if (kind === 'click') {
    const [e] = find(on);
    if (!e) return 'nothing';
    if (isDisabled(e)) return `${on} is disabled`;
    press(e);
    return '';
  }
  if (kind === 'follow') {
    const withoutSlash = (url) => url.replace(/\/$/, '');
    const link = [...everything(current.document)].find((e) => isHTML(e, 'a') && hasAttr(e, 'href') && withoutSlash(e.href) === withoutSlash(on) && isShown(e));
    if (!link) return 'nothing';
    press(link);
    return '';
  }
  if (kind === 'submit') {
    const forms = on ? find(on).map((e) => (isHTML(e, 'form') ? e : e.closest('form'))).filter(Boolean) : [...everything(current.document)].filter((e) => isHTML(e, 'form'));
    if (!forms.length) return on ? `there is no form ${on}` : 'there is no form';
    forms[0].requestSubmit();
    return '';
  }
  const field = findField(on);
  if (!field) return `there is no field ${on}`;
  if (isDisabled(field)) return `${on} is disabled`;
  if (kind === 'type') {
    fill(field, text);
    return '';
  }
  return choose(field, text) ?? '';
};
