import { SHELL, EXCEPT } from './settings.js';
import { matches } from './matches.js';

//! One page draws all others; what looks like a file is none of them.
export function shellFor(url, request) {
  if (request.mode === 'navigate' && !/\.[^/]*$/.test(url.pathname) && !EXCEPT.some((pattern) => matches(pattern, url))) return SHELL;
}
