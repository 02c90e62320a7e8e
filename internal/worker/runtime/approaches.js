import { plain } from './plain.js';
//? stand-ins
import { standIn } from './standin.js';
//?

export async function byRule(event, rule) {
  //? network-only
  if (rule.answer === 'network-only') return fetch(event.request);
  //?
  const store = await caches.open(rule.store);
  //? cache-first
  if (rule.answer === 'cache-first') return (await store.match(event.request)) || fetchAndKeep(event, store);
  //?
  //? network-first
  return networkFirst(event, store, rule.patience);
  //?
}

//? network-first
async function networkFirst(event, store, patience) {
  const { request } = event;
  const network = fetchAndKeep(event, store);
  const otherwise = async () => {
    let copy = await store.match(request);
    //? stand-ins
    if (!copy) copy = await standIn(request);
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
