// CSS Font Loading: faces that scripts load, without anything being drawn with them.

import {
  PromiseOf, ScriptSet, TypeError, apply, defineProperty, isA, rejected, resolved, then,
} from '../shared/primordials.js';
import { MAKE, must, onlyHere, publishLoosely } from '../shared/webidl.js';
import { DOMException } from '../shared/domexception.js';
import { baseURL } from '../shared/settings.js';
import { EventTarget, handlers } from '../shared/event.js';
import { parsedURL } from '../shared/url.js';
import { performFetch } from '../shared/fetch.js';
import { Document } from './document.js';
import { extendInterface } from './node.js';

const stateOf = new WeakMap();
const DESCRIPTORS = { style: 'normal', weight: 'normal', stretch: 'normal', unicodeRange: 'U+0-10FFFF', variant: 'normal', featureSettings: 'normal', display: 'auto', ascentOverride: 'normal', descentOverride: 'normal', lineGapOverride: 'normal' };
export class FontFace {
  constructor(family, source, descriptors = {}) {
    must(arguments, 2);
    const s = { family: `${family}`, source, status: 'unloaded', ...DESCRIPTORS };
    for (const key of Object.keys(DESCRIPTORS)) if (descriptors?.[key] !== undefined) s[key] = `${descriptors[key]}`;
    s.loaded = new PromiseOf((resolve, reject) => Object.assign(s, { resolve, reject }));
    then(s.loaded, undefined, () => {});
    stateOf.set(this, s);
    if (typeof source !== 'string') {
      s.status = 'loaded';
      s.resolve(this);
    }
  }
  get family() {
    return stateOf.get(this).family;
  }
  get status() {
    return stateOf.get(this).status;
  }
  get loaded() {
    return stateOf.get(this).loaded;
  }
  load() {
    const s = stateOf.get(this);
    if (s.status !== 'unloaded') return s.loaded;
    s.status = 'loading';
    const url = /url\(\s*["']?([^"')]+)/.exec(s.source)?.[1];
    const at = url && parsedURL(url, baseURL())?.[0];
    const fail = () => {
      s.status = 'error';
      s.reject(new DOMException(`the font ${s.family} could not be loaded`, 'NetworkError'));
    };
    if (!at) fail();
    else then(performFetch(at, { mode: 'cors', credentials: 'same-origin' }, 2), (response) => {
      if (!response.ok) return fail();
      s.status = 'loaded';
      s.resolve(this);
    }, fail);
    return s.loaded;
  }
}
for (const key of Object.keys(DESCRIPTORS)) defineProperty(FontFace.prototype, key, {
  get() {
    return stateOf.get(this)[key];
  },
  set(v) {
    stateOf.get(this)[key] = `${v}`;
  },
  enumerable: true, configurable: true,
});
export class FontFaceSet extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
    stateOf.set(this, new ScriptSet());
  }
  get status() {
    return 'loaded';
  }
  get ready() {
    return resolved(this);
  }
  get size() {
    return stateOf.get(this).size;
  }
  add(face) {
    if (!isA(face, FontFace)) throw new TypeError('only faces are added');
    stateOf.get(this).add(face);
    return this;
  }
  delete(face) {
    return stateOf.get(this).delete(face);
  }
  clear() {
    stateOf.get(this).clear();
  }
  has(face) {
    return stateOf.get(this).has(face);
  }
  forEach(callback, that) {
    for (const face of stateOf.get(this)) apply(callback, that, [face, face, this]);
  }
  values() {
    return stateOf.get(this).values();
  }
  check(font) {
    must(arguments, 1);
    return typeof `${font}` === 'string';
  }
  // Faces of style sheets are no objects here: none is found for a font, which is what a page hears of fonts of the system.
  load(font) {
    if (arguments.length < 1) return rejected(new TypeError('load takes a font'));
    const found = [...stateOf.get(this)].filter((face) => `${font}`.includes(face.family.replace(/["']/g, '')));
    return PromiseOf.all(found.map((face) => face.load()));
  }
}
defineProperty(FontFaceSet.prototype, Symbol.iterator, { value: FontFaceSet.prototype.values, writable: true, configurable: true });
handlers(FontFaceSet.prototype, 'loading', 'loadingdone', 'loadingerror');
publishLoosely(FontFace, FontFaceSet);
extendInterface(Document, {
  get fonts() {
    return (this.$fonts ??= new FontFaceSet(MAKE));
  },
});
