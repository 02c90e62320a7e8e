// How errors are told to the developer.

import { ofBrowser } from './host.js';

export function describe(error) {
  if (error !== null && typeof error === 'object' && 'message' in error) return `${error.name || 'Error'}: ${error.message}`;
  try {
    return String(error);
  } catch {
    return 'an object that cannot be shown';
  }
}
export const nameOf = (error) => (error !== null && typeof error === 'object' && typeof error.name === 'string' ? error.name : '');
export const stackOf = (error) => (error !== null && typeof error === 'object' && typeof error.stack === 'string' ? error.stack : '');
// The name of an error that a script made, '' for one of the browser's.
export const nameOfScripts = (error) => (ofBrowser.has(error) ? '' : nameOf(error));
