// Service Workers, 4.6: FetchEvent.

import { TypeError, isA, resolved, then } from '../shared/primordials.js';
import { gives, publish } from '../shared/webidl.js';
import { DOMException } from '../shared/domexception.js';
import { describe } from '../shared/errors.js';
import { shown } from '../shared/console.js';
import { deferred } from '../shared/readablestream.js';
import { bodyOf, isUnusable } from '../shared/body.js';
import { Request } from '../shared/request.js';
import { Response, answerJSON, answerNow } from '../shared/response.js';
import { ExtendableEvent, eventState, extend, finish } from './extendableevent.js';

export class FetchEvent extends ExtendableEvent {
  #init;
  #handled;
  constructor(type, init) {
    if (arguments.length < 2 || !isA(init?.request, Request)) throw new TypeError('a FetchEvent needs a request');
    super(type, init);
    this.#init = init;
  }
  get request() {
    return this.#init.request;
  }
  get preloadResponse() {
    return this.#init.preloadResponse ?? resolved(undefined);
  }
  get clientId() {
    return this.#init.clientId ?? '';
  }
  get resultingClientId() {
    return this.#init.resultingClientId ?? '';
  }
  get handled() {
    if (!this.#handled) {
      const s = eventState.get(this);
      this.#handled = deferred();
      if (s) s.handled = this.#handled;
      if (s?.answered) s.answered(this.#handled);
    }
    return this.#handled.promise;
  }
  respondWith(answer) {
    const s = eventState.get(this);
    if (!s || !s.dispatching) throw new DOMException('the event is over; respondWith has to be called while it is being dispatched', 'InvalidStateError');
    if (s.responding) throw new DOMException('respondWith was called already', 'InvalidStateError');
    s.responding = true;
    this.stopImmediatePropagation();
    s.quiet = true;
    const given = then(resolved(answer), (response) => {
      if (!isA(response, Response)) throw new TypeError(`respondWith was given ${response === undefined ? 'nothing (undefined)' : shown(response)} instead of a response`);
      if (response.type === 'error') throw new TypeError('respondWith was given Response.error()');
      if (isUnusable(bodyOf.get(response))) throw new TypeError('respondWith was given a response whose body was read already');
      const send = (json) => host('respond', s.id, 'response', json);
      const json = answerNow(response);
      return json === null ? then(answerJSON(response, this.request.mode === 'navigate'), send) : send(json);
    });
    // The event may be extended as long as the answer is not settled; it ends once that has been sent.
    extend(s, resolved(answer));
    s.sending = true;
    const sent = () => {
      s.sending = false;
      finish(s);
    };
    then(given, () => {
      handle(s, null);
      sent();
    }, (error) => {
      host('respond', s.id, 'error', describe(error));
      handle(s, error);
      sent();
    });
  }
}
// "Handle Fetch" settles the promise of the event's member handled once it is clear what comes of the request.
export function handle(s, error) {
  s.answered = (handled) => (error === null ? handled.resolve() : handled.reject(new DOMException(describe(error), 'NetworkError')));
  if (s.handled) s.answered(s.handled);
}
gives(FetchEvent, 'handled', 'preloadResponse');
publish(FetchEvent);
