// Time, text, binary data, randomness, messages to the developer.

function now() {
  return host('now');
}
const timeOrigin = 1767603600000;

// The clock is the rehearsal's own.
function Date_(...args) {
  if (!new.target) return new RealDate(now()).toString();
  return Reflect.construct(RealDate, args.length ? args : [Math.floor(now())], new.target);
}
Date_.prototype = RealDate.prototype;
defineProperty(Date_, 'name', { value: 'Date' });
defineProperty(Date_, 'length', { value: 7 });
for (const name of ['parse', 'UTC']) defineProperty(Date_, name, { value: RealDate[name], writable: true, configurable: true });
defineProperty(Date_, 'now', { value: () => Math.floor(now()), writable: true, configurable: true });
defineProperty(RealDate.prototype, 'constructor', { value: Date_, writable: true, configurable: true });
expose('Date', Date_);
defineProperty(ScriptMath, 'random', { value: () => host('random'), writable: true, configurable: true });

let performanceObject;
const loadPerformance = lazy(['Performance', 'PerformanceEntry'], () => {
class Performance extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
  get timeOrigin() {
    return timeOrigin;
  }
  now() {
    return now() - timeOrigin;
  }
  #entries = [];
  #add(entry) {
    this.#entries.push(setPrototypeOf(entry, PerformanceEntry.prototype));
    this.#entries.sort((a, b) => a.startTime - b.startTime);
    return entry;
  }
  mark(name, options = {}) {
    must(arguments, 1);
    return this.#add({ name: `${name}`, entryType: 'mark', startTime: options?.startTime ?? this.now(), duration: 0, detail: options?.detail ?? null });
  }
  measure(name, from = 0, to = undefined) {
    must(arguments, 1);
    const at = (point) => {
      if (typeof point === 'number') return point;
      const mark = this.#entries.findLast((e) => e.entryType === 'mark' && e.name === `${point}`);
      if (!mark) throw new DOMException(`there is no mark ${point}`, 'SyntaxError');
      return mark.startTime;
    };
    const options = typeof from === 'object' && from !== null ? from : { start: from, end: to };
    const start = at(options.start ?? 0);
    const end = options.end === undefined ? this.now() : at(options.end);
    return this.#add({ name: `${name}`, entryType: 'measure', startTime: start, duration: end - start, detail: options.detail ?? null });
  }
  getEntries() {
    return [...this.#entries];
  }
  getEntriesByName(name, type = undefined) {
    return this.#entries.filter((e) => e.name === `${name}` && (type === undefined || e.entryType === type));
  }
  getEntriesByType(type) {
    return this.#entries.filter((e) => e.entryType === `${type}`);
  }
  clearMarks(name = undefined) {
    this.#entries = this.#entries.filter((e) => e.entryType !== 'mark' || (name !== undefined && e.name !== `${name}`));
  }
  clearMeasures(name = undefined) {
    this.#entries = this.#entries.filter((e) => e.entryType !== 'measure' || (name !== undefined && e.name !== `${name}`));
  }
  clearResourceTimings() {}
  setResourceTimingBufferSize() {}
  toJSON() {
    return { timeOrigin };
  }
}
class PerformanceEntry {
  constructor(key = undefined) {
    onlyHere(key);
  }
  toJSON() {
    return { ...this };
  }
}
publishLoosely(Performance, PerformanceEntry);
performanceObject = new Performance(MAKE);
});

// HTML, 8.6: timers. Repeated ones are bounded by the host's own limit on time.
let nextTimer = 0;
let nesting = 0;
const timers = new Map();
function startTimer(callback, delay, args, repeat) {
  const id = ++nextTimer;
  // Timers that timers set wait for four milliseconds at least (HTML, 8.6).
  const ms = Math.max(Number(delay) || 0, repeat || nesting >= 5 ? 4 : 0);
  timers.set(id, { callback, args, repeat, ms, nesting: nesting + 1 });
  host('timer', id, ms);
  return id;
}
function clearTimer(id) {
  if (timers.delete(Number(id))) host('clearTimer', Number(id));
}
commands.timer = (id) => {
  const timer = timers.get(id);
  if (!timer) return;
  if (timer.repeat) host('timer', id, timer.ms);
  else timers.delete(id);
  nesting = timer.nesting;
  try {
    if (typeof timer.callback === 'function') timer.callback(...timer.args);
    else scriptEval(`${timer.callback}`);
  } catch (error) {
    report(error);
  }
  nesting = 0;
};
const setTimeout = (callback, delay = 0, ...args) => startTimer(callback, delay, args, false);
expose('setTimeout', function setTimeout(callback, delay = 0, ...args) { return startTimer(callback, delay, args, false); });
expose('setInterval', function setInterval(callback, delay = 0, ...args) { return startTimer(callback, delay, args, true); });
expose('clearTimeout', function clearTimeout(id) { clearTimer(id); });
expose('clearInterval', function clearInterval(id) { clearTimer(id); });
const settled = resolved();
expose('queueMicrotask', function queueMicrotask(callback) {
  if (typeof callback !== 'function') throw new TypeError('queueMicrotask takes a function');
  then(settled, () => {
    try {
      callback();
    } catch (error) {
      report(error);
    }
  });
});
expose('reportError', function reportError(error) { report(error); });

function shown(value, depth = 0) {
  if (typeof value === 'string') return depth ? toJSON(value) : value;
  if (value instanceof Error || value instanceof DOMException) return describe(value);
  if (typeof value !== 'object' || value === null) return typeof value === 'bigint' ? `${value}n` : String(value);
  if (depth > 2) return '…';
  try {
    if (Array.isArray(value)) return `[${value.slice(0, 20).map((v) => shown(v, depth + 1)).join(', ')}]`;
    const name = value[Symbol.toStringTag] || value.constructor?.name || 'Object';
    if (typeof value.url === 'string') return `${name} ${value.url}`;
    const inner = Object.entries(value).slice(0, 10).map(([k, v]) => `${k}: ${shown(v, depth + 1)}`).join(', ');
    return name === 'Object' ? `{${inner}}` : inner ? `${name} {${inner}}` : name;
  } catch {
    return 'an object that cannot be shown';
  }
}
const log = (level) => (...args) => host('log', level, args.map((a) => shown(a)).join(' '), args.map(stackOf).find(Boolean) || '');
expose('console', setPrototypeOf({
  log: log('log'), info: log('info'), debug: log('log'), warn: log('warn'), error: log('error'), trace: log('log'), dir: log('log'), table: log('log'),
  assert(ok = false, ...args) { if (!ok) log('error')('Assertion failed:', ...args); },
  group: log('log'), groupCollapsed: log('log'), groupEnd() {}, time() {}, timeEnd() {}, timeLog() {}, count() {}, countReset() {}, clear() {}, dirxml() {},
}, setPrototypeOf({}, ScriptObject.prototype)));

// Encoding Standard, for UTF-8; the host does the work on whole buffers.
// Keeps binary data at the host; gives its number.
function keepBytes(view) {
  const copy = view instanceof ArrayBuffer ? view : view.buffer.slice(view.byteOffset, view.byteOffset + view.byteLength);
  return host('body.take', copy);
}
function bytesOf(handle) {
  if (!handle) return new ArrayBuffer(0);
  return host('body.give', handle);
}
const encodeUTF8 = (text) => new Uint8Array(bytesOf(host('body.text', text)));
const decodeUTF8 = (view, keepMark) => {
  const mark = view[0] === 0xef && view[1] === 0xbb && view[2] === 0xbf;
  const text = host('body.read', keepBytes(view));
  return keepMark && mark ? '\ufeff' + text : text;
};
const viewOf = (data) => {
  if (ArrayBuffer.isView(data)) return new Uint8Array(data.buffer, data.byteOffset, data.byteLength);
  if (data instanceof ArrayBuffer) return new Uint8Array(data);
  throw new TypeError('binary data belongs here');
};
class TextEncoder {
  get encoding() {
    return 'utf-8';
  }
  encode(text = '') {
    return encodeUTF8(`${text}`);
  }
  encodeInto(text, into) {
    let read = 0;
    let written = 0;
    for (const c of `${text}`) {
      const bytes = encodeUTF8(c);
      if (written + bytes.length > into.length) break;
      into.set(bytes, written);
      written += bytes.length;
      read += c.length;
    }
    return { read, written };
  }
}
class TextDecoder {
  #fatal;
  #ignoreBOM;
  #label;
  #rest = new Uint8Array(0);
  constructor(label = 'utf-8', options = {}) {
    const name = `${label}`.trim().toLowerCase();
    if (!/^(unicode-1-1-utf-8|utf-?8|unicode11utf8|unicode20utf8|x-unicode20utf8|us-ascii|ascii|latin1|iso-8859-1|windows-1252)$/.test(name)) throw new RangeError(`the encoding ${label} is not known here`);
    this.#label = /utf/.test(name) ? 'utf-8' : 'windows-1252';
    this.#fatal = Boolean(options?.fatal);
    this.#ignoreBOM = Boolean(options?.ignoreBOM);
  }
  get encoding() {
    return this.#label;
  }
  get fatal() {
    return this.#fatal;
  }
  get ignoreBOM() {
    return this.#ignoreBOM;
  }
  decode(data = new Uint8Array(0), options = {}) {
    let view = viewOf(data);
    if (this.#label !== 'utf-8') return Array.from(view, (b) => String.fromCharCode(b)).join('');
    if (this.#rest.length) {
      const joined = new Uint8Array(this.#rest.length + view.length);
      joined.set(this.#rest);
      joined.set(view, this.#rest.length);
      view = joined;
      this.#rest = new Uint8Array(0);
    }
    if (options?.stream) {
      // The last bytes may be the beginning of a character.
      let end = view.length;
      for (let back = 1; back <= Math.min(3, view.length); back++) {
        const b = view[view.length - back];
        if (b >= 0xc0) {
          if ((b >= 0xf0 ? 4 : b >= 0xe0 ? 3 : 2) > back) end = view.length - back;
          break;
        }
        if (b < 0x80) break;
      }
      this.#rest = view.slice(end);
      view = view.slice(0, end);
    }
    const text = decodeUTF8(view, this.#ignoreBOM);
    if (this.#fatal && text.includes('\ufffd') && encodeUTF8(text).length !== view.length - (view[0] === 0xef && view[1] === 0xbb && !this.#ignoreBOM ? 3 : 0)) throw new TypeError('the data is not valid UTF-8');
    return text;
  }
}
publish(TextEncoder, TextDecoder);

const BASE64 = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';
expose('btoa', function btoa(data) {
  const text = `${data}`;
  let out = '';
  for (let i = 0; i < text.length; i += 3) {
    const [a, b, c] = [text.charCodeAt(i), text.charCodeAt(i + 1), text.charCodeAt(i + 2)];
    if (a > 255 || b > 255 || c > 255) throw new DOMException('btoa takes characters below U+0100', 'InvalidCharacterError');
    out += BASE64[a >> 2] + BASE64[((a & 3) << 4) | (b >> 4)] + (i + 1 < text.length ? BASE64[((b & 15) << 2) | (c >> 6)] : '=') + (i + 2 < text.length ? BASE64[c & 63] : '=');
  }
  return out;
});
expose('atob', function atob(data) {
  let text = `${data}`.replace(/[\t\n\f\r ]/g, '');
  if (text.length % 4 === 0) text = text.replace(/==?$/, '');
  if (text.length % 4 === 1 || /[^A-Za-z0-9+/]/.test(text)) throw new DOMException('this is not base64', 'InvalidCharacterError');
  let out = '';
  for (let i = 0; i < text.length; i += 4) {
    const [a, b, c, d] = [0, 1, 2, 3].map((k) => BASE64.indexOf(text[i + k] ?? 'A'));
    const left = text.length - i;
    out += String.fromCharCode((a << 2) | (b >> 4));
    if (left > 2) out += String.fromCharCode(((b & 15) << 4) | (c >> 2));
    if (left > 3) out += String.fromCharCode(((c & 3) << 6) | d);
  }
  return out;
});

// File API.
const blobHandle = new WeakMap();
function joinBytes(views) {
  const all = new Uint8Array(views.reduce((n, v) => n + v.length, 0));
  let at = 0;
  for (const v of views) {
    all.set(v, at);
    at += v.length;
  }
  return all;
}
class Blob {
  #type;
  #size;
  constructor(parts = [], options = {}) {
    if (typeof parts !== 'object' || parts === null || typeof parts[Symbol.iterator] !== 'function') throw new TypeError('Blob takes a list of parts');
    const list = [...parts];
    this.#type = cleanType(options?.type ?? '');
    if (list.length === 1 && list[0] instanceof Blob) blobHandle.set(this, blobHandle.get(list[0]));
    else blobHandle.set(this, keepBytes(joinBytes(list.map((p) => (p instanceof Blob ? new Uint8Array(bytesOf(blobHandle.get(p))) : ArrayBuffer.isView(p) || p instanceof ArrayBuffer ? viewOf(p) : encodeUTF8(`${p}`))))));
    this.#size = host('body.size', blobHandle.get(this));
  }
  get size() {
    return this.#size;
  }
  get type() {
    return this.#type;
  }
  slice(start = 0, end = this.#size, type = '') {
    return new Blob([bytesOf(blobHandle.get(this)).slice(start, end)], { type });
  }
  async arrayBuffer() {
    return bytesOf(blobHandle.get(this));
  }
  async bytes() {
    return new Uint8Array(bytesOf(blobHandle.get(this)));
  }
  async text() {
    return host('body.read', blobHandle.get(this));
  }
  stream() {
    return streamOf(blobHandle.get(this));
  }
}
const cleanType = (type) => (/^[\x20-\x7e]*$/.test(`${type}`) ? `${type}`.toLowerCase() : '');
class File extends Blob {
  #name;
  #modified;
  constructor(parts, name, options = {}) {
    if (arguments.length < 2) throw new TypeError('File takes parts and a name');
    super(parts, options);
    this.#name = `${name}`;
    this.#modified = Number(options?.lastModified ?? now());
  }
  get name() {
    return this.#name;
  }
  get lastModified() {
    return this.#modified;
  }
}
publish(Blob, File);
function blobOf(handle, type) {
  const blob = new Blob([], { type });
  const full = new Blob([blob], { type });
  blobHandle.set(full, handle || blobHandle.get(blob));
  return handle ? new Blob([full], { type }) : blob;
}

lazy(['FileReader', 'FileList'], () => {
// File API, 6: reading blobs by events.
class FileReader extends EventTarget {
  #result = null;
  #state = 0;
  #read(blob, turn) {
    if (!(blob instanceof Blob)) throw new TypeError('a FileReader reads blobs');
    if (this.#state === 1) throw new DOMException('the reader is busy', 'InvalidStateError');
    this.#state = 1;
    setTimeout(() => {
      if (this.#state !== 1) return;
      this.#state = 2;
      this.#result = turn(blobHandle.get(blob));
      for (const type of ['load', 'loadend']) fire(this, new Event(type));
    });
  }
  get result() {
    return this.#result;
  }
  get readyState() {
    return this.#state;
  }
  get error() {
    return null;
  }
  readAsArrayBuffer(blob) {
    this.#read(blob, bytesOf);
  }
  readAsText(blob) {
    this.#read(blob, (handle) => host('body.read', handle));
  }
  readAsBinaryString(blob) {
    this.#read(blob, (handle) => Array.from(new Uint8Array(bytesOf(handle)), (b) => String.fromCharCode(b)).join(''));
  }
  readAsDataURL(blob) {
    this.#read(blob, (handle) => `data:${blob.type || 'application/octet-stream'};base64,` + global.btoa(Array.from(new Uint8Array(bytesOf(handle)), (b) => String.fromCharCode(b)).join('')));
  }
  abort() {
    if (this.#state === 1) {
      this.#state = 2;
      for (const type of ['abort', 'loadend']) fire(this, new Event(type));
    }
  }
}
handlers(FileReader.prototype, 'loadstart', 'progress', 'load', 'abort', 'error', 'loadend');
for (const [i, name] of ['EMPTY', 'LOADING', 'DONE'].entries()) for (const target of [FileReader, FileReader.prototype]) defineProperty(target, name, { value: i, enumerable: true });
// Lists of files come from pages alone.
class FileList {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get length() {
    return 0;
  }
  item(index) {
    return null;
  }
}
publish(FileReader, FileList);
});

// HTML, 2.7: structured cloning of what workers commonly send and store.
function clone(value, seen = new Map()) {
  if (typeof value === 'symbol' || typeof value === 'function') throw new DOMException(`${typeof value}s cannot be cloned`, 'DataCloneError');
  if (typeof value !== 'object' || value === null) return value;
  if (seen.has(value)) return seen.get(value);
  const keep = (copy) => (seen.set(value, copy), copy);
  if (value instanceof RealDate) return keep(new Date_(value.getTime()));
  if (value instanceof ScriptRegExp) return keep(new ScriptRegExp(value.source, value.flags));
  if (value instanceof ScriptBoolean || value instanceof ScriptNumber || value instanceof ScriptString) return keep(ScriptObject(value.valueOf()));
  if (value instanceof ArrayBuffer) return keep(value.slice(0));
  if (ArrayBuffer.isView(value)) {
    const buffer = clone(value.buffer, seen);
    return keep(value instanceof DataView ? new DataView(buffer, value.byteOffset, value.byteLength) : new value.constructor(buffer, value.byteOffset, value.length));
  }
  if (value instanceof Blob) return keep(new Blob([value], { type: value.type }));
  if (value instanceof ScriptMap || value instanceof Map) {
    const copy = keep(new ScriptMap());
    for (const [k, v] of value) copy.set(clone(k, seen), clone(v, seen));
    return copy;
  }
  if (value instanceof ScriptSet || value instanceof Set) {
    const copy = keep(new ScriptSet());
    for (const v of value) copy.add(clone(v, seen));
    return copy;
  }
  if (value instanceof DOMException) return keep(new DOMException(value.message, value.name));
  if (value instanceof Error) {
    const copy = keep(new (nativeErrors[value.name] || Error)(value.message));
    defineProperty(copy, 'stack', { value: value.stack, writable: true, configurable: true });
    return copy;
  }
  if (value instanceof EventTarget || value instanceof Event || value instanceof PromiseOf || value instanceof ScriptWeakMap || value instanceof ScriptWeakSet) throw new DOMException('this object cannot be cloned', 'DataCloneError');
  const tagged = Object.prototype.toString.call(value);
  if (tagged !== '[object Object]' && tagged !== '[object Array]') throw new DOMException(`${tagged.slice(8, -1)} objects cannot be cloned`, 'DataCloneError');
  const copy = keep(Array.isArray(value) ? new ScriptArray(value.length) : new ScriptObject());
  for (const key of Object.keys(value)) copy[key] = clone(value[key], seen);
  return copy;
}
expose('structuredClone', function structuredClone(value, options = {}) {
  const copy = clone(value);
  for (const b of options?.transfer ?? []) if (b instanceof ArrayBuffer && b.transfer) b.transfer(0);
  return copy;
});

const portState = new WeakMap();
lazy(['MessagePort', 'MessageChannel', 'BroadcastChannel'], () => {
// HTML, 9.4 and 9.5: message ports and broadcast channels within the worker.
class MessagePort extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
    portState.set(this, { other: null, waiting: [], started: false, closed: false });
  }
  postMessage(message, options = undefined) {
    must(arguments, 1);
    const data = clone(message);
    const { other } = portState.get(this);
    if (!other || portState.get(other).closed) return;
    const ports = (Array.isArray(options) ? options : options?.transfer ?? []).filter((p) => p instanceof MessagePort);
    portState.get(other).waiting.push({ data, ports });
    deliver(other);
  }
  start() {
    portState.get(this).started = true;
    deliver(this);
  }
  close() {
    portState.get(this).closed = true;
  }
  get onmessage() {
    return handlerSlots.get(this)?.message?.handler ?? null;
  }
  set onmessage(handler) {
    setHandler(this, 'message', handler);
    this.start();
  }
}
function setHandler(target, type, handler) {
  const slots = slotsOf(target);
  if (slots[type]) slots[type].handler = handler;
  else {
    slots[type] = { handler };
    apply(addListener, target, [type, (event) => typeof slots[type].handler === 'function' && apply(slots[type].handler, target, [event])]);
  }
}
function deliver(port) {
  const s = portState.get(port);
  if (!s.started || s.closed) return;
  for (const { data, ports } of s.waiting.splice(0)) setTimeout(() => s.closed || fire(port, new MessageEvent('message', { data, ports })));
}
handlers(MessagePort.prototype, 'messageerror');
class MessageChannel {
  #ports = [new MessagePort(MAKE), new MessagePort(MAKE)];
  constructor() {
    const [a, b] = this.#ports;
    portState.get(a).other = b;
    portState.get(b).other = a;
  }
  get port1() {
    return this.#ports[0];
  }
  get port2() {
    return this.#ports[1];
  }
}
const channels = new Map();
class BroadcastChannel extends EventTarget {
  #name;
  #closed = false;
  constructor(name) {
    must(arguments, 1);
    super();
    this.#name = `${name}`;
    if (!channels.has(this.#name)) channels.set(this.#name, new Set());
    channels.get(this.#name).add(this);
  }
  get name() {
    return this.#name;
  }
  postMessage(message) {
    must(arguments, 1);
    if (this.#closed) throw new DOMException('the channel is closed', 'InvalidStateError');
    const data = clone(message);
    for (const other of channels.get(this.#name)) if (other !== this) setTimeout(() => fire(other, new MessageEvent('message', { data: clone(data), origin: ownOrigin() })));
  }
  close() {
    this.#closed = true;
    channels.get(this.#name).delete(this);
  }
}
handlers(BroadcastChannel.prototype, 'message', 'messageerror');
publishLoosely(MessagePort, MessageChannel, BroadcastChannel);
});

lazy(['SubtleCrypto', 'Crypto', 'crypto'], () => {
// Web Cryptography: digests and random numbers.
class SubtleCrypto {
  constructor(key = undefined) {
    onlyHere(key);
  }
  async digest(algorithm, data) {
    const name = typeof algorithm === 'string' ? algorithm : `${algorithm?.name}`;
    try {
      return host('digest', name, viewOf(data).slice().buffer);
    } catch (error) {
      throw hostError(error.message);
    }
  }
}
for (const name of ['sign', 'verify', 'encrypt', 'decrypt', 'importKey', 'exportKey', 'generateKey', 'deriveKey', 'deriveBits', 'wrapKey', 'unwrapKey'])
  defineProperty(SubtleCrypto.prototype, name, { value: { async [name]() {
    host('gap', 'keys of Web Cryptography');
    throw new DOMException('there are no keys in this user agent', 'NotSupportedError');
  } }[name], writable: true, configurable: true });
const subtle = new SubtleCrypto(MAKE);
class Crypto {
  constructor(key = undefined) {
    onlyHere(key);
  }
  get subtle() {
    return subtle;
  }
  getRandomValues(view) {
    if (!(ArrayBuffer.isView(view) && /^(Big)?(Int|Uint)/.test(view.constructor.name))) throw new DOMException('random values fill lists of whole numbers', 'TypeMismatchError');
    const bytes = viewOf(view);
    if (bytes.length > 65536) throw new DOMException('at most 65536 bytes at a time', 'QuotaExceededError');
    for (let i = 0; i < bytes.length; i++) bytes[i] = Math.floor(host('random') * 256);
    return view;
  }
  randomUUID() {
    const b = this.getRandomValues(new Uint8Array(16));
    b[6] = (b[6] & 15) | 64;
    b[8] = (b[8] & 63) | 128;
    const hex = Array.from(b, (x) => x.toString(16).padStart(2, '0')).join('');
    return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
  }
}
publish(SubtleCrypto, Crypto);
expose('crypto', new Crypto(MAKE));
});
