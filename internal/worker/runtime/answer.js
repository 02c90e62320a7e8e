//? pack
import { fromPack } from './pack.js';
//?
//? restore
import { restore } from './pack.js';
//?
//? rules
import { byRule } from './approaches.js';
//?
//? stand-ins
import { standIn } from './standin.js';
//?
//? tabs
import { heldFile } from './releases.js';
//?

export async function answer(event, url, kept, rule) {
  const { request } = event;
  //? tabs
  //! A page of an earlier release that is still open gets that release's files, and no others.
  const held = await heldFile(event, url);
  if (held) return (await fromPack(held.path, request, held.list)) || fetch(request);
  //?
  //? pack
  if (kept) {
    const copy = await fromPack(kept, request);
    if (copy) return copy;
    //! The browser threw the copy away; then the network is asked.
    //? restore
    event.waitUntil(restore());
    //?
  }
  //?
  //? stand-ins
  try {
    //?
    //? rules
    if (rule) return await byRule(event, rule, url);
    //?
    //? preload
    if (request.mode === 'navigate') return (await event.preloadResponse) || (await fetch(request));
    //?
    return await fetch(request);
  //? stand-ins
  } catch (error) {
    const copy = await standIn(request, url);
    if (copy) return copy;
    throw error;
  }
  //?
}
