import { PACK } from './settings.js';
import { STORE } from './names.js';
import { plain } from './plain.js';

//! A packed file is kept under its path and stamp, so that unchanged files of the release before are simply there.
const keyOf = (path) => `${path}?tachyform=${PACK[path]}`;

export const keptKeys = () => new Set(Object.keys(PACK).map((path) => new URL(keyOf(path), self.location).href));

export async function install() {
  const store = await caches.open(STORE);
  const there = new Set((await store.keys()).map((request) => request.url));
  const missing = Object.keys(PACK).filter((path) => !there.has(new URL(keyOf(path), self.location).href));
  //! Six at a time, as browsers would; past the HTTP cache, which may hold the bytes of an earlier release.
  const next = async () => {
    for (let path; (path = missing.pop()); ) {
      const response = await fetch(path, { cache: 'reload', credentials: 'same-origin' });
      if (response.status !== 200) throw new TypeError(`${path} of the pack answered with status ${response.status}`);
      await store.put(keyOf(path), await plain(response));
    }
  };
  await Promise.all([next(), next(), next(), next(), next(), next()]);
}

//! The path under which the pack answers a URL, if it does. Queries do not choose among files.
export function packed(url, request) {
  if (url.origin !== self.location.origin) return;
  let path = url.pathname;
  if (path in PACK) return path;
  if (path.endsWith('/index.html')) path = path.slice(0, -10);
  //? extensionless
  else if (path.endsWith('.html')) path = path.slice(0, -5);
  //?
  if (path in PACK) return path;
  if (request.mode === 'navigate' && path + '/' in PACK) return path + '/';
}

export async function fromPack(path, request) {
  const wanted = new URL(request.url);
  //! A folder without its slash is sent to the one with it, as the host would, so that relative links hold.
  if (request.mode === 'navigate' && wanted.pathname + '/' === path) {
    wanted.pathname = path;
    return Response.redirect(wanted.href, 301);
  }
  return (await caches.open(STORE)).match(keyOf(path));
}
