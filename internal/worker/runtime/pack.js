import { PACK } from './settings.js';
import { STORE } from './names.js';
import { openCache } from './opencache.js';
//? !verify
import { unredirected } from './unredirected.js';
//?
//? ranges
import { rangeOf } from './range.js';
//?
//? some-queries
import { CHOOSING } from './settings.js';
//?
//? index
import { INDEX } from './settings.js';
//?

//! The stamp of every packed file by its path. A file is kept under both, so that unchanged files of the release before are simply there.
export const stamps = new Map();
for (const folder in PACK) for (const name in PACK[folder]) stamps.set(folder + name, PACK[folder][name]);

export const keyOf = (path, list = stamps) => `${path}?tachyform=${list.get(path)}`;

export async function install() {
  const store = await caches.open(STORE);
  const there = new Set((await store.keys()).map((request) => request.url));
  const missing = [...stamps.keys()].filter((path) => !there.has(self.location.origin + keyOf(path)));
  //! Six at a time, as browsers would; past the HTTP cache, which may hold the bytes of an earlier release.
  const next = async () => {
    for (let path; (path = missing.pop()); ) await store.put(keyOf(path), await whole(path, modeFor(path)));
  };
  await Promise.all([next(), next(), next(), next(), next(), next()]);
}

//? hashed
//! A name that changes with its content (its stamp ends with a mark) may come from the HTTP cache.
const modeFor = (path) => (stamps.get(path)[8] === '*' ? 'default' : 'reload');
//?
//? !hashed
const modeFor = () => 'reload';
//?

async function whole(path, cache) {
  const response = await fetch(path, { cache, credentials: 'same-origin' });
  const { status } = response;
  if (status !== 200) throw new TypeError(`${path} of the pack answered with status ${status}`);
  //? !verify
  return unredirected(response);
  //?
  //? verify
  //! Other bytes than this release's come from a deployment that is half done, or from a cache on the way.
  const bytes = await response.arrayBuffer();
  const digest = await crypto.subtle.digest('SHA-256', bytes);
  let known = true;
  //? rendered
  //! A page that the server renders may come otherwise than at the last fit; its stamp ends with a mark.
  known = stamps.get(path)[8] !== '~';
  //?
  if (known && btoa(String.fromCharCode(...new Uint8Array(digest, 0, 6))) !== stamps.get(path).slice(0, 8)) {
    //? hashed
    if (cache === 'default') return whole(path, 'reload');
    //?
    throw Object.assign(new Error(`${path} of the pack answered with other bytes than this release has`), { name: 'OtherBytesError' });
  }
  const headers = new Headers(response.headers);
  headers.delete('vary');
  return new Response(bytes, { headers });
  //?
}

//? restore
let restoring;
export const restore = () => (restoring = restoring || install().then(() => (opened = undefined)).catch(() => (restoring = undefined)));
//?

//! The path under which the pack answers a URL, if it does.
export function packed(url, request, list = stamps) {
  if (url.origin !== self.location.origin) return;
  //? some-queries
  for (const name of url.searchParams.keys()) if (CHOOSING.test(name)) return;
  //?
  const { pathname } = url;
  if (list.has(pathname)) return pathname;
  //? index
  const path = pathname.replace(INDEX, '/');
  //?
  //? !index
  const path = pathname.replace(/\/index\.html$/, '/');
  //?
  if (list.has(path)) return path;
  //? extensionless
  const bare = pathname.replace(/\.html$/, '');
  if (list.has(bare)) return bare;
  //?
  //? slash-remove
  if (pathname !== '/' && list.has(pathname.replace(/\/$/, ''))) return pathname.replace(/\/$/, '');
  //?
  //? !slash-remove
  if (request.mode === 'navigate' && list.has(path + '/')) return path + '/';
  //?
}

//! Opened once: that spares every answer a way to the browser and back.
let opened;

export async function fromPack(path, request, list) {
  //? !slash-keep
  //! A folder is reached with the slash that the host gives it or without, as the host has it, so that relative links hold.
  if (request && request.mode === 'navigate') {
    const wanted = new URL(request.url);
    //? slash-remove
    if (wanted.pathname === path + '/') {
    //?
    //? !slash-remove
    if (wanted.pathname + '/' === path) {
    //?
      wanted.pathname = path;
      return Response.redirect(wanted.href, 301);
    }
  }
  //?
  const store = await (opened = opened || openCache(STORE));
  const copy = store && (await store.match(keyOf(path, list)));
  //? ranges
  const range = copy && request && request.headers.get('range');
  if (range) return rangeOf(copy, range);
  //?
  return copy;
}
