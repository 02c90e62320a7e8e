// XMLHttpRequest Standard, on top of fetch.

import { Uint8Array, assign, defineProperty, fromJSON, isA, jsonForScripts, then } from './primordials.js';
import { MAKE, must, onlyHere, publishLoosely, usv } from './webidl.js';
import { DOMException } from './domexception.js';
import { baseURL } from './settings.js';
import { now } from './time.js';
import { EventTarget, fire, dispatch, handlers, trusted } from './event.js';
import { setTimeout } from './timers.js';
import { bytesOf, decodeUTF8 } from './bytes.js';
import { parsedURL } from './url.js';
import { Blob } from './blob.js';
import { Headers, ofHeaders } from './headers.js';
import { bodyOf } from './body.js';
import { Request, requestJSON } from './request.js';
import { responseFrom } from './response.js';
import { performFetch } from './fetch.js';
import { ProgressEvent } from './progressevent.js';

const stateOf = new WeakMap();
// What windows add: documents as bodies and answers.
export const documents = { isNode: () => false, serialize: null, parse: () => null };
const error = (name, message) => new DOMException(message, name);
export class XMLHttpRequestEventTarget extends EventTarget {
  constructor(key = undefined) {
    onlyHere(key);
    super();
  }
}
handlers(XMLHttpRequestEventTarget.prototype, 'loadstart', 'progress', 'abort', 'error', 'load', 'timeout', 'loadend');
export class XMLHttpRequestUpload extends XMLHttpRequestEventTarget {}
const FORBIDDEN = new Set(['connect', 'trace', 'track']);
export class XMLHttpRequest extends XMLHttpRequestEventTarget {
  constructor() {
    super(MAKE);
    stateOf.set(this, { ready: 0, method: 'GET', url: '', headers: null, type: '', credentials: false, timeout: 0, response: null, bytes: null, text: '', override: null, upload: new XMLHttpRequestUpload(MAKE), sent: 0, cached: undefined });
  }
  get readyState() {
    return stateOf.get(this).ready;
  }
  open(method, url, async = true) {
    must(arguments, 2);
    const s = stateOf.get(this);
    method = `${method}`;
    if (!/^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/.test(method)) throw error('SyntaxError', `"${method}" is no method`);
    if (FORBIDDEN.has(method.toLowerCase())) throw error('SecurityError', `the method ${method} is not allowed`);
    const at = parsedURL(usv(url), baseURL());
    if (!at) throw error('SyntaxError', `${url} is no address`);
    s.blocking = arguments.length > 2 && !async;
    if (s.blocking && (s.timeout || s.type !== '') && documents.parse(' ', 'text/html')) throw error('InvalidAccessError', 'a blocking request takes neither a timeout nor a type');
    const upper = method.toUpperCase();
    assign(s, { method: ['DELETE', 'GET', 'HEAD', 'OPTIONS', 'POST', 'PUT'].includes(upper) ? upper : method, url: at[0], headers: new Headers(), response: null, bytes: null, cached: undefined });
    s.sent++;
    s.flag = false;
    if (s.ready !== 1) {
      s.ready = 1;
      fire(this, 'readystatechange');
    }
  }
  setRequestHeader(name, value) {
    must(arguments, 2);
    const s = stateOf.get(this);
    if (s.ready !== 1 || s.flag) throw error('InvalidStateError', 'the request is not open');
    name = `${name}`;
    value = `${value}`.replace(/^[\t\n\r ]+|[\t\n\r ]+$/g, '');
    if (!/^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/.test(name)) throw error('SyntaxError', `"${name}" is no name of a header`);
    if (/[\0\r\n]/.test(value)) throw error('SyntaxError', 'this is no value of a header');
    ofHeaders.append(s.headers, name, value);
  }
  get timeout() {
    return stateOf.get(this).timeout;
  }
  set timeout(v) {
    ofBlocking(this);
    const s = stateOf.get(this);
    s.timeout = Number(v) >>> 0;
    if (s.flag && !s.blocking) s.watch();
  }
  get withCredentials() {
    return stateOf.get(this).credentials;
  }
  set withCredentials(v) {
    const s = stateOf.get(this);
    if (s.ready > 1 || s.flag) throw error('InvalidStateError', 'the request was sent');
    s.credentials = Boolean(v);
  }
  get upload() {
    return stateOf.get(this).upload;
  }
  send(body = null) {
    const s = stateOf.get(this);
    if (s.ready !== 1 || s.flag) throw error('InvalidStateError', 'the request is not open');
    s.flag = true;
    const id = ++s.sent;
    const controller = new global.AbortController();
    s.controller = controller;
    let payload = s.method === 'GET' || s.method === 'HEAD' ? null : body;
    if (documents.isNode(payload)) payload = documents.serialize(payload);
    if (s.blocking) return void block(this, s, payload);
    const request = new Request(s.url, { method: s.method, headers: s.headers, body: payload ?? undefined, credentials: s.credentials ? 'include' : 'same-origin', signal: controller.signal });
    const progress = (type, n = 0) => dispatch(this, trusted(new ProgressEvent(type, { loaded: n, total: n, lengthComputable: n > 0 })));
    const ready = (n) => {
      s.ready = n;
      fire(this, 'readystatechange');
    };
    progress('loadstart');
    // What goes up is told by the upload object.
    const size = payload === null || payload === undefined ? 0 : sizeOf(payload);
    let up = size > 0;
    const uploaded = (type, n) => dispatch(s.upload, trusted(new ProgressEvent(type, { loaded: n, total: type === 'error' || type === 'abort' || type === 'timeout' ? 0 : size, lengthComputable: n > 0 || type === 'loadstart' })));
    if (up) uploaded('loadstart', 0);
    if (s.sent !== id) return;
    const fail = (type) => {
      if (s.sent !== id) return;
      s.flag = false;
      s.response = null;
      s.sent++;
      ready(4);
      if (up) {
        up = false;
        uploaded(type, 0);
        uploaded('loadend', 0);
      }
      progress(type);
      progress('loadend');
    };
    // It may be changed while the request is under way, and counts from its start.
    const start = now();
    let watches = 0;
    s.watch = () => {
      const watch = ++watches;
      if (s.timeout) setTimeout(() => {
        if (watch !== watches || s.sent !== id || !s.flag) return;
        fail('timeout');
        controller.abort();
      }, Math.max(0, start + s.timeout - now()));
    };
    s.watch();
    then(performFetch(request, undefined, 1), async (response) => {
      if (s.sent !== id) return;
      if (up) {
        up = false;
        for (const type of ['progress', 'load', 'loadend']) uploaded(type, size);
      }
      s.response = response;
      ready(2);
      let bytes;
      try {
        bytes = new Uint8Array(await response.arrayBuffer());
      } catch {
        return fail('error');
      }
      if (s.sent !== id) return;
      s.bytes = bytes;
      if (bytes.length) ready(3);
      progress('progress', bytes.length);
      s.flag = false;
      ready(4);
      progress('load', bytes.length);
      progress('loadend', bytes.length);
    }, () => fail('error'));
  }
  abort() {
    const s = stateOf.get(this);
    const sent = s.flag;
    s.sent++;
    s.controller?.abort();
    if ((s.ready === 1 && sent) || s.ready === 2 || s.ready === 3) {
      s.flag = false;
      s.response = null;
      s.ready = 4;
      fire(this, 'readystatechange');
      dispatch(this, trusted(new ProgressEvent('abort')));
      dispatch(this, trusted(new ProgressEvent('loadend')));
    }
    if (s.ready === 4) s.ready = 0;
  }
  get responseURL() {
    return stateOf.get(this).response?.url ?? '';
  }
  get status() {
    return stateOf.get(this).response?.status ?? 0;
  }
  get statusText() {
    return stateOf.get(this).response?.statusText ?? '';
  }
  getResponseHeader(name) {
    try {
      return stateOf.get(this).response ? ofHeaders.get(stateOf.get(this).response.headers, name) : null;
    } catch {
      return null;
    }
  }
  getAllResponseHeaders() {
    const { response } = stateOf.get(this);
    return response ? [...response.headers].map(([k, v]) => `${k}: ${v}\r\n`).join('') : '';
  }
  overrideMimeType(type) {
    const s = stateOf.get(this);
    if (s.ready > 2) throw error('InvalidStateError', 'the answer is there already');
    s.override = `${type}`;
  }
  get responseType() {
    return stateOf.get(this).type;
  }
  set responseType(v) {
    const s = stateOf.get(this);
    if (s.ready > 2) throw error('InvalidStateError', 'the answer is there already');
    ofBlocking(this);
    if (['', 'arraybuffer', 'blob', 'document', 'json', 'text'].includes(v)) s.type = v;
  }
  get response() {
    const s = stateOf.get(this);
    if (s.type === '' || s.type === 'text') return s.ready < 3 ? '' : textOfAnswer(s);
    if (s.ready !== 4 || !s.bytes) return null;
    if (s.cached !== undefined) return s.cached;
    switch (s.type) {
      case 'arraybuffer': s.cached = s.bytes.slice().buffer; break;
      case 'blob': s.cached = new Blob([s.bytes], { type: mimeOfAnswer(s) }); break;
      case 'json':
        try {
          s.cached = jsonForScripts(textOfAnswer(s));
        } catch {
          s.cached = null;
        }
        break;
      default: s.cached = documentOfAnswer(s);
    }
    return s.cached;
  }
  get responseText() {
    const s = stateOf.get(this);
    if (s.type !== '' && s.type !== 'text') throw error('InvalidStateError', 'the answer is no text');
    return s.ready < 3 ? '' : textOfAnswer(s);
  }
  get responseXML() {
    const s = stateOf.get(this);
    if (s.type !== '' && s.type !== 'document') throw error('InvalidStateError', 'the answer is no document');
    if (s.ready !== 4) return null;
    return (s.cached ??= documentOfAnswer(s));
  }
}
// A request for which everything else waits.
function block(xhr, s, payload) {
  const request = new Request(s.url, { method: s.method, headers: s.headers, body: payload ?? undefined, credentials: s.credentials ? 'include' : 'same-origin' });
  s.flag = false;
  let response = null;
  const answer = host('fetch.now', requestJSON(request, bodyOf.get(request)?.handle ?? 0));
  if (answer) response = responseFrom(fromJSON(answer));
  if (response) {
    s.response = response;
    const handle = bodyOf.get(response)?.handle;
    s.bytes = handle ? new Uint8Array(bytesOf(handle)) : new Uint8Array(0);
  }
  if (!s.response) {
    s.ready = 4;
    throw error('NetworkError', `the request for ${s.url} failed`);
  }
  s.ready = 4;
  fire(xhr, 'readystatechange');
  for (const type of ['load', 'loadend']) dispatch(xhr, trusted(new ProgressEvent(type, { loaded: s.bytes.length, total: s.bytes.length, lengthComputable: true })));
}
// A blocking request of a window takes neither a timeout nor a type.
function ofBlocking(xhr) {
  const s = stateOf.get(xhr);
  if (s.blocking && s.ready === 1 && documents.parse(' ', 'text/html')) throw error('InvalidAccessError', 'a blocking request takes neither a timeout nor a type');
}
// How many bytes go up.
function sizeOf(payload) {
  if (isA(payload, Blob)) return payload.size;
  if (typeof payload.byteLength === 'number') return payload.byteLength;
  return isA(payload, global.FormData) ? 0 : new Blob([`${payload}`]).size;
}
const mimeOfAnswer = (s) => s.override ?? (s.response ? ofHeaders.get(s.response.headers, 'content-type') : null) ?? 'text/xml';
const textOfAnswer = (s) => {
  if (!s.bytes) return '';
  const charset = /charset=["']?([-\w]+)/i.exec(mimeOfAnswer(s))?.[1] ?? 'utf-8';
  try {
    return new global.TextDecoder(charset).decode(s.bytes);
  } catch {
    return decodeUTF8(s.bytes);
  }
};
const documentOfAnswer = (s) => {
  if (!s.bytes) return null;
  const type = mimeOfAnswer(s).split(';')[0].trim().toLowerCase();
  if (type === 'text/html') return s.type === 'document' ? documents.parse(textOfAnswer(s), 'text/html', s.response?.url) : null;
  if (!/^(text|application)\/xml$|\+xml$/.test(type)) return null;
  const d = documents.parse(textOfAnswer(s), 'application/xml', s.response?.url);
  if (!d) return null;
  return d.documentElement?.$name === 'parsererror' ? null : d;
};
for (const [i, name] of ['UNSENT', 'OPENED', 'HEADERS_RECEIVED', 'LOADING', 'DONE'].entries()) for (const of of [XMLHttpRequest, XMLHttpRequest.prototype]) defineProperty(of, name, { value: i, enumerable: true });
handlers(XMLHttpRequest.prototype, 'readystatechange');
publishLoosely(XMLHttpRequestEventTarget, XMLHttpRequestUpload, XMLHttpRequest);
