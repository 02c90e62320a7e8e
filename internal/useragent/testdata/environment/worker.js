test('the global scope', () => {
  is([self === globalThis, self instanceof ServiceWorkerGlobalScope, self instanceof EventTarget, isSecureContext, origin, location.pathname, typeof importScripts], [true, true, true, true, HERE, '/w.js', 'function']);
  is([registration.scope, registration.installing === serviceWorker, registration.active, serviceWorker.state, registration.updateViaCache], [HERE + '/', true, null, 'installing', 'imports']);
  is([navigator instanceof WorkerNavigator, navigator.onLine, typeof navigator.userAgent, typeof navigator.language], [true, true, 'string', 'string']);
  throws('TypeError', () => new ServiceWorkerGlobalScope());
  is(Object.prototype.toString.call(self), '[object ServiceWorkerGlobalScope]');
});
test('imports are not there later', async () => {
  await rejects('TypeError', import('/data.json'));
  throws('NetworkError', () => importScripts('/nowhere.js'));
  throws('SyntaxError', () => importScripts('http://['));
});
test('clients', async () => {
  is((await clients.matchAll()).length, 0);
  const [page] = await clients.matchAll({ includeUncontrolled: true });
  is([page.url, page.type, page.frameType, page instanceof WindowClient, (await clients.get(page.id)).id === page.id, await clients.get('none')], [HERE + '/', 'window', 'top-level', true, true, undefined]);
  page.postMessage({ hello: 1 });
  throws('DataCloneError', () => page.postMessage(() => {}));
  await rejects('TypeError', page.navigate('/x'), 'not controlled');
  await rejects('InvalidAccessError', clients.openWindow('/'));
  await rejects('InvalidStateError', clients.claim(), 'not active');
});
test('events of the worker', () => {
  throws('TypeError', () => new FetchEvent('fetch'));
  const e = new FetchEvent('fetch', { request: new Request('/x'), clientId: 'c' });
  is([e.request.url, e.clientId, e.resultingClientId, e instanceof ExtendableEvent], [HERE + '/x', 'c', '', true]);
  throws('InvalidStateError', () => new ExtendableEvent('x').waitUntil(Promise.resolve()));
  const m = new ExtendableMessageEvent('message', { data: 3, origin: 'o', source: null });
  is([m.data, m.origin, m.source, m.ports.length], [3, 'o', null, 0]);
  is([new PushEvent('push', { data: 'low' }).data.text(), new PushEvent('push').data, new SyncEvent('sync', { tag: 't' }).tag], ['low', null, 't']);
  throws('TypeError', () => new SyncEvent('sync'));
});
test('a worker tells itself', async () => {
  const heard = new Promise((ok) => addEventListener('message', (e) => ok([e.data, e.source === serviceWorker, e.origin]), { once: true }));
  serviceWorker.postMessage({ n: 1 });
  is(await heard, [{ n: 1 }, true, HERE]);
});
hereWhenActive('push, sync and notifications', async () => {
  is(await registration.pushManager.getSubscription(), null);
  const s = await registration.pushManager.subscribe({ userVisibleOnly: true });
  is([typeof s.endpoint, s.toJSON().keys.auth.length, (await registration.pushManager.getSubscription()) !== null, await s.unsubscribe()], ['string', 22, true, true]);
  await registration.sync.register('later');
  await registration.showNotification('Low water', { tag: 'tide', data: { at: 3 }, actions: [{ action: 'open', title: 'Open' }] });
  await registration.showNotification('Lower water', { tag: 'tide' });
  const [n, ...more] = await registration.getNotifications({ tag: 'tide' });
  is([n.title, n.tag, n.data, more.length], ['Lower water', 'tide', null, 0]);
  n.close();
  is((await registration.getNotifications()).length, 0);
  throws('TypeError', () => new Notification('x'));
});
whenActive('navigation preload', async () => {
  is((await registration.navigationPreload.getState()).enabled, false);
  await registration.navigationPreload.enable();
  is((await registration.navigationPreload.getState()).enabled, true);
  await registration.navigationPreload.disable();
});
test('connections that stay open fail', async () => {
  const w = new WebSocket('wss://line.example/live');
  is([w.readyState, w.url], [0, 'wss://line.example/live']);
  const code = await new Promise((ok) => { w.onclose = (e) => ok(e.code); });
  is([code, w.readyState], [1006, 3]);
  const s = new EventSource('/live');
  await new Promise((ok) => { s.onerror = ok; });
  is(s.readyState, EventSource.CLOSED);
  throws('SyntaxError', () => new WebSocket('ftp://x/'));
});
