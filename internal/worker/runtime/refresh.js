import { RULES } from './settings.js';
import { openCache } from './opencache.js';
import { keep, mayKeep } from './keep.js';

//! What was kept by rules under the release before is fetched again, so that no page is shown with files it does not know.
//! What cannot be had within ten seconds is dropped.
export async function refill() {
  for (const rule of RULES) {
    if (!rule.family || (await caches.has(rule.store))) continue;
    const before = (await caches.keys()).find((name) => name.startsWith(rule.family));
    if (!before) continue;
    const store = await openCache(rule.store);
    const left = [...(await (await openCache(before)).keys())];
    const next = async () => {
      for (let request; (request = left.shift()); ) {
        const network = fetch(request.url, { cache: 'no-cache', credentials: request.credentials }).catch(() => {});
        const response = await Promise.race([network, new Promise((resolve) => setTimeout(resolve, 1e4))]);
        if (response && mayKeep(rule, response) && !response.redirected) await keep(rule, store, request.url, response, {}).catch(() => {});
      }
    };
    await Promise.all([next(), next(), next(), next()]);
  }
}
