// High Resolution Time and User Timing.

import { setPrototypeOf } from './primordials.js';
import { MAKE, lazy, must, onlyHere, publishLoosely } from './webidl.js';
import { DOMException } from './domexception.js';
import { now, timeOrigin } from './time.js';
import { EventTarget } from './event.js';

export let performanceObject;
export const loadPerformance = lazy(['Performance', 'PerformanceEntry'], () => {
class Performance extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  get timeOrigin() {
    return timeOrigin;
  }
  now() {
    return now() - timeOrigin;
  }
  #entries = [];
  #add(entry) {
    this.#entries.push(setPrototypeOf(entry, PerformanceEntry.prototype));
    this.#entries.sort((a, b) => a.startTime - b.startTime);
    return entry;
  }
  mark(name, options = {}) {
    must(arguments, 1);
    return this.#add({ name: `${name}`, entryType: 'mark', startTime: options?.startTime ?? this.now(), duration: 0, detail: options?.detail ?? null });
  }
  measure(name, from = 0, to = undefined) {
    must(arguments, 1);
    const at = (point) => {
      if (typeof point === 'number') return point;
      const mark = this.#entries.findLast((e) => e.entryType === 'mark' && e.name === `${point}`);
      if (!mark) throw new DOMException(`there is no mark ${point}`, 'SyntaxError');
      return mark.startTime;
    };
    const options = typeof from === 'object' && from !== null ? from : { start: from, end: to };
    const start = at(options.start ?? 0);
    const end = options.end === undefined ? this.now() : at(options.end);
    return this.#add({ name: `${name}`, entryType: 'measure', startTime: start, duration: end - start, detail: options.detail ?? null });
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
  clearResourceTimings() {}
  setResourceTimingBufferSize() {}
  toJSON() {
    return { timeOrigin };
  }
}
class PerformanceEntry {
  constructor(key = undefined) {
    onlyHere(key);
  }
  toJSON() {
    return { ...this };
  }
}
publishLoosely(Performance, PerformanceEntry);
performanceObject = new Performance(MAKE);
});
