import { ArrayBuffer, TypeError, Uint8Array, isA, isView, saved, sliceBuffer } from './primordials.js';

// Encoding Standard, for UTF-8; the host does the work on whole buffers.
// Keeps binary data at the host; gives its number.
export function keepBytes(view) {
  const copy = isA(view, ArrayBuffer) ? view : sliceBuffer(view.buffer, view.byteOffset, view.byteOffset + view.byteLength);
  return host('body.take', copy);
}
export function bytesOf(handle) {
  if (!handle) return new ArrayBuffer(0);
  return host('body.give', handle);
}
export const encodeUTF8 = (text) => new Uint8Array(bytesOf(host('body.text', text)));
export const decodeUTF8 = (view, keepMark) => {
  const mark = view[0] === 0xef && view[1] === 0xbb && view[2] === 0xbf;
  const text = host('body.read', keepBytes(view));
  return keepMark && mark ? '\ufeff' + text : text;
};
const { detached: isDetached } = saved(ArrayBuffer, 'detached');
export const viewOf = (data) => {
  if (isView(data)) return isDetached(data.buffer) ? new Uint8Array() : new Uint8Array(data.buffer, data.byteOffset, data.byteLength);
  if (isA(data, ArrayBuffer)) return isDetached(data) ? new Uint8Array() : new Uint8Array(data);
  throw new TypeError('binary data belongs here');
};

export function joinBytes(views) {
  const all = new Uint8Array(views.reduce((n, v) => n + v.length, 0));
  let at = 0;
  for (const v of views) {
    all.set(v, at);
    at += v.length;
  }
  return all;
}
