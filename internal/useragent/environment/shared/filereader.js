import { btoa } from './base64.js';
import { TypeError, Uint8Array, defineProperty, isA } from './primordials.js';
import { lazy, onlyHere, publish } from './webidl.js';
import { DOMException } from './domexception.js';
import { EventTarget, dispatch, handlers, trusted } from './event.js';
import { setTimeout } from './timers.js';
import { bytesOf } from './bytes.js';
import { Blob, blobHandle } from './blob.js';
import { ProgressEvent } from './progressevent.js';

lazy(['FileReader', 'FileList'], () => {
// File API, 6: reading blobs by events.
class FileReader extends EventTarget {
  #result = null;
  #state = 0;
  #read(blob, turn) {
    if (!isA(blob, Blob)) throw new TypeError('a FileReader reads blobs');
    if (this.#state === 1) throw new DOMException('the reader is busy', 'InvalidStateError');
    this.#state = 1;
    const told = (type, loaded = blob.size) => dispatch(this, trusted(new ProgressEvent(type, { lengthComputable: true, loaded, total: blob.size })));
    setTimeout(() => {
      if (this.#state === 1) told('loadstart', 0);
    });
    setTimeout(() => {
      if (this.#state !== 1) return;
      this.#state = 2;
      this.#result = turn(blobHandle.get(blob));
      if (blob.size) {
        this.#state = 1;
        told('progress');
        this.#state = 2;
      }
      for (const type of ['load', 'loadend']) told(type);
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
    this.#read(blob, (handle) => `data:${blob.type || 'application/octet-stream'};base64,` + btoa(Array.from(new Uint8Array(bytesOf(handle)), (b) => String.fromCharCode(b)).join('')));
  }
  abort() {
    if (this.#state === 1) {
      this.#state = 2;
      this.#result = null;
      for (const type of ['abort', 'loadend']) dispatch(this, trusted(new ProgressEvent(type)));
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
