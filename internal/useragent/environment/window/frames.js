// HTML, 7.2.3 and 9.3: windows of other realms, which only messages reach.

import { ScriptObject, assign, defineProperty, fromJSON, toJSON } from '../shared/primordials.js';
import { commands } from '../shared/dispatch.js';
import { must } from '../shared/webidl.js';
import { own } from '../shared/settings.js';
import { MessageEvent, fire, trusted } from '../shared/event.js';
import { parsedURL } from '../shared/url.js';
import { deserialize, serialize } from '../shared/structuredclone.js';
import { received, sendable } from '../shared/messaging.js';
import { classes } from './htmlelements.js';
import { current, mix } from './node.js';
import { descendants, error, getAttr, isConnected, isHTML } from './nodes.js';

const known = new Map(); // window objects by the number of their window
export function otherWindow(id) {
  if (!id) return null;
  if (known.has(id)) return known.get(id);
  const there = new ScriptObject();
  const refuse = () => {
    throw error('SecurityError', 'this window belongs to another realm');
  };
  for (const [name, get] of Object.entries({ window: () => there, self: () => there, frames: () => there, closed: () => false, length: () => 0, opener: () => null, parent: () => otherWindow(own.parent) ?? global, top: () => otherWindow(own.top) ?? global, document: refuse }))
    defineProperty(there, name, { get, enumerable: true, configurable: true });
  assign(there, {
    postMessage(message, options = undefined, transfer = undefined) {
      must(arguments, 1);
      const [target, list] = targetOf(options, transfer);
      host('window.post', id, toJSON(sendable(serialize(message, list))), target);
    },
    focus() {},
    blur() {},
    close() {},
  });
  known.set(id, there);
  return there;
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
commands.windowMessage = (json, origin, from) => {
  const { value: data, transferred } = deserialize(received(fromJSON(json)));
  fire(global, trusted(new MessageEvent('message', { data, origin, source: otherWindow(from), ports: transferred.filter((p) => p instanceof global.MessagePort) })));
};
const windowOf = (e) => {
  if (!isConnected(e) || e.$d !== current.document) return null;
  const address = parsedURL(getAttr(e, 'src') ?? '', current.document.$base())?.[0];
  const there = address ? otherWindow(host('frame.window', address)) : null;
  if (!there) host('gap', 'a frame without an address');
  return there;
};
mix(classes.HTMLIFrameElement, {
  get contentDocument() {
    return null;
  },
  get contentWindow() {
    return windowOf(this);
  },
  getSVGDocument() {
    return null;
  },
});
export const frameElements = () => [...descendants(current.document)].filter((e) => isHTML(e, 'iframe'));
