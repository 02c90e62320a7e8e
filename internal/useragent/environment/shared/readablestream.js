// Streams Standard: readable streams with default readers.

import {
  ArrayBuffer, PromiseOf, RangeError, ScriptObject, TypeError, Uint8Array, assign, defineProperty, getPrototypeOf,
  isA, quietly, rejected, resolved, setPrototypeOf, sharedState, then, isView,
} from './primordials.js';
import { MAKE, gives, onlyHere, publish } from './webidl.js';
import { describe, stackOf } from './errors.js';
import { settled } from './timers.js';
import { isAborted, onAbort, reasonOf } from './abort.js';
import { bytesOf, joinBytes, keepBytes, viewOf } from './bytes.js';
import { clone } from './structuredclone.js';

const streamState = sharedState('streamState');
export const writableState = sharedState('writableState');
export const stateOfStream = (stream) => streamState.get(stream);

// What a read gives.
const step = (value, done) => assign(new ScriptObject(), { done, value });
class ReadableStreamDefaultController {
  #stream;
  constructor(key = undefined, stream = undefined) {
    onlyHere(key);
    this.#stream = stream;
  }
  get desiredSize() {
    const s = stateOfStream(this.#stream);
    return s.state === 'errored' ? null : s.state === 'closed' ? 0 : s.highWaterMark - s.queue.reduce((n, c) => n + c.size, 0);
  }
  enqueue(chunk = undefined) {
    const s = stateOfStream(this.#stream);
    if (s.closing || s.state !== 'readable') throw new TypeError('the stream is closed');
    const request = s.requests.shift();
    if (request) request.resolve(step(chunk, false));
    else s.queue.push({ chunk, size: s.size ? Number(s.size(chunk)) : 1 });
    pull(this.#stream);
  }
  close() {
    const s = stateOfStream(this.#stream);
    if (s.closing || s.state !== 'readable') throw new TypeError('the stream is closed');
    s.closing = true;
    if (s.queue.length === 0) closeStream(s);
  }
  error(reason = undefined) {
    errorStream(stateOfStream(this.#stream), reason);
  }
}
function closeStream(s) {
  s.state = 'closed';
  for (const r of s.requests.splice(0)) r.resolve(step(undefined, true));
  s.reader?.$closed.resolve();
}
export function errorStream(s, reason) {
  if (s.state !== 'readable') return;
  s.state = 'errored';
  s.stored = reason;
  s.queue = [];
  for (const r of s.requests.splice(0)) r.reject(reason);
  s.reader?.$closed.reject(reason);
}
export function pull(stream) {
  const s = stateOfStream(stream);
  if (s.state !== 'readable' || s.closing || !s.started) return;
  if (s.requests.length === 0 && s.controller.desiredSize <= 0) return;
  if (s.pulling) {
    s.again = true;
    return;
  }
  s.pulling = true;
  then(
    new PromiseOf((resolve) => resolve(s.source.pull?.(s.controller))),
    () => {
      s.pulling = false;
      if (s.again) {
        s.again = false;
        pull(stream);
      }
    },
    (error) => errorStream(s, error),
  );
}
export const deferred = () => {
  const d = { promise: null, resolve: null, reject: null };
  d.promise = new PromiseOf((resolve, reject) => {
    d.resolve = resolve;
    d.reject = reject;
  });
  then(d.promise, undefined, () => {});
  return d;
};

// Streams, 8: ExtractHighWaterMark.
export function markOf(strategy) {
  if (strategy?.highWaterMark === undefined) return 1;
  const mark = Number(strategy.highWaterMark);
  if (Number.isNaN(mark) || mark < 0) throw new RangeError('a stream keeps a number of chunks, which is not negative');
  return mark;
}
export class ReadableStream {
  constructor(source = {}, strategy = {}) {
    if (source?.type !== undefined && `${source.type}` !== 'bytes') throw new RangeError(`"${source.type}" is no type of stream`);
    const s = { bytes: source?.type !== undefined, state: 'readable', queue: [], requests: [], source: source ?? {}, reader: null, disturbed: false, highWaterMark: markOf(strategy), size: strategy?.size, handle: 0 };
    streamState.set(this, s);
    s.controller = new ReadableStreamDefaultController(MAKE, this);
    const started = s.source.start?.(s.controller);
    then(
      resolved(started),
      () => {
        s.started = true;
        pull(this);
      },
      (error) => errorStream(s, error),
    );
  }
  static from(iterable) {
    const it = iterable[Symbol.asyncIterator]?.() ?? iterable[Symbol.iterator]();
    return new ReadableStream({
      async pull(c) {
        const { value, done } = await it.next();
        if (done) c.close();
        else c.enqueue(await value);
      },
      cancel: (reason) => it.return?.(reason),
    }, { highWaterMark: 0 });
  }
  get locked() {
    return stateOfStream(this).reader !== null;
  }
  getReader(options = {}) {
    if (options?.mode === undefined) return new ReadableStreamDefaultReader(this);
    if (`${options.mode}` !== 'byob') throw new TypeError(`"${options.mode}" is no kind of reader`);
    return new ReadableStreamBYOBReader(this);
  }
  async cancel(reason = undefined) {
    if (this.locked) throw new TypeError('the stream is locked');
    return cancelStream(this, reason);
  }
  tee() {
    return teeStream(this, false);
  }
  pipeThrough(pair, options = {}) {
    if (!isA(pair?.readable, ReadableStream) || !writableState.has(pair?.writable)) throw new TypeError('pipeThrough takes a pair of a readable and a writable stream');
    if (this.locked || pair.writable.locked) throw new TypeError('the stream is locked');
    then(this.pipeTo(pair.writable, options), undefined, () => {});
    return pair.readable;
  }
  async pipeTo(target, { preventClose = false, preventAbort = false, preventCancel = false, signal } = {}) {
    if (!writableState.has(target)) throw new TypeError('pipeTo takes a writable stream');
    if (this.locked || target.locked) throw new TypeError('the stream is locked');
    const reader = this.getReader();
    const writer = target.getWriter();
    stateOfStream(this).disturbed = true;
    let aborted;
    if (signal) {
      const stop = (reason) => {
        aborted = { reason };
        if (!preventAbort) then(writer.abort(reason), undefined, () => {});
        if (!preventCancel) then(reader.cancel(reason), undefined, () => {});
      };
      if (isAborted(signal)) stop(reasonOf(signal));
      else onAbort(signal, stop);
    }
    try {
      for (;;) {
        if (aborted) throw aborted.reason;
        await writer.ready;
        let step;
        try {
          step = await reader.read();
        } catch (error) {
          if (!preventAbort) await quietly(writer.abort(error));
          throw error;
        }
        if (aborted) throw aborted.reason;
        if (step.done) break;
        try {
          await writer.write(step.value);
        } catch (error) {
          if (!preventCancel) await quietly(reader.cancel(error));
          throw error;
        }
      }
      if (!preventClose) await writer.close();
    } finally {
      reader.releaseLock();
      writer.releaseLock();
    }
  }
  values({ preventCancel = false } = {}) {
    const iterator = setPrototypeOf({}, streamIterator);
    iterating.set(iterator, { reader: this.getReader(), preventCancel: Boolean(preventCancel), over: false, pending: 0, last: settled });
    return iterator;
  }
}
defineProperty(ReadableStream.prototype, Symbol.asyncIterator, { value: ReadableStream.prototype.values, writable: true, configurable: true });
// Streams, 4.2.5: what a loop over a stream walks on. Each step waits for the one before.
const iterating = new WeakMap();
const stepping = (iterator, run) => {
  const s = iterating.get(iterator);
  if (!s) return rejected(new TypeError('this is no iterator of a stream'));
  s.pending++;
  const step = async () => {
    try {
      return await run(s);
    } finally {
      s.pending--;
    }
  };
  s.last = then(s.last, step, step);
  return s.last;
};
const streamIterator = setPrototypeOf({
  next() {
    return stepping(this, async (s) => {
      if (s.over) return step(undefined, true);
      try {
        const result = await s.reader.read();
        if (result.done) {
          s.over = true;
          s.reader.releaseLock();
        }
        return result;
      } catch (error) {
        s.over = true;
        s.reader.releaseLock();
        throw error;
      }
    });
  },
  return(value) {
    const end = async (s) => {
      if (!s.over) {
        s.over = true;
        const canceled = s.preventCancel ? null : s.reader.cancel(value);
        s.reader.releaseLock();
        await canceled;
      }
      return step(value, true);
    };
    const s = iterating.get(this);
    // Nothing is under way when a loop is left: it ends at once.
    return s && s.pending === 0 ? end(s) : stepping(this, end);
  },
}, getPrototypeOf(getPrototypeOf((async function* () {}).prototype)));
// Streams, 4.9.1: what is read goes to both; for bodies the second gets copies of its own.
export function teeStream(stream, copies) {
  const s = stateOfStream(stream);
  if (stream.locked) throw new TypeError('the stream is locked');
  if (s.handle && !s.disturbed) {
    const { handle } = s;
    stream.getReader();
    s.disturbed = true;
    return [streamOf(handle), streamOf(handle)];
  }
  const reader = stream.getReader();
  const controllers = [];
  const canceled = [false, false];
  const reasons = [];
  const bothCanceled = deferred();
  let reading = false;
  const end = (act) => controllers.forEach((c, i) => {
    if (!canceled[i]) act(c);
  });
  then(reader.closed, undefined, (error) => end((c) => c.error(error)));
  const step = () => {
    if (reading) return;
    reading = true;
    return then(reader.read(), ({ value, done }) => {
      reading = false;
      if (done) return end((c) => c.close());
      let second = value;
      if (copies && !canceled[1]) {
        try {
          second = clone(value);
        } catch (error) {
          end((c) => c.error(error));
          return bothCanceled.resolve(cancelStream(stream, error));
        }
      }
      controllers.forEach((c, i) => {
        if (!canceled[i]) c.enqueue(i ? second : value);
      });
    }, () => {});
  };
  return [0, 1].map(
    (i) =>
      new ReadableStream({
        start: (c) => void (controllers[i] = c),
        pull: step,
        cancel(reason) {
          canceled[i] = true;
          reasons[i] = reason;
          if (canceled[0] && canceled[1]) bothCanceled.resolve(cancelStream(stream, reasons));
          return bothCanceled.promise;
        },
      }, { highWaterMark: 0 }),
  );
}
function cancelStream(stream, reason) {
  const s = stateOfStream(stream);
  s.disturbed = true;
  if (s.state === 'closed') return resolved();
  if (s.state === 'errored') return rejected(s.stored);
  s.queue = [];
  closeStream(s);
  return then(new PromiseOf((resolve) => resolve(s.source.cancel?.(reason))), () => undefined);
}
class ReadableStreamDefaultReader {
  #stream;
  constructor(stream) {
    if (!isA(stream, ReadableStream)) throw new TypeError('a reader needs a stream');
    const s = stateOfStream(stream);
    if (s.reader) throw new TypeError('the stream is locked to a reader already');
    this.$closed = deferred();
    this.#stream = stream;
    s.reader = this;
    if (s.state === 'closed') this.$closed.resolve();
    else if (s.state === 'errored') this.$closed.reject(s.stored);
  }
  get closed() {
    return this.$closed.promise;
  }
  async read() {
    if (!this.#stream) throw new TypeError('the reader was released');
    const s = stateOfStream(this.#stream);
    s.disturbed = true;
    if (s.state === 'errored') throw s.stored;
    if (s.queue.length) {
      const { chunk } = s.queue.shift();
      if (s.closing && s.queue.length === 0) closeStream(s);
      else pull(this.#stream);
      return step(chunk, false);
    }
    if (s.state === 'closed') return step(undefined, true);
    const d = deferred();
    s.requests.push(d);
    pull(this.#stream);
    return d.promise;
  }
  async cancel(reason = undefined) {
    if (!this.#stream) throw new TypeError('the reader was released');
    return cancelStream(this.#stream, reason);
  }
  releaseLock() {
    if (!this.#stream) return;
    const s = stateOfStream(this.#stream);
    for (const r of s.requests.splice(0)) r.reject(new TypeError('the reader was released'));
    s.reader = null;
    this.$closed.reject(new TypeError('the reader was released'));
    this.#stream = null;
  }
}
// Reads bytes into buffers that the caller gives; what does not fit waits for the next read.
class ReadableStreamBYOBReader {
  #inner;
  #rest = null;
  #stream;
  constructor(stream) {
    if (!isA(stream, ReadableStream)) throw new TypeError('a reader needs a stream');
    if (!stateOfStream(stream).bytes) throw new TypeError('only a stream of bytes can be read into buffers');
    this.#inner = new ReadableStreamDefaultReader(stream);
    this.#stream = stream;
    stateOfStream(stream).reader = this;
  }
  get closed() {
    return this.#inner.closed;
  }
  get $closed() {
    return this.#inner.$closed;
  }
  async read(view) {
    if (!isView(view)) throw new TypeError('read takes a view of a buffer');
    if (view.byteLength === 0) throw new TypeError('the view is empty');
    const { byteOffset, length, constructor: Kind } = view;
    const size = Kind.BYTES_PER_ELEMENT ?? 1;
    const buffer = view.buffer.transfer ? view.buffer.transfer() : view.buffer;
    while (!this.#rest?.length) {
      const { value, done } = await this.#inner.read();
      if (done) return step(new Kind(buffer, byteOffset, 0), true);
      this.#rest = viewOf(value);
    }
    const n = Math.min(this.#rest.length, (length ?? view.byteLength) * size);
    new Uint8Array(buffer, byteOffset, n).set(this.#rest.subarray(0, n));
    this.#rest = this.#rest.subarray(n);
    return step(new Kind(buffer, byteOffset, Math.floor(n / size)), false);
  }
  async cancel(reason = undefined) {
    return this.#inner.cancel(reason);
  }
  releaseLock() {
    this.#inner.releaseLock();
    const s = stateOfStream(this.#stream);
    if (s.reader === this) s.reader = null;
  }
}
gives(ReadableStreamDefaultReader, 'closed');
gives(ReadableStreamBYOBReader, 'closed');
publish(ReadableStream, ReadableStreamDefaultReader, ReadableStreamBYOBReader, ReadableStreamDefaultController);

// A stream over content that lies at the host; nothing is read before somebody pulls.
export function streamOf(handle) {
  const stream = new ReadableStream({
    type: 'bytes',
    start(c) {
      if (handle && host('body.size', handle) === 0) c.close();
    },
    pull(c) {
      const bytes = new Uint8Array(bytesOf(handle));
      if (bytes.length) c.enqueue(bytes);
      c.close();
    },
  }, { highWaterMark: 0 });
  stateOfStream(stream).handle = handle;
  return stream;
}
// Reads a stream to its end and keeps the content at the host. A stream that only stands for such content is not read at all.
// Makes a stream one that was read to its end.
export function useUp(stream) {
  const s = stateOfStream(stream);
  s.disturbed = true;
  closeStream(s);
  s.reader = { $closed: deferred() }; // reading a body to its end leaves it locked
}
// The number of all that a stream gives. With salvage, of what came before it failed, if anything did: a page is shown as far as it came.
export async function drain(stream, salvage = false) {
  const s = stateOfStream(stream);
  if (s.handle && !s.disturbed) {
    useUp(stream);
    return s.handle;
  }
  const reader = stream.getReader();
  const views = [];
  for (;;) {
    let next;
    try {
      next = await reader.read();
    } catch (error) {
      if (!salvage || !views.length) throw error;
      host('log', 'error', `the page breaks off: ${describe(error)}`, stackOf(error));
      break;
    }
    const { value, done } = next;
    if (done) break;
    if (!isA(value, Uint8Array)) throw new TypeError('a body takes bytes; the stream gave something else');
    views.push(value);
  }
  return keepBytes(joinBytes(views));
}
