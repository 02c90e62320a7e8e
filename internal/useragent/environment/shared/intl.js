// ECMA-402 for English: dates, numbers, plurals, lists, relative times and the order of words. Other languages are given in English, and
// the result names that.

import {
  RangeError, RealDate, ScriptArray, ScriptNumber, ScriptObject, ScriptString, TypeError, assign, defineProperty, setPrototypeOf, arrayFrom,
} from './primordials.js';
import { gap } from './gap.js';
import { expose, lazy } from './webidl.js';
import { now } from './time.js';

const object = (members) => assign(new ScriptObject(), members);
const told = new Set();
// The locale that is used, and whether days come before months in it.
function localeOf(locales) {
  const [first] = typeof locales === 'string' ? [locales] : [...(locales ?? [])];
  const locale = first === undefined ? 'en-US' : `${first}`;
  if (!/^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$/.test(locale)) throw new RangeError(`${locale} is no language tag`);
  const english = /^en\b/i.test(locale);
  if (!english && !told.has(locale)) {
    told.add(locale);
    gap(`dates and numbers of the language ${locale} (Intl)`);
  }
  return { locale: english ? locale : 'en-US', dayFirst: english && /-(GB|AU|NZ|IE|ZA|IN)$/i.test(locale) };
}
const joined = (parts) => parts.map((p) => p.value).join('');
const part = (type, value) => object({ type, value });
const literal = (value) => part('literal', value);

// 15: numbers.
const SYMBOLS = { USD: '$', EUR: '€', GBP: '£', JPY: '¥', INR: '₹', CNY: 'CN¥', KRW: '₩', AUD: 'A$', CAD: 'CA$', NZD: 'NZ$', BRL: 'R$', MXN: 'MX$', ILS: '₪', VND: '₫', XAF: 'FCFA' };
const UNITS = { kilometer: 'km', meter: 'm', centimeter: 'cm', millimeter: 'mm', mile: 'mi', foot: 'ft', inch: 'in', kilogram: 'kg', gram: 'g', pound: 'lb', liter: 'L', milliliter: 'mL', celsius: '°C', fahrenheit: '°F', percent: '%', second: 'sec', minute: 'min', hour: 'hr', day: 'day', week: 'wk', month: 'mth', year: 'yr', byte: 'byte', kilobyte: 'kB', megabyte: 'MB', gigabyte: 'GB', 'kilometer-per-hour': 'km/h', 'meter-per-second': 'm/s', degree: 'deg' };
const TIGHT = new Set(['celsius', 'fahrenheit', 'percent']);
const COMPACT = [[1e12, 'T', 'trillion'], [1e9, 'B', 'billion'], [1e6, 'M', 'million'], [1e3, 'K', 'thousand']];
function numberOptions(options = {}) {
  const o = options ?? {};
  const currency = o.currency === undefined ? undefined : `${o.currency}`.toUpperCase();
  const style = o.style ?? 'decimal';
  if (style === 'currency' && !currency) throw new TypeError('a currency is needed');
  const usual = style === 'currency' ? (['JPY', 'KRW', 'VND', 'XAF'].includes(currency) ? 0 : 2) : 0;
  const most = style === 'currency' ? usual : style === 'percent' ? 0 : o.notation === 'compact' ? 0 : 3;
  const minimum = o.minimumFractionDigits ?? (o.maximumFractionDigits === undefined ? usual : Math.min(usual, o.maximumFractionDigits));
  const maximum = o.maximumFractionDigits ?? Math.max(most, minimum);
  if (!(minimum >= 0 && maximum >= minimum && maximum <= 100)) throw new RangeError('so many digits cannot be asked for');
  return { ...o, style, currency, minimumFractionDigits: minimum, maximumFractionDigits: maximum, minimumIntegerDigits: o.minimumIntegerDigits ?? 1, significant: o.maximumSignificantDigits ?? (o.minimumSignificantDigits === undefined ? undefined : 21) };
}
const grouped = (digits) => digits.replace(/\B(?=(\d{3})+$)/g, ',');
function rounded(n, o) {
  if (o.significant !== undefined) return n === 0 ? '0' : Number(n.toPrecision(Math.min(o.significant, 21))).toFixed(Math.max(0, Math.min(100, o.significant - 1 - Math.floor(Math.log10(n))))).replace(/(\.\d*?)0+$/, '$1').replace(/\.$/, '');
  let text = n >= 1e21 ? BigInt(Math.round(n)).toString() : n.toFixed(o.maximumFractionDigits);
  if (text.includes('.')) {
    let end = text.length;
    const least = text.indexOf('.') + 1 + o.minimumFractionDigits;
    while (end > least && text[end - 1] === '0') end--;
    text = text.slice(0, end).replace(/\.$/, '');
  }
  return text;
}
function numberParts(value, o) {
  const big = typeof value === 'bigint';
  let n = big ? value : Number(value);
  if (Number.isNaN(n)) return [part('nan', 'NaN')];
  const negative = n < 0 || Object.is(n, -0);
  if (negative) n = -n;
  const out = [];
  const sign = o.signDisplay ?? 'auto';
  if (negative && sign !== 'never' && (sign !== 'negative' || n !== 0) && (sign !== 'exceptZero' || n !== 0)) out.push(part('minusSign', '-'));
  else if (!negative && (sign === 'always' || (sign === 'exceptZero' && n !== 0))) out.push(part('plusSign', '+'));
  if (o.style === 'currency') {
    const display = o.currencyDisplay ?? 'symbol';
    const symbol = display === 'code' ? `${o.currency}\u00a0` : display === 'name' ? '' : SYMBOLS[o.currency] ?? `${o.currency}\u00a0`;
    if (symbol) out.push(part('currency', display === 'narrowSymbol' ? symbol.replace(/^[A-Z]+(?=\$|¥)/, '') : symbol));
  }
  if (o.style === 'percent') n *= big ? 100n : 100;
  let tail = '';
  if (o.notation === 'compact') {
    const step = COMPACT.find(([size]) => n >= size * (size >= 1e6 ? 0.9995 : 0.99995));
    if (step) {
      n = Number(n) / step[0];
      tail = o.compactDisplay === 'long' ? ` ${step[2]}` : step[1];
    }
    if (o.maximumFractionDigits === 0 && n < 100 && o.significant === undefined) o = { ...o, maximumFractionDigits: n < 10 ? 1 : 0, minimumFractionDigits: 0 };
  }
  if (n === Infinity) out.push(part('infinity', '∞'));
  else {
    const [whole, fraction] = (big ? `${n}` : rounded(Number(n), o)).split('.');
    const padded = whole.padStart(o.minimumIntegerDigits, '0');
    const groups = o.useGrouping === false || o.useGrouping === 'false' || (o.useGrouping === 'min2' && padded.length < 5) ? [padded] : grouped(padded).split(',');
    groups.forEach((g, i) => {
      if (i) out.push(part('group', ','));
      out.push(part('integer', g));
    });
    if (fraction) out.push(part('decimal', '.'), part('fraction', fraction));
  }
  if (tail) out.push(part('compact', tail));
  if (o.style === 'percent') out.push(part('percentSign', '%'));
  if (o.style === 'currency' && o.currencyDisplay === 'name') out.push(part('currency', ` ${o.currency}`));
  if (o.style === 'unit') {
    const long = o.unitDisplay === 'long';
    const name = long ? `${o.unit.replace(/-per-/, ' per ')}${Number(n) === 1 ? '' : 's'}`.replace(/^(\w+)( per \w+)s$/, '$1s$2') : UNITS[o.unit] ?? o.unit;
    if (!TIGHT.has(o.unit) || long) out.push(literal(o.unitDisplay === 'narrow' ? '' : ' '));
    out.push(part('unit', !long && Number(n) !== 1 && /^(day|wk|mth|yr)$/.test(name) ? `${name}s` : name));
  }
  return out;
}

// 11: dates.
const MONTHS = 'January February March April May June July August September October November December'.split(' ');
const DAYS = 'Sunday Monday Tuesday Wednesday Thursday Friday Saturday'.split(' ');
const two = (n) => `${n}`.padStart(2, '0');
const named = (name, style) => (style === 'long' ? name : style === 'narrow' ? name[0] : name.slice(0, 3));
const STYLES = {
  full: { weekday: 'long', year: 'numeric', month: 'long', day: 'numeric' }, long: { year: 'numeric', month: 'long', day: 'numeric' },
  medium: { year: 'numeric', month: 'short', day: 'numeric' }, short: { year: '2-digit', month: 'numeric', day: 'numeric' },
};
const TIMES = {
  full: { hour: 'numeric', minute: '2-digit', second: '2-digit', timeZoneName: 'long' }, long: { hour: 'numeric', minute: '2-digit', second: '2-digit', timeZoneName: 'short' },
  medium: { hour: 'numeric', minute: '2-digit', second: '2-digit' }, short: { hour: 'numeric', minute: '2-digit' },
};
const DATE_KEYS = ['weekday', 'year', 'month', 'day', 'era'];
const TIME_KEYS = ['hour', 'minute', 'second', 'fractionalSecondDigits', 'dayPeriod'];
// need says what is given where nothing is asked for: date, time or any.
function dateOptions(options, need) {
  let o = { ...(options ?? {}) };
  if (o.timeZone !== undefined && !/^(UTC|GMT|Etc\/(UTC|GMT))$/i.test(`${o.timeZone}`)) {
    if (!/^[A-Za-z_]+(\/[A-Za-z_+\-0-9]+)*$|^[+-]\d\d:?\d\d$/.test(`${o.timeZone}`)) throw new RangeError(`${o.timeZone} is no time zone`);
    gap(`the time zone ${o.timeZone}`);
  }
  if (o.dateStyle || o.timeStyle) return { ...o, ...(o.dateStyle ? STYLES[o.dateStyle] : {}), ...(o.timeStyle ? TIMES[o.timeStyle] : {}) };
  const date = DATE_KEYS.some((k) => o[k] !== undefined);
  const time = TIME_KEYS.some((k) => o[k] !== undefined);
  const lacks = need === 'any' || need === 'all' ? !date && !time : need === 'date' ? !date : !time;
  if (lacks && need !== 'time') o = { ...o, year: 'numeric', month: 'numeric', day: 'numeric' };
  if (lacks && (need === 'time' || need === 'all')) o = { ...o, hour: 'numeric', minute: '2-digit', second: '2-digit' };
  return o;
}
function dateParts(value, o, { dayFirst }) {
  const d = new RealDate(value === undefined ? Math.floor(now()) : Number(value));
  if (Number.isNaN(d.getTime())) throw new RangeError('Invalid time value');
  const out = [];
  const year = o.year && part('year', o.year === '2-digit' ? two(d.getUTCFullYear() % 100) : `${d.getUTCFullYear()}`);
  const short = dayFirst && o.month === 'numeric' && o.day && o.year ? '2-digit' : null;
  const day = o.day && part('day', o.day === '2-digit' || short || (dayFirst && o.day && /numeric|2-digit/.test(o.month ?? '')) ? two(d.getUTCDate()) : `${d.getUTCDate()}`);
  const words = o.month && !/numeric|2-digit/.test(o.month);
  const number = d.getUTCMonth() + 1;
  const month = o.month && part('month', words ? named(MONTHS[number - 1], o.month) : o.month === '2-digit' || dayFirst ? two(number) : `${number}`);
  const weekday = o.weekday && part('weekday', named(DAYS[d.getUTCDay()], o.weekday));
  const chain = (list, between) => list.filter(Boolean).forEach((p, i) => {
    if (i) out.push(literal(between));
    out.push(p);
  });
  if (words) {
    if (dayFirst) {
      if (weekday) out.push(weekday);
      if (weekday && (day || month || year)) out.push(literal(o.weekday === 'long' ? ' ' : ', '));
      chain([day, month, year], ' ');
    } else {
      if (weekday) out.push(weekday);
      if (weekday && (month || day)) out.push(literal(', '));
      chain([month, day], ' ');
      if (year) out.push(literal(day ? ', ' : ' '), year);
    }
  } else if (!month && weekday && day && !year) chain([day, weekday], ' ');
  else {
    if (weekday) out.push(weekday);
    if (weekday && (month || day || year)) out.push(literal(', '));
    chain((dayFirst ? [day, month, year] : [month, day, year]).map((p) => (p && year && o.dateStyle === 'short' && dayFirst && p === year ? part('year', `${d.getUTCFullYear()}`) : p)), '/');
  }
  if (!TIME_KEYS.some((k) => o[k] !== undefined)) return out;
  if (out.length) out.push(literal(words && (o.dateStyle === 'full' || o.dateStyle === 'long') ? ' at ' : ', '));
  const twelve = o.hour12 ?? (o.hourCycle ? /^h1[12]$/.test(o.hourCycle) : !dayFirst);
  const h = twelve ? d.getUTCHours() % 12 || 12 : d.getUTCHours();
  const times = [];
  if (o.hour) times.push(part('hour', o.hour === '2-digit' || !twelve ? two(h) : `${h}`));
  if (o.minute) times.push(part('minute', o.hour || o.second || o.minute === '2-digit' && o.hour ? two(d.getUTCMinutes()) : `${d.getUTCMinutes()}`));
  if (o.second) times.push(part('second', o.minute || o.second === '2-digit' && o.minute ? two(d.getUTCSeconds()) : `${d.getUTCSeconds()}`));
  times.forEach((p, i) => {
    if (i) out.push(literal(':'));
    out.push(p);
  });
  if (o.fractionalSecondDigits) out.push(literal('.'), part('fractionalSecond', `${d.getUTCMilliseconds()}`.padStart(3, '0').slice(0, o.fractionalSecondDigits)));
  if (o.hour && twelve) out.push(literal('\u202f'), part('dayPeriod', d.getUTCHours() < 12 ? 'AM' : 'PM'));
  if (o.timeZoneName) out.push(literal(' '), part('timeZoneName', o.timeZoneName === 'long' ? 'Coordinated Universal Time' : 'UTC'));
  return out;
}

// 16: plurals.
const plural = (n, ordinal) => {
  if (!ordinal) return n === 1 ? 'one' : 'other';
  const tens = n % 100;
  return n % 10 === 1 && tens !== 11 ? 'one' : n % 10 === 2 && tens !== 12 ? 'two' : n % 10 === 3 && tens !== 13 ? 'few' : 'other';
};
// 10: the order of words: letters first, then accents, then small before capital.
const letters = (text) => text.normalize('NFD').replace(/[\u0300-\u036f]/g, '');
const accents = (text) => text.normalize('NFD').replace(/[^\u0300-\u036f]/g, ' ');
const order = (a, b) => (a < b ? -1 : a > b ? 1 : 0);
function weigh(text) {
  // Punctuation and white space come before digits, digits before letters.
  return letters(text).toLowerCase().replace(/./gu, (c) => (/\p{L}/u.test(c) ? `3${c}` : /\p{N}/u.test(c) ? `2${c}` : /\s/.test(c) ? `0${c}` : `1${c}`));
}
function compare(a, b, o = {}) {
  a = `${a}`;
  b = `${b}`;
  if (o.ignorePunctuation) [a, b] = [a, b].map((t) => t.replace(/[\p{P}\s]/gu, ''));
  if (o.numeric) {
    const chunk = /\d+|\D+/g;
    const [x, y] = [a.match(chunk) ?? [], b.match(chunk) ?? []];
    for (let i = 0; i < Math.min(x.length, y.length); i++) {
      const numbers = /^\d/.test(x[i]) && /^\d/.test(y[i]);
      const r = numbers ? Number(x[i]) - Number(y[i]) : order(weigh(x[i]), weigh(y[i]));
      if (r) return Math.sign(r);
    }
    if (x.length !== y.length) return Math.sign(x.length - y.length);
  }
  const base = order(weigh(a), weigh(b));
  const sensitivity = o.sensitivity ?? 'variant';
  if (base || sensitivity === 'base') return base;
  if (sensitivity !== 'case') {
    const accent = order(accents(a), accents(b));
    if (accent || sensitivity === 'accent') return accent;
  }
  for (let i = 0; i < Math.min(a.length, b.length); i++) {
    if (a[i] === b[i]) continue;
    const [low, lower] = [a[i] === a[i].toLowerCase(), b[i] === b[i].toLowerCase()];
    if (low !== lower) return (low ? -1 : 1) * (o.caseFirst === 'upper' ? -1 : 1);
  }
  return 0;
}
const listed = (items, o) => {
  const list = [...items].map((item) => {
    if (typeof item !== 'string') throw new TypeError('a list is of texts');
    return item;
  });
  const type = o.type ?? 'conjunction';
  const word = type === 'unit' ? '' : type === 'disjunction' ? 'or' : o.style === 'short' ? '&' : o.style === 'narrow' ? '' : 'and';
  const between = type === 'unit' && o.style === 'narrow' ? ' ' : ', ';
  if (list.length < 2) return list[0] ?? '';
  if (list.length === 2) return word ? `${list[0]} ${word} ${list[1]}` : list.join(between);
  return `${list.slice(0, -1).join(between)}${between}${word ? `${word} ` : ''}${list.at(-1)}`;
};
const RELATIVE = { year: ['last year', 'this year', 'next year'], quarter: ['last quarter', 'this quarter', 'next quarter'], month: ['last month', 'this month', 'next month'], week: ['last week', 'this week', 'next week'], day: ['yesterday', 'today', 'tomorrow'], hour: [null, 'this hour', null], minute: [null, 'this minute', null], second: [null, 'now', null] };
const SHORT_UNITS = { year: 'yr.', quarter: 'qtr.', month: 'mo.', week: 'wk.', hour: 'hr.', minute: 'min.', second: 'sec.' };
function relative(value, unit, o) {
  unit = `${unit}`.replace(/s$/, '');
  if (!RELATIVE[unit]) throw new RangeError(`${unit} is no unit`);
  const n = Number(value);
  if (o.numeric === 'auto' && Math.abs(n) <= 1 && Number.isInteger(n) && RELATIVE[unit][n + 1]) return RELATIVE[unit][n + 1];
  const size = Math.abs(n);
  const shown = joined(numberParts(size, numberOptions()));
  const short = o.style === 'short' || o.style === 'narrow';
  const word = short && SHORT_UNITS[unit] ? (unit === 'quarter' && size !== 1 ? 'qtrs.' : SHORT_UNITS[unit]) : `${unit}${size === 1 ? '' : 's'}`;
  return n < 0 || Object.is(n, -0) ? `${shown} ${word} ago` : `in ${shown} ${word}`;
}

// An interface of Intl: its objects keep their locale and options.
const kept = new WeakMap();
function formatter(name, prepare, members, resolvedParts = () => ({})) {
  const cls = { [name]: function (locales = undefined, options = undefined) {
    const self = new.target ? this : { __proto__: cls.prototype };
    const locale = localeOf(locales);
    kept.set(self, { locale, options: prepare(options, locale) });
    return self;
  } }[name];
  for (const key of Object.keys(members)) {
    // format and compare are bound to their objects, so that they can be passed on.
    if (key === 'format' || key === 'compare') defineProperty(cls.prototype, key, {
      get() {
        const s = kept.get(this);
        if (!s) throw new TypeError(`this is no ${name}`);
        return (s[key] ??= (...args) => members[key](s, ...args));
      },
      configurable: true,
    });
    else defineProperty(cls.prototype, key, { value: { [key](...args) { return members[key](kept.get(this), ...args); } }[key], writable: true, configurable: true });
  }
  defineProperty(cls.prototype, 'resolvedOptions', { value: { resolvedOptions() {
    const s = kept.get(this);
    return object({ locale: s.locale.locale, ...resolvedParts(s.options) });
  } }.resolvedOptions, writable: true, configurable: true });
  defineProperty(cls.prototype, Symbol.toStringTag, { value: `Intl.${name}`, configurable: true });
  defineProperty(cls, 'supportedLocalesOf', { value: { supportedLocalesOf(list) {
    return arrayFrom((typeof list === 'string' ? [list] : [...(list ?? [])]).filter((l) => /^en\b/i.test(l)));
  } }.supportedLocalesOf, writable: true, configurable: true });
  return cls;
}
const same = (o) => o ?? {};
const parts = (list) => arrayFrom(list);
lazy(['Intl'], () => {
  const Intl = new ScriptObject();
  assign(Intl, {
    NumberFormat: formatter('NumberFormat', numberOptions, {
      format: (s, v) => joined(numberParts(v, s.options)),
      formatToParts: (s, v) => parts(numberParts(v, s.options)),
      formatRange: (s, a, b) => `${joined(numberParts(a, s.options))}–${joined(numberParts(b, s.options))}`,
    }, (o) => ({ numberingSystem: 'latn', style: o.style, minimumIntegerDigits: o.minimumIntegerDigits, minimumFractionDigits: o.minimumFractionDigits, maximumFractionDigits: o.maximumFractionDigits, useGrouping: o.useGrouping ?? 'auto', notation: o.notation ?? 'standard', signDisplay: o.signDisplay ?? 'auto', ...(o.currency ? { currency: o.currency } : {}) })),
    DateTimeFormat: formatter('DateTimeFormat', (o) => dateOptions(o, 'any'), {
      format: (s, v) => joined(dateParts(v, s.options, s.locale)),
      formatToParts: (s, v) => parts(dateParts(v, s.options, s.locale)),
      formatRange: (s, a, b) => {
        const [x, y] = [a, b].map((v) => joined(dateParts(v, s.options, s.locale)));
        return x === y ? x : `${x} – ${y}`;
      },
    }, (o) => ({ calendar: 'gregory', numberingSystem: 'latn', timeZone: o.timeZone ?? 'UTC', ...Object.fromEntries([...DATE_KEYS, ...TIME_KEYS].filter((k) => o[k] !== undefined).map((k) => [k, o[k]])) })),
    PluralRules: formatter('PluralRules', same, { select: (s, n) => plural(Number(n), s.options.type === 'ordinal') }, (o) => ({ type: o.type ?? 'cardinal', pluralCategories: parts(o.type === 'ordinal' ? ['few', 'one', 'two', 'other'] : ['one', 'other']) })),
    ListFormat: formatter('ListFormat', same, { format: (s, list) => listed(list, s.options), formatToParts: (s, list) => parts([literal(listed(list, s.options))]) }),
    RelativeTimeFormat: formatter('RelativeTimeFormat', same, { format: (s, v, unit) => relative(v, unit, s.options), formatToParts: (s, v, unit) => parts([literal(relative(v, unit, s.options))]) }, (o) => ({ numeric: o.numeric ?? 'always', style: o.style ?? 'long' })),
    Collator: formatter('Collator', same, { compare: (s, a, b) => compare(a, b, s.options) }, (o) => ({ usage: 'sort', sensitivity: o.sensitivity ?? 'variant', numeric: Boolean(o.numeric) })),
    DisplayNames: formatter('DisplayNames', same, { of: (s, code) => `${code}` }),
    Segmenter: formatter('Segmenter', same, {
      segment: (s, text) => {
        const by = s.options.granularity ?? 'grapheme';
        const pattern = by === 'word' ? /[\p{L}\p{N}'’]+|[^\p{L}\p{N}]/gu : by === 'sentence' ? /[^.!?]+[.!?]*\s*/gu : /\P{M}\p{M}*/gu;
        return parts([...`${text}`.matchAll(pattern)].map((m) => object({ segment: m[0], index: m.index, input: `${text}`, ...(by === 'word' ? { isWordLike: /[\p{L}\p{N}]/u.test(m[0]) } : {}) })));
      },
    }, (o) => ({ granularity: o.granularity ?? 'grapheme' })),
    getCanonicalLocales: (list) => parts(typeof list === 'string' ? [list] : [...(list ?? [])]),
    supportedValuesOf: () => parts([]),
  });
  Intl.Locale = class Locale {
    #tag;
    constructor(tag) {
      this.#tag = `${tag}`;
    }
    get language() {
      return this.#tag.split('-')[0];
    }
    get region() {
      return /-([A-Z]{2})\b/.exec(this.#tag)?.[1];
    }
    get baseName() {
      return this.#tag;
    }
    maximize() {
      return this;
    }
    toString() {
      return this.#tag;
    }
  };
  for (const key of Object.keys(Intl)) {
    if (Intl[key].prototype) setPrototypeOf(Intl[key].prototype, ScriptObject.prototype);
    defineProperty(Intl, key, { enumerable: false });
  }
  defineProperty(Intl, Symbol.toStringTag, { value: 'Intl', configurable: true });
  expose('Intl', Intl);
});
// What the built-ins make of it.
const override = (on, members) => {
  for (const key of Object.keys(members)) defineProperty(on, key, { value: members[key], writable: true, configurable: true });
};
override(RealDate.prototype, {
  toLocaleString(locales, options) {
    return Number.isNaN(this.getTime()) ? 'Invalid Date' : joined(dateParts(this.getTime(), dateOptions(options, 'all'), localeOf(locales)));
  },
  toLocaleDateString(locales, options) {
    return Number.isNaN(this.getTime()) ? 'Invalid Date' : joined(dateParts(this.getTime(), dateOptions(options, 'date'), localeOf(locales)));
  },
  toLocaleTimeString(locales, options) {
    return Number.isNaN(this.getTime()) ? 'Invalid Date' : joined(dateParts(this.getTime(), dateOptions(options, 'time'), localeOf(locales)));
  },
});
override(ScriptNumber.prototype, {
  toLocaleString(locales, options) {
    localeOf(locales);
    return joined(numberParts(Number(this), numberOptions(options)));
  },
});
override(ScriptString.prototype, {
  localeCompare(other, locales, options) {
    localeOf(locales);
    return compare(this, other, options ?? {});
  },
});
