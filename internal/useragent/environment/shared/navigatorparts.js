import { defineProperty } from './primordials.js';
import { MAKE, attribute, lazy, onlyHere, publishLoosely } from './webidl.js';
import { handlers } from './event.js';

// Makes an interface whose objects scripts cannot make, and gives what makes one. Values among the members become attributes that only read,
// those whose name begins with on are handlers.
export function makeInterface(name, members, base = null) {
  const cls = base ? { [name]: class extends base {
    constructor(key = undefined) {
      onlyHere(key);
      super();
    }
  } }[name] : { [name]: class {
    constructor(key = undefined) {
      onlyHere(key);
    }
  } }[name];
  const types = [];
  for (const key of Object.keys(members)) {
    const d = Object.getOwnPropertyDescriptor(members, key);
    if (key.startsWith('on') && d.value === null) types.push(key.slice(2));
    else if (d.get || typeof d.value === 'function') defineProperty(cls.prototype, key, d);
    else defineProperty(cls.prototype, key, attribute(key, () => d.value));
  }
  handlers(cls.prototype, ...types);
  publishLoosely(cls);
  return () => new cls(MAKE);
}
// One object of an interface that is made when scripts first ask for it, or for the interface. It gives what gives the object.
export function loneObject(name, members, base = null) {
  let object;
  let makeOne;
  const load = lazy([name], () => { makeOne = makeInterface(name, members(), base); });
  return () => {
    load();
    return (object ??= makeOne());
  };
}
// What other standards add to navigators: members by name.
export const navigatorParts = { __proto__: null };
export function navigatorPart(key, name, members, base = null) {
  navigatorParts[key] = { ...attribute(key, loneObject(name, members, base)), enumerable: true };
}
export function addNavigatorParts(proto) {
  for (const name in navigatorParts) defineProperty(proto, name, navigatorParts[name]);
}
