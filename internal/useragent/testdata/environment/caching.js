const fresh = async (name) => { await caches.delete(name); return caches.open(name); };
test('storage by name, in the order of opening', async () => {
  for (const k of await caches.keys()) await caches.delete(k);
  await caches.open('b');
  await caches.open('a');
  is([await caches.keys(), await caches.has('a'), await caches.has('c'), await caches.delete('c'), await caches.delete('b'), await caches.keys()], [['b', 'a'], true, false, false, true, ['a']]);
  await rejects('TypeError', caches.open());
  throws('TypeError', () => new Cache());
});
test('putting and finding', async () => {
  const c = await fresh('c');
  await c.put('/a', new Response('one'));
  await c.put('/a', new Response('two'));
  await c.put('/b?x=1', new Response('query'));
  is([await (await c.match('/a')).text(), (await c.keys()).length, await c.match('/b'), await c.match('/none')], ['two', 2, undefined, undefined]);
  is(await (await c.match('/b', { ignoreSearch: true })).text(), 'query');
  is(await (await c.match('/a#part')).text(), 'two');
  is([await c.match(new Request('/a', { method: 'POST' })), (await c.match(new Request('/a', { method: 'POST' }), { ignoreMethod: true })).status], [undefined, 200]);
  is((await c.matchAll()).length, 2);
  is((await c.keys('/b', { ignoreSearch: true }))[0].url, HERE + '/b?x=1');
});
test('vary', async () => {
  const c = await fresh('vary');
  await c.put(new Request('/v', { headers: { 'x-lang': 'de' } }), new Response('de', { headers: { vary: 'X-Lang' } }));
  await c.put(new Request('/v', { headers: { 'x-lang': 'en' } }), new Response('en', { headers: { vary: 'X-Lang' } }));
  is([await (await c.match(new Request('/v', { headers: { 'x-lang': 'en' } }))).text(), await c.match('/v'), await (await c.match('/v', { ignoreVary: true })).text(), (await c.keys()).length], ['en', undefined, 'en', 1]);
  await rejects('TypeError', c.put('/w', new Response('', { headers: { vary: 'a, *' } })));
});
test('what is not stored', async () => {
  const c = await fresh('not');
  await rejects('TypeError', c.put(new Request('/a', { method: 'POST', body: '' }), new Response()));
  await rejects('TypeError', c.put('/a', new Response(new Uint8Array(1), { status: 206 })));
  await rejects('TypeError', c.put('data:,x', new Response()));
  await rejects('TypeError', c.put('/a', 'text'));
  const used = new Response('x');
  await used.text();
  await rejects('TypeError', c.put('/a', used));
  is((await c.keys()).length, 0);
});
test('a stored answer is used up and comes back whole', async () => {
  const c = await fresh('whole');
  const r = new Response(new Blob(['pier']).stream(), { status: 203, statusText: 'So', headers: { 'x-a': 'b', 'set-cookie': 'no' } });
  await c.put('/p', r);
  is(r.bodyUsed, true);
  const [a, b] = [await c.match('/p'), await c.match('/p')];
  is([a.status, a.statusText, a.headers.get('x-a'), a.headers.get('set-cookie'), await a.text(), await b.text()], [203, 'So', 'b', null, 'pier', 'pier']);
});
test('adding is all or nothing', async () => {
  const c = await fresh('add');
  await rejects('TypeError', c.addAll(['/data.json', '/nowhere']));
  is((await c.keys()).length, 0);
  await c.addAll(['/data.json', new Request('/')]);
  is((await c.keys()).map((r) => new URL(r.url).pathname), ['/data.json', '/']);
  await c.add('/data.json');
  is([(await c.keys()).length, (await c.match('/data.json')).url], [2, HERE + '/data.json']);
  await rejects('InvalidStateError', c.addAll(['/', '/']));
  await rejects('TypeError', c.add('data:,x'));
  await rejects('TypeError', c.add(new Request('/', { method: 'POST' })));
});
test('deleting', async () => {
  const c = await fresh('del');
  await c.put('/a?1', new Response());
  await c.put('/a?2', new Response());
  await c.put('/b', new Response());
  is([await c.delete('/a'), await c.delete('/a', { ignoreSearch: true }), await c.delete('/b'), (await c.keys()).length], [false, true, true, 0]);
});
test('a deleted cache goes on for those who hold it', async () => {
  const c = await fresh('held');
  await caches.delete('held');
  await c.put('/x', new Response('still'));
  is([await (await c.match('/x')).text(), await caches.has('held'), await (await caches.open('held')).match('/x')], ['still', false, undefined]);
});
test('looking in all of them', async () => {
  for (const k of await caches.keys()) await caches.delete(k);
  await (await caches.open('one')).put('/x', new Response('1'));
  await (await caches.open('two')).put('/x', new Response('2'));
  is([await (await caches.match('/x')).text(), await (await caches.match('/x', { cacheName: 'two' })).text(), await caches.match('/x', { cacheName: 'three' })], ['1', '2', undefined]);
});
here('opaque answers are kept and stay closed', async () => {
  const c = await fresh('opaque');
  await c.add(new Request('https://elsewhere.example/x', { mode: 'no-cors' }));
  const r = await c.match('https://elsewhere.example/x');
  is([r.type, r.status, await r.text()], ['opaque', 0, '']);
});
