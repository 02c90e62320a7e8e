//? pack
import { fromPack } from './pack.js';
//?
//? rules
import { byRule } from './approaches.js';
//?
//? stand-ins
import { standIn } from './standin.js';
//?

export async function answer(event, kept, rule) {
  const { request } = event;
  //? pack
  if (kept) {
    //! The browser may have thrown the copy away; then the network is asked.
    const copy = await fromPack(kept, request);
    if (copy) return copy;
  }
  //?
  //? stand-ins
  try {
    //?
    //? rules
    if (rule) return await byRule(event, rule);
    //?
    return await fetch(request);
  //? stand-ins
  } catch (error) {
    const copy = await standIn(request);
    if (copy) return copy;
    throw error;
  }
  //?
}
