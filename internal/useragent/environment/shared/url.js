// URL Standard: the parsing itself is done by the host.

import { TypeError, Uint8Array, defineProperty, fromJSON } from './primordials.js';
import { attribute, must, pairIterable, publish, usv } from './webidl.js';
import { decodeUTF8, encodeUTF8 } from './bytes.js';

export const URL_PARTS = ['href', 'origin', 'protocol', 'username', 'password', 'host', 'hostname', 'port', 'pathname', 'search', 'hash'];
// The parts of a URL, "" when it is none. They are never changed, so those of one address can serve many.
const parsedURLs = new Map();
export function parsedURL(url, base) {
  const key = base === undefined ? url : `${base}\n${url}`;
  let parts = parsedURLs.get(key);
  if (parts === undefined) {
    const text = base === undefined ? host('url', url) : host('url', url, base);
    parts = text && fromJSON(text);
    if (parsedURLs.size >= 500) parsedURLs.clear();
    parsedURLs.set(key, parts);
  }
  return parts;
}
export class URL {
  #parts;
  #params;
  constructor(url, base = undefined) {
    must(arguments, 1);
    const parts = parsedURL(usv(url), base === undefined ? base : usv(base));
    if (!parts) throw new TypeError(`Invalid URL: ${url}`);
    this.#parts = parts;
  }
  static canParse(url, base = undefined) {
    must(arguments, 1);
    return Boolean(parsedURL(usv(url), base === undefined ? base : usv(base)));
  }
  static parse(url, base = undefined) {
    must(arguments, 1);
    return URL.canParse(url, base) ? new URL(url, base) : null;
  }
  get searchParams() {
    if (!this.#params) {
      this.#params = new URLSearchParams(this.search);
      this.#params.$changed = (text) => this.#set('search', text);
    }
    return this.#params;
  }
  toString() {
    return this.#parts[0];
  }
  toJSON() {
    return this.#parts[0];
  }
  #set(field, value) {
    const text = host('urlSet', this.#parts[0], field, usv(value));
    if (text) this.#parts = fromJSON(text);
  }
  static {
    URL_PARTS.forEach((name, i) => {
      const d = attribute(name, (url) => url.#parts[i]);
      if (name === 'href')
        d.set = Object.getOwnPropertyDescriptor({ set [name](value) {
          const parts = parsedURL(usv(value));
          if (!parts) throw new TypeError(`Invalid URL: ${value}`);
          this.#parts = parts;
          this.#params?.$replace(this.#parts[9]);
        } }, name).set;
      else if (name !== 'origin')
        d.set = Object.getOwnPropertyDescriptor({ set [name](value) {
          this.#set(name, value);
          if (name === 'search') this.#params?.$replace(this.#parts[9]);
        } }, name).set;
      defineProperty(URL.prototype, name, d);
    });
  }
}

const formEncode = (text) =>
  encodeURIComponent(text.toWellFormed ? text.toWellFormed() : text)
    .replace(/[!'()~]/g, (c) => '%' + c.charCodeAt(0).toString(16).toUpperCase())
    .replace(/%20/g, '+');
const formDecode = (text) => {
  text = text.replace(/\+/g, ' ');
  if (!text.includes('%')) return text;
  const bytes = [];
  const source = encodeUTF8(text);
  for (let i = 0; i < source.length; i++) {
    const hex = source[i] === 37 ? String.fromCharCode(source[i + 1], source[i + 2]) : '';
    if (/^[0-9A-Fa-f]{2}$/.test(hex)) {
      bytes.push(parseInt(hex, 16));
      i += 2;
    } else bytes.push(source[i]);
  }
  return decodeUTF8(new Uint8Array(bytes), true);
};
export class URLSearchParams {
  #list = [];
  constructor(init = '') {
    this.$changed = null;
    if (init !== null && (typeof init === 'object' || typeof init === 'function')) {
      if (typeof init[Symbol.iterator] === 'function') {
        for (const pair of init) {
          const both = [...pair];
          if (both.length !== 2) throw new TypeError('each pair needs a name and a value');
          this.#list.push([usv(both[0]), usv(both[1])]);
        }
      } else {
        // A record: of names that become the same, the last value counts, in the first one's place.
        const record = new Map();
        for (const key of Reflect.ownKeys(init)) if (Object.getOwnPropertyDescriptor(init, key)?.enumerable) record.set(usv(key), usv(init[key]));
        this.#list = [...record];
      }
    } else this.$replace(usv(init));
  }
  $replace(text) {
    this.#list = text
      .replace(/^\?/, '')
      .split('&')
      .filter(Boolean)
      .map((part) => {
        const at = part.indexOf('=');
        return at < 0 ? [formDecode(part), ''] : [formDecode(part.slice(0, at)), formDecode(part.slice(at + 1))];
      });
  }
  #update() {
    this.$changed?.(this.toString());
  }
  get size() {
    return this.#list.length;
  }
  append(name, value) {
    must(arguments, 2);
    this.#list.push([usv(name), usv(value)]);
    this.#update();
  }
  delete(name, value = undefined) {
    must(arguments, 1);
    this.#list = this.#list.filter(([k, v]) => k !== usv(name) || (value !== undefined && v !== usv(value)));
    this.#update();
  }
  get(name) {
    must(arguments, 1);
    return this.#list.find(([k]) => k === usv(name))?.[1] ?? null;
  }
  getAll(name) {
    must(arguments, 1);
    return this.#list.filter(([k]) => k === usv(name)).map(([, v]) => v);
  }
  has(name, value = undefined) {
    must(arguments, 1);
    return this.#list.some(([k, v]) => k === usv(name) && (value === undefined || v === usv(value)));
  }
  set(name, value) {
    must(arguments, 2);
    const first = this.#list.find(([k]) => k === usv(name));
    if (first) {
      first[1] = usv(value);
      this.#list = this.#list.filter((e) => e === first || e[0] !== usv(name));
    } else this.#list.push([usv(name), usv(value)]);
    this.#update();
  }
  sort() {
    this.#list.sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
    this.#update();
  }
  toString() {
    return this.#list.map(([k, v]) => `${formEncode(k)}=${formEncode(v)}`).join('&');
  }
  static {
    pairIterable(this, (params) => params.#list);
  }
}
publish(URL, URLSearchParams);
