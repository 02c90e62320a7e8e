import { isA, sharedState } from './primordials.js';
import { MAKE, must, onlyHere, publish } from './webidl.js';
import { DOMException } from './domexception.js';
import { EventTarget, fire, handlers, isSignal } from './event.js';
import { setTimeout } from './timers.js';

// DOM, 3: aborting.
const abortReason = sharedState('abortReason');
// Whether a signal, if there is one, is aborted, and why.
export const isAborted = (signal) => abortReason.has(signal);
export const reasonOf = (signal) => abortReason.get(signal);
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
    if (isAborted(this)) throw reasonOf(this);
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
    const already = list.find(isAborted);
    if (already) abortReason.set(signal, reasonOf(already));
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
  if (isAborted(signal)) return;
  const why = reason === undefined ? new DOMException('the operation was aborted', 'AbortError') : reason;
  const all = [signal, ...(dependents.get(signal) ?? []).filter((s) => !isAborted(s))];
  for (const s of all) abortReason.set(s, why);
  for (const s of all) {
    for (const step of abortSteps.get(s) ?? []) step(why);
    abortSteps.delete(s);
    fire(s, 'abort');
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
