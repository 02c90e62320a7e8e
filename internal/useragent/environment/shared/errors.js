// How errors are told to the developer.

import { Error, getPrototypeOf, isA } from './primordials.js';
import { ofBrowser } from './host.js';

// Errors of Response.json() for a body that arrived from the network or a service worker. Chromium does not dispatch unhandledrejection
// for them, because no script is running when they are created.
export const parsedWithoutScript = new WeakSet();
export function describe(error) {
  const message = ownText(error, 'message');
  if (message !== undefined) return `${ownText(error, 'name') || 'Error'}: ${message}`;
  try {
    return String(error);
  } catch {
    return 'an object that cannot be shown';
  }
}
// A member of an error, without asking a script's own accessors for it.
function ownText(error, name) {
  if (error === null || typeof error !== 'object') return undefined;
  if (isA(error, Error)) return name in error ? error[name] : undefined;
  for (let at = error; at !== null; at = getPrototypeOf(at)) {
    const d = Object.getOwnPropertyDescriptor(at, name);
    if (d) return 'value' in d ? d.value : undefined;
  }
  return undefined;
}
export const nameOf = (error) => (error !== null && typeof error === 'object' && typeof ownText(error, 'name') === 'string' ? ownText(error, 'name') : '');
export const stackOf = (error) => (error !== null && typeof error === 'object' && typeof error.stack === 'string' ? error.stack : '');
// The name of an error that a script made, '' for one of the browser's.
export const nameOfScripts = (error) => (ofBrowser.has(error) ? '' : nameOf(error));
