import { ArrayBuffer, Uint8Array, defineProperty, getPrototypeOf, isView, uncurried } from './primordials.js';
import { gap } from './gap.js';
import { MAKE, expose, lazy, onlyHere, publish } from './webidl.js';
import { DOMException } from './domexception.js';
import { hostError } from './host.js';
import { viewOf } from './bytes.js';

// What kind of list a view is, whatever class extends it.
const arrayKind = uncurried(Object.getOwnPropertyDescriptor(getPrototypeOf(Uint8Array.prototype), Symbol.toStringTag).get);
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
    gap('keys of Web Cryptography');
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
    if (!(isView(view) && /^(Big)?(Int|Uint)/.test(arrayKind(view)))) throw new DOMException('random values fill lists of whole numbers', 'TypeMismatchError');
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
