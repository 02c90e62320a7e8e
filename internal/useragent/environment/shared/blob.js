import { ArrayBuffer, TypeError, Uint8Array, isA, sharedState, isView } from './primordials.js';
import { publish } from './webidl.js';
import { now } from './time.js';
import { bytesOf, encodeUTF8, joinBytes, keepBytes, viewOf } from './bytes.js';
import { serializable } from './structuredclone.js';
import { streamOf } from './readablestream.js';

// File API.
export const blobHandle = sharedState('blobHandle');

export class Blob {
  #type;
  #size;
  constructor(parts = [], options = {}) {
    if (typeof parts !== 'object' || parts === null || typeof parts[Symbol.iterator] !== 'function') throw new TypeError('Blob takes a list of parts');
    const list = [...parts];
    this.#type = cleanType(options?.type ?? '');
    if (list.length === 1 && isA(list[0], Blob)) blobHandle.set(this, blobHandle.get(list[0]));
    else blobHandle.set(this, keepBytes(joinBytes(list.map((p) => (isA(p, Blob) ? new Uint8Array(bytesOf(blobHandle.get(p))) : isView(p) || isA(p, ArrayBuffer) ? viewOf(p) : encodeUTF8(`${p}`))))));
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
export class File extends Blob {
  #name;
  #modified;
  constructor(parts, name, options = {}) {
    if (arguments.length < 2) throw new TypeError('File takes parts and a name');
    super(parts, options);
    this.#name = `${name}`;
    this.#modified = Math.floor(Number(options?.lastModified ?? now()));
  }
  get name() {
    return this.#name;
  }
  get lastModified() {
    return this.#modified;
  }
}
publish(Blob, File);
const sent = (blob, out) => out.bodies.push(blobHandle.get(blob)) - 1;
serializable(File, 'File', (file, out) => ({ i: sent(file, out), type: file.type, name: file.name, at: file.lastModified }), ({ i, type, name, at }, bodies) => new File([blobOf(bodies[i], type)], name, { type, lastModified: at }));
serializable(Blob, 'Blob', (blob, out) => ({ i: sent(blob, out), type: blob.type }), ({ i, type }, bodies) => blobOf(bodies[i], type));
export function blobOf(handle, type) {
  const blob = new Blob([], { type });
  const full = new Blob([blob], { type });
  blobHandle.set(full, handle || blobHandle.get(blob));
  return handle ? new Blob([full], { type }) : blob;
}
