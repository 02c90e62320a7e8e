// Time and chance are the rehearsal's own (ECMAScript: Date, Math.random).

import { RealDate, ScriptMath, defineProperty } from './primordials.js';
import { expose } from './webidl.js';

// Each look at the clock takes a moment, so that a script that waits for another time in a loop comes to its end.
const MOMENT = 0.005;
let last = 0;
export function now() {
  last = Math.max(host('now'), last + MOMENT);
  return last;
}
// When the document or worker began (High Resolution Time, 7.1).
export let timeOrigin = 1767603600000;
export function startTime() {
  timeOrigin = Math.floor(now());
}

// The clock is the rehearsal's own.
export function Date_(...args) {
  if (!new.target) return new RealDate(now()).toString();
  return Reflect.construct(RealDate, args.length ? args : [Math.floor(now())], new.target);
}
Date_.prototype = RealDate.prototype;
defineProperty(Date_, 'name', { value: 'Date' });
defineProperty(Date_, 'length', { value: 7 });
for (const name of ['parse', 'UTC']) defineProperty(Date_, name, { value: RealDate[name], writable: true, configurable: true });
defineProperty(Date_, 'now', { value: () => Math.floor(now()), writable: true, configurable: true });
defineProperty(RealDate.prototype, 'constructor', { value: Date_, writable: true, configurable: true });
expose('Date', Date_);
defineProperty(ScriptMath, 'random', { value: () => host('random'), writable: true, configurable: true });
