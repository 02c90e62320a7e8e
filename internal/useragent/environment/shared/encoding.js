// Encoding Standard: TextEncoder and TextDecoder.

import { RangeError, ScriptObject, TypeError, Uint8Array, assign, fromJSON } from './primordials.js';
import { publish } from './webidl.js';
import { decodeUTF8, encodeUTF8, viewOf } from './bytes.js';

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
    return assign(new ScriptObject(), { read, written });
  }
}
export class TextDecoder {
  #fatal;
  #ignoreBOM;
  #label;
  #rest = new Uint8Array(0);
  #decoder = 0;
  constructor(label = 'utf-8', options = {}) {
    const name = `${label}`.trim().toLowerCase();
    this.#label = /^utf-?8$/.test(name) ? 'utf-8' : host('encoding.name', name);
    if (this.#label === '' || this.#label === 'replacement') throw new RangeError(`the encoding ${label} is not known`);
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
    if (this.#label !== 'utf-8') {
      const [id, text] = fromJSON(host('encoding.decode', this.#decoder, this.#label, view.slice().buffer, !options?.stream));
      this.#decoder = id;
      if (this.#fatal && text.includes('\ufffd')) {
        this.#decoder = 0;
        throw new TypeError(`the data is not valid ${this.#label}`);
      }
      return !this.#ignoreBOM && this.#label.startsWith('utf-16') && text[0] === '\ufeff' ? text.slice(1) : text;
    }
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
