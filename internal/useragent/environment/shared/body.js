import { ofHeaders } from './headers.js';
import { isAborted, reasonOf } from './abort.js';
import { ArrayBuffer, PromiseOf, TypeError, Uint8Array, isA, jsonForScripts, sharedState, isView } from './primordials.js';
import { queueTask } from './timers.js';
import { bytesOf, keepBytes, viewOf } from './bytes.js';
import { parsedWithoutScript } from './errors.js';
import { URLSearchParams } from './url.js';
import { ReadableStream, drain, stateOfStream, streamOf, teeStream, useUp } from './readablestream.js';
import { Blob, blobHandle, blobOf } from './blob.js';
import { extractForm, forms, parseForm } from './formdata.js';

// Bodies: content at the host, by number, or a stream that scripts made. Content that nobody asked a stream of has none.
export const bodyOf = sharedState('bodyOf'); // Request or Response → { handle, stream, type, used } or null
export const fetchSignal = sharedState('fetchSignal'); // Response → the signal of the fetch that it comes from
export const isUnusable = (body) => body !== null && (body.used || (body.stream !== null && (body.stream.locked || stateOfStream(body.stream).disturbed)));

// Fetch, 6.2: "extract a body".
export function extract(value) {
  if (isA(value, ReadableStream)) {
    if (value.locked || stateOfStream(value).disturbed) throw new TypeError('the stream was read already');
    return { handle: 0, stream: value, type: null };
  }
  if (isA(value, Blob)) return { handle: blobHandle.get(value), stream: null, type: value.type || null };
  if (isA(value, ArrayBuffer) || isView(value)) return { handle: keepBytes(viewOf(value)), stream: null, type: null };
  if (isA(value, URLSearchParams)) return { handle: host('body.text', value.toString()), stream: null, type: 'application/x-www-form-urlencoded;charset=UTF-8' };
  if (forms.has(value)) return extractForm(value);
  const text = `${value}`;
  return { handle: host('body.text', text.toWellFormed ? text.toWellFormed() : text), stream: null, type: 'text/plain;charset=UTF-8' };
}
function ownBody(owner) {
  const body = bodyOf.get(owner);
  if (body === undefined) throw new TypeError('this is neither a request nor a response');
  return body;
}
export function streamFor(body) {
  if (!body.stream) {
    body.stream = streamOf(body.handle);
    if (body.used) useUp(body.stream);
  }
  return body.stream;
}

// Refuses bodies that cannot be read, at once.
function check(owner) {
  const body = ownBody(owner);
  const signal = fetchSignal.get(owner);
  if (body !== null && isAborted(signal)) throw reasonOf(signal);
  if (body !== null && isUnusable(body)) throw new TypeError('the body was read already');
  return body;
}
// Uses the body up and gives its number at the host.
export async function consume(owner, salvage = false) {
  const body = check(owner);
  if (body === null) return 0;
  const now = useNow(body);
  // What the network or a worker answers comes piece by piece, and never in the task in which its head came.
  if (now && body.arrives) await new PromiseOf((resolve) => queueTask(resolve));
  return now || drain(streamFor(body), salvage);
}
// The number of content that no stream was asked of, which is used up by that; 0 for other bodies.
export function useNow(body) {
  if (body.stream || body.used || !body.handle) return 0;
  body.used = true;
  return body.handle;
}
const mimeOf = (owner) => ofHeaders.get(owner.headers, 'content-type') ?? '';
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
    const { fetched } = bodyOf.get(this) ?? {};
    const handle = await consume(this);
    const text = handle ? host('body.read', handle) : '';
    if (!fetched) return jsonForScripts(text);
    try {
      return jsonForScripts(text);
    } catch (error) {
      parsedWithoutScript.add(error);
      throw error;
    }
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
export const mixBody = (cls) => Object.defineProperties(cls.prototype, Object.getOwnPropertyDescriptors(bodyMembers));
export function cloneBody(owner) {
  const body = bodyOf.get(owner);
  if (body === null) return null;
  if (isUnusable(body)) throw new TypeError('the body was read already and cannot be cloned');
  if (!body.stream) return { ...body };
  const [mine, theirs] = teeStream(body.stream, true);
  body.stream = mine;
  return { handle: 0, stream: theirs, type: body.type };
}
