import { Error, ScriptArray, TypeError, apply, defineProperty, forScripts, freeze, getPrototypeOf, isA, sharedState, arrayFrom } from './primordials.js';
import { commands } from './commands.js';
import { inherits, must, publish } from './webidl.js';
import { DOMException } from './domexception.js';
import { own } from './settings.js';
import { describe, nameOf, nameOfScripts, parsedWithoutScript, stackOf } from './errors.js';
import { now, timeOrigin } from './time.js';

// DOM, 2: events.
export let insideOf;
// Every event has it for its own (Web IDL, LegacyUnforgeable).
const TRUSTED = Object.getOwnPropertyDescriptor({ get isTrusted() { return insideOf(this).trusted; } }, 'isTrusted');
TRUSTED.configurable = false;
export class Event {
  #in = {
    type: '', bubbles: false, cancelable: false, composed: false, canceled: false, stop: false, stopNow: false, dispatching: false, passive: false,
    uninitialized: false, target: null, current: null, phase: 0, path: [], trusted: false, threw: false, related: null, relatedNow: undefined,
  };
  #time = now() - timeOrigin;
  constructor(type, init = undefined) {
    if (arguments.length === 0) throw new TypeError('an event needs a type');
    defineProperty(this, 'isTrusted', TRUSTED);
    const inside = this.#in;
    inside.type = `${type}`;
    if (init === undefined || init === null) return;
    inside.bubbles = Boolean(init.bubbles);
    inside.cancelable = Boolean(init.cancelable);
    inside.composed = Boolean(init.composed);
  }
  // What an event is and how far its dispatching has come, for the environment.
  static {
    const inside = (event) => (#in in event ? event.#in : undefined);
    // Events of one realm may be dispatched in another of its engine.
    (kin.insides ??= []).push(inside);
    insideOf = (event) => inside(event) ?? kin.insides.map((of) => of(event)).find(Boolean);
  }
  get type() {
    return this.#in.type;
  }
  get target() {
    return this.#in.target;
  }
  get srcElement() {
    return this.#in.target;
  }
  get currentTarget() {
    return this.#in.current;
  }
  get eventPhase() {
    return this.#in.phase;
  }
  get bubbles() {
    return this.#in.bubbles;
  }
  get cancelable() {
    return this.#in.cancelable;
  }
  get composed() {
    return this.#in.composed;
  }
  get defaultPrevented() {
    return this.#in.canceled;
  }
  get returnValue() {
    return !this.#in.canceled;
  }
  set returnValue(value) {
    if (!value) this.preventDefault();
  }
  get cancelBubble() {
    return this.#in.stop;
  }
  set cancelBubble(value) {
    if (value) this.#in.stop = true;
  }
  get timeStamp() {
    return this.#time;
  }
  composedPath() {
    return arrayFrom(composed(this.#in.path, this.#in.current));
  }
  stopPropagation() {
    this.#in.stop = true;
  }
  stopImmediatePropagation() {
    this.#in.stop = this.#in.stopNow = true;
  }
  preventDefault() {
    if (this.#in.cancelable && !this.#in.passive) this.#in.canceled = true;
  }
  initEvent(type, bubbles = false, cancelable = false) {
    if (this.#in.dispatching) return;
    const inside = this.#in;
    inside.type = `${type}`;
    inside.bubbles = Boolean(bubbles);
    inside.cancelable = Boolean(cancelable);
    inside.canceled = inside.stop = inside.stopNow = inside.uninitialized = inside.trusted = false;
  }
}
for (const [i, name] of ['NONE', 'CAPTURING_PHASE', 'AT_TARGET', 'BUBBLING_PHASE'].entries())
  for (const target of [Event, Event.prototype]) defineProperty(target, name, { value: i, enumerable: true });

// "composedPath" (DOM, 2.2): what lies in closed shadow trees of others is left out.
function composed(path, current) {
  const at = path.findIndex((p) => p.at === current);
  if (at < 0) return [];
  let level = 0;
  for (let i = path.length - 1; i >= at; i--) {
    if (path[i].rootClosed) level++;
    if (i === at) break;
    if (path[i].hidden) level--;
  }
  const out = [current];
  let now_ = level;
  let least = level;
  for (let i = at - 1; i >= 0; i--) {
    if (path[i].rootClosed) now_++;
    if (now_ <= least) out.unshift(path[i].at);
    if (path[i].hidden && --now_ < least) least = now_;
  }
  now_ = least = level;
  for (let i = at + 1; i < path.length; i++) {
    if (path[i].hidden) now_++;
    if (now_ <= least) out.push(path[i].at);
    if (path[i].rootClosed && --now_ < least) least = now_;
  }
  return out;
}

class CustomEvent extends Event {
  #detail;
  constructor(type, init = {}) {
    super(type, init);
    this.#detail = init?.detail ?? null;
  }
  get detail() {
    return this.#detail;
  }
  initCustomEvent(type, bubbles = false, cancelable = false, detail = null) {
    if (insideOf(this).dispatching) return;
    this.initEvent(type, bubbles, cancelable);
    this.#detail = detail;
  }
}
export class ErrorEvent extends Event {
  #init;
  constructor(type, init = {}) {
    super(type, init);
    this.#init = init;
  }
  get message() {
    return `${this.#init.message ?? ''}`;
  }
  get filename() {
    return `${this.#init.filename ?? ''}`;
  }
  get lineno() {
    return this.#init.lineno ?? 0;
  }
  get colno() {
    return this.#init.colno ?? 0;
  }
  get error() {
    return this.#init.error;
  }
}
class PromiseRejectionEvent extends Event {
  #init;
  constructor(type, init) {
    super(type, init);
    must(arguments, 2);
    if (!('promise' in Object(init))) throw new TypeError('a rejection is one of a promise');
    this.#init = init;
  }
  get promise() {
    return this.#init.promise;
  }
  get reason() {
    return this.#init.reason;
  }
}
export let messageWith;
export class MessageEvent extends Event {
  #init;
  constructor(type, init = undefined) {
    super(type, init);
    const { data = null, lastEventId = '', origin = '', ports = [], source = null } = init ?? {};
    this.#init = { data, lastEventId: `${lastEventId}`, origin: `${origin}`.toWellFormed(), ports, source };
  }
  // One with data that came from elsewhere, which may be undefined.
  static {
    messageWith = (init) => {
      const event = new MessageEvent('message', init);
      event.#init.data = init.data;
      return trusted(event);
    };
  }
  get data() {
    return this.#init.data;
  }
  get origin() {
    return this.#init.origin;
  }
  get lastEventId() {
    return this.#init.lastEventId;
  }
  get source() {
    return this.#init.source ?? null;
  }
  get ports() {
    return forScripts(freeze([...(this.#init.ports ?? [])]));
  }
  initMessageEvent(type, bubbles = false, cancelable = false, data = null, origin = '', lastEventId = '', source = null, ports = []) {
    if (insideOf(this).dispatching) return;
    this.initEvent(type, bubbles, cancelable);
    this.#init = { data, origin, lastEventId, source, ports };
  }
}

export const listenersOf = (kin.listeners ??= new WeakMap());
export const listFor = (target) => {
  let list = listenersOf.get(target);
  if (!list) listenersOf.set(target, (list = []));
  return list;
};
// By type, whether any target of the engine's realms has been listened to, and on the way down to others: most of what the browser
// tells nobody hears.
const heard = (kin.heard ??= { __proto__: null });
const HEARD = 1;
const CAPTURED = 2;
function isHeard(target, type, bubbles) {
  const how = heard[type];
  if (!how) return false;
  return bubbles === true || (how & CAPTURED) !== 0 || (listenersOf.get(target)?.some((entry) => entry.type === type) ?? false);
}
// Fires an event of the browser, if anybody may hear of it. It says whether nobody prevented the default.
export const fire = (target, type, init = undefined, kind = Event) => !isHeard(target, type, init?.bubbles) || dispatch(target, trusted(new kind(type, init)));
const abortReason = sharedState('abortReason');
export const isSignal = { of: (value) => value !== null };
export class EventTarget {
  addEventListener(type, callback, options = {}) {
    const target = this ?? global;
    if (arguments.length < 2) throw new TypeError('addEventListener takes a type and a listener');
    if (callback !== undefined && typeof callback !== 'function' && typeof callback !== 'object') throw new TypeError('the listener is neither a function nor an object');
    // "flatten more": the members are read in their order, each once.
    const { capture, once = false, passive, signal } = typeof options === 'object' && options !== null ? options : { capture: options };
    if (signal !== undefined && !isSignal.of(signal)) throw new TypeError('signal is no AbortSignal');
    if (callback === null || callback === undefined || abortReason.has(signal)) return;
    const entry = { type: `${type}`, callback, capture: Boolean(capture), once: Boolean(once), passive: false, removed: false };
    entry.passive = passive === undefined ? trees.passive(entry.type, target) : Boolean(passive);
    const list = listFor(target);
    if (list.some((e) => e.type === entry.type && e.callback === callback && e.capture === entry.capture)) return;
    list.push(entry);
    heard[entry.type] |= entry.capture ? CAPTURED : HEARD;
    trees.listens(target, entry.type);
    if (signal) apply(addListener, signal, ['abort', () => drop(target, entry), { once: true }]);
  }
  removeEventListener(type, callback, options = {}) {
    const target = this ?? global;
    const capture = Boolean(typeof options === 'object' && options !== null ? options.capture : options);
    const entry = listFor(target).find((e) => e.type === `${type}` && e.callback === callback && e.capture === capture);
    if (entry) drop(target, entry);
  }
  dispatchEvent(event) {
    if (event === null || typeof event !== 'object' || !insideOf(event)) throw new TypeError('dispatchEvent takes an event');
    if (insideOf(event).dispatching) throw new DOMException('the event is being dispatched already', 'InvalidStateError');
    if (insideOf(event).uninitialized) throw new DOMException('the event has no type yet', 'InvalidStateError');
    insideOf(event).trusted = false;
    return dispatch(this ?? global, event);
  }
}
// "erase all event listeners and handlers" (HTML, 8.1.8.1).
export function eraseListeners(target) {
  for (const entry of listenersOf.get(target) ?? []) entry.removed = true;
  listenersOf.delete(target);
  handlerSlots.delete(target);
}
export const { addEventListener: addListener, removeEventListener: removeListener } = EventTarget.prototype;
function drop(target, entry) {
  entry.removed = true;
  const list = listFor(target);
  const at = list.indexOf(entry);
  if (at >= 0) list.splice(at, 1);
}
// The parent of a target, to which events go on (DOM, 2.7: "get the parent"); each kind of target that has one says how it is found.
const parents = [];
export const addParents = (is, parentOf) => parents.push({ is, parentOf });
const getParent = (target, event, root) => parents.find(({ is }) => is(target))?.parentOf(target, event, root) ?? null;

const CAPTURING_PHASE = 1;
const AT_TARGET = 2;
const BUBBLING_PHASE = 3;
// What windows add: trees with shadow roots, and what elements do by themselves (activation behaviour).
export const trees = {
  isNode: () => false,
  retarget: (a) => a,
  assignedSlot: () => null,
  // of a shadow root: whether it is closed; null for others
  closedRoot: () => null,
  inSameTree: () => false,
  inShadow: () => false,
  passive: () => false,
  listens: () => {}, // is called for each new listener with its target and type
  activation: null, // { isActivation(event), has(target), before(target), run(target, event) }
};
// "dispatch" (DOM, 2.9). It says whether nobody prevented the default.
export function dispatch(target, event) {
  const inside = insideOf(event);
  inside.dispatching = true;
  const path = [];
  const { activation } = trees;
  let activated = null;
  let clear = false;
  if (!trees.isNode(target)) {
    path.push({ at: target, target, related: null, hidden: false });
    if (parents.length) for (let parent = getParent(target, event); parent; parent = getParent(parent, event)) path.push({ at: parent, target: null, related: null, hidden: false });
  } else {
    const asked = inside.related ?? null;
    let related = trees.retarget(asked, target);
    if (target === related && target !== asked) {
      inside.dispatching = false;
      return !inside.canceled;
    }
    const acts = activation !== null && activation.isActivation(event);
    const root = trees.rootOf(target);
    const note = (at, adjusted) => path.push({ at, target: adjusted, related, hidden: closed, rootClosed: trees.closedRoot(at) === true });
    let closed = false;
    note(target, target);
    if (acts && activation.has(target)) activated = target;
    let slottable = trees.assignedSlot(target) ? target : null;
    for (let parent = treeParent(target, event, root); parent; parent = treeParent(parent, event, root)) {
      closed = false;
      if (slottable) {
        slottable = null;
        closed = trees.closedRoot(trees.rootOf(parent)) === true;
      }
      if (trees.isNode(parent) && trees.assignedSlot(parent)) slottable = parent;
      related = trees.retarget(asked, parent);
      if (!trees.isNode(parent) || trees.inSameTree(target, parent)) {
        if (acts && inside.bubbles && !activated && activation.has(parent)) activated = parent;
        note(parent, null);
      } else if (parent === related) break;
      else {
        target = parent;
        if (acts && !activated && activation.has(target)) activated = target;
        note(parent, target);
      }
    }
    const last = path.findLast((p) => p.target);
    clear = trees.inShadow(last.target) || trees.inShadow(last.related);
  }
  inside.path = path;
  const undo = activated ? activation.before(activated) : null;
  for (let i = path.length - 1; i >= 0; i--) invoke(path, i, event, inside, path[i].target ? AT_TARGET : CAPTURING_PHASE, true);
  const ofForm = inside.type === 'submit' || inside.type === 'reset';
  for (let i = 0; i < path.length; i++) {
    if (!path[i].target && !inside.bubbles) continue;
    if (ofForm && i > 0 && trees.isForm?.(path[i].at)) break; // browsers keep what a form in a form does from the outer one
    invoke(path, i, event, inside, path[i].target ? AT_TARGET : BUBBLING_PHASE, false);
  }
  inside.dispatching = false;
  inside.current = null;
  inside.phase = 0;
  inside.path = [];
  inside.stop = inside.stopNow = false;
  if (clear) inside.target = inside.relatedNow = null;
  if (activated) {
    if (!inside.canceled) activation.run(activated, event);
    else if (undo) undo();
  }
  return !inside.canceled;
}
const treeParent = (at, event, root) => (trees.isNode(at) ? trees.assignedSlot(at) ?? getParent(at, event, root) : getParent(at, event, root));
// "current event" of a window (DOM, 2.3); what goes through shadow trees is none.
export const currentEvent = { now: undefined };
// "invoke" and "inner invoke" (DOM, 2.9).
function invoke(path, i, event, inside, phase, capture) {
  const target = path[i].at;
  for (let k = i; k >= 0; k--) {
    if (!path[k].target) continue;
    inside.target = path[k].target;
    break;
  }
  inside.relatedNow = path[i].related;
  const list = listenersOf.get(target);
  if (!list || inside.stop) return;
  const { type } = inside;
  inside.current = target;
  inside.phase = phase;
  let outer;
  for (const entry of [...list]) {
    if (entry.type !== type || entry.capture !== capture || entry.removed) continue;
    if (entry.once) drop(target, entry);
    inside.passive = entry.passive;
    const before = currentEvent.now;
    outer ??= !trees.inShadow(target);
    if (outer) currentEvent.now = event;
    try {
      if (typeof entry.callback === 'function') apply(entry.callback, target, [event]);
      else entry.callback.handleEvent(event);
    } catch (error) {
      inside.threw = true;
      if (isA(event, ErrorEvent)) host('log', 'error', describe(error), stackOf(error), nameOf(error));
      else reportFor(entry.callback, error);
    }
    inside.passive = false;
    currentEvent.now = before;
    if (inside.stopNow) break;
  }
}
// An event that the browser itself sends.
export function trusted(event) {
  insideOf(event).trusted = true;
  return event;
}
// Event handler attributes, such as onfetch (HTML, 8.1.8.1).
export const handlerSlots = (kin.handlers ??= new WeakMap()); // target → { type: slot }
// The global object may have been that of another document before (HTML, 7.2.3).
eraseListeners(global);
export const slotsOf = (target) => {
  let slots = handlerSlots.get(target);
  if (!slots) handlerSlots.set(target, (slots = { __proto__: null }));
  return slots;
};
export function handlers(proto, ...types) {
  for (const type of types) {
    if (!handlerMembers[type]) handlerMembers[type] = handlerMember(type);
    defineProperty(proto, `on${type}`, handlerMembers[type]);
  }
}
const handlerMembers = { __proto__: null }; // by type; all kinds of target share them
function handlerMember(type) {
  const name = `on${type}`;
  const check = (target) => {
    if (!inherits(EventTarget.prototype, target)) throw new TypeError(`${name} belongs to another kind of object`);
    if (Object.hasOwn(target, 'constructor') && target !== global) throw new TypeError(`${name} belongs to the objects of the interface`);
  };
  const d = {
    get() {
      const target = this ?? global;
      check(target);
      return handlerSlots.get(target)?.[type]?.handler ?? null;
    },
    set(handler) {
      const target = this ?? global;
      check(target);
      setHandler(target, type, typeof handler === 'function' || (typeof handler === 'object' && handler !== null) ? handler : null);
    },
    enumerable: true, configurable: true,
  };
  defineProperty(d.get, 'name', { value: `get ${name}` });
  defineProperty(d.set, 'name', { value: `set ${name}` });
  return d;
}
function setHandler(target, type, handler) {
  const slots = slotsOf(target);
  const held = slots[type];
  if (held && handler) held.handler = handler;
  else if (held) { // "deactivate an event handler"
    apply(removeListener, target, [type, held.listener]);
    delete slots[type];
  } else if (handler) {
    const slot = { handler };
    slots[type] = slot;
    apply(addListener, target, [type, slot.listener = (event) => callHandler(slot.handler, target, type, event)]);
  }
}
// "the event handler processing algorithm" (HTML, 8.1.8.1).
function callHandler(handler, target, type, event) {
  if (typeof handler !== 'function') return;
  if (type === 'error' && isA(event, ErrorEvent) && target === global) {
    if (apply(handler, target, [event.message, event.filename, event.lineno, event.colno, event.error]) === true) event.preventDefault();
  } else {
    const result = apply(handler, target, [event]);
    if (type === 'beforeunload') {
      if (result !== null && result !== undefined) event.preventDefault();
    } else if (result === false) event.preventDefault();
  }
}
publish(Event, CustomEvent, ErrorEvent, PromiseRejectionEvent, MessageEvent, EventTarget);

// Where an error came about, as its stack tells.
export const placeOf = (error) => {
  const m = /((?:(?:blob:)?[a-z][a-z0-9+.-]*:\/\/|data:)[^\s()]+?):(\d+)(?::(\d+))?\)?\s*$/m.exec(stackOf(error) || stackOf(new Error()));
  return m ? { filename: m[1], lineno: Number(m[2]), colno: Number(m[3] ?? 0) } : { filename: own.script, lineno: 0, colno: 0 };
};
// Who started this realm, if somebody did, is told of errors that nobody here handles.
export const owner = { told: null };
// Scripts of whose errors pages are told nothing (HTML, 8.1.4.3: muted errors), by address.
export const mutedScripts = new Set();
export function report(error) {
  const place = placeOf(error);
  const event = trusted(new ErrorEvent('error', mutedScripts.has(place.filename) ? { message: 'Script error.', error: null, cancelable: true } : { error, message: `Uncaught ${describe(error)}`, ...place, cancelable: true }));
  if (owner.told) {
    if (dispatch(global, event)) owner.told(event);
    return;
  }
  host('log', 'error', describe(error), stackOf(error), nameOfScripts(error));
  return dispatch(global, event);
}
// Errors of a callback are those of its own realm (HTML, 8.1.4.3, "report an exception").
const homes = (kin.homes ??= new Map()); // what reports them, by the prototype of the realm's functions
homes.set(global.Function.prototype, report);
export function reportFor(callback, error) {
  if (homes.size > 1) {
    for (let p = callback; p !== null && p !== undefined; p = getPrototypeOf(p)) {
      const home = homes.get(p);
      if (home) return home(error);
    }
  }
  return report(error);
}
// A promise that nobody handled.
// What was told of as not handled, and is handled after all.
const told = new WeakSet();
commands.handled = (promise) => {
  if (told.delete(promise)) dispatch(global, trusted(new PromiseRejectionEvent('rejectionhandled', { promise })));
};
commands.rejected = (promise, reason) => {
  if (own.lacks?.includes('rejections of json') && parsedWithoutScript.has(reason)) {
    host('log', 'error', `${describe(reason)} (in a promise that nobody handles)`, stackOf(reason), nameOfScripts(reason));
    return;
  }
  told.add(promise);
  const event = trusted(new PromiseRejectionEvent('unhandledrejection', { promise, reason, cancelable: true }));
  if (dispatch(global, event)) host('log', 'error', `${describe(reason)} (in a promise that nobody handles)`, stackOf(reason), nameOfScripts(reason));
};
