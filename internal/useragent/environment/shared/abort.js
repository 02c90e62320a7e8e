import { isA, sharedState } from './primordials.js';
import { MAKE, must, onlyHere, publish } from './webidl.js';
import { DOMException } from './domexception.js';
import { EventTarget, announce, handlers, isSignal } from './event.js';
import { setTimeout } from './timers.js';

// DOM, 3: aborting.
const abortReason = sharedState('abortReason');
export class AbortSignal extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  get aborted() {
    return abortReason.has(this);
  }
  get reason() {
    return abortReason.get(this);
  }
  throwIfAborted() {
    if (this.aborted) throw this.reason;
  }
  static abort(reason = new DOMException('the operation was aborted', 'AbortError')) {
    const signal = new AbortSignal(MAKE);
    abortReason.set(signal, reason);
    return signal;
  }
  static timeout(ms) {
    must(arguments, 1);
    const signal = new AbortSignal(MAKE);
    setTimeout(() => abort(signal, new DOMException('the time is up', 'TimeoutError')), ms);
    return signal;
  }
  static any(signals) {
    const signal = new AbortSignal(MAKE);
    const list = [...signals];
    const already = list.find((s) => s.aborted);
    if (already) abortReason.set(signal, already.reason);
    else {
      const roots = new Set();
      for (const s of list) for (const root of rootsOf.get(s) ?? [s]) roots.add(root);
      rootsOf.set(signal, roots);
      for (const root of roots) {
        if (!dependents.has(root)) dependents.set(root, []);
        dependents.get(root).push(signal);
      }
    }
    return signal;
  }
}
handlers(AbortSignal.prototype, 'abort');
const rootsOf = sharedState('rootsOf'); // of a dependent signal: the signals of controllers that it follows
const dependents = sharedState('dependents');
const abortSteps = sharedState('abortSteps'); // what the environment itself does at an abort, before any event
export const onAbort = (signal, step) => (abortSteps.has(signal) ? abortSteps.get(signal).push(step) : abortSteps.set(signal, [step]));
function abort(signal, reason) {
  if (signal.aborted) return;
  const why = reason === undefined ? new DOMException('the operation was aborted', 'AbortError') : reason;
  const all = [signal, ...(dependents.get(signal) ?? []).filter((s) => !s.aborted)];
  for (const s of all) abortReason.set(s, why);
  for (const s of all) {
    for (const step of abortSteps.get(s) ?? []) step(why);
    abortSteps.delete(s);
    announce(s, 'abort');
  }
}
export class AbortController {
  #signal = new AbortSignal(MAKE);
  get signal() {
    return this.#signal;
  }
  abort(reason = undefined) {
    abort(this.#signal, reason);
  }
}
publish(AbortSignal, AbortController);
isSignal.of = (value) => isA(value, AbortSignal);
