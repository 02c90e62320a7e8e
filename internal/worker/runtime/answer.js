import { fromPack, plain } from './pack.js';
import { standInFor } from './standin.js';

export async function answer(event, kept, rule) {
  const { request } = event;
  if (HAS_PACK && kept) {
    //! The browser may have thrown the copy away; then the network is asked.
    const copy = await fromPack(kept, request);
    if (copy) return copy;
  }
  try {
    return await (HAS_RULES && rule ? byRule(event, rule) : fetch(request));
  } catch (error) {
    const copy = await standIn(request);
    if (copy) return copy;
    throw error;
  }
}

async function standIn(request) {
  const path = STAND_INS && standInFor(request);
  return path ? fromPack(path, new Request(path)) : undefined;
}

async function byRule(event, rule) {
  const { request } = event;
  if (NETWORK_ONLY && rule.answer === 'network-only') return fetch(request);
  const store = await caches.open(rule.store);
  if (CACHE_FIRST && rule.answer === 'cache-first') return (await store.match(request)) || fetchAndKeep(event, store);
  if (NETWORK_FIRST && rule.answer === 'network-first') return networkFirst(event, store, rule.patience);
}

async function networkFirst(event, store, patience) {
  const { request } = event;
  const network = fetchAndKeep(event, store);
  //! Without a copy or a stand-in there is nothing better than to go on waiting.
  const otherwise = async () => (await store.match(request)) || (await standIn(request));
  if (patience) {
    network.catch(() => {});
    const late = new Promise((resolve) => setTimeout(resolve, patience)).then(otherwise);
    const first = await Promise.race([network.catch(otherwise), late]);
    if (first) return first;
  }
  try {
    return await network;
  } catch (error) {
    const copy = await otherwise();
    if (copy) return copy;
    throw error;
  }
}

//! Only whole, successful answers are kept, and none that says it must not be.
function fetchAndKeep(event, store) {
  let kept;
  const network = fetch(event.request).then((response) => {
    if (response.status === 200 && !/no-store/i.test(response.headers.get('cache-control') || '')) {
      kept = plain(response.clone())
        .then((answer) => store.put(event.request, answer))
        .catch((error) => console.warn(`${event.request.url} was not kept:`, error));
    }
    return response;
  });
  //! Asked for now, the time to keep the answer is granted even when a copy answers first.
  event.waitUntil(network.then(() => kept, () => {}));
  return network;
}
