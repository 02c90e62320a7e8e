import { apply, assign, fromJSON, isA, sharedState, toJSON } from './primordials.js';
import { commands } from './commands.js';
import { MAKE, lazy, must, onlyHere, publishLoosely } from './webidl.js';
import { DOMException } from './domexception.js';
import { ownOrigin } from './settings.js';
import { EventTarget, addListener, dispatch, handlerSlots, handlers, messageWith, slotsOf } from './event.js';
import { queueTask, setTimeout } from './timers.js';
import { bytesOf, keepBytes } from './bytes.js';
import { deserialize, fromHost, serialize, toHost, transferable } from './structuredclone.js';

export const portState = sharedState('portState');
// Ports whose other end lies in another realm, by the number that the browser knows this end by.
const remotePorts = new Map();
// What crosses to another realm, with what was transferred. A port becomes a number: the browser joins the two ends.
export const sendable = (sent) => ({ ...toHost(sent), moved: sent.moved.map(({ buffer, name, state }) => (buffer ? { buffer: keepBytes(buffer) } : { name, port: shipped(state) })) });
export const received = (kept) => ({ ...fromHost(kept), moved: (kept.moved ?? []).map(({ buffer, name, port }) => (buffer ? { buffer: bytesOf(buffer) } : { name, state: landed(port) })) });
function shipped(state) {
  if (state.remote) {
    remotePorts.delete(state.remote);
    return state.remote;
  }
  const [here, there] = fromJSON(host('port.open'));
  if (state.other) {
    const other = portState.get(state.other);
    assign(other, { other: null, remote: here });
    remotePorts.set(here, state.other);
    host('port.bind', here);
  }
  for (const sent of state.waiting) host('port.post', here, toJSON(sendable(sent)));
  return there;
}
function landed(id) {
  loadPorts(); // the interface may not have been asked for yet
  queueTask(() => host('port.bind', id));
  return { other: null, waiting: [], started: false, closed: false, remote: id };
}
let portsOf;
const loadPorts = lazy(['MessagePort', 'MessageChannel', 'BroadcastChannel'], () => {
// HTML, 9.4 and 9.5: message ports and broadcast channels.
class MessagePort extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
    portState.set(this, { other: null, waiting: [], started: false, closed: false });
  }
  postMessage(message, options = undefined) {
    must(arguments, 1);
    const transfer = listOf(options);
    if (transfer.includes(this)) throw new DOMException('a port cannot be sent through itself', 'DataCloneError');
    const sent = serialize(message, transfer);
    const { other, remote, closed } = portState.get(this);
    if (closed) return;
    if (remote) return void host('port.post', remote, toJSON(sendable(sent)));
    if (!other || portState.get(other).closed) return;
    portState.get(other).waiting.push(sent);
    deliver(other);
  }
  start() {
    startPort(this);
  }
  close() {
    portState.get(this).closed = true;
  }
  get onmessage() {
    return handlerSlots.get(this)?.message?.handler ?? null;
  }
  set onmessage(handler) {
    setHandler(this, 'message', handler);
    startPort(this);
  }
}
function startPort(port) {
  portState.get(port).started = true;
  deliver(port);
}
function setHandler(target, type, handler) {
  const slots = slotsOf(target);
  if (slots[type]) slots[type].handler = handler;
  else {
    slots[type] = { handler };
    apply(addListener, target, [type, (event) => typeof slots[type].handler === 'function' && apply(slots[type].handler, target, [event])]);
  }
}
function deliver(port) {
  const s = portState.get(port);
  if (!s.started || s.closed) return;
  for (const sent of s.waiting.splice(0)) setTimeout(() => {
    if (s.closed) return;
    const { value: data, transferred } = deserialize(sent);
    dispatch(port, messageWith({ data, ports: transferred.filter((t) => isA(t, MessagePort)) }));
  });
}
// What was passed to postMessage: a list, or options with one.
const listOf = (options) => [...(Array.isArray(options) ? options : options?.transfer ?? [])];
// A port that was transferred is of no use any more; a new one takes its place.
transferable(MessagePort, (port) => {
  const state = { ...portState.get(port), started: false };
  assign(portState.get(port), { other: null, closed: true, waiting: [] });
  // What is sent meanwhile waits with it.
  const underWay = {};
  portState.set(underWay, state);
  if (state.other) portState.get(state.other).other = underWay;
  return state;
}, (state) => {
  const port = new MessagePort(MAKE);
  portState.set(port, state);
  if (state.other) portState.get(state.other).other = port;
  if (state.remote) remotePorts.set(state.remote, port);
  return port;
});
handlers(MessagePort.prototype, 'messageerror');
// Two ports that are joined.
portsOf = () => {
  const ports = [new MessagePort(MAKE), new MessagePort(MAKE)];
  portState.get(ports[0]).other = ports[1];
  portState.get(ports[1]).other = ports[0];
  return ports;
};
class MessageChannel {
  #ports = portsOf();
  get port1() {
    return this.#ports[0];
  }
  get port2() {
    return this.#ports[1];
  }
}
const channels = new Map(); // by their numbers at the host
class BroadcastChannel extends EventTarget {
  #name;
  #id;
  #closed = false;
  constructor(name) {
    must(arguments, 1);
    super();
    this.#name = `${name}`;
    this.#id = host('channel.open', this.#name);
    channels.set(this.#id, this);
  }
  get name() {
    return this.#name;
  }
  postMessage(message) {
    must(arguments, 1);
    if (this.#closed) throw new DOMException('the channel is closed', 'InvalidStateError');
    host('channel.post', this.#id, toJSON(toHost(serialize(message))));
  }
  close() {
    this.#closed = true;
    channels.delete(this.#id);
    host('channel.close', this.#id);
  }
}
commands.portMessage = (id, json) => {
  const port = remotePorts.get(id);
  if (!port) return;
  portState.get(port).waiting.push(received(fromJSON(json)));
  deliver(port);
};
commands.channelMessage = (id, json) => {
  const channel = channels.get(id);
  if (!channel) return;
  dispatch(channel, messageWith({ data: deserialize(fromHost(fromJSON(json))).value, origin: ownOrigin() }));
};
handlers(BroadcastChannel.prototype, 'message', 'messageerror');
publishLoosely(MessagePort, MessageChannel, BroadcastChannel);
});
export function makePorts() {
  loadPorts();
  return portsOf();
}
