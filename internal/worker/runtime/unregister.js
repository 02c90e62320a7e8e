import { SCOPE } from './settings.js';

//! Where the worker is off, one that an earlier visit registered goes too, so that nobody develops against old files.
export async function unregister() {
  for (const old of await navigator.serviceWorker.getRegistrations()) if (old.scope === new URL(SCOPE, location).href) await old.unregister();
  for (const name of await caches.keys()) if (name.startsWith(`tachyform ${SCOPE} `)) await caches.delete(name);
}
