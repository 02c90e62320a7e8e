// HTML, 2.6.1: attributes that name other elements by their ids, or stand for elements that scripts have given.

import { TypeError, defineProperty, freeze } from '../shared/primordials.js';
import { ARIA_ELEMENT, ARIA_ELEMENTS } from './aria.js';
import { Element } from './element.js';
import { elementById } from './node.js';
import { getAttr, isElement, isNode, onAttribute, rootOf, setAttr } from './nodes.js';

const given = new WeakMap(); // element → { attribute: what a script gave }
const known = new Set();
let giving = false;
function give(e, name, value) {
  giving = true;
  if (value === null) e.removeAttribute(name);
  else setAttr(e, name, '');
  giving = false;
  const mine = given.get(e) ?? given.set(e, { __proto__: null }).get(e);
  mine[name] = value;
}
onAttribute.push((e, name) => {
  if (!giving && known.has(name) && given.has(e)) delete given.get(e)[name];
});
// An element is found where it stands in the same tree, or in one around it.
const reaches = (e, other) => {
  for (let root = rootOf(e); root; root = root.$host ? rootOf(root.$host) : null) if (rootOf(other) === root) return true;
  return false;
};
const byIds = (e, name) => (getAttr(e, name) ?? '').split(/[\t\n\f\r ]+/).filter(Boolean).map((id) => elementById(rootOf(e), id)).filter(Boolean);
const check = (value, property) => {
  if (!isNode(value) || !isElement(value)) throw new TypeError(`${property} takes elements`);
};
// "attr-associated element"
export function reflectElement(proto, property, name) {
  known.add(name);
  defineProperty(proto, property, {
    ...Object.getOwnPropertyDescriptor({
      get [property]() {
        const own = given.get(this)?.[name];
        if (own) return reaches(this, own) ? own : null;
        return byIds(this, name)[0] ?? null;
      },
      set [property](value) {
        if (value !== null && value !== undefined) check(value, property);
        give(this, name, value ?? null);
      },
    }, property),
    enumerable: true,
  });
}
// "attr-associated elements": the same list as long as its elements are the same.
const lists = new WeakMap();
function reflectElements(proto, property, name) {
  known.add(name);
  defineProperty(proto, property, {
    ...Object.getOwnPropertyDescriptor({
      get [property]() {
        const own = given.get(this)?.[name];
        if (!own && getAttr(this, name) === null) return null;
        const found = own ? own.filter((other) => reaches(this, other)) : byIds(this, name);
        const mine = lists.get(this) ?? lists.set(this, { __proto__: null }).get(this);
        const before = mine[name];
        return before?.length === found.length && before.every((e, i) => e === found[i]) ? before : (mine[name] = freeze(found));
      },
      set [property](value) {
        const list = value === null || value === undefined ? null : [...value];
        list?.forEach((other) => check(other, property));
        give(this, name, list);
      },
    }, property),
    enumerable: true,
  });
}
for (const property of Object.keys(ARIA_ELEMENT)) reflectElement(Element.prototype, property, ARIA_ELEMENT[property]);
for (const property of Object.keys(ARIA_ELEMENTS)) reflectElements(Element.prototype, property, ARIA_ELEMENTS[property]);
