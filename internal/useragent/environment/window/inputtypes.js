// HTML, 4.10.5.1 and 2.3.5: the types of input elements: how texts are cleaned, what numbers and dates they stand for, their steps.

import { RealDate } from '../shared/primordials.js';
import { getAttr, hasAttr, late } from './nodes.js';

const SECOND = 1000;
const DAY = 86_400_000;
const WEEK = 7 * DAY;
const pad = (n, width = 2) => `${n}`.padStart(width, '0');
const utc = (year, month, day) => new RealDate(0).setUTCFullYear(year, month, day);
const partsOf = (pattern, text) => pattern.exec(text)?.slice(1).map(Number) ?? null;

function day(text) {
  const [y, m, d] = partsOf(/^(\d{4,})-(\d\d)-(\d\d)$/, text) ?? [];
  const at = y > 0 && m >= 1 && d >= 1 ? utc(y, m - 1, d) : NaN;
  return new RealDate(at).getUTCMonth() === m - 1 ? at : NaN;
}
const dayText = (at) => {
  const d = new RealDate(at);
  return `${pad(d.getUTCFullYear(), 4)}-${pad(d.getUTCMonth() + 1)}-${pad(d.getUTCDate())}`;
};
function month(text) {
  const [y, m] = partsOf(/^(\d{4,})-(\d\d)$/, text) ?? [];
  return y > 0 && m >= 1 && m <= 12 ? (y - 1970) * 12 + m - 1 : NaN;
}
const monthText = (n) => `${pad(1970 + Math.floor(n / 12), 4)}-${pad((((n % 12) + 12) % 12) + 1)}`;
// The Monday of the week with January 4th is the first one's.
const firstMonday = (year) => {
  const at = utc(year, 0, 4);
  return at - ((new RealDate(at).getUTCDay() + 6) % 7) * DAY;
};
function week(text) {
  const [y, w] = partsOf(/^(\d{4,})-W(\d\d)$/, text) ?? [];
  const at = y > 0 && w >= 1 ? firstMonday(y) + (w - 1) * WEEK : NaN;
  return at < firstMonday(y + 1) ? at : NaN;
}
const weekText = (at) => {
  const monday = Math.floor((at + 3 * DAY) / WEEK) * WEEK - 3 * DAY;
  const year = new RealDate(monday + 3 * DAY).getUTCFullYear();
  return `${pad(year, 4)}-W${pad(Math.round((monday - firstMonday(year)) / WEEK) + 1)}`;
};
function time(text) {
  const m = /^([01]\d|2[0-3]):([0-5]\d)(?::([0-5]\d)(?:\.(\d{1,3}))?)?$/.exec(text);
  return m ? ((Number(m[1]) * 60 + Number(m[2])) * 60 + Number(m[3] ?? 0)) * SECOND + Number((m[4] ?? '0').padEnd(3, '0')) : NaN;
}
const timeText = (at) => {
  const d = new RealDate(((at % DAY) + DAY) % DAY);
  const [s, ms] = [d.getUTCSeconds(), d.getUTCMilliseconds()];
  const rest = ms ? `:${pad(s)}.${pad(ms, 3).replace(/0+$/, '')}` : s ? `:${pad(s)}` : '';
  return `${pad(d.getUTCHours())}:${pad(d.getUTCMinutes())}${rest}`;
};
function local(text) {
  const [d, t, ...more] = text.split(/[T ]/);
  return t === undefined || more.length ? NaN : day(d) + time(t);
}
const number = (text) => (/^-?(\d+(\.\d+)?|\.\d+)([eE][-+]?\d+)?$/.test(text) ? Number(text) : NaN);

// What a type's texts stand for: parse and write go between text and number, date and ofDate between number and Date; step is the usual
// one, in units of scale, base where steps begin.
const TYPES = {
  __proto__: null,
  date: { parse: day, write: dayText, date: (n) => n, ofDate: (at) => at, step: 1, scale: DAY, base: 0 },
  month: {
    parse: month, write: monthText, date: (n) => utc(1970, n, 1),
    ofDate: (at) => (new RealDate(at).getUTCFullYear() - 1970) * 12 + new RealDate(at).getUTCMonth(), step: 1, scale: 1, base: 0,
  },
  week: { parse: week, write: weekText, date: (n) => n, ofDate: (at) => at, step: 1, scale: WEEK, base: -3 * DAY },
  time: { parse: time, write: timeText, date: (n) => n, ofDate: (at) => at, step: 60, scale: SECOND, base: 0 },
  'datetime-local': { parse: local, write: (at) => `${dayText(at)}T${timeText(at)}`, step: 60, scale: SECOND, base: 0 },
  number: { parse: number, write: (n) => `${n}`, step: 1, scale: 1, base: 0 },
  range: { parse: number, write: (n) => `${n}`, step: 1, scale: 1, base: 0 },
};
export const kindOf = (type) => TYPES[type] ?? null;
const bound = (e, kind, name) => {
  const n = kind.parse(getAttr(e, name) ?? '');
  return Number.isNaN(n) ? null : n;
};
// The least and the most that a value may be, null for no bound. A range has both.
export const boundsOf = (e, type) => {
  const kind = kindOf(type);
  const least = bound(e, kind, 'min') ?? (type === 'range' ? 0 : null);
  return [least, bound(e, kind, 'max') ?? (type === 'range' ? Math.max(100, least) : null)];
};
// "allowed value step", null for any, and "step base" (4.10.5.3.8).
export function stepOf(e, kind) {
  const text = getAttr(e, 'step');
  if (text !== null && text.toLowerCase() === 'any') return null;
  const n = number(text ?? '');
  return (n > 0 ? n : kind.step) * kind.scale;
}
export const stepBase = (e, kind) => bound(e, kind, 'min') ?? bound(e, kind, 'value') ?? kind.base;
const NEAR = 1e-9;
const steps = (value, base, step) => (value - base) / step;
const isWhole = (n) => Math.abs(n - Math.round(n)) < NEAR;
// Sums of decimal fractions, as they are written.
const exact = (n) => Number(n.toPrecision(14));
export const isAligned = (value, base, step) => isWhole(steps(value, base, step));
export const alignUp = (value, base, step) => exact(base + Math.ceil(steps(value, base, step) - NEAR) * step);
export const alignDown = (value, base, step) => exact(base + Math.floor(steps(value, base, step) + NEAR) * step);
// stepUp and stepDown (4.10.5.4): what a value comes to by some steps, null where it stays.
export function stepped(e, type, value, count) {
  const kind = kindOf(type);
  const [least, most] = boundsOf(e, type);
  const [step, base] = [stepOf(e, kind), stepBase(e, kind)];
  if (least !== null && most !== null && (least > most || alignUp(least, base, step) > most)) return null;
  const aligned = isAligned(value, base, step);
  let to;
  if (aligned) to = exact(value + count * step);
  else to = count > 0 ? alignUp(value, base, step) + (count - 1) * step : alignDown(value, base, step) + (count + 1) * step;
  if (least !== null && to < least) to = alignUp(least, base, step);
  if (most !== null && to > most) to = alignDown(most, base, step);
  return count === 0 || (aligned && (count > 0 ? to < value : to > value)) ? null : to;
}
// A range always has a value, between its bounds and on a step.
function inRange(e, text) {
  const kind = TYPES.range;
  const [least, most] = boundsOf(e, 'range');
  const given = kind.parse(text);
  let value = Number.isNaN(given) ? (most < least ? least : least + (most - least) / 2) : given;
  value = Math.max(Math.min(value, most), least);
  const step = stepOf(e, kind);
  if (step === null || most < least) return `${value}`;
  const base = stepBase(e, kind);
  if (!isAligned(value, base, step)) {
    value = exact(base + Math.round(steps(value, base, step)) * step);
    if (value > most) value = exact(value - step);
    if (value < least) value = exact(value + step);
  }
  return `${value}`;
}
const colour = (text) => {
  const m = /^rgba?\((\d+), (\d+), (\d+)/.exec(late.colour(text.trim()));
  return m ? `#${m.slice(1).map((n) => pad(Number(n).toString(16))).join('')}` : '#000000';
};
// "value sanitization algorithm"
export function sanitize(e, type, text) {
  const bare = () => text.replace(/[\r\n]/g, '');
  switch (type) {
    case 'text': case 'search': case 'tel': case 'password': return bare();
    case 'url': return bare().trim();
    case 'email': return hasAttr(e, 'multiple') ? bare().split(',').map((one) => one.trim()).join(',') : bare().trim();
    case 'color': return colour(text);
    case 'range': return inRange(e, text);
    case 'datetime-local': {
      const at = local(text);
      return Number.isNaN(at) ? '' : TYPES[type].write(at);
    }
    default: return TYPES[type] && Number.isNaN(TYPES[type].parse(text)) ? '' : text;
  }
}
// What the attribute "value" is to a type (4.10.5.4).
export const modeOf = (type) => {
  if (['hidden', 'submit', 'image', 'reset', 'button'].includes(type)) return 'default';
  if (type === 'checkbox' || type === 'radio') return 'default/on';
  return type === 'file' ? 'filename' : 'value';
};
