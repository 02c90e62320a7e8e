import { PAGE, IMAGE } from './settings.js';

//! What is shown when the request can't be answered, as a path of the pack.
export function standInFor(request) {
  if (PAGE_STAND_IN && request.mode === 'navigate') return PAGE;
  if (IMAGE_STAND_IN && request.destination === 'image') return IMAGE;
}
