import { resolved, then } from '../shared/primordials.js';
import { publish } from '../shared/webidl.js';
import { DOMException } from '../shared/domexception.js';
import { describe, nameOf, stackOf } from '../shared/errors.js';
import { Event } from '../shared/event.js';
import { settled } from '../shared/timers.js';

// Service Workers, 4.4: events that keep the worker alive until their promises are settled.
export const eventState = new WeakMap();
export class ExtendableEvent extends Event {
  constructor(type, init = {}) {
    super(type, init);
  }
  waitUntil(promise) {
    const s = eventState.get(this);
    if (!s || !(s.dispatching || s.pending > 0)) throw new DOMException('the event is over; waitUntil comes too late', 'InvalidStateError');
    extend(s, resolved(promise));
  }
}
export function extend(s, promise) {
  s.pending++;
  const over = () => {
    s.pending--;
    finish(s);
  };
  // What the promise's own reactions do comes first.
  then(
    promise,
    () => then(settled, over),
    (error) => {
      s.failed = true;
      if (!s.quiet) host('log', 'error', describe(error), stackOf(error), nameOf(error));
      then(settled, over);
    },
  );
}
export function finish(s) {
  if (s.pending === 0 && !s.dispatching && !s.sending && !s.done) {
    s.done = true;
    host('eventDone', s.id, !s.failed);
  }
}
publish(ExtendableEvent);
