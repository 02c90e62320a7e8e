import {
  TypeError, assign, defineProperty, freeze, fromJSON, isA, setPrototypeOf, sharedState, toJSON,
} from './primordials.js';
import { MAKE, attribute, publish } from './webidl.js';
import { baseURL, ownOrigin } from './settings.js';
import { AbortSignal } from './abort.js';
import { parsedURL } from './url.js';
import { ReadableStream, stateOfStream } from './readablestream.js';
import {
  appendHeader, byteString, emptyHeaders, fillHeaders, forbiddenMethods, headersFrom, headersState, headersWith,
  isToken, ofHeaders } from './headers.js';
import { bodyOf, cloneBody, consume, extract, isUnusable, mixBody, streamFor, useNow } from './body.js';

// Fetch, 5.4: Request.
export const requestState = sharedState('requestState');
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
export class Request {
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
    if (signal !== null && signal !== undefined && !isA(signal, AbortSignal)) throw new TypeError('signal is no AbortSignal');
    if (init.duplex !== undefined) oneOf(init.duplex, ['half'], 'duplex');
    if (init.priority !== undefined) oneOf(init.priority, ['high', 'low', 'auto'], 'priority');
    s.signal = signal ? AbortSignal.any([signal]) : null;
    const guard = s.mode === 'no-cors' ? 'request-no-cors' : 'request';
    if (s.mode === 'no-cors' && !['GET', 'HEAD', 'POST'].includes(s.method)) throw new TypeError(`the method ${s.method} does not go with mode no-cors`);
    s.headers = headersFrom(from ? headersState.get(input.headers).list : [], guard);
    if (given && init.headers !== undefined) {
      emptyHeaders(s.headers);
      fillHeaders(s.headers, init.headers);
    } else if (given && from && guard === 'request-no-cors') {
      const list = headersState.get(s.headers).list;
      emptyHeaders(s.headers);
      for (const [k, v] of list) appendHeader(s.headers, k, v);
    }
    const hasBody = init.body !== undefined && init.body !== null;
    if ((hasBody || inherited) && (s.method === 'GET' || s.method === 'HEAD')) throw new TypeError(`a ${s.method} request has no body`);
    let body = null;
    if (hasBody) {
      if (s.keepalive && isA(init.body, ReadableStream)) throw new TypeError('a body that is a stream does not go with keepalive');
      body = extract(init.body);
      if (body.stream && init.duplex === undefined) throw new TypeError('a body that is a stream needs duplex: "half"');
      if (body.stream && s.mode !== 'same-origin' && s.mode !== 'cors') throw new TypeError(`a body that is a stream does not go with mode ${s.mode}`);
      if (body.type && !ofHeaders.has(s.headers, 'content-type')) ofHeaders.append(s.headers, 'content-type', body.type);
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
export function requestFrom(data, guard = 'immutable') {
  const request = setPrototypeOf({}, Request.prototype);
  requestState.set(request, {
    redirect: 'follow', integrity: '', keepalive: false, referrerPolicy: '', duplex: 'half', ...data,
    cache: data.cache || 'default', referrer: data.referrer || 'about:client', headers: headersWith(data.headers, guard), signal: null,
  });
  bodyOf.set(request, data.body ? { handle: data.body, stream: null, type: null } : null);
  return request;
}
// A request as the host takes it. A body that is a stream has to be read first.
export async function sendableRequest(request) {
  const body = bodyOf.get(request);
  const handle = body ? await consume(request) : 0;
  return requestJSON(request, handle);
}
export function requestJSON(request, handle = 0, destination = undefined) {
  const s = requestState.get(request);
  return toJSON({
    url: s.url, method: s.method, headers: headersState.get(s.headers).list, mode: s.mode, credentials: s.credentials, cache: s.cache,
    redirect: s.redirect, referrer: s.referrer, referrerPolicy: s.referrerPolicy, destination: destination ?? s.destination, integrity: s.integrity, keepalive: s.keepalive, reload: s.reload, history: s.history, body: handle,
  });
}
