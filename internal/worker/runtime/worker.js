import { install, clean, packed } from './pack.js';
import { answer } from './answer.js';
import { ruleFor } from './rules.js';
import { standInFor } from './standin.js';

//! Made by tachyform from tachyform.yaml; changes made here are lost at the next fit.

//! Installing: every file of the pack is fetched, or the installation fails and the release before stays whole.
self.addEventListener('install', (event) => {
  if (HAS_PACK) event.waitUntil(install());
  if (AT_ONCE) self.skipWaiting();
});

//! Activating: files and stores of earlier releases go, those of anything else stay.
self.addEventListener('activate', (event) => {
  event.waitUntil(AT_ONCE ? clean().then(() => self.clients.claim()) : clean());
});

if (ASK) {
  //! The page asks for the takeover once its visitor agrees.
  self.addEventListener('message', (event) => {
    if (event.data === 'tachyform:take-over') self.skipWaiting();
  });
}

self.addEventListener('fetch', (event) => {
  const { request } = event;
  if (request.method !== 'GET' || request.headers.has('range')) return;
  const url = new URL(request.url);
  const kept = HAS_PACK && packed(url, request);
  const rule = HAS_RULES && !kept && ruleFor(url, request);
  if (kept || rule || (STAND_INS && standInFor(request))) event.respondWith(answer(event, kept, rule));
});
