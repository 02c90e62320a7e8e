import { OWN } from './names.js';
//? pack
import { STORE } from './names.js';
import { stamps, keyOf } from './pack.js';
//?
//? rules
import { RULES } from './settings.js';
//?

//? replaced
import { REPLACED } from './settings.js';
//?

//! Lists are those of the releases that open pages still run under.
export async function clean(lists = []) {
  const stores = new Set();
  //? rules
  for (const rule of RULES) stores.add(rule.store);
  //?
  //? pack
  stores.add(STORE);
  const wanted = new Set();
  for (const list of [stamps, ...lists]) for (const path of list.keys()) wanted.add(self.location.origin + keyOf(path, list));
  const store = await caches.open(STORE);
  for (const request of await store.keys()) if (!wanted.has(request.url)) await store.delete(request);
  //?
  //? tabs
  stores.add(OWN + 'book');
  //?
  //? replaced
  //! The worker that was here before kept these.
  for (const name of REPLACED) await caches.delete(name);
  //?
  for (const name of await caches.keys()) if (name.startsWith(OWN) && !stores.has(name)) await caches.delete(name);
}
