import { PACK, SCOPE, RULES } from './settings.js';

const OWN = `tachyform ${SCOPE} `;
const STORE = OWN + 'pack';

//! A packed file is kept under its path and stamp, so that unchanged files of the release before are simply there.
const keyOf = (path) => `${path}?tachyform=${PACK[path]}`;

export async function install() {
  const store = await caches.open(STORE);
  const there = new Set((await store.keys()).map((request) => request.url));
  const missing = Object.keys(PACK).filter((path) => !there.has(new URL(keyOf(path), self.location).href));
  //! Six at a time, as browsers would; past the HTTP cache, which may hold the bytes of an earlier release.
  const next = async () => {
    for (let path; (path = missing.pop()) !== undefined; ) {
      const response = await fetch(path, { cache: 'reload', credentials: 'same-origin' });
      if (response.status !== 200) throw new TypeError(`${path} of the pack answered with status ${response.status}`);
      await store.put(keyOf(path), await plain(response));
    }
  };
  await Promise.all([next(), next(), next(), next(), next(), next()]);
}

export async function clean() {
  if (HAS_PACK) {
    const store = await caches.open(STORE);
    const current = new Set(Object.keys(PACK).map((path) => new URL(keyOf(path), self.location).href));
    for (const request of await store.keys()) if (!current.has(request.url)) await store.delete(request);
  }
  const stores = new Set(RULES.map((rule) => rule.store));
  if (HAS_PACK) stores.add(STORE);
  for (const name of await caches.keys()) if (name.startsWith(OWN) && !stores.has(name)) await caches.delete(name);
}

//! The path under which the pack answers a URL, if it does. Queries do not choose among files.
export function packed(url, request) {
  if (url.origin !== self.location.origin) return;
  let path = url.pathname;
  if (path in PACK) return path;
  if (path.endsWith('/index.html')) path = path.slice(0, -10);
  else if (EXTENSIONLESS && path.endsWith('.html')) path = path.slice(0, -5);
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

//! A response that followed a redirect may not answer a page load; a plain copy may.
export async function plain(response) {
  if (!response.redirected) return response;
  const { status, statusText, headers } = response;
  return new Response(await response.blob(), { status, statusText, headers });
}
