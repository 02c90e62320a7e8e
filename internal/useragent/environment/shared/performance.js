// High Resolution Time and User Timing.

import { ScriptObject, TypeError, apply, assign, defineProperty, forScripts, freeze } from './primordials.js';
import { MAKE, lazy, must, onlyHere, publishLoosely } from './webidl.js';
import { DOMException } from './domexception.js';
import { now, timeOrigin } from './time.js';
import { EventTarget } from './event.js';
import { queueTask } from './timers.js';
import { clone } from './structuredclone.js';

export let performanceObject;
// What a kind of realm says of how it came about.
export const timing = { navigation: null };
export const loadPerformance = lazy(['Performance', 'PerformanceEntry', 'PerformanceMark', 'PerformanceMeasure', 'PerformanceResourceTiming', 'PerformanceNavigationTiming', 'PerformanceObserver', 'PerformanceObserverEntryList'], () => {
let tellObservers;
class Performance extends EventTarget {
  #entries = [];
  constructor(key = undefined) {
    onlyHere(key);
    super();
    if (timing.navigation) this.#entries.push(make(PerformanceNavigationTiming, timing.navigation()));
  }
  get timeOrigin() {
    return timeOrigin;
  }
  now() {
    return now() - timeOrigin;
  }
  #add(entry) {
    this.#entries.push(entry);
    this.#entries.sort((a, b) => a.startTime - b.startTime);
    tellObservers(entry);
    return entry;
  }
  mark(name, options = {}) {
    must(arguments, 1);
    return this.#add(new PerformanceMark(name, options));
  }
  measure(name, from = undefined, to = undefined) {
    must(arguments, 1);
    const at = (point) => {
      if (typeof point === 'number') {
        if (point < 0) throw new TypeError('a time is not negative');
        return point;
      }
      const mark = this.#entries.findLast((e) => e.entryType === 'mark' && e.name === `${point}`);
      if (!mark) throw new DOMException(`there is no mark ${point}`, 'SyntaxError');
      return mark.startTime;
    };
    const given = typeof from === 'object' && from !== null && (from.start !== undefined || from.end !== undefined || from.duration !== undefined || from.detail !== undefined);
    if (given && (to !== undefined || (from.start === undefined && from.end === undefined) || (from.start !== undefined && from.end !== undefined && from.duration !== undefined))) throw new TypeError('these points cannot be measured between');
    const o = given ? from : { start: typeof from === 'object' ? undefined : from, end: to };
    const end = o.end !== undefined ? at(o.end) : o.start !== undefined && o.duration !== undefined ? at(o.start) + at(o.duration) : this.now();
    const start = o.start !== undefined ? at(o.start) : o.duration !== undefined && o.end !== undefined ? end - at(o.duration) : 0;
    return this.#add(make(PerformanceMeasure, { name: `${name}`, entryType: 'measure', startTime: start, duration: end - start, detail: o.detail === undefined || o.detail === null ? null : clone(o.detail) }));
  }
  getEntries() {
    return [...this.#entries];
  }
  getEntriesByName(name, type = undefined) {
    return this.#entries.filter((e) => e.name === `${name}` && (type === undefined || e.entryType === type));
  }
  getEntriesByType(type) {
    return this.#entries.filter((e) => e.entryType === `${type}`);
  }
  clearMarks(name = undefined) {
    this.#entries = this.#entries.filter((e) => e.entryType !== 'mark' || (name !== undefined && e.name !== `${name}`));
  }
  clearMeasures(name = undefined) {
    this.#entries = this.#entries.filter((e) => e.entryType !== 'measure' || (name !== undefined && e.name !== `${name}`));
  }
  // Navigation Timing 1, which scripts still ask: everything happened when the page began.
  get timing() {
    const at = Math.round(timeOrigin);
    const out = new ScriptObject();
    for (const name of ['navigationStart', 'fetchStart', 'domainLookupStart', 'domainLookupEnd', 'connectStart', 'connectEnd', 'requestStart', 'responseStart', 'responseEnd', 'domLoading', 'domInteractive', 'domContentLoadedEventStart', 'domContentLoadedEventEnd', 'domComplete', 'loadEventStart', 'loadEventEnd']) out[name] = at;
    return out;
  }
  get navigation() {
    return assign(new ScriptObject(), { type: this.getEntriesByType('navigation')[0]?.type === 'reload' ? 1 : 0, redirectCount: 0 });
  }
  clearResourceTimings() {}
  setResourceTimingBufferSize() {}
  toJSON() {
    return { timeOrigin };
  }
}
const values = new WeakMap();
class PerformanceEntry {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get name() {
    return values.get(this).name;
  }
  get entryType() {
    return values.get(this).entryType;
  }
  get startTime() {
    return values.get(this).startTime;
  }
  get duration() {
    return values.get(this).duration;
  }
  toJSON() {
    return { ...values.get(this) };
  }
}
const make = (cls, value) => {
  const entry = { __proto__: cls.prototype };
  values.set(entry, value);
  return entry;
};
// The times of a navigation, whose names no mark has (User Timing, 3.1).
const TIMES = new Set('navigationStart unloadEventStart unloadEventEnd redirectStart redirectEnd fetchStart domainLookupStart domainLookupEnd connectStart connectEnd secureConnectionStart requestStart responseStart responseEnd domLoading domInteractive domContentLoadedEventStart domContentLoadedEventEnd domComplete loadEventStart loadEventEnd'.split(' '));
class PerformanceMark extends PerformanceEntry {
  constructor(name, options = {}) {
    must(arguments, 1);
    super(MAKE);
    if (timing.navigation && TIMES.has(`${name}`)) throw new DOMException(`"${name}" is a time of the navigation`, 'SyntaxError');
    const { startTime, detail } = options ?? {};
    if (startTime !== undefined && Number(startTime) < 0) throw new TypeError('a mark has no negative time');
    values.set(this, { name: `${name}`, entryType: 'mark', startTime: startTime === undefined ? performanceObject.now() : Number(startTime), duration: 0, detail: detail === undefined || detail === null ? null : clone(detail) });
  }
  get detail() {
    return values.get(this).detail;
  }
}
class PerformanceMeasure extends PerformanceEntry {
  get detail() {
    return values.get(this).detail;
  }
}
// Resource Timing, 4.3, and Navigation Timing 2, 4.1; everything took no time at all.
class PerformanceResourceTiming extends PerformanceEntry {}
class PerformanceNavigationTiming extends PerformanceResourceTiming {}
const TIMED = [
  [PerformanceResourceTiming, ['initiatorType', 'nextHopProtocol', 'transferSize', 'encodedBodySize', 'decodedBodySize', 'redirectStart', 'redirectEnd', 'workerStart', 'fetchStart', 'domainLookupStart', 'domainLookupEnd', 'connectStart', 'secureConnectionStart', 'connectEnd', 'requestStart', 'responseStart', 'responseEnd']],
  [PerformanceNavigationTiming, ['type', 'redirectCount', 'unloadEventStart', 'unloadEventEnd', 'domInteractive', 'domContentLoadedEventStart', 'domContentLoadedEventEnd', 'domComplete', 'loadEventStart', 'loadEventEnd', 'activationStart']],
];
for (const [cls, names] of TIMED)
  for (const name of names) defineProperty(cls.prototype, name, { get() { return values.get(this)[name] ?? 0; }, enumerable: true, configurable: true });
// Performance Timeline, 4.
const TYPES = freeze(['mark', 'measure']);
const watching = new Set();
class PerformanceObserver {
  #callback;
  #types = new Set();
  #waiting = [];
  static supportedEntryTypes = forScripts(TYPES);
  constructor(callback) {
    if (typeof callback !== 'function') throw new TypeError('an observer takes a function');
    this.#callback = callback;
  }
  observe(options = {}) {
    const { entryTypes, type, buffered } = options ?? {};
    if (entryTypes === undefined && type === undefined) throw new TypeError('an observer is told what to watch');
    if (entryTypes !== undefined && type !== undefined) throw new TypeError('an observer takes a type or a list of them');
    if (entryTypes !== undefined) this.#types = new Set([...entryTypes].map(String));
    else this.#types.add(`${type}`);
    watching.add(this);
    if (buffered && type !== undefined) for (const e of performanceObject.getEntriesByType(type)) this.#take(e);
  }
  #take(entry) {
    if (!this.#types.has(entry.entryType)) return;
    this.#waiting.push(entry);
    if (this.#waiting.length === 1) queueTask(() => {
      const list = this.takeRecords();
      if (list.length) apply(this.#callback, this, [makeList(list), this]);
    });
  }
  disconnect() {
    watching.delete(this);
    this.#waiting = [];
  }
  takeRecords() {
    return this.#waiting.splice(0);
  }
  static {
    tellObservers = (entry) => {
      for (const o of watching) o.#take(entry);
    };
  }
}
const lists = new WeakMap();
class PerformanceObserverEntryList {
  constructor(key = undefined) {
    onlyHere(key);
  }
  getEntries() {
    return [...lists.get(this)];
  }
  getEntriesByName(name, type = undefined) {
    return lists.get(this).filter((e) => e.name === `${name}` && (type === undefined || e.entryType === type));
  }
  getEntriesByType(type) {
    return lists.get(this).filter((e) => e.entryType === `${type}`);
  }
}
const makeList = (list) => {
  const made = { __proto__: PerformanceObserverEntryList.prototype };
  lists.set(made, list.sort((a, b) => a.startTime - b.startTime));
  return made;
};
publishLoosely(Performance, PerformanceEntry, PerformanceMark, PerformanceMeasure, PerformanceResourceTiming, PerformanceNavigationTiming, PerformanceObserver, PerformanceObserverEntryList);
if (!timing.navigation) for (const name of ['timing', 'navigation']) delete Performance.prototype[name]; // windows alone have them
performanceObject = new Performance(MAKE);
});
