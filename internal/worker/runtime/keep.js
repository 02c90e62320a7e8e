import { unredirected } from './unredirected.js';

//? queries
//! The copy's key: the address without the query parameters that do not choose among copies.
export function keyFor(rule, request, url) {
  if (!rule.ignored) return request;
  const key = new URL(url);
  for (const name of [...key.searchParams.keys()]) if (rule.ignored.test(name)) key.searchParams.delete(name);
  return key.href;
}
//?
//? !queries
export const keyFor = (rule, request) => request;
//?

//? dated
//! When a copy was kept and how heavy it is stand in a header of its own; opaque copies have none.
const note = (copy) => (copy.headers.get('tachyform-kept') || '').split(' ').map(Number);
//?

//! A copy, unless it is too old.
export function usable(rule, copy) {
  //? for
  if (copy && rule.for && note(copy)[0] && note(copy)[0] + rule.for < Date.now()) return;
  //?
  return copy;
}

//! Only whole answers are kept, by default those with status 200, and none that says it must not be.
export const mayKeep = (rule, response, request) => {
  //? opaque
  if (rule.opaque && response.type === 'opaque') return true;
  //?
  //? statuses
  if (!(rule.statuses || [200]).includes(response.status)) return false;
  //?
  //? !statuses
  if (response.status !== 200) return false;
  //?
  //? even-private
  if (rule.evenPrivate) return true;
  //?
  return !(request && request.headers.has('authorization')) && !/no-store/i.test(response.headers.get('cache-control') || '');
};

export function fetchAndKeep(event, rule, store, key, shown) {
  const { request } = event;
  let asked = request;
  let kept;
  //? ranges
  //! A film asked for from its start is fetched whole, so that it can be kept.
  if (request.headers.get('range') === 'bytes=0-') {
    asked = new Request(request, { headers: {} });
    if (key === request) key = asked;
  }
  //?
  const load = () => fetch(asked);
  //? preload
  const answered = request.mode === 'navigate' ? Promise.resolve(event.preloadResponse).then((early) => early || load()) : load();
  //?
  //? !preload
  const answered = load();
  //?
  const network = answered.then((response) => {
    if (mayKeep(rule, response, request)) {
      kept = keep(rule, store, key, response.clone(), shown).catch((error) => console.warn(`${request.url} was not kept:`, error));
    }
    return response;
  });
  //! Asked for now, the time to keep the answer is granted even when a copy answers first.
  event.waitUntil(network.then(() => kept, () => {}));
  return network;
}

export async function keep(rule, store, key, response, shown) {
  response = await unredirected(response);
  //? dated
  if (response.type !== 'opaque') {
    const body = await response.blob();
    const { status, statusText } = response;
    const headers = new Headers(response.headers);
    headers.set('tachyform-kept', `${Date.now()} ${body.size}`);
    response = new Response(body.size ? body : null, { status, statusText, headers });
  }
  //?
  //? tell
  const old = rule.tell && shown.copy && (await store.match(key));
  const other = old && (await old.text()) !== (await response.clone().text());
  //?
  await store.put(key, response);
  //? tell
  //! Told once the fresh copy is there, so that a page which asks again gets it.
  if (other) for (const page of await self.clients.matchAll({ type: 'window' })) page.postMessage({ tachyform: 'refreshed', url: shown.url });
  //?
  //? bounded
  await trim(rule, store);
  //?
}

//? bounded
//! The copies that were kept longest ago go first.
async function trim(rule, store) {
  let count = 0;
  //? dated
  let bytes = 0;
  //?
  for (const request of [...(await store.keys())].reverse()) {
    let over = ++count > (rule.atMost || Infinity);
    //? dated
    const copy = await store.match(request);
    if (!over && copy) {
      over = (bytes += note(copy)[1] || 0) > (rule.bytes || Infinity);
      //? for
      over = over || !usable(rule, copy);
      //?
    }
    //?
    if (over) await store.delete(request);
  }
}
//?
