import { PAGE, IMAGE } from './settings.js';
import { fromPack } from './pack.js';

//! What is shown when the request can't be answered, as a path of the pack.
export function standInFor(request) {
  //? page-stand-in
  if (request.mode === 'navigate') return PAGE;
  //?
  //? image-stand-in
  if (request.destination === 'image') return IMAGE;
  //?
}

export async function standIn(request) {
  const path = standInFor(request);
  return path && fromPack(path, new Request(path));
}
