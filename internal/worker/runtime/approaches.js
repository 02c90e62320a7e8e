//? storing
import { fetchAndKeep, keyFor, usable } from './keep.js';
import { openCache } from './opencache.js';
//?
//? ranges
import { rangeOf } from './range.js';
//?
//? stand-ins
import { standIn } from './standin.js';
//?

export async function byRule(event, rule, url) {
  const { request } = event;
  //? network-only
  if (rule.answer === 'network-only') return fetch(request);
  //?
  //? cache-only
  if (rule.answer === 'cache-only') {
    //! From whatever this site's own scripts put into caches.
    const copy = await caches.match(request);
    if (!copy) throw new TypeError(`${url} is in no cache`);
    //? ranges
    const range = request.headers.get('range');
    if (range) return rangeOf(copy, range);
    //?
    return copy;
  }
  //?
  //? storing
  const store = await openCache(rule.store);
  if (!store) return fetch(request);
  const key = keyFor(rule, request, url);
  //! What was shown from the store, to tell later whether the network has something else.
  const shown = { url: url.href };
  const stored = async () => {
    const copy = usable(rule, await store.match(key));
    shown.copy = copy;
    //? ranges
    const range = copy && request.headers.get('range');
    if (range) return rangeOf(copy, range);
    //?
    return copy;
  };
  const network = () => fetchAndKeep(event, rule, store, key, shown);
  //? cache-first
  if (rule.answer === 'cache-first') return (await stored()) || network();
  //?
  //? stale-while-revalidate
  if (rule.answer === 'stale-while-revalidate') {
    const copy = await stored();
    const fresh = network();
    if (!copy) return fresh;
    fresh.catch(() => {});
    return copy;
  }
  //?
  //? network-first
  return networkFirst(request, url, rule.patience, network(), stored);
  //?
  //?
}

//? network-first
async function networkFirst(request, url, patience, network, stored) {
  const otherwise = async () => {
    const copy = await stored();
    //? stand-ins
    if (!copy) return standIn(request, url);
    //?
    return copy;
  };
  if (patience) {
    const late = new Promise((resolve) => setTimeout(resolve, patience)).then(otherwise);
    const first = await Promise.race([network.catch(otherwise), late]);
    if (first) return first;
    //! Without a copy or a stand-in there is nothing better than to go on waiting.
  }
  try {
    return await network;
  } catch (error) {
    const copy = await otherwise();
    if (copy) return copy;
    throw error;
  }
}
//?
