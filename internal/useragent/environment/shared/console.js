// Console Standard: what is written reaches the account of the browser as text.

import { Error, ScriptObject, isA, setPrototypeOf, toJSON } from './primordials.js';
import { expose } from './webidl.js';
import { DOMException } from './domexception.js';
import { describe, stackOf } from './errors.js';

export function shown(value, depth = 0) {
  if (typeof value === 'string') return depth ? toJSON(value) : value;
  if (isA(value, Error) || isA(value, DOMException)) return describe(value);
  if (typeof value !== 'object' || value === null) return typeof value === 'bigint' ? `${value}n` : String(value);
  if (depth > 2) return '…';
  try {
    if (Array.isArray(value)) return `[${value.slice(0, 20).map((v) => shown(v, depth + 1)).join(', ')}]`;
    const name = value[Symbol.toStringTag] || value.constructor?.name || 'Object';
    if (typeof value.url === 'string') return `${name} ${value.url}`;
    const inner = Object.entries(value).slice(0, 10).map(([k, v]) => `${k}: ${shown(v, depth + 1)}`).join(', ');
    return name === 'Object' ? `{${inner}}` : inner ? `${name} {${inner}}` : name;
  } catch {
    return 'an object that cannot be shown';
  }
}
const log = (level) => (...args) => host('log', level, args.map((a) => shown(a)).join(' '), args.map(stackOf).find(Boolean) || '');
expose('console', setPrototypeOf({
  log: log('log'), info: log('info'), debug: log('log'), warn: log('warn'), error: log('error'), trace: log('log'), dir: log('log'), table: log('log'),
  assert(ok = false, ...args) { if (!ok) log('error')('Assertion failed:', ...args); },
  group: log('log'), groupCollapsed: log('log'), groupEnd() {}, time() {}, timeEnd() {}, timeLog() {}, count() {}, countReset() {}, clear() {}, dirxml() {},
}, setPrototypeOf({}, ScriptObject.prototype)));
