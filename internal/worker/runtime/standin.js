//? page-stand-in
import { PAGE } from './settings.js';
//?
//? page-status
import { PAGE_STATUS } from './settings.js';
//?
//? image-stand-in
import { IMAGE } from './settings.js';
//?
//? font-stand-in
import { FONT } from './settings.js';
//?
//? data-stand-in
import { DATA } from './settings.js';
import { matches } from './matches.js';
//?
import { fromPack } from './pack.js';

//! What is shown when the request can't be answered: a path of the pack.
const pathFor = (request) => {
  //? page-stand-in
  if (request.mode === 'navigate') return PAGE;
  //?
  //? image-stand-in
  if (request.destination === 'image') return IMAGE;
  //?
  //? font-stand-in
  if (request.destination === 'font') return FONT;
  //?
};

//? data-stand-in
const isData = (request, url) => !request.destination && request.mode !== 'navigate' && matches(DATA, url);
//?

export const standsIn = (request, url) => {
  //? data-stand-in
  if (isData(request, url)) return true;
  //?
  return pathFor(request);
};

export async function standIn(request, url) {
  //? data-stand-in
  if (isData(request, url)) return new Response(DATA.body, { status: DATA.status, headers: { 'content-type': DATA.type } });
  //?
  const path = pathFor(request);
  const copy = path && (await fromPack(path));
  //? page-status
  if (copy && path === PAGE) return new Response(copy.body, { status: PAGE_STATUS, headers: copy.headers });
  //?
  return copy;
}
