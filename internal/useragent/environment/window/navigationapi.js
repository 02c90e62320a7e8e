// HTML, 7.2.6: the navigation API. Until a script asks for it, navigations do not know of it.

import { PromiseOf, ScriptArray, TypeError, fromJSON, rejected, then, toJSON, arrayFrom } from '../shared/primordials.js';
import { MAKE, attribute, must, onlyHere, publishLoosely, usv } from '../shared/webidl.js';
import { Event, EventTarget, fire, dispatch, handlers, trusted } from '../shared/event.js';
import { AbortController } from '../shared/abort.js';
import { parsedURL } from '../shared/url.js';
import { deserialize, fromHost, serialize, toHost } from '../shared/structuredclone.js';
import { commit, documentURL, hooks, mayBecome, navigate } from './navigation.js';
import { current } from './node.js';
import { error } from './nodes.js';

const infoOf = new WeakMap();
const made = new Map(); // entries by id
const opaque = (n) => `00000000-0000-4000-8000-${`${n}`.padStart(12, '0')}`;
const thawed = (json) => (json ? deserialize(fromHost(fromJSON(json))).value : undefined);
const frozen = (value) => (value === undefined ? '' : toJSON(toHost(serialize(value))));

export class NavigationHistoryEntry extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  getState() {
    return thawed(infoOf.get(this).state);
  }
}
for (const [name, read] of Object.entries({ url: (i) => i.url, key: (i) => opaque(i.key), id: (i) => opaque(i.id), sameDocument: (i) => i.same })) Object.defineProperty(NavigationHistoryEntry.prototype, name, attribute(name, (e) => read(infoOf.get(e))));
Object.defineProperty(NavigationHistoryEntry.prototype, 'index', attribute('index', (e) => (infoOf.get(e).gone ? -1 : list().entries.indexOf(e))));
handlers(NavigationHistoryEntry.prototype, 'dispose');
// The entries of this origin around the present one, as the browser has them; those that are gone hear of it.
function list() {
  const { entries, at } = fromJSON(host('history.entries'));
  const found = entries.map((info) => {
    let e = made.get(info.id);
    if (!e) {
      e = new NavigationHistoryEntry(MAKE);
      made.set(info.id, e);
    }
    infoOf.set(e, info);
    return e;
  });
  for (const [id, e] of made) {
    if (found.includes(e)) continue;
    made.delete(id);
    infoOf.get(e).gone = true;
    fire(e, 'dispose');
  }
  return { entries: found, at };
}
const present = () => {
  const { entries, at } = list();
  return entries[at] ?? null;
};

export class NavigationDestination {
  constructor(key = undefined) {
    onlyHere(key);
  }
  getState() {
    return thawed(infoOf.get(this).state);
  }
}
for (const name of ['url', 'key', 'id', 'index', 'sameDocument']) Object.defineProperty(NavigationDestination.prototype, name, attribute(name, (d) => infoOf.get(d)[name]));
export class NavigateEvent extends Event {
  constructor(type, init = undefined) {
    super(type, init);
    must(arguments, 2);
    if (!init?.destination || !init.signal) throw new TypeError('the event is one of a navigation');
    infoOf.set(this, { navigationType: 'push', canIntercept: false, userInitiated: false, hashChange: false, formData: null, downloadRequest: null, info: undefined, hasUAVisualTransition: false, sourceElement: null, ...init, state: null, handlers: [] });
  }
  intercept(options = undefined) {
    const i = infoOf.get(this);
    if (!this.isTrusted || !i.canIntercept) throw error('SecurityError', 'this navigation cannot be intercepted');
    if (i.over || this.eventPhase === 0) throw error('InvalidStateError', 'the event is over');
    if (this.defaultPrevented) throw error('InvalidStateError', 'the navigation was prevented');
    i.state ??= 'intercepted';
    for (const name of ['precommitHandler', 'handler']) if (options?.[name] !== undefined && typeof options[name] !== 'function') throw new TypeError(`${name} is no function`);
    if (options?.handler) i.handlers.push(options.handler);
    if (options?.precommitHandler) i.before = options.precommitHandler;
  }
  scroll() {
    const i = infoOf.get(this);
    if (i.state !== 'committed') throw error('InvalidStateError', 'the navigation has not been committed');
  }
}
for (const name of ['navigationType', 'destination', 'canIntercept', 'userInitiated', 'hashChange', 'signal', 'formData', 'downloadRequest', 'info', 'hasUAVisualTransition', 'sourceElement']) Object.defineProperty(NavigateEvent.prototype, name, attribute(name, (e) => infoOf.get(e)[name]));
export class NavigationCurrentEntryChangeEvent extends Event {
  constructor(type, init) {
    super(type, init);
    must(arguments, 2);
    if (!init?.from) throw new TypeError('the event is one of a change from an entry');
    infoOf.set(this, init);
  }
}
for (const name of ['navigationType', 'from']) Object.defineProperty(NavigationCurrentEntryChangeEvent.prototype, name, attribute(name, (e) => infoOf.get(e)[name] ?? null));
export class NavigationTransition {
  constructor(key = undefined) {
    onlyHere(key);
  }
}
for (const name of ['navigationType', 'from', 'committed', 'finished']) Object.defineProperty(NavigationTransition.prototype, name, attribute(name, (t) => infoOf.get(t)[name]));

// What a script that started a navigation waits for ("navigation API method tracker").
function tracker(info, state) {
  const t = { info, state };
  t.committed = new PromiseOf((resolve, reject) => Object.assign(t, { commit: resolve, fail: reject }));
  t.finished = new PromiseOf((resolve, reject) => Object.assign(t, { finish: resolve, stop: reject }));
  for (const p of [t.committed, t.finished]) then(p, () => {}, () => {});
  return t;
}
const result = (t) => Object.assign(new Object_(), { committed: t.committed, finished: t.finished });
const Object_ = global.Object;
const refused = (name, why) => {
  const e = name === 'TypeError' ? new TypeError(why) : error(name, why);
  const out = () => {
    const p = rejected(e);
    then(p, () => {}, () => {});
    return p;
  };
  return Object.assign(new Object_(), { committed: out(), finished: out() });
};
let upcoming = null; // the tracker of the navigation that a script starts now
let ongoing = null; // { event, tracker, abort } of the navigation that is under way
let transition = null;

function abortOngoing(why = error('AbortError', 'another navigation has come')) {
  const was = ongoing;
  if (!was) return;
  ongoing = null;
  transition = null;
  was.abort.abort(why);
  announceError(why);
  was.tracker?.fail(why);
  was.tracker?.stop(why);
  was.rejects?.(why);
}
const announceError = (why) => dispatch(navigation, trusted(new global.ErrorEvent('navigateerror', { error: why, message: `Uncaught ${why}` })));
function changed(type, from) {
  list();
  dispatch(navigation, trusted(new NavigationCurrentEntryChangeEvent('currententrychange', { navigationType: type, from })));
}
// "inner navigate event firing algorithm" (7.2.6.10.4). It says whether the navigation goes on as it would without the event.
function fireNavigate({ type, url, same, state = '', classic = undefined, apply = null, entry: to = null, mayCancel = true, formData = null, sourceElement = null }) {
  const tracked = upcoming;
  upcoming = null;
  const [target, here] = [parsedURL(url), parsedURL(documentURL())];
  const canIntercept = Boolean(target) && mayBecome(target, here) && (type !== 'traverse' || same);
  const abort = new AbortController();
  const destination = new NavigationDestination(MAKE);
  const known = to ? infoOf.get(to) : null;
  infoOf.set(destination, { url, key: known ? opaque(known.key) : '', id: known ? opaque(known.id) : '', index: known ? list().entries.indexOf(to) : -1, sameDocument: same, state: known ? known.state : tracked ? frozen(tracked.state) : state });
  const bare = (u) => u.split('#')[0];
  const event = trusted(new NavigateEvent('navigate', {
    navigationType: type, destination, canIntercept, cancelable: mayCancel, signal: abort.signal, info: tracked?.info, formData, sourceElement,
    hashChange: same && classic === undefined && bare(url) === bare(documentURL()) && url !== documentURL() && type !== 'reload',
  }));
  const i = infoOf.get(event);
  if (ongoing) abortOngoing();
  ongoing = { event, tracker: tracked, abort };
  const goesOn = dispatch(navigation, event);
  i.over = true;
  if (!goesOn) {
    if (ongoing?.event === event) abortOngoing(error('AbortError', 'the navigation was prevented'));
    return false;
  }
  if (ongoing?.event !== event) return false; // another one has taken its place
  if (!i.state) {
    if (!same) { // the document goes
      ongoing = null;
      return true;
    }
    const from = present();
    apply?.();
    settle(event, tracked, type, from, []);
    return false;
  }
  const from = present();
  const promises = {};
  transition = new NavigationTransition(MAKE);
  infoOf.set(transition, { navigationType: type, from, committed: new PromiseOf((resolve) => { promises.committed = resolve; }), finished: new PromiseOf((resolve, reject) => Object.assign(promises, { resolve, reject })) });
  then(infoOf.get(transition).finished, () => {}, () => {});
  ongoing.rejects = promises.reject;
  const enter = () => {
    if (ongoing?.event !== event) return;
    i.state = 'committed';
    if (type !== 'reload') {
      if (apply) apply();
      else commit(url, classic ?? null, type === 'replace');
      if (tracked?.state !== undefined) host('history.keep', frozen(tracked.state));
    }
    promises.committed();
    settle(event, tracked, type, from, i.handlers, promises);
  };
  if (i.before) {
    then(new PromiseOf((resolve) => resolve(i.before(Object.assign(new Object_(), { redirect() {} })))), enter, (why) => ongoing?.event === event && abortOngoing(why));
  } else enter();
  return false;
}
// What follows once the entry is the present one: handlers run, and the scripts that wait hear how it ended.
function settle(event, tracked, type, from, running, promises = null) {
  if (type !== 'reload') changed(type, from);
  tracked?.commit(present());
  const results = running.map((handler) => new PromiseOf((resolve) => resolve(handler())));
  then(PromiseOf.all(results), () => {
    if (ongoing?.event !== event) return;
    ongoing = transition = null;
    fire(navigation, 'navigatesuccess');
    tracked?.finish(present());
    promises?.resolve();
  }, (why) => {
    if (ongoing?.event !== event) return;
    ongoing = transition = null;
    announceError(why);
    tracked?.stop(why);
    promises?.reject(why);
  });
}

export class Navigation extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  entries() {
    return arrayFrom(list().entries);
  }
  get currentEntry() {
    return present();
  }
  get transition() {
    return transition;
  }
  get activation() {
    return null;
  }
  get canGoBack() {
    return list().at > 0;
  }
  get canGoForward() {
    const { entries, at } = list();
    return at < entries.length - 1;
  }
  updateCurrentEntry(options) {
    if (options?.state === undefined) throw new TypeError('an entry is given a state');
    const from = present();
    host('history.keep', frozen(options.state));
    list();
    dispatch(navigation, trusted(new NavigationCurrentEntryChangeEvent('currententrychange', { from })));
  }
  navigate(url, options = undefined) {
    must(arguments, 1);
    const parts = parsedURL(usv(url), current.document.$base());
    if (!parts) return refused('SyntaxError', `${url} is no address`);
    if (options?.history === 'push' && parts[0].startsWith('javascript:')) return refused('NotSupportedError', 'a script is no new entry');
    let t;
    try {
      if (options?.state !== undefined) serialize(options.state);
      t = tracker(options?.info, options?.state);
    } catch (why) {
      return refused(why.name, why.message);
    }
    start(t, () => navigate(parts[0], options?.history === 'replace', t.state === undefined ? '' : frozen(t.state), options?.history === 'push'));
    return result(t);
  }
  reload(options = undefined) {
    const t = tracker(options?.info, options?.state);
    start(t, () => {
      if (fireNavigate({ type: 'reload', url: documentURL(), same: false })) host('location.reload');
    });
    return result(t);
  }
  traverseTo(key, options = undefined) {
    must(arguments, 1);
    const { entries, at } = list();
    const to = entries.findIndex((e) => e.key === `${key}`);
    if (to < 0) return refused('InvalidStateError', 'there is no such entry');
    const t = tracker(options?.info);
    if (to === at) {
      t.commit(entries[at]);
      t.finish(entries[at]);
    } else {
      travelling.set(infoOf.get(entries[to]).key, t);
      host('history.traverse', to - at);
    }
    return result(t);
  }
  back(options = undefined) {
    return step(-1, options);
  }
  forward(options = undefined) {
    return step(1, options);
  }
}
const travelling = new Map(); // trackers of traversals, by the keys of their entries
const step = (by, options) => {
  const { entries, at } = list();
  return entries[at + by] ? navigation.traverseTo(entries[at + by].key, options) : refused('InvalidStateError', 'there is no such entry');
};
const start = (t, run) => {
  upcoming = t;
  run();
  if (upcoming === t) upcoming = null;
};
handlers(Navigation.prototype, 'navigate', 'navigatesuccess', 'navigateerror', 'currententrychange');
publishLoosely(NavigationHistoryEntry, NavigationDestination, NavigateEvent, NavigationCurrentEntryChangeEvent, NavigationTransition, Navigation);
const navigation = new Navigation(MAKE);
let asked = false;
const object = () => {
  if (!asked) {
    asked = true;
    hooks.navigate = fireNavigate;
    list();
  }
  return navigation;
};
// A traversal within the document, when the browser has come to it; index is that of its entry among those of the document's history.
hooks.traverse = (url, key, apply) => {
  if (!asked) {
    apply();
    return;
  }
  const to = list().entries.find((e) => infoOf.get(e).key === key) ?? null;
  upcoming = travelling.get(key) ?? null;
  travelling.delete(key);
  fireNavigate({ type: 'traverse', url, same: true, entry: to, apply, mayCancel: false });
};
export const navigationObject = { get: object };
