// Geometry Interfaces: points and rectangles, as plain numbers.

import { ScriptObject, assign, defineProperty } from '../shared/primordials.js';
import { attribute, publishLoosely } from '../shared/webidl.js';
import { late } from './nodes.js';

const valuesOf = new WeakMap();
const numbers = (cls, keys) => {
  for (const key of keys) defineProperty(cls.prototype, key, {
    get() {
      return valuesOf.get(this)[key];
    },
    set(v) {
      valuesOf.get(this)[key] = Number(v);
    },
    enumerable: true, configurable: true,
  });
};
const readable = (cls, keys, read) => {
  for (const key of keys) defineProperty(cls.prototype, key, attribute(key, (o) => read(valuesOf.get(o), key)));
};
const init = (o, keys, list) => valuesOf.set(o, Object.fromEntries(keys.map((key, i) => [key, Number(list[i] ?? (key === 'w' ? 1 : 0))])));
const POINT = ['x', 'y', 'z', 'w'];
export class DOMPointReadOnly {
  constructor(...list) {
    init(this, POINT, list);
  }
  static fromPoint(o = {}) {
    return new this(...POINT.map((key) => o[key]));
  }
  toJSON() {
    return assign(new ScriptObject(), valuesOf.get(this));
  }
}
readable(DOMPointReadOnly, POINT, (v, key) => v[key]);
export class DOMPoint extends DOMPointReadOnly {}
numbers(DOMPoint, POINT);
const RECT = ['x', 'y', 'width', 'height'];
const EDGES = {
  top: (v) => Math.min(v.y, v.y + v.height), right: (v) => Math.max(v.x, v.x + v.width),
  bottom: (v) => Math.max(v.y, v.y + v.height), left: (v) => Math.min(v.x, v.x + v.width),
};
export class DOMRectReadOnly {
  constructor(...list) {
    init(this, RECT, list);
  }
  static fromRect(o = {}) {
    return new this(...RECT.map((key) => o[key]));
  }
  toJSON() {
    const v = valuesOf.get(this);
    return assign(new ScriptObject(), v, Object.fromEntries(Object.keys(EDGES).map((key) => [key, EDGES[key](v)])));
  }
}
readable(DOMRectReadOnly, RECT, (v, key) => v[key]);
readable(DOMRectReadOnly, Object.keys(EDGES), (v, key) => EDGES[key](v));
export class DOMRect extends DOMRectReadOnly {}
numbers(DOMRect, RECT);
publishLoosely(DOMPointReadOnly, DOMPoint, DOMRectReadOnly, DOMRect);
late.box = (...list) => new DOMRect(...list);
