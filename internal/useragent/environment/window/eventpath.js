// DOM, 2.9: how events find their way through trees with shadow roots, and what elements do when they are clicked.

import { assign, isA } from '../shared/primordials.js';
import { insideOf, trees } from '../shared/event.js';
import { activation } from './forms.js';
import { DOCUMENT, documentElementOf, isElement, isHTML, isNode, late, rootOf } from './nodes.js';
import { MouseEvent } from './uievents.js';

// "shadow-including inclusive ancestor", of a root.
const encloses = (root, node) => {
  for (let r = rootOf(node); ; r = rootOf(r.$host)) {
    if (r === root) return true;
    if (!r.$shadow) return false;
  }
};
const PASSIVE = new Set(['touchstart', 'touchmove', 'wheel', 'mousewheel']);
assign(trees, {
  isNode,
  rootOf,
  retarget(a, b) {
    while (isNode(a)) {
      const root = rootOf(a);
      if (!root.$shadow || (isNode(b) && encloses(root, b))) break;
      a = root.$host;
    }
    return a;
  },
  assignedSlot: (node) => (node.$p?.$root ? late.slotFor(node) : null),
  closedRoot: (at) => (isNode(at) && at.$shadow ? at.$mode === 'closed' : null),
  inSameTree: (target, parent) => encloses(rootOf(target), parent),
  // "default passive value" (DOM, 2.7)
  passive: (type, target) => PASSIVE.has(type) && (target === global || (isNode(target) && (target.$t === DOCUMENT || (isElement(target) && (target === documentElementOf(target.$d) || target === target.$d.body))))),
  isForm: (n) => isHTML(n, 'form'),
  inShadow: (n) => isNode(n) && Boolean(rootOf(n).$shadow),
  activation: { ...activation, isActivation: (event) => insideOf(event).type === 'click' && isA(event, MouseEvent) },
});
