import {
  RangeError, TypeError, defineProperty, fromJSON, setPrototypeOf, sharedState, toJSON,
} from './primordials.js';
import { attribute, must, publish } from './webidl.js';
import { isAborted } from './abort.js';
import { baseURL } from './settings.js';
import { Headers, byteString, fillHeaders, headersFrom, headersState, headersWith, ofHeaders } from './headers.js';
import { bodyOf, cloneBody, consume, extract, fetchSignal, mixBody, useNow } from './body.js';

// Fetch, 5.5: Response.
export const responseState = sharedState('responseState');
const nullBody = (status) => status === 101 || status === 103 || status === 204 || status === 205 || status === 304;
export class Response {
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
      if (body.type && !ofHeaders.has(headers, 'content-type')) ofHeaders.append(headers, 'content-type', body.type);
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
    if (!ofHeaders.has(headers, 'content-type')) ofHeaders.set(headers, 'content-type', 'application/json');
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
    responseState.get(copy).opaque = s.opaque;
    if (fetchSignal.has(this)) fetchSignal.set(copy, fetchSignal.get(this));
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
export function responseFrom(data, guard = 'immutable') {
  const response = setPrototypeOf({}, Response.prototype);
  const hidden = data.type === 'opaque' || data.type === 'opaqueredirect';
  responseState.set(response, { partial: data.partial, type: data.type, urls: data.urls, status: data.status, statusText: data.statusText, headers: headersWith(data.headers, guard), opaque: hidden ? data.body : 0 });
  bodyOf.set(response, data.body && !hidden ? { handle: data.body, stream: null, type: null, fetched: /^https?:/.test(data.urls[0] ?? '') } : null);
  return response;
}
// A response as the host takes it; its body is used up.
export async function answerJSON(response, salvage = false) {
  return answerNow(response) ?? writtenResponse(response, await consume(response, salvage));
}
// The same at once, null when the body has to be read first.
export function answerNow(response) {
  const s = responseState.get(response);
  const body = bodyOf.get(response);
  if (s.opaque || !body) return writtenResponse(response, s.opaque);
  if (isAborted(fetchSignal.get(response))) return null;
  const handle = useNow(body);
  return handle ? writtenResponse(response, handle) : null;
}
function writtenResponse(response, handle) {
  const s = responseState.get(response);
  return toJSON({ type: s.type, urls: s.urls, status: s.status, statusText: s.statusText, headers: headersState.get(s.headers).list, body: handle || 0 });
}
