// HTML, 8.3: btoa and atob (Infra: forgiving base64).

import { expose } from './webidl.js';
import { DOMException } from './domexception.js';

const BASE64 = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';
expose('btoa', function btoa(data) {
  const text = `${data}`;
  let out = '';
  for (let i = 0; i < text.length; i += 3) {
    const [a, b, c] = [text.charCodeAt(i), text.charCodeAt(i + 1), text.charCodeAt(i + 2)];
    if (a > 255 || b > 255 || c > 255) throw new DOMException('btoa takes characters below U+0100', 'InvalidCharacterError');
    out += BASE64[a >> 2] + BASE64[((a & 3) << 4) | (b >> 4)] + (i + 1 < text.length ? BASE64[((b & 15) << 2) | (c >> 6)] : '=') + (i + 2 < text.length ? BASE64[c & 63] : '=');
  }
  return out;
});
expose('atob', function atob(data) {
  let text = `${data}`.replace(/[\t\n\f\r ]/g, '');
  if (text.length % 4 === 0) text = text.replace(/==?$/, '');
  if (text.length % 4 === 1 || /[^A-Za-z0-9+/]/.test(text)) throw new DOMException('this is not base64', 'InvalidCharacterError');
  let out = '';
  for (let i = 0; i < text.length; i += 4) {
    const [a, b, c, d] = [0, 1, 2, 3].map((k) => BASE64.indexOf(text[i + k] ?? 'A'));
    const left = text.length - i;
    out += String.fromCharCode((a << 2) | (b >> 4));
    if (left > 2) out += String.fromCharCode(((b & 15) << 4) | (c >> 2));
    if (left > 3) out += String.fromCharCode(((c & 3) << 6) | d);
  }
  return out;
});
