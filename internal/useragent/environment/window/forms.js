// HTML, 4.10: forms: values, checkedness, options, owners, validity, submission.

import { ScriptArray, TypeError, defineProperty, isA, saved } from '../shared/primordials.js';
import { MAKE, attribute, must, onlyHere, publish, publishLoosely } from '../shared/webidl.js';
import { Date_ } from '../shared/time.js';
import { fire, dispatch, trusted } from '../shared/event.js';
import { queueTask } from '../shared/timers.js';
import { encodeUTF8, keepBytes } from '../shared/bytes.js';
import { URL, parsedURL } from '../shared/url.js';
import { appendEntry, entriesOfForm, extractForm, formEntries } from '../shared/formdata.js';
import { HTMLCollection, RadioNodeList, elements, elementsAs, listOf, liveNodes, ownerOf } from './collections.js';
import { classes, opens, toggle } from './htmlelements.js';
import { boundsOf, isAligned, kindOf, modeOf, sanitize, stepBase, stepOf, stepped } from './inputtypes.js';
import { hooks, isWithin, navigate } from './navigation.js';
import { current, elementById, mix } from './node.js';
import {
  HTML, append, asciiLower, changes, contains, descendants, elementsOf, error, following, getAttr, hasAttr,
  isConnected, isElement, isHTML, isNode, isText, makeElement, namesGiven, onAttribute, onCloned, preInsert, remove,
  replace, replaceAllWithText, rootOf, setAttr, textOf,
} from './nodes.js';
import { isDisabled, states } from './selectors.js';
import { FormDataEvent } from './uievents.js';

const C = classes;
const LISTED = new Set(['button', 'fieldset', 'input', 'object', 'output', 'select', 'textarea']);
const isListed = (e) => e.$ns === HTML && (LISTED.has(e.$name) || e.$definition?.constructor.formAssociated === true);
// "form owner" (4.10.17.3).
export function formOwner(e) {
  const id = getAttr(e, 'form');
  if (id !== null && isConnected(e)) {
    const f = elementById(rootOf(e), id);
    return isHTML(f, 'form') ? f : null;
  }
  for (let n = e.$p; isElement(n); n = n.$p) if (isHTML(n, 'form')) return n;
  return null;
}
const TYPE_NAMES = new Set('hidden text search tel url email password date month week time datetime-local number range color checkbox radio file submit image reset button'.split(' '));
const labelsOf = (e) => liveNodes(() => elementsOf(rootOf(e)).filter((n) => isHTML(n, 'label') && n.control === e));
const typeOf = (input) => {
  const type = asciiLower(getAttr(input, 'type') ?? '');
  return TYPE_NAMES.has(type) ? type : 'text';
};
export const checkedness = (e) => e.$checked ?? hasAttr(e, 'checked');
function check(e, on) {
  e.$checked = on;
  changes.n++;
  if (!on || typeOf(e) !== 'radio') return;
  const name = getAttr(e, 'name');
  if (!name) return;
  const owner = formOwner(e);
  const root = rootOf(e);
  for (let n = root.$f; n; n = following(n, root)) if (n !== e && isHTML(n, 'input') && typeOf(n) === 'radio' && getAttr(n, 'name') === name && formOwner(n) === owner) n.$checked = false;
}
states.checked = (e) => (isHTML(e, 'input') && ['checkbox', 'radio'].includes(typeOf(e)) ? checkedness(e) : isHTML(e, 'option') && ofOption.selected(e));
// 4.10.20: the text that is selected in a control.
const SELECTS = new Set(['text', 'search', 'url', 'tel', 'password', 'textarea']);
const hasSelection = (e) => e.$name === 'textarea' || SELECTS.has(typeOf(e));
const needSelection = (e) => {
  if (!hasSelection(e)) throw error('InvalidStateError', 'nothing can be selected in this control');
};
const textLength = (e) => e.value.length;
function selectRange(e, from, to, direction) {
  const n = textLength(e);
  const end = Math.min(to, n);
  const start = Math.min(from, end);
  const old = [e.$from ?? 0, e.$to ?? 0, e.$direction ?? 'forward'];
  e.$from = start;
  e.$to = end;
  e.$direction = direction === 'backward' ? direction : 'forward'; // where browsers have no selection without a direction
  if (old[0] !== start || old[1] !== end || old[2] !== e.$direction) queueTask(() => fire(e, 'select', { bubbles: true }));
}
const unsigned = (v) => Number(v) >>> 0;
const selection = {
  get selectionStart() {
    return hasSelection(this) ? Math.min(this.$from ?? (this.$value === undefined ? 0 : textLength(this)), textLength(this)) : null;
  },
  set selectionStart(v) {
    needSelection(this);
    const from = unsigned(v);
    selectRange(this, from, Math.max(this.selectionEnd, from), this.$direction);
  },
  get selectionEnd() {
    return hasSelection(this) ? Math.min(this.$to ?? (this.$value === undefined ? 0 : textLength(this)), textLength(this)) : null;
  },
  set selectionEnd(v) {
    needSelection(this);
    selectRange(this, this.selectionStart, unsigned(v), this.$direction);
  },
  get selectionDirection() {
    return hasSelection(this) ? this.$direction ?? 'forward' : null;
  },
  set selectionDirection(v) {
    needSelection(this);
    selectRange(this, this.selectionStart, this.selectionEnd, `${v}`);
  },
  select() {
    if (hasSelection(this)) selectRange(this, 0, Infinity, 'none');
  },
  setSelectionRange(from, to, direction = 'none') {
    must(arguments, 2);
    needSelection(this);
    selectRange(this, unsigned(from), unsigned(to), `${direction}`);
  },
  setRangeText(text, from = undefined, to = undefined, mode = 'preserve') {
    must(arguments, 1);
    needSelection(this);
    const given = from !== undefined && to !== undefined;
    if (arguments.length === 2) throw new TypeError('setRangeText takes a text alone or with two places');
    if (!['select', 'start', 'end', 'preserve'].includes(`${mode}`)) throw new TypeError(`"${mode}" is no way to select`);
    let start = given ? unsigned(from) : this.selectionStart;
    let end = given ? unsigned(to) : this.selectionEnd;
    if (start > end) throw error('IndexSizeError', 'the end lies before the start');
    const { value, selectionStart: oldFrom, selectionEnd: oldTo } = this;
    start = Math.min(start, value.length);
    end = Math.min(end, value.length);
    text = `${text}`;
    this.value = value.slice(0, start) + text + value.slice(end);
    const newEnd = start + text.length;
    const delta = text.length - (end - start);
    let a = oldFrom;
    let b = oldTo;
    if (mode === 'select') [a, b] = [start, newEnd];
    else if (mode === 'start') a = b = start;
    else if (mode === 'end') a = b = newEnd;
    else {
      if (a > end) a += delta;
      else if (a > start) a = start;
      if (b > end) b += delta;
      else if (b > start) b = newEnd;
    }
    this.$from = oldFrom;
    this.$to = oldTo;
    selectRange(this, a, b, 'none');
  },
};
function step(e, count) {
  const kind = kindOf(typeOf(e));
  if (!kind || stepOf(e, kind) === null) throw error('InvalidStateError', 'this input has no steps');
  const value = kind.parse(e.value);
  const to = stepped(e, typeOf(e), Number.isNaN(value) ? 0 : value, count);
  if (to !== null) e.value = kind.write(to);
}
mix(C.HTMLInputElement, selection, {
  get value() {
    const type = typeOf(this);
    switch (modeOf(type)) {
      case 'filename': return '';
      case 'default/on': return getAttr(this, 'value') ?? 'on';
      case 'default': return getAttr(this, 'value') ?? '';
      default: return sanitize(this, type, this.$value ?? getAttr(this, 'value') ?? '');
    }
  },
  set value(v) {
    const type = typeOf(this);
    const text = v === null ? '' : `${v}`;
    const mode = modeOf(type);
    if (mode === 'filename') {
      if (text !== '') throw error('InvalidStateError', 'the file of an input is chosen by a person');
    } else if (mode !== 'value') setAttr(this, 'value', text);
    else {
      const old = this.value;
      this.$value = sanitize(this, type, text);
      if (this.$value !== old) {
        this.$from = this.$to = this.$value.length;
        this.$direction = 'forward';
      }
      changes.n++;
    }
  },
  get checked() {
    return checkedness(this);
  },
  set checked(v) {
    check(this, Boolean(v));
  },
  get indeterminate() {
    return this.$indeterminate ?? false;
  },
  set indeterminate(v) {
    this.$indeterminate = Boolean(v);
  },
  get files() {
    return typeOf(this) === 'file' ? (this.$files ??= { __proto__: global.FileList.prototype }) : null;
  },
  set files(v) {},
  get list() {
    const id = getAttr(this, 'list');
    const e = id === null ? null : elementById(rootOf(this), id);
    return isHTML(e, 'datalist') ? e : null;
  },
  get valueAsNumber() {
    return kindOf(typeOf(this))?.parse(this.value) ?? NaN;
  },
  set valueAsNumber(v) {
    const n = Number(v);
    if (Math.abs(n) === Infinity) throw new TypeError('a value is a finite number');
    const kind = kindOf(typeOf(this));
    if (!kind) throw error('InvalidStateError', 'the value of this input is no number');
    this.value = Number.isNaN(n) ? '' : kind.write(n);
  },
  get valueAsDate() {
    const kind = kindOf(typeOf(this));
    const n = kind?.date ? kind.parse(this.value) : NaN;
    return Number.isNaN(n) ? null : new Date_(kind.date(n));
  },
  set valueAsDate(v) {
    if (v !== null && !(v instanceof Date_)) throw new TypeError('a value is a date or null');
    const kind = kindOf(typeOf(this));
    if (!kind?.date) throw error('InvalidStateError', 'the value of this input is no date');
    const at = v === null ? NaN : v.getTime();
    this.value = Number.isNaN(at) ? '' : kind.write(kind.ofDate(at));
  },
  stepUp(n = 1) {
    step(this, Number(n) | 0);
  },
  stepDown(n = 1) {
    step(this, -(Number(n) | 0));
  },
  showPicker() {},
});
mix(C.HTMLTextAreaElement, selection, {
  get type() {
    return 'textarea';
  },
  get defaultValue() {
    return textOf(this);
  },
  set defaultValue(v) {
    replaceAllWithText(`${v}`, this);
  },
  get value() {
    return this.$value ?? textOf(this);
  },
  set value(v) {
    this.$value = (v === null ? '' : `${v}`).replace(/\r\n?/g, '\n');
    this.$direction = 'forward';
    changes.n++;
  },
  get textLength() {
    return this.value.length;
  },
});
mix(C.HTMLOptionElement, {
  get form() {
    const s = selectOf(this);
    return s ? formOwner(s) : null;
  },
  get label() {
    return getAttr(this, 'label') || ofOption.text(this);
  },
  set label(v) {
    setAttr(this, 'label', `${v}`);
  },
  get selected() {
    const s = selectOf(this);
    if (s && !hasAttr(s, 'multiple')) return selectedOf(s) === this;
    return this.$selected ?? hasAttr(this, 'selected');
  },
  set selected(v) {
    pick(this, Boolean(v));
  },
  get value() {
    return getAttr(this, 'value') ?? ofOption.text(this);
  },
  set value(v) {
    setAttr(this, 'value', `${v}`);
  },
  get text() {
    let text = '';
    for (let n = this.$f; n; n = following(n, this, isElement(n) && n.$name === 'script')) if (isText(n)) text += n.$data;
    return text.replace(/[\t\n\f\r ]+/g, ' ').trim();
  },
  set text(v) {
    replaceAllWithText(`${v}`, this);
  },
  get index() {
    const s = selectOf(this);
    return s ? optionsOf(s).indexOf(this) : 0;
  },
});
// What the environment itself asks of inputs and options.
const ofOption = saved(C.HTMLOptionElement, 'selected', 'text', 'value');
const ofInput = saved(C.HTMLInputElement, 'value');
const selectOf = (option) => {
  for (let p = option.$p; p; p = p.$p) {
    if (isHTML(p, 'select')) return p;
    if (['datalist', 'hr', 'option'].some((name) => isHTML(p, name))) return null;
  }
  return null;
};
const optionsOf = (select) => elementsOf(select).filter((n) => isHTML(n, 'option') && selectOf(n) === select);
function selectedOf(select) {
  const list = optionsOf(select);
  let found = null;
  for (const o of list) if (o.$selected === true) found = o;
  if (found) return found;
  for (const o of list) if (o.$selected === undefined && hasAttr(o, 'selected')) found = o;
  if (found) return found;
  if (select.$none || (whole(select) > 1)) return null;
  return list.find((o) => !isDisabled(o)) ?? null;
}
const whole = (select) => Number.parseInt(getAttr(select, 'size') ?? '0', 10) || 0;
function pick(option, on) {
  const s = selectOf(option);
  option.$selected = on;
  if (s) {
    s.$none = false;
    if (on && !hasAttr(s, 'multiple')) for (const o of optionsOf(s)) if (o !== option) o.$selected = false;
  }
  changes.n++;
}
class HTMLOptionsCollection extends HTMLCollection {
  get length() {
    return listOf(this).length;
  }
  set length(n) {
    const s = ownerOf(this);
    const list = optionsOf(s);
    for (const o of list.slice(n)) o.remove();
    for (let i = list.length; i < n; i++) append(makeElement(HTML, 'option', s.$d), s);
  }
  add(option, before = null) {
    ownerOf(this).add(option, before);
  }
  remove(index) {
    ownerOf(this).remove(index);
  }
  get selectedIndex() {
    return ownerOf(this).selectedIndex;
  }
  set selectedIndex(n) {
    ownerOf(this).selectedIndex = n;
  }
}
mix(C.HTMLSelectElement, {
  get type() {
    return hasAttr(this, 'multiple') ? 'select-multiple' : 'select-one';
  },
  get options() {
    if (!this.$options) {
      this.$options = elementsAs(HTMLOptionsCollection, () => optionsOf(this), {
        owner: this,
        set: (i, option) => {
          const list = optionsOf(this);
          const there = list[i];
          if (option === null) {
            there?.remove();
            return;
          }
          if (!isNode(option) || !isHTML(option, 'option')) throw new TypeError('this is no option');
          for (let n = list.length; n < i; n++) append(makeElement(HTML, 'option', this.$d), this);
          if (there) replace(there, option, there.$p);
          else append(option, this);
        },
      });
    }
    return this.$options;
  },
  get length() {
    return optionsOf(this).length;
  },
  set length(n) {
    this.options.length = n;
  },
  item(i) {
    return optionsOf(this)[i >>> 0] ?? null;
  },
  namedItem(name) {
    return this.options.namedItem(name);
  },
  add(option, before = null) {
    const reference = typeof before === 'number' ? optionsOf(this)[before] ?? null : before;
    preInsert(option, reference ? reference.$p : this, reference);
  },
  remove(index = undefined) {
    if (arguments.length === 0) {
      if (this.$p) remove(this);
    } else optionsOf(this)[index]?.remove();
  },
  get selectedOptions() {
    return (this.$selectedOptions ??= elements(() => optionsOf(this).filter(ofOption.selected)));
  },
  get selectedIndex() {
    return optionsOf(this).findIndex(ofOption.selected);
  },
  set selectedIndex(n) {
    const list = optionsOf(this);
    for (const o of list) o.$selected = false;
    this.$none = true;
    if (list[n]) pick(list[n], true);
    changes.n++;
  },
  get value() {
    const chosen = optionsOf(this).find(ofOption.selected);
    return chosen ? ofOption.value(chosen) : '';
  },
  set value(v) {
    this.selectedIndex = optionsOf(this).findIndex((o) => ofOption.value(o) === `${v}`);
  },
  showPicker() {},
});
mix(C.HTMLButtonElement, {});
mix(C.HTMLLabelElement, {
  get control() {
    const id = getAttr(this, 'for');
    const fits = (n) => isElement(n) && n.$ns === HTML && ['button', 'input', 'meter', 'output', 'progress', 'select', 'textarea'].includes(n.$name) && !(n.$name === 'input' && typeOf(n) === 'hidden');
    if (id !== null) {
      const e = elementById(rootOf(this), id);
      return fits(e) ? e : null;
    }
    for (const n of descendants(this)) if (fits(n)) return n;
    return null;
  },
  get form() {
    return this.control ? formOwner(this.control) : null;
  },
});
mix(C.HTMLLegendElement, { get form() { return isHTML(this.$p, 'fieldset') ? formOwner(this.$p) : null; } });
mix(C.HTMLFieldSetElement, {
  get type() {
    return 'fieldset';
  },
  get elements() {
    return (this.$elements ??= elements(() => elementsOf(this).filter(isListed)));
  },
});
mix(C.HTMLOutputElement, {
  get type() {
    return 'output';
  },
  get defaultValue() {
    return this.$default ?? textOf(this);
  },
  set defaultValue(v) {
    this.$default = `${v}`;
  },
  get value() {
    return textOf(this);
  },
  set value(v) {
    this.$default ??= textOf(this);
    replaceAllWithText(`${v}`, this);
  },
});
mix(C.HTMLDataListElement, { get options() { return (this.$options ??= elements(() => elementsOf(this).filter((n) => isHTML(n, 'option')))); } });
for (const cls of [C.HTMLInputElement, C.HTMLButtonElement, C.HTMLSelectElement, C.HTMLTextAreaElement, C.HTMLOutputElement, C.HTMLFieldSetElement, C.HTMLObjectElement]) mix(cls, { get form() { return formOwner(this); } });
for (const cls of [C.HTMLInputElement, C.HTMLButtonElement, C.HTMLSelectElement, C.HTMLTextAreaElement, C.HTMLOutputElement, C.HTMLMeterElement, C.HTMLProgressElement]) mix(cls, { get labels() { return (this.$labels ??= labelsOf(this)); } });
for (const cls of [C.HTMLInputElement, C.HTMLButtonElement]) mix(cls, {
  get formAction() {
    const v = getAttr(this, 'formaction');
    return v ? parsedURL(v, this.$d.$base())?.[0] ?? v : this.$d.$url();
  },
  set formAction(v) {
    setAttr(this, 'formaction', `${v}`);
  },
});

// 4.10.20: the constraint validation API.
export class ValidityState {
  constructor(key = undefined, e = undefined) {
    onlyHere(key);
    validityOf.set(this, e);
  }
}
const validityOf = new WeakMap();
const TEXTS = ['text', 'search', 'url', 'tel', 'email', 'password'];
const REQUIRABLE = new Set([...TEXTS, 'date', 'month', 'week', 'time', 'datetime-local', 'number', 'checkbox', 'radio', 'file']);
const isMissing = (e) => {
  if (isHTML(e, 'select')) {
    const list = optionsOf(e);
    const first = !hasAttr(e, 'multiple') && whole(e) <= 1 && list[0]?.$p === e && list[0].value === '' ? list[0] : null; // the placeholder
    return !list.some((o) => ofOption.selected(o) && o !== first);
  }
  if (isHTML(e, 'textarea')) return !hasAttr(e, 'readonly') && e.value === '';
  if (!isHTML(e, 'input') || !REQUIRABLE.has(typeOf(e))) return false;
  if (typeOf(e) === 'checkbox') return !e.checked;
  if (typeOf(e) === 'radio') return !radioChosen(e);
  return !hasAttr(e, 'readonly') && e.value === '';
};
// Whether a value is under or over its bounds. Those of times may go over midnight: then it is both or neither.
function beyond(e) {
  const type = isHTML(e, 'input') ? typeOf(e) : '';
  const kind = kindOf(type);
  const value = kind?.parse(e.value) ?? NaN;
  if (Number.isNaN(value)) return { under: false, over: false };
  const [least, most] = boundsOf(e, type);
  if (type === 'time' && least !== null && most !== null && least > most) {
    const outside = value > most && value < least;
    return { under: outside, over: outside };
  }
  return { under: least !== null && value < least, over: most !== null && value > most };
}
const CHECKS = {
  valueMissing: (e) => hasAttr(e, 'required') && !isDisabled(e) && isMissing(e),
  typeMismatch: (e) => isHTML(e, 'input') && e.value !== '' && ((typeOf(e) === 'email' && !(hasAttr(e, 'multiple') ? e.value.split(',').map((v) => v.trim()) : [e.value]).every((v) => /^[a-zA-Z0-9.!#$%&'*+/=?^_`{|}~-]+@[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?(?:\.[a-zA-Z0-9](?:[a-zA-Z0-9-]{0,61}[a-zA-Z0-9])?)*$/.test(v))) || (typeOf(e) === 'url' && !parsedURL(e.value))),
  patternMismatch: (e) => {
    const p = isHTML(e, 'input') && TEXTS.includes(typeOf(e)) ? getAttr(e, 'pattern') : null;
    if (p === null || e.value === '') return false;
    try {
      const pattern = new RegExp(`^(?:${p})$`, 'v');
      return !(typeOf(e) === 'email' && hasAttr(e, 'multiple') ? e.value.split(',') : [e.value]).every((v) => pattern.test(v));
    } catch {
      return false;
    }
  },
  tooLong: (e) => Boolean(e.$typed) && e.maxLength >= 0 && e.value.length > e.maxLength,
  tooShort: (e) => Boolean(e.$typed) && e.minLength >= 0 && e.value !== '' && e.value.length < e.minLength,
  rangeUnderflow: (e) => beyond(e).under,
  rangeOverflow: (e) => beyond(e).over,
  stepMismatch: (e) => {
    const kind = isHTML(e, 'input') ? kindOf(typeOf(e)) : null;
    const value = kind?.parse(e.value) ?? NaN;
    const by = kind && stepOf(e, kind);
    return !Number.isNaN(value) && by !== null && !isAligned(value, stepBase(e, kind), by);
  },
  badInput: () => false,
  customError: (e) => Boolean(e.$message),
};
const radioChosen = (e) => {
  const root = rootOf(e);
  for (let n = root.$f; n; n = following(n, root)) if (isHTML(n, 'input') && typeOf(n) === 'radio' && getAttr(n, 'name') === getAttr(e, 'name') && formOwner(n) === formOwner(e) && n.checked) return true;
  return e.checked;
};
// Of a custom element the checks are those that it sets by itself (4.13.7.3).
const ofCustom = (e) => e.$definition?.form === true;
for (const [key, check] of Object.entries(CHECKS)) CHECKS[key] = (e) => (ofCustom(e) ? Boolean(e.$flags?.[key]) : check(e));
export const customValidity = {
  check(e) {
    if (isValid(e)) return true;
    fire(e, 'invalid', { cancelable: true });
    return false;
  },
  willValidate: (e) => willValidate(e),
  validity: (e) => (e.$validity ??= new ValidityState(MAKE, e)),
  isValid: (e) => isValid(e),
  flags: Object.keys(CHECKS),
  reset: () => {},
};
const inDataList = (e) => {
  for (let p = e.$p; p; p = p.$p) if (isHTML(p, 'datalist')) return true;
  return false;
};
const willValidate = (e) => !isDisabled(e) && !inDataList(e) && !['fieldset', 'output', 'object'].includes(e.$name) && !(e.$name === 'input' && ['hidden', 'reset', 'button', 'image'].includes(typeOf(e))) && !(e.$name === 'button' && e.type !== 'submit') && !hasAttr(e, 'readonly');
const isValid = (e) => !willValidate(e) || Object.values(CHECKS).every((f) => !f(e));
for (const key of Object.keys(CHECKS)) defineProperty(ValidityState.prototype, key, attribute(key, (v) => Boolean(CHECKS[key](validityOf.get(v)))));
defineProperty(ValidityState.prototype, 'valid', attribute('valid', (v) => Object.values(CHECKS).every((f) => !f(validityOf.get(v)))));
states.valid = (e) => (isHTML(e, 'form') ? formElements(e).every(isValid) : isHTML(e, 'fieldset') ? elementsOf(e).every((n) => !isListed(n) || !willValidate(n) || isValid(n)) : isListed(e) && willValidate(e) ? isValid(e) : null);
for (const cls of [C.HTMLInputElement, C.HTMLButtonElement, C.HTMLSelectElement, C.HTMLTextAreaElement, C.HTMLOutputElement, C.HTMLFieldSetElement, C.HTMLObjectElement]) mix(cls, {
  get willValidate() {
    return willValidate(this);
  },
  get validity() {
    return (this.$validity ??= new ValidityState(MAKE, this));
  },
  get validationMessage() {
    return willValidate(this) ? this.$message || (isValid(this) ? '' : 'This field is not filled in as it has to be.') : '';
  },
  checkValidity() {
    return customValidity.check(this);
  },
  reportValidity() {
    return this.checkValidity();
  },
  setCustomValidity(message) {
    this.$message = `${message}`;
  },
});

// 4.10.3 and 4.10.22: the form element and what it submits.
const formElements = (form) => {
  const root = rootOf(form);
  return elementsOf(root).filter((n) => isListed(n) && !(n.$name === 'input' && typeOf(n) === 'image') && formOwner(n) === form);
};
class HTMLFormControlsCollection extends HTMLCollection {
  namedItem(name) {
    return controlsNamed(listOf(this), `${name}`);
  }
}
const controlsNamed = (list, key) => {
  const found = list.filter((e) => getAttr(e, 'id') === key || getAttr(e, 'name') === key);
  return found.length > 1 ? liveNodes(() => found, RadioNodeList) : found[0] ?? null;
};
mix(C.HTMLFormElement, {
  get action() {
    const v = getAttr(this, 'action');
    return v ? parsedURL(v, this.$d.$base())?.[0] ?? v : this.$d.$url();
  },
  set action(v) {
    setAttr(this, 'action', `${v}`);
  },
  get elements() {
    return (this.$elements ??= elementsAs(HTMLFormControlsCollection, () => formElements(this), { named: controlsNamed }));
  },
  get length() {
    return formElements(this).length;
  },
  submit() {
    submitForm(this, null);
  },
  requestSubmit(submitter = null) {
    if (submitter && (formOwner(submitter) !== this || !isSubmitter(submitter))) throw new TypeError('this button does not submit the form');
    requestSubmit(this, submitter);
  },
  reset() {
    resetForm(this);
  },
  checkValidity() {
    return formElements(this).filter((e) => !customValidity.check(e)).length === 0;
  },
  reportValidity() {
    return this.checkValidity();
  },
});
defineProperty(C.HTMLFormElement.prototype, Symbol.iterator, { value: ScriptArray.prototype[Symbol.iterator], writable: true, configurable: true });
const isSubmitter = (e) => (isHTML(e, 'button') && e.type === 'submit') || (isHTML(e, 'input') && ['submit', 'image'].includes(typeOf(e)));
export function resetForm(form) {
  if (!fire(form, 'reset', { bubbles: true, cancelable: true })) return;
  for (const e of formElements(form)) {
    delete e.$value;
    delete e.$checked;
    delete e.$typed;
    if (ofCustom(e)) customValidity.reset(e);
    if (isHTML(e, 'select')) {
      e.$none = false;
      for (const o of optionsOf(e)) delete o.$selected;
    }
  }
  changes.n++;
}
function requestSubmit(form, submitter) {
  if (!isConnected(form)) return;
  if (!hasAttr(form, 'novalidate') && !(submitter && hasAttr(submitter, 'formnovalidate')) && !form.checkValidity()) return;
  if (dispatch(form, trusted(new global.SubmitEvent('submit', { bubbles: true, cancelable: true, submitter })))) submitForm(form, submitter);
}
const DIRECTED = new Set([...TEXTS, 'hidden', 'submit', 'reset', 'button']);
// "directionality" (3.2.6.4), as attributes tell it.
const directionOf = (e) => {
  for (let n = e; isElement(n); n = n.$p) if (['ltr', 'rtl'].includes(n.dir)) return n.dir;
  return 'ltr';
};
// "constructing the entry list".
export function entryListOf(form, submitter = null) {
  const list = [];
  // Image buttons are no members of form.elements, but may submit.
  const image = submitter && isHTML(submitter, 'input') && typeOf(submitter) === 'image';
  const all = image ? [...descendants(rootOf(form))].filter((n) => n === submitter || formElements(form).includes(n)) : formElements(form);
  for (const e of all) {
    if (isDisabled(e) || e.$name === 'fieldset' || e.$name === 'output' || e.$name === 'object') continue;
    if (isSubmitter(e) || (isHTML(e, 'button')) || (isHTML(e, 'input') && ['reset', 'button'].includes(typeOf(e)))) {
      if (e !== submitter) continue;
    }
    if (isHTML(e, 'input') && ['checkbox', 'radio'].includes(typeOf(e)) && !e.checked) continue;
    const name = getAttr(e, 'name') ?? '';
    if (isHTML(e, 'input') && typeOf(e) === 'image') {
      for (const axis of ['x', 'y']) list.push([name ? `${name}.${axis}` : axis, '0']);
      continue;
    }
    if (e.$definition) {
      const v = e.$formValue ?? null;
      if (isA(v, global.FormData)) list.push(...entriesOfForm.read(v));
      else if (v !== null && name) list.push([name, v]);
      continue;
    }
    if (!name) continue;
    if (isHTML(e, 'select')) {
      for (const o of optionsOf(e)) if (ofOption.selected(o) && !isDisabled(o)) list.push([name, ofOption.value(o)]);
    } else if (isHTML(e, 'input') && typeOf(e) === 'file') list.push([name, new global.File([], '', { type: 'application/octet-stream' })]);
    else list.push([name, isHTML(e, 'input') ? ofInput.value(e) : e.value]);
    const direction = (isHTML(e, 'textarea') || (isHTML(e, 'input') && DIRECTED.has(typeOf(e)))) && getAttr(e, 'dirname');
    if (direction) list.push([direction, directionOf(e)]);
  }
  return list;
}
// "construct the entry list" with its event; null while that is under way.
function constructEntries(form, submitter) {
  if (form.$constructing) return null;
  form.$constructing = true;
  const data = new global.FormData();
  for (const [k, v] of entryListOf(form, submitter)) appendEntry(data, k, v);
  dispatch(form, trusted(new FormDataEvent('formdata', { bubbles: true, formData: data })));
  form.$constructing = false;
  return entriesOfForm.read(data).map(([k, v]) => [k, v]);
}
function submitForm(form, submitter) {
  if (!isConnected(form)) return;
  const method = (submitter && hasAttr(submitter, 'formmethod') && submitter.formMethod) || form.method;
  if (method === 'dialog') {
    for (let e = form; isElement(e); e = e.$p) if (isHTML(e, 'dialog')) return e.close(submitter?.value);
    return;
  }
  const action = (submitter && hasAttr(submitter, 'formaction') && submitter.formAction) || form.action;
  const data = constructEntries(form, submitter);
  if (!data) return;
  // "convert to a list of name-value pairs"
  const lines = (text) => text.replace(/\r\n?|\n/g, '\r\n');
  const pairs = data.map(([k, v]) => [lines(k), lines(typeof v === 'string' ? v : v.name)]);
  const query = new global.URLSearchParams(pairs).toString();
  const target = (submitter && getAttr(submitter, 'formtarget')) || form.target;
  if (method === 'post') {
    const here = ['', '_self'].includes(target.toLowerCase());
    if (here && hooks.navigate) {
      const formData = new global.FormData();
      for (const [k, v] of data) appendEntry(formData, k, v);
      if (!hooks.navigate({ type: action === current.document.$url() ? 'replace' : 'push', url: action, same: false, formData, sourceElement: submitter })) return;
    }
    const type = (submitter && hasAttr(submitter, 'formenctype') && submitter.formEnctype) || form.enctype;
    const text = type === 'text/plain' ? pairs.map(([k, v]) => `${k}=${v}\r\n`).join('') : query;
    const body = type === 'multipart/form-data' ? extractForm(data) : { type, handle: keepBytes(encodeUTF8(text)) };
    host('navigate.post', action, target, body.type, body.handle);
    return;
  }
  const u = new URL(action);
  u.search = query;
  hooks.source = submitter;
  host('navigate.link', u.href, target);
}

// What buttons have others do is for the module that knows these.
export const buttons = { activate: () => {} };
// Activation behaviour of elements (DOM, 2.9 and HTML): what a click does.
export const activation = {
  // before the listeners; what it gives is undone when they prevent the default
  before(e) {
    if (isHTML(e, 'input')) {
      if (typeOf(e) === 'checkbox') {
        const [was, between] = [e.checked, e.indeterminate];
        check(e, !was);
        e.indeterminate = false;
        return () => {
          check(e, was);
          e.indeterminate = between;
        };
      }
      if (typeOf(e) === 'radio') {
        const root = rootOf(e);
        const old = elementsOf(root).find((n) => isHTML(n, 'input') && typeOf(n) === 'radio' && getAttr(n, 'name') === getAttr(e, 'name') && n.checked);
        check(e, true);
        return () => (old ? check(old, true) : check(e, false));
      }
    }
    return null;
  },
  has: (e) => isElement(e) && e.$ns === HTML && (((e.$name === 'a' || e.$name === 'area') && hasAttr(e, 'href')) || ['button', 'input', 'summary', 'label'].includes(e.$name)),
  run(e, event) {
    if (isHTML(e, 'a') || isHTML(e, 'area')) {
      if (hasAttr(e, 'download')) return;
      const target = getAttr(e, 'target') ?? '';
      const { href } = e;
      if (['', '_self'].includes(asciiLower(target)) && e.$d === current.document && href.includes('#') && isWithin(href)) return void navigate(href, false, '', false, e);
      hooks.source = e;
      host('navigate.link', href, target);
    } else if (isHTML(e, 'input') && ['checkbox', 'radio'].includes(typeOf(e))) {
      if (!isConnected(e)) return;
      fire(e, 'input', { bubbles: true, composed: true });
      fire(e, 'change', { bubbles: true });
    } else if (isDisabled(e)) return;
    else if (isSubmitter(e) && formOwner(e)) requestSubmit(formOwner(e), e);
    else if ((isHTML(e, 'button') || isHTML(e, 'input')) && e.type === 'reset' && formOwner(e)) resetForm(formOwner(e));
    else if (isHTML(e, 'button') || isHTML(e, 'input')) buttons.activate(e);
    else if (isHTML(e, 'summary')) {
      if (opens(e)) toggle(e.$p, 'open', !hasAttr(e.$p, 'open'));
    } else if (isHTML(e, 'label')) {
      const c = e.control;
      if (c && !(event.target !== e && activation.has(event.target) && event.target !== c && contains(e, event.target)) && event.target !== c) c.click();
    }
  },
};
// 4.10.5: an input that becomes one of another type keeps what its new type can hold.
onAttribute.push((e, name, old) => {
  if (name !== 'type' || !isHTML(e, 'input')) return;
  const type = typeOf(e);
  const [before, now] = [modeOf(TYPE_NAMES.has(old?.toLowerCase()) ? old.toLowerCase() : 'text'), modeOf(type)];
  if (before === 'value' && now.startsWith('default') && e.$value) setAttr(e, 'value', e.$value);
  if (now !== 'value' || before !== 'value') delete e.$value;
  if (now !== 'value') return;
  const text = e.$value ?? getAttr(e, 'value') ?? '';
  const clean = sanitize(e, type, text);
  if (clean !== text) e.$value = clean;
});
publish(ValidityState);
publishLoosely(HTMLOptionsCollection, HTMLFormControlsCollection);
// "cloning steps" (4.10.5, 4.10.11): what was typed and checked goes along.
onCloned.push((node, copy) => {
  if (!isHTML(node, 'input') && !isHTML(node, 'textarea')) return;
  copy.$value = node.$value;
  copy.$checked = node.$checked;
  copy.$indeterminate = node.$indeterminate;
});
// "new FormData(form, submitter)" (XMLHttpRequest, 5).
formEntries.of = (form, submitter) => {
  if (!isNode(form) || !isHTML(form, 'form')) throw new TypeError('FormData takes a form');
  if (submitter !== null && submitter !== undefined) {
    if (!isNode(submitter) || !isSubmitter(submitter)) throw new TypeError('this element submits no form');
    if (formOwner(submitter) !== form) throw error('NotFoundError', 'this button belongs to another form');
  }
  return constructEntries(form, submitter ?? null) ?? (() => {
    throw error('InvalidStateError', 'the entries of this form are being listed already');
  })();
};

// "autofill processing" (4.10.19.7.2): what autocomplete gives.
const FIELDS = { __proto__: null };
for (const [most, names] of [[1, 'on off'], [3, 'name honorific-prefix given-name additional-name family-name honorific-suffix nickname organization-title username new-password current-password one-time-code organization street-address address-line1 address-line2 address-line3 address-level4 address-level3 address-level2 address-level1 country country-name postal-code cc-name cc-given-name cc-additional-name cc-family-name cc-number cc-exp cc-exp-month cc-exp-year cc-csc cc-type transaction-currency transaction-amount language bday bday-day bday-month bday-year sex url photo'], [4, 'tel tel-country-code tel-national tel-area-code tel-local tel-local-prefix tel-local-suffix tel-extension email impp']]) for (const name of names.split(' ')) FIELDS[name] = most;
function autofill(e) {
  const text = getAttr(e, 'autocomplete') ?? '';
  const tokens = text.split(/[\t\n\f\r ]+/).filter(Boolean);
  const mantle = isHTML(e, 'input') && typeOf(e) === 'hidden';
  if (!tokens.length) return '';
  if (tokens.length === 1 && tokens[0].toLowerCase() === 'webauthn') return 'webauthn';
  let i = tokens.length - 1;
  let field = tokens[i].toLowerCase();
  let credential = '';
  if (field === 'webauthn' && i > 0) {
    credential = ' webauthn';
    field = tokens[--i].toLowerCase();
  }
  const most = FIELDS[field];
  if (!most || tokens.length > most + (credential ? 1 : 0) || (mantle && most === 1)) return '';
  if (most === 1) return field;
  let out = field;
  i--;
  if (i >= 0 && most === 4 && ['home', 'work', 'mobile', 'fax', 'pager'].includes(tokens[i].toLowerCase())) out = `${tokens[i--].toLowerCase()} ${out}`;
  if (i >= 0 && ['shipping', 'billing'].includes(tokens[i].toLowerCase())) out = `${tokens[i--].toLowerCase()} ${out}`;
  if (i >= 0 && tokens[i].toLowerCase().startsWith('section-')) out = `${tokens[i--].toLowerCase()} ${out}`;
  return i >= 0 ? '' : out + credential;
}
for (const cls of [C.HTMLInputElement, C.HTMLSelectElement, C.HTMLTextAreaElement]) defineProperty(cls.prototype, 'autocomplete', {
  get() {
    return autofill(this);
  },
  set(v) {
    setAttr(this, 'autocomplete', `${v}`);
  },
  enumerable: true, configurable: true,
});

states.radioChosen = (e) => radioChosen(e) || e.checked;
// "default button" (4.10.22.2): the first that submits its form.
states.defaultButton = (e) => isElement(e) && isSubmitter(e) && ((form) => form !== null && [...descendants(rootOf(form))].find((n) => isElement(n) && isSubmitter(n) && formOwner(n) === form) === e)(formOwner(e));
// Controls of a form by their places and names (4.10.3).
const formNames = (form, key) => {
  const kept = form.$names?.at === changes.n ? form.$names : (form.$names = { at: changes.n, of: new Map() });
  if (!kept.of.has(key)) kept.of.set(key, formName(form, key, (kept.list ??= formElements(form))));
  return kept.of.get(key);
};
const formName = (form, key, list) => {
  if (/^\d+$/.test(key)) return list[Number(key)];
  const found = list.filter((e) => getAttr(e, 'id') === key || getAttr(e, 'name') === key);
  if (!found.length) found.push(...[...descendants(form)].filter((e) => isHTML(e, 'img') && (getAttr(e, 'id') === key || getAttr(e, 'name') === key)));
  if (found.length > 1) return liveNodes(() => found, RadioNodeList);
  // "past names map": a control is found by a name that it once was found by.
  const past = (form.$past ??= new Map());
  if (found.length) past.set(key, found[0]);
  const known = found[0] ?? past.get(key);
  return known && (found.length || formOwner(known) === form) ? known : undefined;
};
const aboveForms = Object.getPrototypeOf(C.HTMLFormElement.prototype);
Object.setPrototypeOf(C.HTMLFormElement.prototype, new Proxy(aboveForms, {
  get: (target, key, receiver) => ((namesGiven.has(key) || (typeof key === 'string' && /^\d+$/.test(key))) && !(key in target) && isNode(receiver) && isHTML(receiver, 'form') ? formNames(receiver, key) : Reflect.get(target, key, receiver)),
  getPrototypeOf: () => aboveForms,
}));
