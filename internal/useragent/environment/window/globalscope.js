// HTML, 7.2: the global object of a window, with the interfaces that the other modules define.

import {
  ScriptObject, TypeError, assign, defineProperty, forScripts, getPrototypeOf, isA, rejected, setPrototypeOf,
} from '../shared/primordials.js';
import { gap } from '../shared/gap.js';
import { side } from '../shared/commands.js';
import {
  attribute, expose, lazyEach, must, onlyHere, publish, publishLoosely, publishPlainly, usv,
} from '../shared/webidl.js';
import { own } from '../shared/settings.js';
import { EventTarget, currentEvent, dispatch, handlers, messageWith } from '../shared/event.js';
import { queueTask } from '../shared/timers.js';
import { loadPerformance, performanceObject, timing } from '../shared/performance.js';
import { parsedURL } from '../shared/url.js';
import { deserialize, serialize } from '../shared/structuredclone.js';
import { performFetch } from '../shared/fetch.js';
import { cachesObject } from '../shared/cache.js';
import { loneObject } from '../shared/navigatorparts.js';
import { elements } from './collections.js';
import { registry } from './customelements.js';
import { Document } from './document.js';
import { frameElements, framesChanged, otherWindow, targetName, targetOf } from './frames.js';
import {
  DOMStringMap, ELEMENT_HANDLERS, MathMLElement, SVGElement, SVGGeometryElement, SVGGraphicsElement, WINDOW_HANDLERS,
  byTag, classes, complete, incompleteNames,
} from './htmlelements.js';
import { history, location } from './navigation.js';
import { navigationObject } from './navigationapi.js';
import { navigator } from './navigator.js';
import { current } from './node.js';
import {
  ELEMENT, HTML, allWithId, append, elementsOf, error, following, getAttr, isConnected, isNode, makeElement, makeText,
  namesGiven, onAttribute, onInserted, onNamed, onRemoved, setAttr,
} from './nodes.js';
import {
  cancelAnimationFrame, cancelIdleCallback, matchMedia, requestAnimationFrame, requestIdleCallback,
} from './observers.js';
import { selection } from './ranges.js';
import { CSS, computedStyle } from './styles.js';
import { storageArea } from './webstorage.js';

// Those that most pages have are ready from the start, since pages begin with a copy of that.
for (const tag of ['html', 'head', 'title', 'meta', 'link', 'script', 'style', 'body', 'div', 'span', 'p', 'a', 'ul', 'li', 'h1', 'button', 'input', 'form']) complete(byTag.get(tag));
const later = incompleteNames();
lazyEach(later, (name) => complete(classes[name]));
publishPlainly(...Object.entries(classes).filter(([name]) => !later.includes(name)).map(([, cls]) => cls), SVGElement, SVGGraphicsElement, SVGGeometryElement, MathMLElement);
publishLoosely(DOMStringMap);
export class Window extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
}
publish(Window);
setPrototypeOf(global, Window.prototype);
// Members of the interface of a global object are its own (Web IDL, 3.7.6: Global).
handlers(global, ...ELEMENT_HANDLERS, ...WINDOW_HANDLERS, 'appinstalled', 'beforeinstallprompt', 'devicemotion', 'deviceorientation', 'deviceorientationabsolute', 'pagereveal', 'pageswap');
const member = (name, d) => defineProperty(global, name, { configurable: true, enumerable: true, ...d });
const readOnly = (name, read) => member(name, attribute(name, read));
// What a script may put its own thing in the place of (Replaceable).
const replaceable = (name, read) => member(name, {
  get: read,
  set(value) {
    defineProperty(global, name, { value, writable: true, enumerable: true, configurable: true });
  },
});
for (const [name, get] of [['window', () => global], ['document', () => current.document], ['top', () => (own.closed ? null : otherWindow(own.top) ?? global)]]) defineProperty(global, name, { get, enumerable: true, configurable: false });
defineProperty(global, 'location', { get: () => location, set: (v) => { location.href = v; }, enumerable: true, configurable: false });
timing.navigation = () => ({ name: current.document.URL, entryType: 'navigation', startTime: 0, duration: 0, type: own.back ? 'back_forward' : own.reload ? 'reload' : 'navigate', initiatorType: 'navigation', nextHopProtocol: 'http/1.1' });
delete global[Symbol.toStringTag];
for (const name of ['self', 'frames']) replaceable(name, () => global);
replaceable('parent', () => (own.closed ? null : otherWindow(own.parent) ?? global));
replaceable('length', () => frameElements().length);
readOnly('navigator', () => navigator);
readOnly('clientInformation', () => navigator);
readOnly('history', () => history);
replaceable('navigation', () => navigationObject.get());
readOnly('customElements', () => registry);
readOnly('frameElement', () => (own.closed ? null : kin.windows.get(own.parent)?.frame(own.frame) ?? null));
readOnly('closed', () => own.closed === true);
readOnly('origin', () => own.origin);
readOnly('isSecureContext', () => true);
readOnly('crossOriginIsolated', () => false);
readOnly('caches', () => cachesObject);
readOnly('performance', () => {
  loadPerformance();
  return performanceObject;
});
const areas = {};
for (const [name, area] of [['localStorage', 'local'], ['sessionStorage', 'session']]) readOnly(name, () => {
  if (own.opaque) throw error('SecurityError', 'a document without an origin has no storage');
  return (areas[area] ??= storageArea(area));
});
const plain = { opener: null, status: '' };
replaceable('event', () => currentEvent.now);
for (const name of Object.keys(plain)) member(name, { get: () => plain[name], set: (v) => { plain[name] = name === 'status' ? `${v}` : v; } });
member('name', { get: () => own.name ?? '', set: (v) => { host('frame.name', 0, (own.name = `${v}`)); } });
const SIZES = { innerWidth: 'width', innerHeight: 'height', outerWidth: 'width', outerHeight: 'height' };
for (const [name, value] of Object.entries({ innerWidth: 1000, innerHeight: 700, outerWidth: 1000, outerHeight: 700, screenX: 0, screenY: 0, screenLeft: 0, screenTop: 0, scrollX: 0, scrollY: 0, pageXOffset: 0, pageYOffset: 0 })) replaceable(name, () => own[SIZES[name]] || value);
replaceable('devicePixelRatio', () => own.density || 1);
const bar = assign(new ScriptObject(), { visible: true });
for (const name of ['locationbar', 'menubar', 'personalbar', 'scrollbars', 'statusbar', 'toolbar']) replaceable(name, () => bar);
replaceable('screen', loneObject('Screen', () => ({ get width() { return own.width || 1000; }, get height() { return own.height || 700; }, get availWidth() { return own.width || 1000; }, get availHeight() { return own.height || 700; }, availTop: 0, availLeft: 0, colorDepth: 24, pixelDepth: 24, get orientation() { return orientation(); } }), EventTarget));
const orientation = loneObject('ScreenOrientation', () => ({ type: 'landscape-primary', angle: 0, onchange: null, lock: () => rejected(error('NotSupportedError', 'the screen cannot be locked')), unlock() {} }), EventTarget);
replaceable('visualViewport', loneObject('VisualViewport', () => ({ get width() { return own.width || 1000; }, get height() { return own.height || 700; }, scale: 1, offsetLeft: 0, offsetTop: 0, pageLeft: 0, pageTop: 0, onresize: null, onscroll: null, onscrollend: null }), EventTarget));
const functions = {
  fetch(input, init = undefined) {
    return performFetch(input, init, arguments.length);
  },
  getComputedStyle(element, pseudo = null) {
    return computedStyle(element, pseudo);
  },
  matchMedia(query) {
    must(arguments, 1);
    return matchMedia(query);
  },
  requestAnimationFrame(callback) {
    return requestAnimationFrame(callback);
  },
  cancelAnimationFrame(id) {
    cancelAnimationFrame(id);
  },
  requestIdleCallback(callback, options = {}) {
    return requestIdleCallback(callback, options);
  },
  cancelIdleCallback,
  getSelection() {
    return selection;
  },
  alert() {},
  confirm() {
    return false;
  },
  prompt() {
    return null;
  },
  print() {},
  stop() {},
  focus() {},
  blur() {},
  close() {},
  open(url = '', target = '_blank') {
    const to = new Map([['_self', global], ['_parent', global.parent], ['_top', global.top]]).get(`${target}`.toLowerCase()) ?? frameElements().find((e) => getAttr(e, 'name') === `${target}`)?.contentWindow;
    if (!to) {
      gap('window.open');
      return null;
    }
    if (`${url}` !== '') {
      const parts = parsedURL(usv(url), current.document.$base());
      if (!parts) throw error('SyntaxError', `${url} is no address`);
      host('navigate.link', parts[0], `${target}`);
    }
    return to;
  },
  scroll() {},
  scrollTo() {},
  scrollBy() {},
  moveTo() {},
  moveBy() {},
  resizeTo() {},
  resizeBy() {},
  find() {
    return false;
  },
  captureEvents() {},
  releaseEvents() {},
  postMessage(message, options = undefined, transfer = undefined) {
    must(arguments, 1);
    if (kin.running && kin.running !== side && kin.running.post) return void kin.running.post(side.id, message, options, transfer);
    const [target, list] = targetOf(options, transfer);
    const sent = serialize(message, list);
    if (target !== '*' && target !== own.origin) return;
    queueTask(() => {
      const { value: data, transferred } = deserialize(sent);
      dispatch(global, messageWith({ data, origin: own.origin, source: global, ports: transferred.filter((p) => isA(p, global.MessagePort)) }));
    });
  },
};
for (const [name, value] of Object.entries(functions)) {
  defineProperty(value, 'name', { value: name, configurable: true });
  defineProperty(global, name, { value: forScripts(value), writable: true, enumerable: true, configurable: true });
}
for (const name of ['setTimeout', 'setInterval', 'clearTimeout', 'clearInterval', 'queueMicrotask', 'reportError', 'btoa', 'atob', 'structuredClone']) defineProperty(global, name, { enumerable: true });
// 4.8.3 and 4.10: constructors with names of their own.
const constructorFor = (name, tag, give) => {
  const made = { [name]: function (...args) {
    if (!new.target) throw new TypeError('Illegal constructor');
    const e = makeElement(HTML, tag, current.document);
    give(e, args);
    return e;
  } }[name];
  complete(byTag.get(tag));
  defineProperty(made, 'prototype', { value: byTag.get(tag).prototype });
  expose(name, made);
};
constructorFor('Image', 'img', (e, [w, h]) => {
  if (w !== undefined) setAttr(e, 'width', `${w >>> 0}`);
  if (h !== undefined) setAttr(e, 'height', `${h >>> 0}`);
});
constructorFor('Audio', 'audio', (e, [src]) => {
  setAttr(e, 'preload', 'auto');
  if (src !== undefined) setAttr(e, 'src', `${src}`);
});
constructorFor('Option', 'option', (e, [text = '', value, defaultSelected = false, selected = false]) => {
  if (text !== '') append(makeText(`${text}`, e.$d), e);
  if (value !== undefined) setAttr(e, 'value', `${value}`);
  if (defaultSelected) setAttr(e, 'selected', '');
  e.$selected = Boolean(selected);
});
expose('CSS', assign(new ScriptObject(), CSS));
// The elements of the document by their names and ids (HTML, 7.2.2.3: named access on the window object). Each name that some element
// was ever given becomes a member of the object behind the window's interface, since the engine knows no names that are computed there.
const namedProperties = { __proto__: getPrototypeOf(Window.prototype) };
defineProperty(namedProperties, Symbol.toStringTag, { value: 'WindowProperties', configurable: true });
function nameElement(name) {
  if (!name || name in Window.prototype) return;
  defineProperty(namedProperties, name, {
    get: () => namedElement(name) ?? undefined,
    set(value) {
      defineProperty(global, name, { value, writable: true, enumerable: true, configurable: true });
    },
    enumerable: false, configurable: true,
  });
}
onNamed.f = (e, name, value) => {
  namesGiven.add(value);
  if (isConnected(e)) onNamed.define(e, name, value);
};
const NAMED = new Set(['embed', 'form', 'img', 'object', 'iframe']);
const byNames = new Set(); // the names that elements ever had by a name rather than an id
onNamed.define = (e, name, value) => {
  if (name === 'id') nameElement(value);
  else if (name === 'name' && NAMED.has(e.$name)) {
    byNames.add(value);
    nameElement(value);
  }
};
onNamed.frame = (e, before, name) => {
  onNamed.define(e, 'name', name);
  if (before && Object.hasOwn(namedProperties, before)) namedElement(before);
};
onInserted.push((node, connected) => {
  if (!connected) return;
  for (let e = node; e; e = following(e, node)) if (e.$t === ELEMENT && e.$a) for (const x of e.$a) if ((x.name === 'id' || x.name === 'name') && x.ns === null) onNamed.define(e, x.name, x.value);
});
// What is gone from the document names nothing any more.
onRemoved.push((node, parent, connected) => {
  if (!connected) return;
  for (let e = node; e; e = following(e, node)) if (e.$t === ELEMENT && e.$a) for (const x of e.$a) if ((x.name === 'id' || x.name === 'name') && x.ns === null && Object.hasOwn(namedProperties, x.value)) namedElement(x.value);
});
onAttribute.push((e, name, old) => {
  if ((name === 'id' || name === 'name') && old && Object.hasOwn(namedProperties, old)) namedElement(old);
});
function namedElement(key) {
  const d = current.document;
  if (!d) return null;
  let found = allWithId(d, key);
  if (byNames.has(key)) found = elementsOf(d).filter((n) => found.includes(n) || (NAMED.has(n.$name) && targetName(n) === key));
  if (!found.length) {
    delete namedProperties[key];
    return null;
  }
  const frame = found.find((n) => n.$name === 'iframe' && n.$ns === HTML && targetName(n) === key);
  if (frame) return frame.contentWindow;
  return found.length === 1 ? found[0] : elements(() => found);
}
// Frames by their places (HTML, 7.2.2.2).
let indexed = 0;
framesChanged.tell = (n) => {
  for (; indexed < n; indexed++) {
    const i = indexed;
    defineProperty(global, `${i}`, { get: () => frameElements()[i]?.contentWindow, set() {}, enumerable: true, configurable: true });
  }
  while (indexed > n) delete global[--indexed];
};
setPrototypeOf(Window.prototype, namedProperties);
// Handlers of the window that a body has, too (HTML, 8.1.8.2.2).
for (const type of [...WINDOW_HANDLERS, 'blur', 'error', 'focus', 'load', 'resize', 'scroll']) for (const cls of [classes.HTMLBodyElement, classes.HTMLFrameSetElement]) if (cls) defineProperty(cls.prototype, `on${type}`, {
  get: () => global[`on${type}`],
  set: (v) => { global[`on${type}`] = v; },
  enumerable: true, configurable: true,
});
// Forms, pictures and the like by their names (HTML, 3.1.7: named access on the document).
const byName = (d, key) => {
  const found = [];
  for (let n = d.$f; n; n = following(n, d)) {
    if (n.$t !== ELEMENT || !n.$a || n.$ns !== HTML) continue;
    const name = getAttr(n, 'name');
    const id = getAttr(n, 'id');
    const exposed = n.$name === 'form' || n.$name === 'iframe' || n.$name === 'embed' || n.$name === 'img' || n.$name === 'object';
    if (exposed && name === key) found.push(n);
    else if (n.$name === 'object' && id === key) found.push(n);
    else if (n.$name === 'img' && id === key && name) found.push(n);
  }
  if (!found.length) return undefined;
  if (found.length > 1) return elements(() => found);
  return found[0].$name === 'iframe' ? found[0].contentWindow : found[0];
};
const NodeProto = getPrototypeOf(Document.prototype);
setPrototypeOf(Document.prototype, new Proxy(NodeProto, {
  get: (target, key, receiver) => (typeof key === 'string' && key[0] !== '$' && namesGiven.has(key) && !(key in target) && isNode(receiver) ? byName(receiver, key) : Reflect.get(target, key, receiver)),
  has: (target, key) => key in target || (namesGiven.has(key) && current.document !== null && byName(current.document, key) !== undefined),
  getPrototypeOf: () => NodeProto,
}));
