// What watches layout and screens, where nothing is laid out: everything is in view, boxes are empty, the viewport is stated.

import { ScriptArray, ScriptObject, TypeError, apply, assign, defineProperty, arrayFrom, arrayOf } from '../shared/primordials.js';
import { MAKE, attribute, onlyHere, publishLoosely } from '../shared/webidl.js';
import { now, timeOrigin } from '../shared/time.js';
import { EventTarget, addListener, handlers, report } from '../shared/event.js';
import { queueTask, setTimeout } from '../shared/timers.js';
import { isElement } from './nodes.js';

const makeObserver = (name, entry) => {
  const stateOf = new WeakMap();
  const cls = { [name]: class {
    constructor(callback, options = {}) {
      if (typeof callback !== 'function') throw new TypeError('an observer takes a function');
      stateOf.set(this, { callback, options: options ?? {}, targets: new Set(), records: [] });
    }
    observe(target) {
      const s = stateOf.get(this);
      if (!isElement(target) || s.targets.has(target)) return;
      s.targets.add(target);
      s.records.push(entry(target));
      queueTask(() => {
        const { records } = s;
        if (!records.length) return;
        s.records = [];
        try {
          apply(s.callback, this, [arrayFrom(records), this]);
        } catch (e) {
          report(e);
        }
      });
    }
    unobserve(target) {
      stateOf.get(this).targets.delete(target);
    }
    disconnect() {
      stateOf.get(this).targets.clear();
      stateOf.get(this).records = [];
    }
    takeRecords() {
      return arrayFrom(stateOf.get(this).records.splice(0));
    }
  } }[name];
  return { cls, stateOf };
};
const box = (w = 0, h = 0) => assign(new ScriptObject(), { x: 0, y: 0, width: w, height: h, top: 0, right: w, bottom: h, left: 0 });
const intersection = makeObserver('IntersectionObserver', (target) => assign(new ScriptObject(), { target, isIntersecting: true, intersectionRatio: 1, time: now() - timeOrigin, boundingClientRect: box(), intersectionRect: box(), rootBounds: box(1000, 700) }));
for (const [key, read] of [['root', (o) => o.root ?? null], ['rootMargin', (o) => o.rootMargin ?? '0px 0px 0px 0px'], ['thresholds', (o) => arrayFrom([o.threshold ?? 0].flat())]])
  defineProperty(intersection.cls.prototype, key, attribute(key, (i) => read(intersection.stateOf.get(i).options)));
const resize = makeObserver('ResizeObserver', (target) => assign(new ScriptObject(), { target, contentRect: box(), borderBoxSize: arrayOf({ inlineSize: 0, blockSize: 0 }), contentBoxSize: arrayOf({ inlineSize: 0, blockSize: 0 }), devicePixelContentBoxSize: arrayOf({ inlineSize: 0, blockSize: 0 }) }));
delete resize.cls.prototype.takeRecords;
publishLoosely(intersection.cls, resize.cls);

// CSSOM View, 4.2: media queries, which the browser reads for the screen that it states.
const mediaOf = new WeakMap();
export class MediaQueryList extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  get media() {
    return mediaOf.get(this);
  }
  get matches() {
    return Boolean(host('media', mediaOf.get(this)));
  }
  addListener(f) {
    if (f) apply(addListener, this, ['change', f]);
  }
  removeListener(f) {
    if (f) this.removeEventListener('change', f);
  }
}
handlers(MediaQueryList.prototype, 'change');
publishLoosely(MediaQueryList);
export function matchMedia(query) {
  const m = new MediaQueryList(MAKE);
  mediaOf.set(m, `${query}`.trim());
  return m;
}

// HTML, 8.11 and requestIdleCallback: frames and idle periods are tasks.
let nextFrame = 0;
const frames = new Map();
export function requestAnimationFrame(callback) {
  if (typeof callback !== 'function') throw new TypeError('a frame takes a function');
  const id = ++nextFrame;
  frames.set(id, callback);
  if (frames.size === 1) setTimeout(() => {
    const list = [...frames];
    frames.clear();
    const at = now() - timeOrigin;
    for (const [key, f] of list) {
      if (dropped.delete(key)) continue;
      try {
        f(at);
      } catch (e) {
        report(e);
      }
    }
  }, 16);
  return id;
}
const dropped = new Set();
export function cancelAnimationFrame(id) {
  if (!frames.delete(id)) dropped.add(id);
}
const idle = new Set();
export function requestIdleCallback(callback, options = {}) {
  const id = ++nextFrame;
  idle.add(id);
  setTimeout(() => {
    if (!idle.delete(id)) return;
    try {
      callback(new IdleDeadline(MAKE));
    } catch (e) {
      report(e);
    }
  }, 1);
  return id;
}
class IdleDeadline {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get didTimeout() {
    return false;
  }
  timeRemaining() {
    return 40;
  }
}
publishLoosely(IdleDeadline);
export const cancelIdleCallback = (id) => void idle.delete(id);
