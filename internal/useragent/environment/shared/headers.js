// Fetch, 5.1: Headers.

import { TypeError, apply, setPrototypeOf, sharedState, saved } from './primordials.js';
import { must, pairIterable, publish } from './webidl.js';

export const isToken = (s) => /^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/.test(s);
export const byteString = (value, what) => {
  const text = `${value}`;
  if (/[^\u0000-\u00ff]/.test(text)) throw new TypeError(`${what} holds characters beyond U+00FF`);
  return text;
};
const normalize = (value) => value.replace(/^[\t\n\r ]+|[\t\n\r ]+$/g, '');
const forbiddenRequest = new Set(['accept-charset', 'accept-encoding', 'access-control-request-headers', 'access-control-request-method', 'connection', 'content-length', 'cookie', 'cookie2', 'date', 'dnt', 'expect', 'host', 'keep-alive', 'origin', 'referer', 'set-cookie', 'te', 'trailer', 'transfer-encoding', 'upgrade', 'via']);
export const forbiddenMethods = new Set(['connect', 'trace', 'track']);
const isForbiddenRequest = (name, value) =>
  forbiddenRequest.has(name) || name.startsWith('proxy-') || name.startsWith('sec-') ||
  (['x-http-method', 'x-http-method-override', 'x-method-override'].includes(name) && value.split(',').some((m) => forbiddenMethods.has(m.trim().toLowerCase())));
// "CORS-safelisted request-header", for those that mode no-cors may have.
const UNSAFE_BYTES = /[\x00-\x08\x0a-\x1f"():<>?@[\\\]{}\x7f]/;
const SAFE_BY_NAME = {
  'accept': (value) => !UNSAFE_BYTES.test(value),
  'accept-language': (value) => /^[0-9A-Za-z *,\-.;=]*$/.test(value),
  'content-language': (value) => /^[0-9A-Za-z *,\-.;=]*$/.test(value),
  'content-type': (value) => !UNSAFE_BYTES.test(value) && ['application/x-www-form-urlencoded', 'multipart/form-data', 'text/plain'].includes(value.split(';')[0].trim().toLowerCase()),
};
// "no-CORS-safelisted request-header name"
const isSafelistedName = (name) => Object.hasOwn(SAFE_BY_NAME, name);
// "no-CORS-safelisted request-header"
const isSafelisted = (name, value) => isSafelistedName(name) && value.length <= 128 && SAFE_BY_NAME[name](value);

export const headersState = sharedState('headersState'); // Headers → { list: [[name, value]], guard }
export class Headers {
  constructor(init = undefined) {
    headersState.set(this, { list: [], guard: 'none' });
    if (init !== undefined) fillHeaders(this, init);
  }
  append(name, value) {
    must(arguments, 2);
    appendHeader(this, name, value);
  }
  delete(name) {
    must(arguments, 1);
    name = headerName(name);
    const s = headersState.get(this);
    if (!mayChange(s, name, '') || (s.guard === 'request-no-cors' && !isSafelistedName(name) && name !== 'range')) return;
    s.list = s.list.filter(([k]) => k !== name);
    changed(s);
  }
  get(name) {
    must(arguments, 1);
    name = headerName(name);
    let value = null;
    for (const pair of headersState.get(this).list) if (pair[0] === name) value = value === null ? pair[1] : `${value}, ${pair[1]}`;
    return value;
  }
  getSetCookie() {
    return headersState.get(this).list.filter(([k]) => k === 'set-cookie').map(([, v]) => v);
  }
  has(name) {
    must(arguments, 1);
    name = headerName(name);
    for (const pair of headersState.get(this).list) if (pair[0] === name) return true;
    return false;
  }
  set(name, value) {
    must(arguments, 2);
    name = headerName(name);
    value = headerValue(value);
    const s = headersState.get(this);
    if (!mayChange(s, name, value) || (s.guard === 'request-no-cors' && !isSafelisted(name, value))) return;
    const first = s.list.find(([k]) => k === name);
    if (first) {
      first[1] = value;
      s.list = s.list.filter((e) => e === first || e[0] !== name);
    } else s.list.push([name, value]);
    changed(s);
  }
}
// What the environment itself asks of headers.
export const ofHeaders = saved(Headers, 'get', 'has', 'append', 'set');
const makeIterator = pairIterable(Headers, sortedHeaders);
// "sort and combine", which is kept until the list changes.
function sortedHeaders(headers) {
  const s = headersState.get(headers);
  return (s.sorted ??= sorted(s.list));
}
function sorted(list) {
  const byName = new Map();
  for (const [name, value] of list) {
    if (byName.has(name)) byName.get(name).push(value);
    else byName.set(name, [value]);
  }
  const out = [];
  for (const name of [...byName.keys()].sort()) {
    if (name === 'set-cookie') for (const v of byName.get(name)) out.push([name, v]);
    else out.push([name, byName.get(name).join(', ')]);
  }
  return out;
}
// Names and values come again and again; what was found out about them is kept.
const MOST_REMEMBERED = 500;
function remembering(f) {
  const known = new Map();
  return (input) => {
    if (typeof input !== 'string') input = `${input}`;
    let out = known.get(input);
    if (out === undefined) {
      out = f(input);
      if (known.size >= MOST_REMEMBERED) known.clear();
      known.set(input, out);
    }
    return out;
  };
}
const headerName = remembering((name) => {
  const text = byteString(name, 'a header name');
  if (!isToken(text)) throw new TypeError(`"${text}" is no header name`);
  return text.toLowerCase();
});
const headerValue = remembering((value) => {
  const text = normalize(byteString(value, 'a header value'));
  if (/[\0\n\r]/.test(text)) throw new TypeError('a header value holds a line break or NUL');
  return text;
});
// "validate (name, value)"
function mayChange(s, name, value) {
  if (s.guard === 'immutable') throw new TypeError('these headers cannot be changed');
  if (s.guard === 'request' && isForbiddenRequest(name, value)) return false;
  return !(s.guard === 'response' && (name === 'set-cookie' || name === 'set-cookie2'));
}
// "remove privileged no-CORS request-headers": a range that came with a copied request goes with the first change.
function changed(s) {
  s.sorted = null;
  if (s.guard === 'request-no-cors') s.list = s.list.filter(([k]) => k !== 'range');
}
// "append (name, value) to a Headers object"
export function appendHeader(headers, name, value) {
  name = headerName(name);
  value = headerValue(value);
  const s = headersState.get(headers);
  if (!mayChange(s, name, value)) return;
  if (s.guard === 'request-no-cors' && !isSafelisted(name, [...s.list.filter(([k]) => k === name).map(([, v]) => v), value].join(', '))) return;
  s.list.push([name, value]);
  changed(s);
}
export function emptyHeaders(headers) {
  const s = headersState.get(headers);
  s.list = [];
  changed(s);
}
export function fillHeaders(headers, init) {
  if (typeof init !== 'object' && typeof init !== 'function') throw new TypeError('headers are given as an object or a list of pairs');
  if (init === null) throw new TypeError('headers are given as an object or a list of pairs');
  const iterate = init[Symbol.iterator];
  if (iterate === entries && makeIterator.untouched() && headersState.has(init)) { // nothing of a script's is run
    for (const [k, v] of sortedHeaders(init)) appendHeader(headers, k, v);
    return;
  }
  if (iterate !== undefined && iterate !== null) {
    for (const pair of { [Symbol.iterator]: () => apply(iterate, init, []) }) {
      if (typeof pair !== 'object' || pair === null || pair[Symbol.iterator] === undefined) throw new TypeError('each header is a pair of name and value');
      const both = [...pair];
      if (both.length !== 2) throw new TypeError('each header is a pair of name and value');
      appendHeader(headers, both[0], both[1]);
    }
    return;
  }
  const pairs = [];
  for (const key of Reflect.ownKeys(init)) {
    const d = Reflect.getOwnPropertyDescriptor(init, key);
    if (!d || !d.enumerable) continue;
    if (typeof key === 'symbol') throw new TypeError('a header name is text');
    pairs.push([byteString(key, 'a header name'), byteString(init[key], 'a header value')]);
  }
  for (const [k, v] of pairs) appendHeader(headers, k, v);
}
export function headersFrom(list, guard) {
  return headersWith(list.map(([k, v]) => [k, v]), guard);
}
// The list, whose names are in lower case, becomes the headers' own.
export function headersWith(list, guard) {
  const headers = setPrototypeOf({}, Headers.prototype);
  headersState.set(headers, { list, guard });
  return headers;
}
publish(Headers);
const entries = Headers.prototype[Symbol.iterator];
