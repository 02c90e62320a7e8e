// Time and chance are the rehearsal's own (ECMAScript: Date, Math.random).

import { RealDate, ScriptMath, defineProperty } from './primordials.js';
import { expose } from './webidl.js';

export function now() {
  return host('now');
}
export const timeOrigin = 1767603600000;

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
