//! Made by tachyform: takes away its registration and all that was kept, and loads open pages once more, then past any worker.
self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil(retire()));

async function retire() {
  for (const name of await caches.keys()) await caches.delete(name);
  await self.registration.unregister();
  //! Only pages that a worker controls are listed, so a page that registers it again is not loaded again and again.
  for (const page of await self.clients.matchAll({ type: 'window' })) page.navigate(page.url).catch(() => {});
}
