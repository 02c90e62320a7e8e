import { PromiseOf, TypeError, Uint8Array, defineProperty, rejected, resolved, then } from './primordials.js';
import { MAKE, gives, lazy, must, onlyHere, publish } from './webidl.js';
import { AbortController } from './abort.js';
import { encodeUTF8, joinBytes, viewOf } from './bytes.js';
import { TextDecoder } from './encoding.js';
import { ReadableStream, deferred, markOf, pull, stateOfStream, writableState } from './readablestream.js';

lazy(['WritableStream', 'WritableStreamDefaultController', 'WritableStreamDefaultWriter', 'TransformStream', 'TransformStreamDefaultController', 'CountQueuingStrategy', 'ByteLengthQueuingStrategy', 'TextEncoderStream', 'TextDecoderStream', 'CompressionStream', 'DecompressionStream'], () => {
// Streams Standard, 5 and 6: writable and transform streams.
class WritableStreamDefaultController {
  #stream;
  #signal = new AbortController();
  constructor(key = undefined, stream = undefined) {
    onlyHere(key);
    this.#stream = stream;
  }
  get signal() {
    return this.#signal.signal;
  }
  error(reason = undefined) {
    errorWritable(writableState.get(this.#stream), reason);
  }
  $abort(reason) {
    this.#signal.abort(reason);
  }
}
function errorWritable(s, reason) {
  if (s.state !== 'writable' && s.state !== 'closing') return;
  s.state = 'errored';
  s.stored = reason;
  for (const job of s.queue.splice(0)) job.done.reject(reason);
  s.closed.reject(reason);
  s.ready.reject(reason);
}
class WritableStream {
  constructor(sink = {}, strategy = {}) {
    const s = { state: 'writable', sink: sink ?? {}, queue: [], busy: true, writer: null, closed: deferred(), ready: deferred(), writing: false, high: markOf(strategy) };
    writableState.set(this, s);
    s.ready.resolve();
    s.controller = new WritableStreamDefaultController(MAKE, this);
    then(new PromiseOf((resolve) => resolve(s.sink.start?.(s.controller))), () => {
      s.busy = false;
      nextWrite(s);
    }, (error) => errorWritable(s, error));
  }
  get locked() {
    return writableState.get(this).writer !== null;
  }
  getWriter() {
    return new WritableStreamDefaultWriter(this);
  }
  async abort(reason = undefined) {
    if (this.locked) throw new TypeError('the stream is locked');
    return abortWritable(writableState.get(this), reason);
  }
  async close() {
    if (this.locked) throw new TypeError('the stream is locked');
    return closeWritable(writableState.get(this));
  }
}
function nextWrite(s) {
  if (s.busy || !s.queue.length) return;
  const job = s.queue.shift();
  s.busy = s.writing = true;
  then(new PromiseOf((resolve) => resolve(job.close ? s.sink.close?.() : s.sink.write?.(job.chunk, s.controller))), () => {
    s.busy = s.writing = false;
    job.done.resolve();
    if (job.close && s.state === 'closing') {
      s.state = 'closed';
      s.closed.resolve();
    } else {
      if (s.queue.length < s.high) {
        s.open = true;
        s.ready.resolve();
      }
      nextWrite(s);
    }
  }, (error) => {
    job.done.reject(error);
    errorWritable(s, error);
  });
}
function closeWritable(s) {
  if (s.state !== 'writable') return rejected(s.state === 'errored' ? s.stored : new TypeError('the stream is closed'));
  s.state = 'closing';
  const done = deferred();
  s.queue.push({ close: true, done });
  nextWrite(s);
  return done.promise;
}
function abortWritable(s, reason) {
  if (s.state === 'closed' || s.state === 'errored') return resolved();
  s.controller.$abort(reason);
  errorWritable(s, reason);
  return then(new PromiseOf((resolve) => resolve(s.sink.abort?.(reason))), () => undefined);
}
class WritableStreamDefaultWriter {
  #stream;
  constructor(stream) {
    const s = writableState.get(stream);
    if (!s) throw new TypeError('a writer needs a stream');
    if (s.writer) throw new TypeError('the stream is locked to a writer already');
    s.writer = this;
    this.#stream = stream;
  }
  #state() {
    const s = this.#stream && writableState.get(this.#stream);
    if (!s) throw new TypeError('the writer was released');
    return s;
  }
  get closed() {
    return this.#stream ? this.#state().closed.promise : rejected(new TypeError('the writer was released'));
  }
  get ready() {
    return this.#stream ? this.#state().ready.promise : rejected(new TypeError('the writer was released'));
  }
  get desiredSize() {
    const s = this.#state();
    return s.state === 'errored' ? null : s.state === 'closed' ? 0 : s.high - s.queue.length - (s.writing ? 1 : 0);
  }
  async write(chunk = undefined) {
    const s = this.#state();
    if (s.state === 'errored') throw s.stored;
    if (s.state !== 'writable') throw new TypeError('the stream is closed');
    const done = deferred();
    s.queue.push({ chunk, done });
    const full = s.queue.length + (s.writing ? 1 : 0) >= s.high;
    if (full && s.open !== false) {
      s.ready = deferred();
      s.open = false;
    }
    nextWrite(s);
    return done.promise;
  }
  async close() {
    return closeWritable(this.#state());
  }
  async abort(reason = undefined) {
    return abortWritable(this.#state(), reason);
  }
  releaseLock() {
    if (!this.#stream) return;
    writableState.get(this.#stream).writer = null;
    this.#stream = null;
  }
}
class TransformStreamDefaultController {
  #out;
  #fail;
  constructor(key = undefined, out = undefined, fail = undefined) {
    onlyHere(key);
    this.#out = out;
    this.#fail = fail;
  }
  get desiredSize() {
    return this.#out.desiredSize;
  }
  enqueue(chunk = undefined) {
    this.#out.enqueue(chunk);
  }
  error(reason = undefined) {
    this.#fail(reason);
  }
  terminate() {
    this.#out.close();
    this.#fail(new TypeError('the stream was ended'), true);
  }
}
class TransformStream {
  #readable;
  #writable;
  constructor(transformer = {}, writableStrategy = {}, readableStrategy = {}) {
    const t = transformer ?? {};
    let out;
    let wanted = deferred();
    this.#readable = new ReadableStream({
      start: (c) => void (out = c),
      pull: () => wanted.resolve(),
      cancel: (reason) => {
        wanted.resolve();
        errorWritable(writableState.get(this.#writable), reason);
        return t.cancel?.(reason);
      },
    }, { highWaterMark: readableStrategy?.highWaterMark ?? 0, size: readableStrategy?.size });
    const controller = new TransformStreamDefaultController(MAKE, out, (reason, ended) => {
      if (!ended) out.error(reason);
      errorWritable(writableState.get(this.#writable), reason);
    });
    this.#writable = new WritableStream({
      start: () => t.start?.(controller),
      async write(chunk = undefined) {
        if (out.desiredSize <= 0) {
          wanted = deferred();
          pull(readable);
          await wanted.promise;
        }
        try {
          if (t.transform) await t.transform(chunk, controller);
          else controller.enqueue(chunk);
        } catch (error) {
          out.error(error);
          throw error;
        }
      },
      async close() {
        try {
          await t.flush?.(controller);
          if (stateOfStream(readable).state === 'readable' && !stateOfStream(readable).closing) out.close();
        } catch (error) {
          out.error(error);
          throw error;
        }
      },
      abort: (reason) => {
        out.error(reason);
        return t.cancel?.(reason);
      },
    }, writableStrategy);
    const readable = this.#readable;
  }
  get readable() {
    return this.#readable;
  }
  get writable() {
    return this.#writable;
  }
}
class CountQueuingStrategy {
  #mark;
  constructor({ highWaterMark }) {
    this.#mark = Number(highWaterMark);
  }
  get highWaterMark() {
    return this.#mark;
  }
  get size() {
    return () => 1;
  }
}
class ByteLengthQueuingStrategy {
  #mark;
  constructor({ highWaterMark }) {
    this.#mark = Number(highWaterMark);
  }
  get highWaterMark() {
    return this.#mark;
  }
  get size() {
    return (chunk) => chunk.byteLength;
  }
}
gives(WritableStreamDefaultWriter, 'closed', 'ready');
publish(WritableStream, WritableStreamDefaultController, WritableStreamDefaultWriter, TransformStream, TransformStreamDefaultController, CountQueuingStrategy, ByteLengthQueuingStrategy);

// Encoding and Compression as transform streams (Streams, 10: GenericTransformStream).
const pairs = new WeakMap();
class Transforming {
  get readable() {
    return pairs.get(this).readable;
  }
  get writable() {
    return pairs.get(this).writable;
  }
}
function transforming(cls, ...more) {
  for (const key of ['readable', 'writable']) defineProperty(cls.prototype, key, Object.getOwnPropertyDescriptor(Transforming.prototype, key));
  publish(cls, ...more);
}
class TextEncoderStream {
  constructor() {
    let high = '';
    pairs.set(this, new TransformStream({
      transform(chunk, c) {
        let text = high + `${chunk}`;
        high = /[\ud800-\udbff]$/.test(text) ? text.slice(-1) : '';
        if (high) text = text.slice(0, -1);
        if (text) c.enqueue(encodeUTF8(text.toWellFormed()));
      },
      flush(c) {
        if (high) c.enqueue(encodeUTF8('\ufffd'));
      },
    }));
  }
  get encoding() {
    return 'utf-8';
  }
}
class TextDecoderStream {
  #decoder;
  constructor(label = 'utf-8', options = {}) {
    const decoder = new TextDecoder(label, options);
    this.#decoder = decoder;
    pairs.set(this, new TransformStream({
      transform(chunk, c) {
        const text = decoder.decode(chunk, { stream: true });
        if (text) c.enqueue(text);
      },
      flush(c) {
        const text = decoder.decode();
        if (text) c.enqueue(text);
      },
    }));
  }
  get encoding() {
    return this.#decoder.encoding;
  }
  get fatal() {
    return this.#decoder.fatal;
  }
  get ignoreBOM() {
    return this.#decoder.ignoreBOM;
  }
}
// The data is gathered and (de)compressed as one at the end.
const packer = (op) =>
  class {
    constructor(format) {
      must(arguments, 1);
      if (!['gzip', 'deflate', 'deflate-raw'].includes(`${format}`)) throw new TypeError(`"${format}" is no compression format`);
      const views = [];
      pairs.set(this, new TransformStream({
        transform: (chunk) => void views.push(viewOf(chunk).slice()),
        flush(c) {
          const bytes = new Uint8Array(host(op, `${format}`, joinBytes(views).buffer));
          if (bytes.length) c.enqueue(bytes);
        },
      }));
    }
  };
const CompressionStream = packer('compress');
const DecompressionStream = packer('decompress');
defineProperty(CompressionStream, 'name', { value: 'CompressionStream', configurable: true });
defineProperty(DecompressionStream, 'name', { value: 'DecompressionStream', configurable: true });
for (const cls of [TextEncoderStream, TextDecoderStream, CompressionStream, DecompressionStream]) transforming(cls);
});
