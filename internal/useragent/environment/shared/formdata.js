// XMLHttpRequest, 4: FormData, and how it becomes a body and comes out of one.

import { TypeError, Uint8Array, isA } from './primordials.js';
import { lazy, pairIterable, publish } from './webidl.js';
import { bytesOf, decodeUTF8, encodeUTF8, joinBytes, keepBytes } from './bytes.js';
import { URLSearchParams } from './url.js';
import { Blob, File, blobHandle } from './blob.js';

export const forms = new WeakSet();
// What windows add: the entries of a form.
export const formEntries = { of: null };
// The entries of a FormData, without what scripts see of it.
export const entriesOfForm = { read: null };
const formValue = (value, filename) => {
  if (filename !== undefined && !isA(value, Blob)) throw new TypeError('only a blob has a file name');
  return isA(value, Blob) ? (isA(value, File) && filename === undefined ? value : new File([value], filename ?? 'blob', { type: value.type })) : `${value}`;
};
// "create an entry", for a FormData.
export const appendEntry = (form, name, value, filename = undefined) => entriesOfForm.read(form).push([`${name}`, formValue(value, filename)]);
lazy(['FormData'], () => {
class FormData {
  #list = [];
  constructor(form = undefined, submitter = null) {
    forms.add(this);
    if (form !== undefined && formEntries.of) this.#list = formEntries.of(form, submitter).map(([name, value]) => [name, value]);
  }
  append(name, value, filename = undefined) {
    appendEntry(this, name, value, filename);
  }
  delete(name) {
    this.#list = this.#list.filter(([k]) => k !== `${name}`);
  }
  get(name) {
    return this.#list.find(([k]) => k === `${name}`)?.[1] ?? null;
  }
  getAll(name) {
    return this.#list.filter(([k]) => k === `${name}`).map(([, v]) => v);
  }
  has(name) {
    return this.#list.some(([k]) => k === `${name}`);
  }
  set(name, value, filename = undefined) {
    const at = this.#list.findIndex(([k]) => k === `${name}`);
    const entry = [`${name}`, formValue(value, filename)];
    this.#list = this.#list.filter(([k], i) => k !== `${name}` || i === at);
    if (at >= 0) this.#list[at] = entry;
    else this.#list.push(entry);
  }
  static {
    entriesOfForm.read = (form) => form.#list;
  }
}
pairIterable(FormData, entriesOfForm.read);
publish(FormData);
});
// form is a FormData or a list of its entries.
export function extractForm(form) {
  const boundary = '----tachyform' + Array.from({ length: 16 }, () => Math.floor(host('random') * 10)).join('');
  const quote = (s) => s.replace(/\n/g, '%0A').replace(/\r/g, '%0D').replace(/"/g, '%22');
  const views = [];
  for (const [name, value] of Array.isArray(form) ? form : entriesOfForm.read(form)) {
    const file = isA(value, Blob);
    views.push(encodeUTF8(`--${boundary}\r\nContent-Disposition: form-data; name="${quote(name)}"${file ? `; filename="${quote(value.name)}"\r\nContent-Type: ${value.type || 'application/octet-stream'}` : ''}\r\n\r\n`));
    views.push(file ? new Uint8Array(bytesOf(blobHandle.get(value))) : encodeUTF8(value.replace(/\r?\n|\r/g, '\r\n')));
    views.push(encodeUTF8('\r\n'));
  }
  views.push(encodeUTF8(`--${boundary}--\r\n`));
  return { handle: keepBytes(joinBytes(views)), stream: null, type: `multipart/form-data; boundary=${boundary}` };
}
export function parseForm(bytes, type) {
  const form = new global.FormData();
  const essence = type.split(';')[0].trim().toLowerCase();
  if (essence === 'application/x-www-form-urlencoded') {
    for (const [k, v] of new URLSearchParams(decodeUTF8(bytes, true))) appendEntry(form, k, v);
    return form;
  }
  const boundary = /boundary=(?:"([^"]+)"|([^;\s]+))/i.exec(type);
  if (essence !== 'multipart/form-data' || !boundary) throw new TypeError('the body is no form data');
  // As characters below U+0100 each byte can be searched for.
  let text = '';
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
  const mark = '--' + (boundary[1] ?? boundary[2]);
  if (!text.startsWith(mark)) throw new TypeError('the body is no form data');
  for (const part of text.split(mark).slice(1, -1)) {
    const cut = part.indexOf('\r\n\r\n');
    if (cut < 0) throw new TypeError('the body is no form data');
    const head = decodeUTF8(Uint8Array.from(part.slice(0, cut), (c) => c.charCodeAt(0)));
    const content = Uint8Array.from(part.slice(cut + 4, -2), (c) => c.charCodeAt(0));
    const name = /name="([^"]*)"/i.exec(head)?.[1];
    const filename = /filename="([^"]*)"/i.exec(head)?.[1];
    if (name === undefined) throw new TypeError('the body is no form data');
    const unquote = (s) => s.replace(/%22/g, '"').replace(/%0D/gi, '\r').replace(/%0A/gi, '\n');
    if (filename === undefined) appendEntry(form, unquote(name), decodeUTF8(content));
    else appendEntry(form, unquote(name), new File([content], unquote(filename), { type: /content-type:\s*([^\r\n]+)/i.exec(head)?.[1] ?? 'text/plain' }));
  }
  return form;
}
