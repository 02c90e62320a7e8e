//? own-code
import 'own-code';
//?
//? pack
import { install, packed } from './pack.js';
//?
import { clean } from './clean.js';
import { answer } from './answer.js';
//? rules
import { ruleFor } from './rules.js';
//?
//? reload
import { RELEASE } from './settings.js';
//?
//? never
import { NEVER } from './settings.js';
import { matches } from './matches.js';
//?
//? shell
import { shellFor } from './shell.js';
//?
//? stand-ins
import { standsIn } from './standin.js';
//?
//? refresh
import { refill } from './refresh.js';
//?
//? prefetch
import { prefetch } from './prefetch.js';
//?
//? tabs
import { assignReleases, mayHold, tidy } from './releases.js';
//?

//! Made by tachyform from tachyform.yaml; changes made here are lost at the next fit.

//? pack
//! Installing: every file of the pack is fetched, or the installation fails and the release before stays whole.
self.addEventListener('install', (event) => event.waitUntil(install()));
//?
//? refresh
//? prefetch
self.addEventListener('install', (event) => event.waitUntil(refill().then(prefetch)));
//?
//? !prefetch
self.addEventListener('install', (event) => event.waitUntil(refill()));
//?
//?
//? !refresh
//? prefetch
self.addEventListener('install', (event) => event.waitUntil(prefetch()));
//?
//?
//? at-once
self.addEventListener('install', () => self.skipWaiting());
//?

//! Activating: files and stores of earlier releases go, those of anything else stay.
self.addEventListener('activate', (event) => {
  //? tabs
  event.waitUntil(assignReleases().then(clean));
  //?
  //? !tabs
  event.waitUntil(clean());
  //?
  //? at-once
  event.waitUntil(self.clients.claim());
  //?
  const { navigationPreload } = self.registration;
  //? preload
  if (navigationPreload) event.waitUntil(navigationPreload.enable());
  //?
  //? !preload
  if (navigationPreload) event.waitUntil(navigationPreload.disable());
  //?
});

//? reload
self.addEventListener('message', (event) => {
  //? ask
  //! The page asks for the takeover once its visitor agrees.
  if (event.data === 'tachyform:take-over') self.skipWaiting();
  //?
  //! A page that has been taken over asks by which release.
  if (event.data === 'tachyform:release' && event.ports[0]) event.ports[0].postMessage(RELEASE);
});
//?

self.addEventListener('fetch', (event) => {
  const { request } = event;
  //? !methods
  if (request.method !== 'GET') return;
  //?
  //? !ranges
  if (request.headers.has('range')) return;
  //?
  //! Some tools ask for what the browser's own cache holds, in a way that a worker could not pass on.
  if (request.cache === 'only-if-cached' && request.mode !== 'same-origin') return;
  //? open-ended
  //! A stream of events has no end that could be kept.
  if (request.headers.get('accept') === 'text/event-stream') return;
  //?
  const url = new URL(request.url);
  //? never
  if (NEVER.some((pattern) => matches(pattern, url))) return;
  //?
  //? methods
  if (request.method !== 'GET') {
    //! Answers to other methods are never kept, but something may stand in for them.
    const asked = ruleFor(url, request);
    if (asked) event.respondWith(answer(event, url, undefined, asked));
    return;
  }
  //?
  let kept;
  let rule;
  //? pack
  kept = packed(url, request);
  //?
  //? rules
  if (!kept) rule = ruleFor(url, request);
  //?
  //? shell
  if (!kept && !rule) kept = shellFor(url, request);
  //?
  let mine = kept || rule;
  //? stand-ins
  mine = mine || standsIn(request, url);
  //?
  //? tabs
  mine = mine || mayHold(event, url);
  if (request.mode === 'navigate') event.waitUntil(tidy());
  //?
  if (mine) event.respondWith(answer(event, url, kept, rule));
});
