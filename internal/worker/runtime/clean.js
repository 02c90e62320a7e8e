import { OWN, STORE } from './names.js';
//? pack
import { keptKeys } from './pack.js';
//?
//? rules
import { RULES } from './settings.js';
//?

export async function clean() {
  const stores = new Set();
  //? rules
  for (const rule of RULES) stores.add(rule.store);
  //?
  //? pack
  stores.add(STORE);
  const store = await caches.open(STORE);
  const current = keptKeys();
  for (const request of await store.keys()) if (!current.has(request.url)) await store.delete(request);
  //?
  for (const name of await caches.keys()) if (name.startsWith(OWN) && !stores.has(name)) await caches.delete(name);
}
