import { defineProperty } from './primordials.js';
import { lazy, must, publishLoosely, usv } from './webidl.js';
import { DOMException } from './domexception.js';
import { baseURL } from './settings.js';
import { Event, EventTarget, fire, handlers, trusted } from './event.js';
import { setTimeout } from './timers.js';
import { parsedURL } from './url.js';

// Connections that stay open are not simulated: each fails, and the result says that the gap is ours.
lazy(['WebSocket', 'EventSource', 'CloseEvent'], () => {
  class CloseEvent extends Event {
    #init;
    constructor(type, init = {}) {
      super(type, init);
      this.#init = init ?? {};
    }
    get wasClean() {
      return Boolean(this.#init.wasClean);
    }
    get code() {
      return this.#init.code ?? 0;
    }
    get reason() {
      return this.#init.reason ?? '';
    }
  }
  const endpoint = (url, schemes) => {
    const parts = parsedURL(usv(url), baseURL());
    if (!parts || !schemes.includes(parts[2]) || parts[10]) throw new DOMException(`${url} is no address for this kind of connection`, 'SyntaxError');
    return parts[0];
  };
  const failing = (target, ended) => {
    host('gap', `connections that stay open (${target.constructor.name}); it was made to fail`);
    setTimeout(() => {
      ended();
      fire(target, trusted(new Event('error')));
      if (target instanceof WebSocket) fire(target, trusted(new CloseEvent('close', { code: 1006 })));
    }, 1);
  };
  class WebSocket extends EventTarget {
    #url;
    #state = 0;
    binaryType = 'blob';
    constructor(url, protocols = []) {
      super();
      must(arguments, 1);
      const given = `${url}`.replace(/^http/, 'ws');
      this.#url = endpoint(given, ['ws:', 'wss:']);
      failing(this, () => { this.#state = 3; });
    }
    get url() {
      return this.#url;
    }
    get readyState() {
      return this.#state;
    }
    get bufferedAmount() {
      return 0;
    }
    get extensions() {
      return '';
    }
    get protocol() {
      return '';
    }
    send() {
      if (this.#state === 0) throw new DOMException('the connection is not open yet', 'InvalidStateError');
    }
    close() {
      if (this.#state === 0) this.#state = 2;
    }
  }
  class EventSource extends EventTarget {
    #url;
    #state = 0;
    #credentials;
    constructor(url, init = {}) {
      super();
      must(arguments, 1);
      this.#url = endpoint(url, ['http:', 'https:']);
      this.#credentials = Boolean(init?.withCredentials);
      failing(this, () => { this.#state = 2; });
    }
    get url() {
      return this.#url;
    }
    get readyState() {
      return this.#state;
    }
    get withCredentials() {
      return this.#credentials;
    }
    close() {
      this.#state = 2;
    }
  }
  handlers(WebSocket.prototype, 'open', 'message', 'error', 'close');
  handlers(EventSource.prototype, 'open', 'message', 'error');
  for (const [cls, names] of [[WebSocket, ['CONNECTING', 'OPEN', 'CLOSING', 'CLOSED']], [EventSource, ['CONNECTING', 'OPEN', 'CLOSED']]])
    names.forEach((name, value) => [cls, cls.prototype].forEach((o) => defineProperty(o, name, { value, enumerable: true })));
  publishLoosely(CloseEvent, WebSocket, EventSource);
});
