// Fetch Standard: Headers, bodies, Request, Response, fetch.

const isToken = (s) => /^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/.test(s);
const byteString = (value, what) => {
  const text = `${value}`;
  if (/[^\u0000-\u00ff]/.test(text)) throw new TypeError(`${what} holds characters beyond U+00FF`);
  return text;
};
const normalize = (value) => value.replace(/^[\t\n\r ]+|[\t\n\r ]+$/g, '');
const forbiddenRequest = new Set(['accept-charset', 'accept-encoding', 'access-control-request-headers', 'access-control-request-method', 'connection', 'content-length', 'cookie', 'cookie2', 'date', 'dnt', 'expect', 'host', 'keep-alive', 'origin', 'referer', 'set-cookie', 'te', 'trailer', 'transfer-encoding', 'upgrade', 'via']);
const forbiddenMethods = new Set(['connect', 'trace', 'track']);
const isForbiddenRequest = (name, value) =>
  forbiddenRequest.has(name) || name.startsWith('proxy-') || name.startsWith('sec-') ||
  (['x-http-method', 'x-http-method-override', 'x-method-override'].includes(name) && value.split(',').some((m) => forbiddenMethods.has(m.trim().toLowerCase())));
// "CORS-safelisted request-header", for those that mode no-cors may have.
const UNSAFE_BYTES = /[\x00-\x08\x0a-\x1f"():<>?@[\\\]{}\x7f]/;
const SAFE_BY_NAME = {
  'accept': (value) => !UNSAFE_BYTES.test(value),
  'accept-language': (value) => /^[0-9A-Za-z *,\-.;=]*$/.test(value),
  'content-language': (value) => /^[0-9A-Za-z *,\-.;=]*$/.test(value),
  'content-type': (value) => !UNSAFE_BYTES.test(value) && ['application/x-www-form-urlencoded', 'multipart/form-data', 'text/plain'].includes(value.split(';')[0].trim().toLowerCase()),
};
// "no-CORS-safelisted request-header name"
const isSafelistedName = (name) => Object.hasOwn(SAFE_BY_NAME, name);
// "no-CORS-safelisted request-header"
const isSafelisted = (name, value) => isSafelistedName(name) && value.length <= 128 && SAFE_BY_NAME[name](value);

const headersState = new WeakMap(); // Headers → { list: [[name, value]], guard }
class Headers {
  constructor(init = undefined) {
    headersState.set(this, { list: [], guard: 'none' });
    if (init !== undefined) fillHeaders(this, init);
  }
  append(name, value) {
    must(arguments, 2);
    appendHeader(this, name, value);
  }
  delete(name) {
    must(arguments, 1);
    name = headerName(name);
    const s = headersState.get(this);
    if (!mayChange(s, name, '') || (s.guard === 'request-no-cors' && !isSafelistedName(name) && name !== 'range')) return;
    s.list = s.list.filter(([k]) => k !== name);
    removePrivileged(s);
  }
  get(name) {
    must(arguments, 1);
    name = headerName(name);
    let value = null;
    for (const pair of headersState.get(this).list) if (pair[0] === name) value = value === null ? pair[1] : `${value}, ${pair[1]}`;
    return value;
  }
  getSetCookie() {
    return headersState.get(this).list.filter(([k]) => k === 'set-cookie').map(([, v]) => v);
  }
  has(name) {
    must(arguments, 1);
    name = headerName(name);
    for (const pair of headersState.get(this).list) if (pair[0] === name) return true;
    return false;
  }
  set(name, value) {
    must(arguments, 2);
    name = headerName(name);
    value = headerValue(value);
    const s = headersState.get(this);
    if (!mayChange(s, name, value) || (s.guard === 'request-no-cors' && !isSafelisted(name, value))) return;
    const first = s.list.find(([k]) => k === name);
    if (first) {
      first[1] = value;
      s.list = s.list.filter((e) => e === first || e[0] !== name);
    } else s.list.push([name, value]);
    removePrivileged(s);
  }
  forEach(callback, thisArg = undefined) {
    must(arguments, 1);
    if (typeof callback !== 'function') throw new TypeError('forEach takes a function');
    for (const [k, v] of this) apply(callback, thisArg, [v, k, this]);
  }
  entries() {
    return headerIterator(this, (e) => e);
  }
  keys() {
    return headerIterator(this, ([k]) => k);
  }
  values() {
    return headerIterator(this, ([, v]) => v);
  }
}
defineProperty(Headers.prototype, Symbol.iterator, { value: Headers.prototype.entries, writable: true, configurable: true });
const iteratorProto = setPrototypeOf(
  {
    next() {
      const s = headerIterators.get(this);
      if (!s) throw new TypeError('this is no iterator of headers');
      const list = sortedHeaders(s.headers);
      return s.at < list.length ? { value: s.pick(list[s.at++]), done: false } : { value: undefined, done: true };
    },
  },
  ScriptIterator,
);
defineProperty(iteratorProto, Symbol.toStringTag, { value: 'Headers Iterator', configurable: true });
const headerIterators = new WeakMap();
function headerIterator(headers, pick) {
  const it = setPrototypeOf({}, iteratorProto);
  headerIterators.set(it, { headers, pick, at: 0 });
  return it;
}
function sortedHeaders(headers) {
  const byName = new Map();
  for (const [name, value] of headersState.get(headers).list) {
    if (byName.has(name)) byName.get(name).push(value);
    else byName.set(name, [value]);
  }
  const out = [];
  for (const name of [...byName.keys()].sort()) {
    if (name === 'set-cookie') for (const v of byName.get(name)) out.push([name, v]);
    else out.push([name, byName.get(name).join(', ')]);
  }
  return out;
}
// Names and values come again and again; what was found out about them is kept.
const MOST_REMEMBERED = 500;
function remembering(f) {
  const known = new Map();
  return (input) => {
    if (typeof input !== 'string') input = `${input}`;
    let out = known.get(input);
    if (out === undefined) {
      out = f(input);
      if (known.size >= MOST_REMEMBERED) known.clear();
      known.set(input, out);
    }
    return out;
  };
}
const headerName = remembering((name) => {
  const text = byteString(name, 'a header name');
  if (!isToken(text)) throw new TypeError(`"${text}" is no header name`);
  return text.toLowerCase();
});
const headerValue = remembering((value) => {
  const text = normalize(byteString(value, 'a header value'));
  if (/[\0\n\r]/.test(text)) throw new TypeError('a header value holds a line break or NUL');
  return text;
});
// "validate (name, value)"
function mayChange(s, name, value) {
  if (s.guard === 'immutable') throw new TypeError('these headers cannot be changed');
  if (s.guard === 'request' && isForbiddenRequest(name, value)) return false;
  return !(s.guard === 'response' && (name === 'set-cookie' || name === 'set-cookie2'));
}
// "remove privileged no-CORS request-headers": a range that came with a copied request goes with the first change.
function removePrivileged(s) {
  if (s.guard === 'request-no-cors') s.list = s.list.filter(([k]) => k !== 'range');
}
// "append (name, value) to a Headers object"
function appendHeader(headers, name, value) {
  name = headerName(name);
  value = headerValue(value);
  const s = headersState.get(headers);
  if (!mayChange(s, name, value)) return;
  if (s.guard === 'request-no-cors' && !isSafelisted(name, [...s.list.filter(([k]) => k === name).map(([, v]) => v), value].join(', '))) return;
  s.list.push([name, value]);
  removePrivileged(s);
}
function fillHeaders(headers, init) {
  if (typeof init !== 'object' && typeof init !== 'function') throw new TypeError('headers are given as an object or a list of pairs');
  if (init === null) throw new TypeError('headers are given as an object or a list of pairs');
  const iterate = init[Symbol.iterator];
  if (iterate !== undefined && iterate !== null) {
    for (const pair of { [Symbol.iterator]: () => apply(iterate, init, []) }) {
      if (typeof pair !== 'object' || pair === null || pair[Symbol.iterator] === undefined) throw new TypeError('each header is a pair of name and value');
      const both = [...pair];
      if (both.length !== 2) throw new TypeError('each header is a pair of name and value');
      appendHeader(headers, both[0], both[1]);
    }
    return;
  }
  const pairs = [];
  for (const key of Reflect.ownKeys(init)) {
    const d = Reflect.getOwnPropertyDescriptor(init, key);
    if (!d || !d.enumerable) continue;
    if (typeof key === 'symbol') throw new TypeError('a header name is text');
    pairs.push([byteString(key, 'a header name'), byteString(init[key], 'a header value')]);
  }
  for (const [k, v] of pairs) appendHeader(headers, k, v);
}
function headersFrom(list, guard) {
  return headersWith(list.map(([k, v]) => [k, v]), guard);
}
// The list, whose names are in lower case, becomes the headers' own.
function headersWith(list, guard) {
  const headers = setPrototypeOf({}, Headers.prototype);
  headersState.set(headers, { list, guard });
  return headers;
}
publish(Headers);

// Bodies: content at the host, by number, or a stream that scripts made. Content that nobody asked a stream of has none.
const bodyOf = new WeakMap(); // Request or Response → { handle, stream, type, used } or null
const isUnusable = (body) => body !== null && (body.used || (body.stream !== null && (body.stream.locked || stateOfStream(body.stream).disturbed)));

// Fetch, 6.2: "extract a body".
function extract(value) {
  if (value instanceof ReadableStream) {
    if (value.locked || stateOfStream(value).disturbed) throw new TypeError('the stream was read already');
    return { handle: 0, stream: value, type: null };
  }
  if (value instanceof Blob) return { handle: blobHandle.get(value), stream: null, type: value.type || null };
  if (value instanceof ArrayBuffer || ArrayBuffer.isView(value)) return { handle: keepBytes(viewOf(value)), stream: null, type: null };
  if (value instanceof URLSearchParams) return { handle: host('body.text', value.toString()), stream: null, type: 'application/x-www-form-urlencoded;charset=UTF-8' };
  if (forms.has(value)) return extractForm(value);
  const text = `${value}`;
  return { handle: host('body.text', text.toWellFormed ? text.toWellFormed() : text), stream: null, type: 'text/plain;charset=UTF-8' };
}
function ownBody(owner) {
  const body = bodyOf.get(owner);
  if (body === undefined) throw new TypeError('this is neither a request nor a response');
  return body;
}
function streamFor(body) {
  if (!body.stream) {
    body.stream = streamOf(body.handle);
    if (body.used) useUp(body.stream);
  }
  return body.stream;
}

// Refuses bodies that cannot be read, at once.
function check(owner) {
  const body = ownBody(owner);
  const { signal } = responseState.get(owner) ?? {};
  if (signal?.aborted && body !== null) throw signal.reason;
  if (body !== null && isUnusable(body)) throw new TypeError('the body was read already');
  return body;
}
// Uses the body up and gives its number at the host.
async function consume(owner, salvage = false) {
  const body = check(owner);
  return body === null ? 0 : useNow(body) || drain(streamFor(body), salvage);
}
// The number of content that no stream was asked of, which is used up by that; 0 for other bodies.
function useNow(body) {
  if (body.stream || body.used || !body.handle) return 0;
  body.used = true;
  return body.handle;
}
const mimeOf = (owner) => owner.headers.get('content-type') ?? '';
const bodyMembers = {
  get body() {
    const body = ownBody(this);
    return body ? streamFor(body) : null;
  },
  get bodyUsed() {
    const body = ownBody(this);
    return Boolean(body && (body.used || (body.stream && stateOfStream(body.stream).disturbed)));
  },
  async arrayBuffer() {
    check(this);
    return bytesOf(await consume(this));
  },
  async blob() {
    check(this);
    return blobOf(await consume(this), mimeOf(this));
  },
  async bytes() {
    check(this);
    return new Uint8Array(bytesOf(await consume(this)));
  },
  async json() {
    check(this);
    const handle = await consume(this);
    return jsonForScripts(handle ? host('body.read', handle) : '');
  },
  async text() {
    check(this);
    const handle = await consume(this);
    return handle ? host('body.read', handle) : '';
  },
  async formData() {
    check(this);
    const handle = await consume(this);
    return parseForm(handle ? new Uint8Array(bytesOf(handle)) : new Uint8Array(0), mimeOf(this));
  },
};
const mixBody = (cls) => Object.defineProperties(cls.prototype, Object.getOwnPropertyDescriptors(bodyMembers));
function cloneBody(owner) {
  const body = bodyOf.get(owner);
  if (body === null) return null;
  if (isUnusable(body)) throw new TypeError('the body was read already and cannot be cloned');
  if (!body.stream) return { ...body };
  const [mine, theirs] = teeStream(body.stream, true);
  body.stream = mine;
  return { handle: 0, stream: theirs, type: body.type };
}

const forms = new WeakSet();
lazy(['FormData'], () => {
class FormData {
  #list = [];
  constructor() {
    forms.add(this);
  }
  append(name, value, filename = undefined) {
    this.#list.push([`${name}`, formValue(value, filename)]);
  }
  delete(name) {
    this.#list = this.#list.filter(([k]) => k !== `${name}`);
  }
  get(name) {
    return this.#list.find(([k]) => k === `${name}`)?.[1] ?? null;
  }
  getAll(name) {
    return this.#list.filter(([k]) => k === `${name}`).map(([, v]) => v);
  }
  has(name) {
    return this.#list.some(([k]) => k === `${name}`);
  }
  set(name, value, filename = undefined) {
    const at = this.#list.findIndex(([k]) => k === `${name}`);
    const entry = [`${name}`, formValue(value, filename)];
    this.#list = this.#list.filter(([k], i) => k !== `${name}` || i === at);
    if (at >= 0) this.#list[at] = entry;
    else this.#list.push(entry);
  }
  forEach(callback, thisArg = undefined) {
    for (const [k, v] of this) apply(callback, thisArg, [v, k, this]);
  }
  *entries() {
    for (const e of this.#list) yield [...e];
  }
  *keys() {
    for (const [k] of this.#list) yield k;
  }
  *values() {
    for (const [, v] of this.#list) yield v;
  }
}
defineProperty(FormData.prototype, Symbol.iterator, { value: FormData.prototype.entries, writable: true, configurable: true });
const formValue = (value, filename) => {
  if (filename !== undefined && !(value instanceof Blob)) throw new TypeError('only a blob has a file name');
  return value instanceof Blob ? (value instanceof File && filename === undefined ? value : new File([value], filename ?? 'blob', { type: value.type })) : `${value}`;
};
publish(FormData);
});
function extractForm(form) {
  const boundary = '----tachyform' + Array.from({ length: 16 }, () => Math.floor(host('random') * 10)).join('');
  const quote = (s) => s.replace(/\n/g, '%0A').replace(/\r/g, '%0D').replace(/"/g, '%22');
  const views = [];
  for (const [name, value] of form) {
    const file = value instanceof Blob;
    views.push(encodeUTF8(`--${boundary}\r\nContent-Disposition: form-data; name="${quote(name)}"${file ? `; filename="${quote(value.name)}"\r\nContent-Type: ${value.type || 'application/octet-stream'}` : ''}\r\n\r\n`));
    views.push(file ? new Uint8Array(bytesOf(blobHandle.get(value))) : encodeUTF8(value.replace(/\r?\n|\r/g, '\r\n')));
    views.push(encodeUTF8('\r\n'));
  }
  views.push(encodeUTF8(`--${boundary}--\r\n`));
  return { handle: keepBytes(joinBytes(views)), stream: null, type: `multipart/form-data; boundary=${boundary}` };
}
function parseForm(bytes, type) {
  const form = new global.FormData();
  const essence = type.split(';')[0].trim().toLowerCase();
  if (essence === 'application/x-www-form-urlencoded') {
    for (const [k, v] of new URLSearchParams(decodeUTF8(bytes, true))) form.append(k, v);
    return form;
  }
  const boundary = /boundary=(?:"([^"]+)"|([^;\s]+))/i.exec(type);
  if (essence !== 'multipart/form-data' || !boundary) throw new TypeError('the body is no form data');
  // As characters below U+0100 each byte can be searched for.
  let text = '';
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
  const mark = '--' + (boundary[1] ?? boundary[2]);
  if (!text.startsWith(mark)) throw new TypeError('the body is no form data');
  for (const part of text.split(mark).slice(1, -1)) {
    const cut = part.indexOf('\r\n\r\n');
    if (cut < 0) throw new TypeError('the body is no form data');
    const head = decodeUTF8(Uint8Array.from(part.slice(0, cut), (c) => c.charCodeAt(0)));
    const content = Uint8Array.from(part.slice(cut + 4, -2), (c) => c.charCodeAt(0));
    const name = /name="([^"]*)"/i.exec(head)?.[1];
    const filename = /filename="([^"]*)"/i.exec(head)?.[1];
    if (name === undefined) throw new TypeError('the body is no form data');
    const unquote = (s) => s.replace(/%22/g, '"').replace(/%0D/gi, '\r').replace(/%0A/gi, '\n');
    if (filename === undefined) form.append(unquote(name), decodeUTF8(content));
    else form.append(unquote(name), new File([content], unquote(filename), { type: /content-type:\s*([^\r\n]+)/i.exec(head)?.[1] ?? 'text/plain' }));
  }
  return form;
}

// Fetch, 5.4: Request.
const requestState = new WeakMap();
const NOTHING = freeze({ __proto__: null });
const MODES = ['same-origin', 'no-cors', 'cors', 'navigate'];
const oneOf = (value, list, what) => {
  if (!list.includes(`${value}`)) throw new TypeError(`"${value}" is no ${what}`);
  return `${value}`;
};
const methodName = (method) => {
  const text = byteString(method, 'a method');
  if (!isToken(text) || forbiddenMethods.has(text.toLowerCase())) throw new TypeError(`"${text}" is no method that requests may have`);
  const upper = text.toUpperCase();
  return ['DELETE', 'GET', 'HEAD', 'OPTIONS', 'POST', 'PUT'].includes(upper) ? upper : text;
};
class Request {
  constructor(input, init = NOTHING) {
    if (arguments.length === 0) throw new TypeError('Request takes an address or a request');
    init = init ?? NOTHING;
    const from = requestState.get(input);
    const s = { redirect: 'follow', cache: 'default', integrity: '', keepalive: false, referrer: 'about:client', referrerPolicy: '', destination: '', mode: 'cors', credentials: 'same-origin', method: 'GET', duplex: 'half' };
    let signal = null;
    let inherited = null;
    if (from) {
      assign(s, from, { destination: '' });
      signal = from.signal;
      inherited = bodyOf.get(input);
    } else {
      const parts = parsedURL(`${input}`, baseURL());
      if (!parts) throw new TypeError(`Invalid URL: ${input}`);
      if (parts[3] || parts[4]) throw new TypeError('the address of a request holds no name or password');
      s.url = parts[0];
    }
    const given = init !== NOTHING && ['body', 'cache', 'credentials', 'duplex', 'headers', 'integrity', 'keepalive', 'method', 'mode', 'priority', 'redirect', 'referrer', 'referrerPolicy', 'signal', 'window'].some((k) => init[k] !== undefined);
    if (given && from) {
      if (s.mode === 'navigate') s.mode = 'same-origin';
      s.referrer = 'about:client';
      s.referrerPolicy = '';
    }
    if (init.window !== undefined && init.window !== null) throw new TypeError('window can only be null');
    if (init.referrer !== undefined) {
      const text = `${init.referrer}`;
      if (text === '') s.referrer = 'no-referrer';
      else {
        const parsed = host('url', text, baseURL());
        if (!parsed) throw new TypeError('the referrer is no URL');
        const parts = fromJSON(parsed);
        s.referrer = (parts[2] === 'about:' && parts[8] === 'client') || parts[1] !== ownOrigin() ? 'about:client' : parts[0];
      }
    }
    if (init.referrerPolicy !== undefined) s.referrerPolicy = oneOf(init.referrerPolicy, ['', 'no-referrer', 'no-referrer-when-downgrade', 'same-origin', 'origin', 'strict-origin', 'origin-when-cross-origin', 'strict-origin-when-cross-origin', 'unsafe-url'], 'referrer policy');
    if (init.mode !== undefined) {
      s.mode = oneOf(init.mode, MODES, 'request mode');
      if (s.mode === 'navigate') throw new TypeError('scripts cannot make requests with mode navigate');
    }
    if (init.credentials !== undefined) s.credentials = oneOf(init.credentials, ['omit', 'same-origin', 'include'], 'credentials mode');
    if (init.cache !== undefined) s.cache = oneOf(init.cache, ['default', 'no-store', 'reload', 'no-cache', 'force-cache', 'only-if-cached'], 'cache mode');
    if (s.cache === 'only-if-cached' && s.mode !== 'same-origin') throw new TypeError('only-if-cached goes with mode same-origin alone');
    if (init.redirect !== undefined) s.redirect = oneOf(init.redirect, ['follow', 'error', 'manual'], 'redirect mode');
    if (init.integrity !== undefined) s.integrity = `${init.integrity}`;
    if (init.keepalive !== undefined) s.keepalive = Boolean(init.keepalive);
    if (init.method !== undefined) s.method = methodName(init.method);
    if (init.signal !== undefined) signal = init.signal;
    if (signal !== null && signal !== undefined && !(signal instanceof AbortSignal)) throw new TypeError('signal is no AbortSignal');
    if (init.duplex !== undefined) oneOf(init.duplex, ['half'], 'duplex');
    if (init.priority !== undefined) oneOf(init.priority, ['high', 'low', 'auto'], 'priority');
    s.signal = signal ? AbortSignal.any([signal]) : null;
    const guard = s.mode === 'no-cors' ? 'request-no-cors' : 'request';
    if (s.mode === 'no-cors' && !['GET', 'HEAD', 'POST'].includes(s.method)) throw new TypeError(`the method ${s.method} does not go with mode no-cors`);
    s.headers = headersFrom(from ? headersState.get(input.headers).list : [], guard);
    if (given && init.headers !== undefined) {
      headersState.get(s.headers).list = [];
      fillHeaders(s.headers, init.headers);
    } else if (given && from && guard === 'request-no-cors') {
      const list = headersState.get(s.headers).list;
      headersState.get(s.headers).list = [];
      for (const [k, v] of list) appendHeader(s.headers, k, v);
    }
    const hasBody = init.body !== undefined && init.body !== null;
    if ((hasBody || inherited) && (s.method === 'GET' || s.method === 'HEAD')) throw new TypeError(`a ${s.method} request has no body`);
    let body = null;
    if (hasBody) {
      if (s.keepalive && init.body instanceof ReadableStream) throw new TypeError('a body that is a stream does not go with keepalive');
      body = extract(init.body);
      if (body.stream && init.duplex === undefined) throw new TypeError('a body that is a stream needs duplex: "half"');
      if (body.stream && s.mode !== 'same-origin' && s.mode !== 'cors') throw new TypeError(`a body that is a stream does not go with mode ${s.mode}`);
      if (body.type && !s.headers.has('content-type')) s.headers.append('content-type', body.type);
    } else if (inherited) {
      if (isUnusable(inherited)) throw new TypeError('the body of the request was read already');
      body = { ...inherited };
      if (!useNow(inherited)) {
        const used = streamFor(inherited);
        if (!inherited.handle) {
          const [, theirs] = used.tee();
          body.stream = theirs;
        } else body.stream = null;
        stateOfStream(used).disturbed = true;
      }
    }
    requestState.set(this, s);
    bodyOf.set(this, body);
  }
  clone() {
    const body = cloneBody(this);
    const s = requestState.get(this);
    const copy = setPrototypeOf({}, Request.prototype);
    requestState.set(copy, { ...s, headers: headersFrom(headersState.get(s.headers).list, headersState.get(s.headers).guard), signal: s.signal && AbortSignal.any([s.signal]) });
    bodyOf.set(copy, body);
    return copy;
  }
  get referrer() {
    const { referrer } = requestState.get(this);
    return referrer === 'no-referrer' ? '' : referrer;
  }
  get signal() {
    const s = requestState.get(this);
    if (!s) throw new TypeError('this is no request');
    return (s.signal ??= new AbortSignal(MAKE));
  }
  get isReloadNavigation() {
    return Boolean(requestState.get(this).reload);
  }
  get isHistoryNavigation() {
    return Boolean(requestState.get(this).history);
  }
}
for (const name of ['method', 'url', 'headers', 'destination', 'referrerPolicy', 'mode', 'credentials', 'cache', 'redirect', 'integrity', 'keepalive', 'duplex'])
  defineProperty(Request.prototype, name, attribute(name, (object) => {
    const s = requestState.get(object);
    if (!s) throw new TypeError('this is no request');
    return s[name];
  }));
mixBody(Request);
publish(Request);

// A request that comes from the host.
function requestFrom(data, guard = 'immutable') {
  const request = setPrototypeOf({}, Request.prototype);
  requestState.set(request, {
    redirect: 'follow', integrity: '', keepalive: false, referrerPolicy: '', duplex: 'half', ...data,
    cache: data.cache || 'default', referrer: data.referrer || 'about:client', headers: headersWith(data.headers, guard), signal: null,
  });
  bodyOf.set(request, data.body ? { handle: data.body, stream: null, type: null } : null);
  return request;
}
// A request as the host takes it. A body that is a stream has to be read first.
async function sendable(request) {
  const body = bodyOf.get(request);
  const handle = body ? await consume(request) : 0;
  return requestJSON(request, handle);
}
function requestJSON(request, handle = 0) {
  const s = requestState.get(request);
  return toJSON({
    url: s.url, method: s.method, headers: headersState.get(s.headers).list, mode: s.mode, credentials: s.credentials, cache: s.cache,
    redirect: s.redirect, referrer: s.referrer, destination: s.destination, integrity: s.integrity, body: handle,
  });
}

// Fetch, 5.5: Response.
const responseState = new WeakMap();
const nullBody = (status) => status === 101 || status === 103 || status === 204 || status === 205 || status === 304;
class Response {
  constructor(value = null, init = {}) {
    init = init ?? {};
    const status = init.status === undefined ? 200 : Number(init.status) & 0xffff;
    if (status < 200 || status > 599) throw new RangeError(`the status ${init.status} is not between 200 and 599`);
    const statusText = init.statusText === undefined ? '' : byteString(init.statusText, 'the status text');
    if (/[^\t\x20-\x7e\x80-\xff]/.test(statusText)) throw new TypeError('the status text holds characters it may not');
    const headers = headersFrom([], 'response');
    if (init.headers !== undefined) fillHeaders(headers, init.headers);
    let body = null;
    if (value !== null && value !== undefined) {
      if (nullBody(status)) throw new TypeError(`a response with status ${status} has no body`);
      body = extract(value);
      if (body.type && !headers.has('content-type')) headers.append('content-type', body.type);
    }
    responseState.set(this, { type: 'default', urls: [], status, statusText, headers });
    bodyOf.set(this, body);
  }
  static error() {
    return responseFrom({ type: 'error', urls: [], status: 0, statusText: '', headers: [] }, 'immutable');
  }
  static redirect(url, status = 302) {
    must(arguments, 1);
    const text = host('url', `${url}`, baseURL());
    if (!text) throw new TypeError(`Invalid URL: ${url}`);
    if (![301, 302, 303, 307, 308].includes(Number(status))) throw new RangeError(`${status} is no redirect status`);
    return responseFrom({ type: 'default', urls: [], status: Number(status), statusText: '', headers: [['location', fromJSON(text)[0]]] }, 'immutable');
  }
  static json(data, init = {}) {
    const text = toJSON(data);
    if (text === undefined) throw new TypeError('this value cannot be written as JSON');
    const headers = new Headers(init?.headers ?? {});
    if (!headers.has('content-type')) headers.set('content-type', 'application/json');
    return new Response(text, { ...init, headers });
  }
  get url() {
    const { urls } = responseState.get(this);
    return urls.length ? urls[urls.length - 1].split('#')[0] : '';
  }
  get redirected() {
    return responseState.get(this).urls.length > 1;
  }
  get ok() {
    const { status } = responseState.get(this);
    return status >= 200 && status < 300;
  }
  clone() {
    const s = responseState.get(this);
    const body = cloneBody(this);
    const copy = responseFrom({ ...s, headers: headersState.get(s.headers).list.map(([k, v]) => [k, v]) }, headersState.get(s.headers).guard);
    assign(responseState.get(copy), { opaque: s.opaque, signal: s.signal });
    bodyOf.set(copy, body);
    return copy;
  }
}
for (const name of ['type', 'status', 'statusText', 'headers'])
  defineProperty(Response.prototype, name, attribute(name, (object) => {
    const s = responseState.get(object);
    if (!s) throw new TypeError('this is no response');
    return s[name];
  }));
mixBody(Response);
publish(Response);

// A response that comes from the host. The content of an opaque one stays out of reach.
function responseFrom(data, guard = 'immutable') {
  const response = setPrototypeOf({}, Response.prototype);
  const hidden = data.type === 'opaque' || data.type === 'opaqueredirect';
  responseState.set(response, { partial: data.partial, type: data.type, urls: data.urls, status: data.status, statusText: data.statusText, headers: headersWith(data.headers, guard), opaque: hidden ? data.body : 0 });
  bodyOf.set(response, data.body && !hidden ? { handle: data.body, stream: null, type: null } : null);
  return response;
}
// A response as the host takes it; its body is used up.
async function answerJSON(response, salvage = false) {
  return answerNow(response) ?? writtenResponse(response, await consume(response, salvage));
}
// The same at once, null when the body has to be read first.
function answerNow(response) {
  const s = responseState.get(response);
  const body = bodyOf.get(response);
  if (s.opaque || !body) return writtenResponse(response, s.opaque);
  const { signal } = s;
  if (signal?.aborted) return null;
  const handle = useNow(body);
  return handle ? writtenResponse(response, handle) : null;
}
function writtenResponse(response, handle) {
  const s = responseState.get(response);
  return toJSON({ type: s.type, urls: s.urls, status: s.status, statusText: s.statusText, headers: headersState.get(s.headers).list, body: handle || 0 });
}

async function performFetch(input, init, count) {
  if (count === 0) throw new TypeError('fetch takes an address or a request');
  const request = new Request(input, init);
  const { signal } = requestState.get(request);
  if (signal?.aborted) {
    const { stream } = bodyOf.get(request) ?? {};
    if (stream) quietly(stream.cancel(signal.reason));
    throw signal.reason;
  }
  const from = requestState.get(input);
  if (from && from.mode === 'navigate' && init === undefined) requestState.get(request).mode = 'navigate';
  const body = bodyOf.get(request);
  const answer = body ? then(sendable(request), (json) => call('fetch', json)) : call('fetch', requestJSON(request));
  if (!signal) return responseFrom(await answer);
  const canceled = deferred();
  onAbort(signal, canceled.reject);
  const response = responseFrom(await firstOf([answer, canceled.promise]));
  // What is not read yet when the fetch is aborted is lost.
  responseState.get(response).signal = signal;
  onAbort(signal, (reason) => {
    const stream = bodyOf.get(response)?.stream;
    if (stream) errorStream(stateOfStream(stream), reason);
  });
  return response;
}
