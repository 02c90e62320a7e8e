// Service Workers, 4.2 and 4.3: Client, WindowClient and Clients.

import { TypeError, freeze, toJSON } from '../shared/primordials.js';
import { MAKE, gives, must, onlyHere, publish, usv } from '../shared/webidl.js';
import { call, callFor, rejecting } from '../shared/host.js';
import { baseURL } from '../shared/settings.js';
import { parsedURL } from '../shared/url.js';
import { serialize } from '../shared/structuredclone.js';
import { sendable } from '../shared/messaging.js';

export class Client {
  #info;
  constructor(key = undefined, info = undefined) {
    onlyHere(key);
    this.#info = info;
  }
  get id() {
    return this.#info.id;
  }
  get url() {
    return this.#info.url;
  }
  get type() {
    return this.#info.type;
  }
  get frameType() {
    return this.#info.frameType;
  }
  postMessage(message, options = undefined) {
    must(arguments, 1);
    const sent = serialize(message, Array.isArray(options) ? options : options?.transfer);
    host('toPage', 0, this.#info.id, toJSON(message) ?? 'undefined', toJSON(sendable(sent)));
  }
}
class WindowClient extends Client {
  get visibilityState() {
    return 'visible';
  }
  get focused() {
    return true;
  }
  async focus() {
    host('focus', 0, this.id);
    return this;
  }
  navigate(url) {
    try {
      must(arguments, 1);
      const parts = parsedURL(usv(url), baseURL());
      if (!parts || parts[0] === 'about:blank') throw new TypeError(`${url} is no address that a page can be sent to`);
      return callFor((info) => (info ? clientFrom(info) : null), 'navigate', this.id, parts[0]);
    } catch (error) {
      return rejecting(error);
    }
  }
}
export const clientFrom = (info) => new (info.type === 'window' ? WindowClient : Client)(MAKE, info);
export class Clients {
  constructor(key = undefined) {
    onlyHere(key);
  }
  async get(id) {
    const info = await call('client', `${id}`);
    return info ? clientFrom(info) : undefined;
  }
  async matchAll(options = {}) {
    const list = await call('clients', toJSON({ includeUncontrolled: Boolean(options?.includeUncontrolled), type: options?.type === undefined ? 'window' : `${options.type}` }));
    return freeze(list.map(clientFrom));
  }
  openWindow(url) {
    try {
      must(arguments, 1);
      const parts = parsedURL(usv(url), baseURL());
      if (!parts) throw new TypeError(`${url} is no address`);
      return callFor((info) => (info ? clientFrom(info) : null), 'openWindow', parts[0]);
    } catch (error) {
      return rejecting(error);
    }
  }
  async claim() {
    await call('claim');
  }
}
gives(WindowClient, 'navigate');
gives(Clients, 'openWindow');
publish(Client, WindowClient, Clients);
