// HTML, 7.2.3, 7.3.1 and 4.8.5: frames with their windows. Windows of one origin reach each other's objects, the others only messages.

import { atob } from '../shared/base64.js';
import { ScriptObject, assign, defineProperty, fromJSON, isA, toJSON } from '../shared/primordials.js';
import { commands, side } from '../shared/commands.js';
import { must } from '../shared/webidl.js';
import { own } from '../shared/settings.js';
import { fire, dispatch, messageWith, report } from '../shared/event.js';
import { parsedURL } from '../shared/url.js';
import { deserialize, serialize } from '../shared/structuredclone.js';
import { received, sendable } from '../shared/messaging.js';
import { textOfObject } from '../shared/objecturls.js';
import { classes } from './htmlelements.js';
import { current, mix } from './node.js';
import {
  descendants, elementsOf, error, getAttr, hasAttr, isConnected, isHTML, onAttribute, onInserted, onNamed, onRemoved,
} from './nodes.js';

// The windows whose objects can be reached, by their numbers.
const windows = (kin.windows ??= new Map());
const frameOf = new Map(); // elements by the numbers of their frames
const known = new Map(); // window objects by the number of their window
export function otherWindow(id) {
  if (!id) return null;
  const kindred = windows.get(id);
  if (kindred) return kindred.global;
  if (known.has(id)) return known.get(id);
  const there = new ScriptObject();
  const refuse = () => {
    throw error('SecurityError', 'this window is of another origin');
  };
  for (const [name, get] of Object.entries({ window: () => known.get(id), self: () => known.get(id), frames: () => known.get(id), closed: () => false, length: () => 0, opener: () => null, parent: () => otherWindow(host('window.parent', id)) ?? known.get(id), top: () => otherWindow(own.top) ?? global, document: refuse, location: () => farLocation(id, refuse) }))
    defineProperty(there, name, { get, set: name === 'location' ? (url) => { farLocation(id, refuse).href = url; } : refuse, enumerable: true, configurable: true });
  assign(there, {
    postMessage(message, options = undefined, transfer = undefined) {
      must(arguments, 1);
      side.post(id, message, options, transfer);
    },
    focus() {},
    blur() {},
    close() {},
  });
  const far = beyond(there);
  known.set(id, far);
  return far;
}
// What is not there for other origins cannot be asked for either ("CrossOriginGetOwnPropertyHelper", HTML, 7.2.1.3).
const ASKED_BY_THE_LANGUAGE = new Set(['then', Symbol.toStringTag, Symbol.hasInstance, Symbol.isConcatSpreadable]);
const beyond = (there) => {
  const refuse = () => {
    throw error('SecurityError', 'this is of another origin');
  };
  return new Proxy(there, {
    get: (target, key) => (Object.hasOwn(target, key) ? target[key] : ASKED_BY_THE_LANGUAGE.has(key) ? undefined : refuse()),
    set: (target, key, value) => (Object.hasOwn(target, key) ? ((target[key] = value), true) : refuse()),
    has: (target, key) => Object.hasOwn(target, key) || ASKED_BY_THE_LANGUAGE.has(key) || refuse(),
    defineProperty: refuse,
    deleteProperty: refuse,
    getPrototypeOf: () => null,
    setPrototypeOf: (target, proto) => proto === null,
    preventExtensions: () => false,
  });
};
function farLocation(id, refuse) {
  const to = (url) => {
    const frame = [...frameOf].find(([number]) => host('frame.window', number) === id)?.[0];
    if (!frame) refuse(); // only who is around a window of another origin may send it on (HTML, 7.4.2.1)
    const parts = parsedURL(`${url}`, current.document.$base());
    if (!parts) throw error('SyntaxError', `${url} is no address`);
    host('frame.navigate', frame, parts[0], null, false);
  };
  const there = new ScriptObject();
  defineProperty(there, 'href', { get: refuse, set: to, enumerable: true });
  for (const part of ['origin', 'protocol', 'host', 'hostname', 'port', 'pathname', 'search', 'hash', 'ancestorOrigins', 'assign', 'reload', 'toString']) defineProperty(there, part, { get: refuse, set: refuse, enumerable: true });
  return assign(there, { replace: to });
}
// The origin that a message is for, and what is transferred with it.
export function targetOf(options, transfer) {
  const plain = typeof options === 'string';
  const list = plain ? transfer : Array.isArray(options) ? options : options?.transfer;
  const target = plain ? options : options?.targetOrigin ?? '/';
  if (target === '*') return [target, list ?? []];
  if (target === '/') return [own.origin, list ?? []];
  const parts = parsedURL(target);
  if (!parts) throw error('SyntaxError', `${target} is no origin`);
  return [parts[1], list ?? []];
}
assign(side, {
  // Sends a message of this window to another.
  post(id, message, options, transfer) {
    const [target, list] = targetOf(options, transfer);
    host('window.post', id, toJSON(sendable(serialize(message, list))), target);
  },
  document: () => current.document,
  frame: (number) => frameOf.get(number) ?? null,
  windowOf: (number) => host('frame.window', number),
});
commands.windowMessage = (json, origin, from) => {
  const { value: data, transferred } = deserialize(received(fromJSON(json)));
  dispatch(global, messageWith({ data, origin, source: otherWindow(from), ports: transferred.filter((p) => isA(p, global.MessagePort)) }));
};

export const targetName = (e) => e.$frameName ?? getAttr(e, 'name');
export const framesChanged = { tell: null }; // (how many there are)
const isFrame = (e) => isHTML(e, 'iframe') || isHTML(e, 'frame');
// The document's own realm knows its frames, whichever realm made the element.
const windowId = (e) => (e.$frame ? e.$d.$side?.windowOf(e.$frame) ?? 0 : 0);
const kindredOf = (e) => windows.get(windowId(e));
for (const cls of [classes.HTMLIFrameElement, classes.HTMLFrameElement])
  mix(cls, {
    get contentDocument() {
      return kindredOf(this)?.document() ?? null;
    },
    get contentWindow() {
      return otherWindow(windowId(this));
    },
  });
mix(classes.HTMLIFrameElement, {
  getSVGDocument() {
    const d = kindredOf(this)?.document();
    return d && d.$type === 'image/svg+xml' ? d : null;
  },
});
// The frames of the document, in tree order.
export const frameElements = () => (frameOf.size ? elementsOf(current.document).filter((e) => e.$frame) : []);

// "create a new child navigable" for an element that stands in the document now.
export function insertFrame(e) {
  if (e.$frame || e.$d !== current.document || !isConnected(e)) return;
  e.$frame = host('frame.make', getAttr(e, 'name') ?? '', getAttr(e, 'sandbox'));
  if (!e.$frame) return;
  frameOf.set(e.$frame, e);
  framesChanged.tell(frameOf.size);
  processIframeAttributes(e, true);
}
// "process the iframe attributes" (4.8.5).
function processIframeAttributes(e, initial) {
  if (e.$name === 'iframe' && hasAttr(e, 'srcdoc')) {
    host('frame.navigate', e.$frame, 'about:srcdoc', getAttr(e, 'srcdoc'), true);
    return;
  }
  const src = getAttr(e, 'src');
  const url = (src && parsedURL(src, current.document.$base())?.[0]) || 'about:blank';
  if (initial && /^about:blank([?#]|$)/.test(url)) {
    fire(e, 'load');
    return;
  }
  const text = url.startsWith('blob:') ? textOfObject(url) : undefined;
  host('frame.navigate', e.$frame, url, text ?? dataText(url), true);
}
const dataText = (url) => {
  const m = /^data:text\/html[^,]*?(;base64)?,(.*)$/s.exec(url);
  return m ? (m[1] ? atob(decodeURIComponent(m[2])) : decodeURIComponent(m[2])) : null;
};
function removeFrame(e) {
  const number = e.$frame;
  if (!number) return;
  e.$frame = 0;
  e.$frameName = undefined;
  frameOf.delete(number);
  framesChanged.tell(frameOf.size);
  host('frame.remove', number);
}
function eachFrame(node, run) {
  if (isFrame(node)) run(node);
  else if (node.$f) for (const e of [...descendants(node)]) if (isFrame(e)) run(e);
}
onInserted.push((node, connected) => {
  if (connected) eachFrame(node, insertFrame);
});
onRemoved.push((node, parent, connected) => {
  if (connected && frameOf.size) eachFrame(node, removeFrame);
});
onAttribute.push((e, name, old, value) => {
  if (!e.$frame || !isFrame(e)) return;
  if (name === 'srcdoc' || (name === 'src' && !hasAttr(e, 'srcdoc') && value !== null)) processIframeAttributes(e, false);
  else if (name === 'name') {
    e.$frameName = undefined;
    host('frame.name', e.$frame, value ?? '');
  }
});
// A window has given itself another name: the one by which links, forms and scripts around find it (HTML, 7.3.1.7).
commands.frameNamed = (number, name) => {
  const e = frameOf.get(number);
  if (!e) return;
  const before = targetName(e);
  e.$frameName = name;
  onNamed.frame?.(e, before, name);
};
commands.frameLoaded = (number) => {
  const e = frameOf.get(number);
  if (e) fire(e, 'load');
};
// The window's frame is gone, or shows another document.
commands.discard = () => {
  own.closed = true;
};
commands.runAddress = (url) => {
  try {
    const value = global.eval(decodeURIComponent(url.slice('javascript:'.length)));
    return typeof value === 'string' ? value : null;
  } catch (e) {
    report(e);
    return null;
  }
};
