//? pack
import { install, packed } from './pack.js';
//?
import { clean } from './clean.js';
import { answer } from './answer.js';
//? rules
import { ruleFor } from './rules.js';
//?
//? stand-ins
import { standInFor } from './standin.js';
//?

//! Made by tachyform from tachyform.yaml; changes made here are lost at the next fit.

//? pack
//! Installing: every file of the pack is fetched, or the installation fails and the release before stays whole.
self.addEventListener('install', (event) => event.waitUntil(install()));
//?
//? at-once
self.addEventListener('install', () => self.skipWaiting());
//?

//! Activating: files and stores of earlier releases go, those of anything else stay.
self.addEventListener('activate', (event) => event.waitUntil(clean()));
//? at-once
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()));
//?

//? ask
//! The page asks for the takeover once its visitor agrees.
self.addEventListener('message', (event) => {
  if (event.data === 'tachyform:take-over') self.skipWaiting();
});
//?

self.addEventListener('fetch', (event) => {
  const { request } = event;
  if (request.method !== 'GET' || request.headers.has('range')) return;
  const url = new URL(request.url);
  let kept;
  let rule;
  //? pack
  kept = packed(url, request);
  //?
  //? rules
  if (!kept) rule = ruleFor(url, request);
  //?
  if (kept || rule) event.respondWith(answer(event, kept, rule));
  //? stand-ins
  else if (standInFor(request)) event.respondWith(answer(event));
  //?
});
