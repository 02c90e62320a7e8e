import { RELEASE } from './settings.js';
import { OWN } from './names.js';
import { openCache } from './opencache.js';
import { stamps, packed } from './pack.js';
import { clean } from './clean.js';

//! The book says which open pages still run under an earlier release, and which files that release had: no page gets files of two.
const BOOK = OWN + 'book';
let book;
let empty = false;

const read = async (name) => {
  const store = await openCache(BOOK);
  const text = store && (await store.match(name));
  return text && text.json();
};

const current = () => (book = book || read('book').then(stateOf));

function stateOf({ pages = {}, now } = {}) {
  empty = !Object.keys(pages).length;
  return { pages, now };
}

const listOf = async (release) => new Map((await read('list?' + release)) || []);

async function write(pages) {
  const store = await caches.open(BOOK);
  const releases = new Set(Object.values(pages));
  for (const { url } of await store.keys()) if (url.includes('?') && !releases.has(url.split('?')[1])) await store.delete(url);
  await store.put('list?' + RELEASE, new Response(JSON.stringify([...stamps])));
  await store.put('book', new Response(JSON.stringify({ now: RELEASE, pages })));
  book = Promise.resolve(stateOf({ now: RELEASE, pages }));
  return Promise.all([...releases].map(listOf));
}

//! At the takeover: the pages that are open ran under the release before, or one before that.
export async function assignReleases() {
  const { pages, now } = await current();
  const open = {};
  for (const { id } of await self.clients.matchAll({ type: 'all' })) {
    const release = pages[id] || now;
    if (release && release !== RELEASE) open[id] = release;
  }
  return write(open);
}

//! Once pages are closed, what only their release needed goes.
export async function tidy() {
  const { pages } = await current();
  if (empty) return;
  const open = {};
  for (const { id } of await self.clients.matchAll({ type: 'all', includeUncontrolled: true })) if (pages[id]) open[id] = pages[id];
  if (Object.keys(open).length < Object.keys(pages).length) await clean(await write(open));
}

export const mayHold = (event, url) => !empty && event.clientId && event.request.method === 'GET' && event.request.mode !== 'navigate' && url.origin === self.location.origin;

//! The file of the earlier release that the page which asks runs under.
export async function heldFile(event, url) {
  if (!mayHold(event, url)) return;
  const { pages } = await current();
  if (!pages[event.clientId]) return;
  const list = await listOf(pages[event.clientId]);
  const path = packed(url, event.request, list);
  return path && { path, list };
}
