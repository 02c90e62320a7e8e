import { defineProperty } from './primordials.js';
import { attribute } from './webidl.js';
import { EventTarget } from './event.js';

// A plain object of an interface that scripts cannot make themselves.
// What other standards add to navigators: members by name.
export const navigatorParts = { __proto__: null };
const made = { __proto__: null };
export function navigatorPart(name, make) {
  navigatorParts[name] = { ...attribute(name, () => (made[name] ??= make())), enumerable: true };
}
export function addNavigatorParts(proto) {
  for (const name in navigatorParts) defineProperty(proto, name, navigatorParts[name]);
}
export const interfaceOf = (name, members) => {
  const proto = Object.create(EventTarget.prototype, Object.getOwnPropertyDescriptors(members));
  defineProperty(proto, Symbol.toStringTag, { value: name, configurable: true });
  return Object.create(proto);
};
