// Permissions: nothing asks anybody here, and rehearsals deliver notifications.

import { TypeError } from './primordials.js';
import { interfaceOf, navigatorPart } from './navigatorparts.js';

navigatorPart('permissions', () => interfaceOf('Permissions', {
  async query(descriptor) {
    if (typeof descriptor?.name !== 'string') throw new TypeError('a permission has a name');
    return interfaceOf('PermissionStatus', { name: descriptor.name, state: 'granted', onchange: null });
  },
}));
