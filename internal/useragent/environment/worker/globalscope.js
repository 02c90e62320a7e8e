// HTML, 10.2.1, and Service Workers, 4.1: the global object and what its interfaces hold.

import { TypeError, defineProperty, setPrototypeOf } from '../shared/primordials.js';
import { MAKE, attribute, publish } from '../shared/webidl.js';
import { call } from '../shared/host.js';
import { handlers } from '../shared/event.js';
import { WorkerGlobalScope, ownHandlers, ownMember } from '../shared/workerglobalscope.js';
import { Clients } from './client.js';

class ServiceWorkerGlobalScope extends WorkerGlobalScope {}
publish(ServiceWorkerGlobalScope);
handlers(ServiceWorkerGlobalScope.prototype, 'install', 'activate', 'fetch', 'message', 'messageerror', 'push', 'pushsubscriptionchange', 'notificationclick', 'notificationclose', 'sync', 'periodicsync');
setPrototypeOf(global, ServiceWorkerGlobalScope.prototype);
ownHandlers(ServiceWorkerGlobalScope.prototype);
const clientsObject = new Clients(MAKE);
// The worker itself and its registration, once it has started.
export const self = { registration: null, worker: null };
for (const [name, value] of [['registration', () => self.registration], ['serviceWorker', () => self.worker], ['clients', () => clientsObject]]) ownMember(name, attribute(name, (that) => {
  if (that !== undefined && that !== null && that !== global) throw new TypeError(`${name} belongs to the global object`);
  return value();
}));
ownMember('skipWaiting', {
  async value() {
    if (this !== undefined && this !== null && this !== global) throw new TypeError('skipWaiting belongs to the global object');
    await call('skipWaiting');
  },
  writable: true,
});
defineProperty(global.skipWaiting, 'name', { value: 'skipWaiting', configurable: true });
