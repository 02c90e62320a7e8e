// Streams Standard: readable streams with default readers.

const streamState = new WeakMap();
const stateOfStream = (stream) => streamState.get(stream);

class ReadableStreamDefaultController {
  #stream;
  constructor(key, stream) {
    onlyHere(key);
    this.#stream = stream;
  }
  get desiredSize() {
    const s = stateOfStream(this.#stream);
    return s.state === 'errored' ? null : s.state === 'closed' ? 0 : s.highWaterMark - s.queue.reduce((n, c) => n + c.size, 0);
  }
  enqueue(chunk) {
    const s = stateOfStream(this.#stream);
    if (s.closing || s.state !== 'readable') throw new TypeError('the stream is closed');
    const request = s.requests.shift();
    if (request) request.resolve({ value: chunk, done: false });
    else s.queue.push({ chunk, size: s.size ? Number(s.size(chunk)) : 1 });
    pull(this.#stream);
  }
  close() {
    const s = stateOfStream(this.#stream);
    if (s.closing || s.state !== 'readable') throw new TypeError('the stream is closed');
    s.closing = true;
    if (s.queue.length === 0) closeStream(s);
  }
  error(reason) {
    errorStream(stateOfStream(this.#stream), reason);
  }
}
function closeStream(s) {
  s.state = 'closed';
  for (const r of s.requests.splice(0)) r.resolve({ value: undefined, done: true });
  s.reader?._closed.resolve();
}
function errorStream(s, reason) {
  if (s.state !== 'readable') return;
  s.state = 'errored';
  s.stored = reason;
  s.queue = [];
  for (const r of s.requests.splice(0)) r.reject(reason);
  s.reader?._closed.reject(reason);
}
function pull(stream) {
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
const deferred = () => {
  const d = {};
  d.promise = new PromiseOf((resolve, reject) => assign(d, { resolve, reject }));
  then(d.promise, undefined, () => {});
  return d;
};

class ReadableStream {
  constructor(source = {}, strategy = {}) {
    const s = { state: 'readable', queue: [], requests: [], source: source ?? {}, reader: null, disturbed: false, highWaterMark: strategy?.highWaterMark ?? 1, size: strategy?.size, handle: 0 };
    streamState.set(this, s);
    s.controller = new ReadableStreamDefaultController(MAKE, this);
    const started = s.source.start?.(s.controller);
    then(
      PromiseOf.resolve(started),
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
    if (options?.mode !== undefined) throw new TypeError('this kind of reader is not known here');
    return new ReadableStreamDefaultReader(this);
  }
  async cancel(reason) {
    if (this.locked) throw new TypeError('the stream is locked');
    return cancelStream(this, reason);
  }
  tee() {
    const s = stateOfStream(this);
    if (this.locked) throw new TypeError('the stream is locked');
    if (s.handle && !s.disturbed) {
      const handle = s.handle;
      this.getReader();
      s.disturbed = true;
      return [streamOf(handle), streamOf(handle)];
    }
    const reader = this.getReader();
    const controllers = [];
    let reading = false;
    const canceled = [false, false];
    const step = async () => {
      if (reading) return;
      reading = true;
      try {
        const { value, done } = await reader.read();
        reading = false;
        controllers.forEach((c, i) => {
          if (canceled[i]) return;
          if (done) c.close();
          else c.enqueue(value);
        });
      } catch (error) {
        controllers.forEach((c) => c.error(error));
      }
    };
    return [0, 1].map(
      (i) =>
        new ReadableStream({
          start: (c) => void (controllers[i] = c),
          pull: step,
          cancel(reason) {
            canceled[i] = true;
            if (canceled[0] && canceled[1]) return reader.cancel(reason);
          },
        }, { highWaterMark: 0 }),
    );
  }
  async *values({ preventCancel = false } = {}) {
    const reader = this.getReader();
    try {
      for (;;) {
        const { value, done } = await reader.read();
        if (done) return;
        yield value;
      }
    } finally {
      if (!preventCancel) await reader.cancel().catch(() => {});
      reader.releaseLock();
    }
  }
  [Symbol.asyncIterator](options) {
    return this.values(options);
  }
}
function cancelStream(stream, reason) {
  const s = stateOfStream(stream);
  s.disturbed = true;
  if (s.state === 'closed') return PromiseOf.resolve();
  if (s.state === 'errored') return PromiseOf.reject(s.stored);
  s.queue = [];
  closeStream(s);
  return then(new PromiseOf((resolve) => resolve(s.source.cancel?.(reason))), () => undefined);
}
class ReadableStreamDefaultReader {
  #stream;
  constructor(stream) {
    if (!(stream instanceof ReadableStream)) throw new TypeError('a reader needs a stream');
    const s = stateOfStream(stream);
    if (s.reader) throw new TypeError('the stream is locked to a reader already');
    defineProperty(this, '_closed', { value: deferred(), writable: true, enumerable: false });
    this.#stream = stream;
    s.reader = this;
    if (s.state === 'closed') this._closed.resolve();
    else if (s.state === 'errored') this._closed.reject(s.stored);
  }
  get closed() {
    return this._closed.promise;
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
      return { value: chunk, done: false };
    }
    if (s.state === 'closed') return { value: undefined, done: true };
    const d = deferred();
    s.requests.push(d);
    pull(this.#stream);
    return d.promise;
  }
  async cancel(reason) {
    if (!this.#stream) throw new TypeError('the reader was released');
    return cancelStream(this.#stream, reason);
  }
  releaseLock() {
    if (!this.#stream) return;
    const s = stateOfStream(this.#stream);
    for (const r of s.requests.splice(0)) r.reject(new TypeError('the reader was released'));
    s.reader = null;
    this._closed.reject(new TypeError('the reader was released'));
    this.#stream = null;
  }
}
publish(ReadableStream, ReadableStreamDefaultReader, ReadableStreamDefaultController);

// A stream over content that lies at the host; nothing is read before somebody pulls.
function streamOf(handle) {
  const stream = new ReadableStream({
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
async function drain(stream) {
  const s = stateOfStream(stream);
  if (s.handle && !s.disturbed) {
    s.disturbed = true;
    closeStream(s);
    return s.handle;
  }
  const reader = stream.getReader();
  const views = [];
  for (;;) {
    const { value, done } = await reader.read();
    if (done) break;
    if (!(value instanceof Uint8Array)) throw new TypeError('a body takes bytes; the stream gave something else');
    views.push(value);
  }
  return keepBytes(joinBytes(views));
}
