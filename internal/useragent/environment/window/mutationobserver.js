// DOM, 4.3: mutation observers.

import { ScriptArray, TypeError, apply, defineProperty, sharedState, then, arrayFrom } from '../shared/primordials.js';
import { attribute, onlyHere, publish } from '../shared/webidl.js';
import { Event, dispatch, reportFor } from '../shared/event.js';
import { settled } from '../shared/timers.js';
import { nodes } from './collections.js';
import { isNode, record } from './nodes.js';

const registered = sharedState('registered'); // node → [{ observer, options }]
const observers = (kin.observers ??= new Set());
let active = false;
const recordState = new WeakMap();
export class MutationRecord {
  constructor(key = undefined) {
    onlyHere(key);
  }
}
for (const name of ['type', 'target', 'addedNodes', 'removedNodes', 'previousSibling', 'nextSibling', 'attributeName', 'attributeNamespace', 'oldValue'])
  defineProperty(MutationRecord.prototype, name, attribute(name, (r) => {
    const s = recordState.get(r);
    if (!s) throw new TypeError('this is no record');
    return s[name];
  }));
const makeRecord = (state) => {
  const r = { __proto__: MutationRecord.prototype };
  recordState.set(r, state);
  return r;
};
const observerState = sharedState('observerState');
export class MutationObserver {
  constructor(callback) {
    if (typeof callback !== 'function') throw new TypeError('an observer takes a function');
    observerState.set(this, { callback, records: [], nodes: new Set() });
  }
  observe(target, options = {}) {
    if (!isNode(target)) throw new TypeError('this is no node');
    const o = { childList: Boolean(options.childList), attributes: options.attributes, characterData: options.characterData, subtree: Boolean(options.subtree), attributeOldValue: options.attributeOldValue, characterDataOldValue: options.characterDataOldValue, attributeFilter: options.attributeFilter === undefined ? undefined : [...options.attributeFilter].map(String) };
    if ((o.attributeOldValue !== undefined || o.attributeFilter !== undefined) && o.attributes === undefined) o.attributes = true;
    if (o.characterDataOldValue !== undefined && o.characterData === undefined) o.characterData = true;
    if (!o.childList && !o.attributes && !o.characterData) throw new TypeError('there is nothing to observe');
    if ((o.attributeOldValue || o.attributeFilter) && !o.attributes) throw new TypeError('attributes are not observed');
    if (o.characterDataOldValue && !o.characterData) throw new TypeError('character data is not observed');
    const s = observerState.get(this);
    const list = registered.get(target) ?? [];
    registered.set(target, list);
    const there = list.find((r) => r.observer === this && !r.source);
    if (there) {
      for (const node of s.nodes) removeTransient(node, there);
      there.options = o;
    } else {
      list.push({ observer: this, options: o });
      s.nodes.add(target);
    }
    observers.add(this);
    record.queue = queueRecord;
    record.transient = addTransient;
  }
  disconnect() {
    const s = observerState.get(this);
    for (const node of s.nodes) registered.set(node, (registered.get(node) ?? []).filter((r) => r.observer !== this));
    s.nodes.clear();
    s.records = [];
    observers.delete(this);
  }
  takeRecords() {
    const s = observerState.get(this);
    const { records } = s;
    s.records = [];
    return arrayFrom(records);
  }
}
function removeTransient(node, source) {
  const list = registered.get(node);
  if (list) registered.set(node, list.filter((r) => r.source !== source));
}
function addTransient(node, parent) {
  for (let p = parent; p; p = p.$p) {
    for (const r of registered.get(p) ?? []) {
      if (!r.options.subtree) continue;
      const list = registered.get(node) ?? [];
      registered.set(node, list);
      list.push({ observer: r.observer, options: r.options, source: r });
      observerState.get(r.observer).nodes.add(node);
    }
  }
}
// "queue a mutation record".
function queueRecord(type, target, more) {
  if (!observers.size) return;
  const interested = new Map();
  for (let node = target; node; node = node.$p) {
    for (const { observer, options: o } of registered.get(node) ?? []) {
      if (node !== target && !o.subtree) continue;
      if (!o[type]) continue;
      if (type === 'attributes' && o.attributeFilter && (more.ns !== null || !o.attributeFilter.includes(more.name))) continue;
      const wantsOld = (type === 'attributes' && o.attributeOldValue) || (type === 'characterData' && o.characterDataOldValue);
      interested.set(observer, wantsOld ? more.old : interested.get(observer) ?? null);
    }
  }
  for (const [observer, old] of interested) {
    observerState.get(observer).records.push(makeRecord({
      type, target, addedNodes: nodes(more.added ?? []), removedNodes: nodes(more.removed ?? []), previousSibling: more.previous ?? null, nextSibling: more.next ?? null,
      attributeName: type === 'attributes' ? more.name : null, attributeNamespace: type === 'attributes' ? more.ns : null, oldValue: old,
    }));
  }
  if (interested.size) queueMutationObservers();
}
export const slotSignals = [];
export function queueMutationObservers() {
  if (active) return;
  active = true;
  then(settled, notify);
}
function notify() {
  active = false;
  const slots = slotSignals.splice(0);
  for (const observer of [...observers]) {
    const s = observerState.get(observer);
    const { records } = s;
    if (!records.length) continue;
    s.records = [];
    for (const node of [...s.nodes]) {
      const list = registered.get(node) ?? [];
      if (list.some((r) => r.source && r.observer === observer)) {
        registered.set(node, list.filter((r) => !(r.source && r.observer === observer)));
        if (!registered.get(node).some((r) => r.observer === observer)) s.nodes.delete(node);
      }
    }
    try {
      apply(s.callback, observer, [arrayFrom(records), observer]);
    } catch (e) {
      reportFor(s.callback, e);
    }
  }
  for (const slot of slots) dispatch(slot, new Event('slotchange', { bubbles: true }));
}
publish(MutationRecord, MutationObserver);
