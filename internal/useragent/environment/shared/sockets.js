import { ofHeaders } from './headers.js';
import { defineProperty } from './primordials.js';
import { answersOtherwise, doubtful, gap } from './gap.js';
import { lazy, must, publishLoosely, usv } from './webidl.js';
import { DOMException } from './domexception.js';
import { baseURL } from './settings.js';
import { Event, EventTarget, MessageEvent, fire, dispatch, handlers, trusted } from './event.js';
import { setTimeout } from './timers.js';
import { parsedURL } from './url.js';
import { performFetch } from './fetch.js';

// Web sockets are not simulated: each fails, and the result says that the gap is ours. Event streams are read like any answer; once it has
// ended they ask again.
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
  class WebSocket extends EventTarget {
    #url;
    #state = 0;
    #binary = 'blob';
    constructor(url, protocols = []) {
      super();
      must(arguments, 1);
      const given = `${url}`.replace(/^http/, 'ws');
      this.#url = endpoint(given, ['ws:', 'wss:']);
      doubtful('a connection that stays open (WebSocket)');
      setTimeout(() => {
        if (answersOtherwise() && this.#state === 0) {
          this.#state = 1;
          fire(this, 'open');
          return;
        }
        this.#state = 3;
        fire(this, 'error');
        dispatch(this, trusted(new CloseEvent('close', { code: 1006 })));
      }, 1);
    }
    get url() {
      return this.#url;
    }
    get readyState() {
      return this.#state;
    }
    get binaryType() {
      return this.#binary;
    }
    set binaryType(kind) {
      if (kind === 'blob' || kind === 'arraybuffer') this.#binary = kind;
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
      this.#ask();
    }
    #again = 3000; // ms until it asks again
    #last = '';
    #asked = 0;
    // 9.2.2 and 9.2.3 of HTML: an answer that is none of this kind ends it for good; anything else only for a while.
    async #ask() {
      const headers = { accept: 'text/event-stream' };
      if (this.#last) headers['last-event-id'] = this.#last;
      try {
        const response = await performFetch(this.#url, { headers, cache: 'no-store', credentials: this.#credentials ? 'include' : 'same-origin' }, 1);
        if (this.#state === 2) return;
        if (response.status !== 200 || !/^text\/event-stream\s*(;|$)/i.test(ofHeaders.get(response.headers, 'content-type') ?? '')) {
          this.#state = 2;
          fire(this, 'error');
          return;
        }
        this.#state = 1;
        fire(this, 'open');
        const text = await response.text();
        if (text === '') { // a live host's stream, which is not listened to
          gap('connections that stay open (EventSource); nothing came of it');
          return;
        }
        for (const block of text.replace(/^\ufeff/, '').replace(/\r\n?/g, '\n').split('\n\n').slice(0, -1)) if (this.#state === 1) this.#tell(block);
      } catch {
        // the network failed
      }
      if (this.#state === 2) return;
      this.#state = 0;
      fire(this, 'error');
      if (++this.#asked < 5) setTimeout(() => { if (this.#state === 0) this.#ask(); }, this.#again); // nobody waits longer here
    }
    // 9.2.6: the lines of one event.
    #tell(block) {
      const data = [];
      let type = 'message';
      for (const line of block.split('\n')) {
        const [, field, value = ''] = /^([^:]*)(?::[ ]?(.*))?$/.exec(line);
        if (field === 'data') data.push(value);
        else if (field === 'event') type = value || 'message';
        else if (field === 'id' && !value.includes('\0')) this.#last = value;
        else if (field === 'retry' && /^\d+$/.test(value)) this.#again = Number(value);
      }
      if (data.length) dispatch(this, trusted(new MessageEvent(type, { data: data.join('\n'), origin: parsedURL(this.#url)[1], lastEventId: this.#last })));
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
