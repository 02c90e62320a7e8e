// File API, 8: addresses of blobs, which live as long as their realm.

import { TypeError, defineProperty, isA } from './primordials.js';
import { must } from './webidl.js';
import { own } from './settings.js';
import { URL } from './url.js';
import { Blob, blobHandle } from './blob.js';

export const objectURLs = new Map();
let nextObject = 0;
const hex = (n) => n.toString(16).padStart(12, '0');
// Service workers have no such addresses.
export function addObjectURLs() {
  const statics = {
    createObjectURL(object) {
      must(arguments, 1);
      if (!isA(object, Blob)) throw new TypeError('an address is made for a blob');
      const url = `blob:${own.origin}/00000000-0000-4000-8000-${hex(++nextObject)}`;
      objectURLs.set(url, object);
      return url;
    },
    revokeObjectURL(url) {
      must(arguments, 1);
      objectURLs.delete(`${url}`);
    },
  };
  for (const name of Object.keys(statics)) defineProperty(URL, name, { value: statics[name], writable: true, enumerable: true, configurable: true });
}
export const objectAt = (url) => objectURLs.get(url.split('#')[0]);
export const textOfObject = (blob) => host('body.read', blobHandle.get(blob));
