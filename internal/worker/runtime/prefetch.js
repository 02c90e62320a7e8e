import { RULES } from './settings.js';
import { openCache } from './opencache.js';
import { keep, mayKeep } from './keep.js';

//! What packed pages ask for and a rule answers is fetched along with the pack, so that the first visit is enough; it may fail.
export async function prefetch() {
  await Promise.all(
    RULES.flatMap((rule) =>
      (rule.first || []).map(async (path) => {
        const store = await openCache(rule.store);
        if (!store || (await store.match(path))) return;
        let answer = fetch(path, { credentials: 'same-origin' });
        //? opaque
        if (rule.opaque) answer = answer.catch(() => fetch(path, { mode: 'no-cors' }));
        //?
        const response = await Promise.race([answer, new Promise((resolve) => setTimeout(resolve, 1e4))]);
        if (response && mayKeep(rule, response)) await keep(rule, store, path, response, {});
      }),
    ).map((one) => one.catch(() => {})),
  );
}
