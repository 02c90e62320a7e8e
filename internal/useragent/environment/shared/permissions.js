// Permissions: nothing asks anybody here, and rehearsals deliver notifications.

import { TypeError } from './primordials.js';
import { EventTarget, handlers } from './event.js';
import { MAKE, lazy, onlyHere, publishLoosely } from './webidl.js';
import { navigatorPart } from './navigatorparts.js';

const loadStatus = lazy(['PermissionStatus'], () => {
  class PermissionStatus extends EventTarget {
    #name;
    constructor(key = undefined, name = '') {
      onlyHere(key);
      super();
      this.#name = name;
    }
    get name() {
      return this.#name;
    }
    get state() {
      return 'granted';
    }
  }
  handlers(PermissionStatus.prototype, 'change');
  publishLoosely(PermissionStatus);
  make = (name) => new PermissionStatus(MAKE, name);
});
let make;
function statusOf(name) {
  loadStatus();
  return make(name);
}
navigatorPart('permissions', 'Permissions', () => ({
  async query(descriptor) {
    if (typeof descriptor?.name !== 'string') throw new TypeError('a permission has a name');
    return statusOf(descriptor.name);
  },
}));
