// File API, 8: addresses of blobs, which live as long as their realm.

import { TypeError, defineProperty, isA } from './primordials.js';
import { must } from './webidl.js';
import { URL } from './url.js';
import { Blob, blobHandle } from './blob.js';

// Service workers have no such addresses.
export function addObjectURLs() {
  const statics = {
    createObjectURL(object) {
      must(arguments, 1);
      if (!isA(object, Blob)) throw new TypeError('an address is made for a blob');
      return host('objecturl.add', blobHandle.get(object), object.type);
    },
    revokeObjectURL(url) {
      must(arguments, 1);
      host('objecturl.revoke', `${url}`);
    },
  };
  for (const name of Object.keys(statics)) defineProperty(URL, name, { value: statics[name], writable: true, enumerable: true, configurable: true });
}
// The text that is at such an address, undefined for none.
export const textOfObject = (url) => {
  const handle = host('objecturl.resolve', url);
  return handle ? host('body.read', handle) : undefined;
};
