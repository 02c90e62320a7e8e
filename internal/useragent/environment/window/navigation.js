// HTML, 7.2: Location, History and what moves between documents.

import {
  ScriptArray, ScriptObject, TypeError, assign, defineProperty, fromJSON, toJSON, arrayOf,
} from '../shared/primordials.js';
import { commands } from '../shared/commands.js';
import { MAKE, must, onlyHere, publish, usv } from '../shared/webidl.js';
import { own } from '../shared/settings.js';
import { dispatch, report, trusted } from '../shared/event.js';
import { queueTask } from '../shared/timers.js';
import { URL, URL_PARTS, parsedURL } from '../shared/url.js';
import { deserialize, fromHost, serialize, toHost } from '../shared/structuredclone.js';
import { current, elementById } from './node.js';
import { changes, error } from './nodes.js';
import { states } from './selectors.js';
import { HashChangeEvent, PopStateEvent } from './uievents.js';

// What the navigation API does once a script has asked for it: navigate says whether a navigation goes on, traverse goes to another
// place within the document.
// source is the element whose activation leads somewhere now.
export const hooks = { navigate: null, traverse: null, source: null };
let entry = null; // of the history that this document shows: { url, state }
// A document that is gone from its window has no address ("relevant Document", 7.2.4).
const here = () => (own.closed ? 'about:blank' : entry.url);
export const documentURL = () => (entry ? entry.url : own.script);
export function startHistory(url, state) {
  entry = { url, state: state ? fromHost(state) : null };
}
const fragmentOf = (url) => (url.includes('#') ? url.slice(url.indexOf('#')) : '');
const withoutFragment = (url) => url.split('#')[0];
// Whether an address differs from the document's by its fragment alone.
export const isWithin = (url) => url.includes('#') && withoutFragment(url) === withoutFragment(here());
// "navigate": within the document when only the fragment differs.
export function navigate(url, replace = false, state = '', push = false, sourceElement = null) {
  if (own.closed) return;
  const from = here();
  if (url.startsWith('javascript:')) {
    queueTask(() => {
      try {
        global.eval(decodeURIComponent(url.slice(11)));
      } catch (e) {
        report(e);
      }
    });
    return;
  }
  const within = isWithin(url);
  replace ||= !push && url === from;
  if (hooks.navigate) {
    const apply = () => {
      goTo(url, null, replace);
      if (state) host('history.keep', state);
    };
    const goesOn = hooks.navigate({ type: replace ? 'replace' : 'push', url, same: within, state, sourceElement, apply: within ? apply : null });
    if (!within && !goesOn) return;
  } else if (within) goTo(url, null, replace);
  if (within) {
    if (here() !== url) return; // it was prevented
    dispatch(global, trusted(new PopStateEvent('popstate', { state: null })));
    if (from !== url) queueTask(() => dispatch(global, trusted(new HashChangeEvent('hashchange', { oldURL: from, newURL: url }))));
    return;
  }
  host('location.assign', url, replace, state);
}
function goTo(url, state, replace) {
  entry = { url, state };
  states.target = targetOf(url);
  changes.n++;
  host('history.change', url, replace, state === null ? '' : toJSON(toHost(state)));
}
export const commit = goTo;
// "URL and history update steps" (7.4.4), in the place of the present entry.
export const rewriteURL = (url) => goTo(url, entry.state, true);
const targetOf = (url) => (fragmentOf(url).length > 1 ? elementById(current.document, decodeFragment(fragmentOf(url).slice(1))) : null);
const decodeFragment = (text) => {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
};
function traverse(delta) {
  if (own.closed) return;
  if (delta === 0) reload();
  else host('history.traverse', delta);
}
function reload() {
  if (own.closed) return;
  if (!hooks.navigate || hooks.navigate({ type: 'reload', url: here(), same: false })) host('location.reload');
}
// "update document for history step application" (7.4.6.2), for another place within the document.
commands.traverse = (url, json, key) => hooks.traverse(url, key, () => arrive(url, json));
function arrive(url, json) {
  const from = here();
  entry = { url, state: json ? fromHost(fromJSON(json)) : null };
  states.target = targetOf(url);
  changes.n++;
  dispatch(global, trusted(new PopStateEvent('popstate', { state: history.state })));
  if (fragmentOf(from) !== fragmentOf(url)) dispatch(global, trusted(new HashChangeEvent('hashchange', { oldURL: from, newURL: url })));
}
export class Location {
  constructor(key = undefined) {
    onlyHere(key);
  }
}
const address = (text) => {
  if (own.closed) return '';
  const parts = parsedURL(usv(text), current.document.$base());
  if (!parts) throw error('SyntaxError', `${text} is no address`);
  return parts[0];
};
// "Location-object navigate" (7.2.4): what comes takes the place of a document that has not loaded completely.
const locationNavigate = (url) => navigate(url, !own.loaded && !own.complete);
const members = {
  get href() {
    return here();
  },
  set href(v) {
    locationNavigate(address(v));
  },
  get origin() {
    return parsedURL(here())[URL_PARTS.indexOf('origin')];
  },
  assign(url) {
    locationNavigate(address(url));
  },
  replace(url) {
    navigate(address(url), true);
  },
  reload() {
    reload();
  },
  toString() {
    if (this !== location) throw new TypeError('this is no location');
    return here();
  },
  get ancestorOrigins() {
    return assign(arrayOf(), { item: () => null, contains: () => false });
  },
};
// Its members are its own and cannot be changed (LegacyUnforgeable).
export const location = new Location(MAKE);
for (const [key, d] of Object.entries(Object.getOwnPropertyDescriptors(members))) defineProperty(location, key, { ...d, enumerable: true, configurable: false, ...('value' in d ? { writable: false } : {}) });
for (const part of ['protocol', 'host', 'hostname', 'port', 'pathname', 'search', 'hash'])
  defineProperty(location, part, {
    get: () => parsedURL(here())[URL_PARTS.indexOf(part)],
    set(v) {
      if (own.closed) return;
      if (part === 'protocol' && !/^[A-Za-z][\w+.-]*(:|$)/.test(`${v}`)) throw error('SyntaxError', `"${v}" is no scheme`);
      const u = new URL(here());
      const before = u.href;
      u[part] = `${v}`;
      if (part === 'protocol' && !/^https?:$/.test(u.protocol)) return;
      if (part === 'hash' && (u.href === before || (fragmentOf(u.href) === '' && fragmentOf(before) === ''))) return;
      locationNavigate(part === 'hash' && !u.href.includes('#') ? `${u.href}#` : u.href);
    },
    enumerable: true, configurable: false,
  });
defineProperty(location, Symbol.toPrimitive, { value: undefined });
defineProperty(location, 'valueOf', { value: ScriptObject.prototype.valueOf });

export class History {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get length() {
    return host('history.length');
  }
  get scrollRestoration() {
    return restoration.mode;
  }
  set scrollRestoration(v) {
    if (v === 'auto' || v === 'manual') restoration.mode = v;
  }
  get state() {
    const { state } = entry;
    return state === null ? null : (stateObjects.get(state) ?? stateObjects.set(state, deserialize(state).value).get(state));
  }
  go(delta = 0) {
    traverse(Number(delta) | 0);
  }
  back() {
    traverse(-1);
  }
  forward() {
    traverse(1);
  }
  pushState(data, unused, url = null) {
    must(arguments, 2);
    change(data, url, false);
  }
  replaceState(data, unused, url = null) {
    must(arguments, 2);
    change(data, url, true);
  }
}
const restoration = { mode: 'auto' };
const stateObjects = new WeakMap();
// "can have its URL rewritten" (7.4.4), by the parts of addresses.
export function mayBecome(to, from) {
  const [scheme, user, password, host_, path, query] = ['protocol', 'username', 'password', 'host', 'pathname', 'search'].map((name) => URL_PARTS.indexOf(name));
  if ([scheme, user, password, host_].some((i) => to[i] !== from[i])) return false;
  if (/^https?:$/.test(to[scheme])) return true;
  if (to[path] !== from[path]) return false;
  return to[scheme] === 'file:' || to[query] === from[query];
}
// Browsers let a document make so many changes in so many milliseconds; Chromium ignores the others.
const MOST_CHANGES = 200;
const CHANGES_WITHIN = 10_000;
let counted = 0;
let countedSince = 0;
function mayChange() {
  const at = host('now');
  if (at - countedSince > CHANGES_WITHIN) {
    countedSince = at;
    counted = 0;
  }
  if (++counted === MOST_CHANGES + 1) host('log', 'warning', 'Changes of the history are ignored: there were more than 200 within ten seconds.');
  return counted <= MOST_CHANGES;
}
// "shared history push/replace state steps".
function change(data, url, replace) {
  const state = serialize(data);
  let to = here();
  if (url !== null && url !== undefined) {
    const parts = parsedURL(usv(url), current.document.$base());
    if (!parts || !mayBecome(parts, parsedURL(here()))) throw error('SecurityError', `the history cannot be given the address ${url}`);
    to = parts[0];
  }
  if (!mayChange()) return;
  const apply = () => goTo(to, state, replace);
  if (hooks.navigate) hooks.navigate({ type: replace ? 'replace' : 'push', url: to, same: true, classic: state, apply });
  else apply();
}
export const history = new History(MAKE);
publish(Location, History);
commands.navigateTo = (url) => {
  const { source } = hooks;
  hooks.source = null;
  navigate(url, false, '', false, source);
};
