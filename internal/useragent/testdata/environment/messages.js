// Headers, requests and responses in their corners.
test('names and values of headers are checked', () => {
  const h = new Headers();
  for (const bad of ['', 'a b', 'a:', 'é', 'a\n']) throws('TypeError', () => h.append(bad, 'x'), JSON.stringify(bad));
  for (const bad of ['a\nb', 'a\r', '\0', 'é€']) throws('TypeError', () => h.append('x', bad + 'z'), JSON.stringify(bad));
  h.append('X-Tide', '  3,6 m\t');
  is(h.get('x-tide'), '3,6 m');
  h.append('x-tide', '');
  is(h.get('X-TIDE'), '3,6 m, ');
  yes(h.has('x-Tide'));
  h.delete('X-tide');
  is(h.get('x-tide'), null);
});

test('headers are walked through in order', () => {
  const h = new Headers([['b', '2'], ['a', '1'], ['B', '3'], ['set-cookie', 'x=1'], ['Set-Cookie', 'y=2']]);
  is([...h], [['a', '1'], ['b', '2, 3'], ['set-cookie', 'x=1'], ['set-cookie', 'y=2']]);
  is([...h.keys()], ['a', 'b', 'set-cookie', 'set-cookie']);
  is(h.getSetCookie(), ['x=1', 'y=2']);
  const it = h.entries();
  is(it.next().value, ['a', '1']);
  h.append('a0', 'late');
  is(it.next().value, ['a0', 'late']);
  is(Object.prototype.toString.call(it), '[object Headers Iterator]');
  throws('TypeError', () => new Headers([['a']]));
  throws('TypeError', () => new Headers(5));
  is(new Headers({ a: 1, b: null }).get('b'), 'null');
  is([...new Headers(new Headers({ z: '1' }))], [['z', '1']]);
});

test('what a request says of itself', () => {
  const r = new Request('/tides?day=1#now', { method: 'post', body: 'x', headers: { 'X-A': '1' }, cache: 'no-store', credentials: 'omit', redirect: 'manual', integrity: 'sha256-x', keepalive: true, referrerPolicy: 'no-referrer' });
  is(r.url, HERE + '/tides?day=1#now');
  is([r.method, r.cache, r.credentials, r.redirect, r.integrity, r.keepalive, r.referrerPolicy], ['POST', 'no-store', 'omit', 'manual', 'sha256-x', true, 'no-referrer']);
  is([r.mode, r.destination, r.referrer], ['cors', '', 'about:client']);
  is(r.headers.get('content-type'), 'text/plain;charset=UTF-8');
  is(new Request('/', { method: 'patch' }).method, 'patch');
  is(new Request('/', { method: 'delete' }).method, 'DELETE');
});

test('requests that cannot be', () => {
  for (const [url, init] of [['https://me:pw@line.example/', {}], ['https://%zz/', {}], ['/', { method: 'TRACE' }], ['/', { method: 'a b' }], ['/', { method: 'GET', body: 'x' }], ['/', { method: 'HEAD', body: '' }], ['/', { mode: 'navigate' }], ['/', { mode: 'no-cors', method: 'PUT' }], ['/', { cache: 'only-if-cached', mode: 'cors' }], ['/', { credentials: 'some' }], ['/', { method: 'POST', body: new ReadableStream() }]]) throws('TypeError', () => new Request(url, init), url + JSON.stringify(init));
  const used = new Request('/', { method: 'POST', body: 'x' });
  used.text();
  throws('TypeError', () => new Request(used));
  throws('TypeError', () => used.clone());
});

test('requests keep some headers to the browser', () => {
  const r = new Request('/', { headers: { cookie: 'a=1', host: 'x', 'sec-x': '1', 'proxy-y': '2', 'x-ok': 'yes', 'content-length': '9' } });
  is([...r.headers], [['x-ok', 'yes']]);
  r.headers.set('Cookie', 'b');
  is(r.headers.get('cookie'), null);
  const plain = new Request('/', { mode: 'no-cors', headers: { accept: 'a/b', 'x-no': '1', 'content-type': 'text/plain' } });
  is([...plain.headers.keys()], ['accept', 'content-type']);
  plain.headers.append('range', 'bytes=0-');
  is(plain.headers.get('range'), null);
});

test('a request made of another takes what is not said anew', async () => {
  const first = new Request('/a', { method: 'POST', body: 'abc', headers: { 'x-a': '1' }, credentials: 'include', cache: 'reload' });
  const second = new Request(first, { headers: { 'x-b': '2' }, cache: 'no-cache' });
  is([second.method, second.credentials, second.cache], ['POST', 'include', 'no-cache']);
  is(second.headers.get('x-a'), null);
  is(second.headers.get('x-b'), '2');
  yes(first.bodyUsed);
  is(await second.text(), 'abc');
  const third = new Request('/b', { method: 'POST', body: 'x' });
  is(await new Request(third, { body: 'other' }).text(), 'other');
});

test('what a response says of itself', async () => {
  const r = new Response('x', { status: 201, statusText: 'Made', headers: { 'x-a': '1' } });
  is([r.status, r.statusText, r.ok, r.type, r.url, r.redirected], [201, 'Made', true, 'default', '', false]);
  is(new Response().statusText, '');
  is(new Response(null, { status: 404 }).ok, false);
  for (const status of [204, 205, 304]) {
    is(new Response(null, { status }).status, status);
    throws('TypeError', () => new Response('', { status }), String(status));
  }
  for (const status of [0, 101, 199, 600]) throws('RangeError', () => new Response(null, { status }), String(status));
  throws('TypeError', () => new Response('', { statusText: 'a\nb' }));
});

test('responses from nothing and to elsewhere', async () => {
  const e = Response.error();
  is([e.type, e.status, e.body], ['error', 0, null]);
  throws('TypeError', () => e.headers.set('a', 'b'));
  const r = Response.redirect('/there', 308);
  is([r.status, r.headers.get('location'), r.type], [308, HERE + '/there', 'default']);
  throws('RangeError', () => Response.redirect('/x', 200));
  throws('TypeError', () => Response.redirect('https://%zz/'));
  const j = Response.json({ tide: [1, null] }, { status: 202 });
  is([j.status, j.headers.get('content-type'), await j.text()], [202, 'application/json', '{"tide":[1,null]}']);
  throws('TypeError', () => Response.json(undefined));
  is(Response.json('x', { headers: { 'content-type': 'a/b' } }).headers.get('content-type'), 'a/b');
});

test('bodies name their kind', () => {
  const kind = (body) => new Response(body).headers.get('content-type');
  is(kind('x'), 'text/plain;charset=UTF-8');
  is(kind(new URLSearchParams('a=1')), 'application/x-www-form-urlencoded;charset=UTF-8');
  is(kind(new Blob(['x'], { type: 'a/b' })), 'a/b');
  is(kind(new Blob(['x'])), null);
  is(kind(new Uint8Array(1)), null);
  is(kind(null), null);
  yes(kind(new FormData()).startsWith('multipart/form-data; boundary='));
});

test('bodies are read in every way, once', async () => {
  is(await new Response('{"a":[1]}').json(), { a: [1] });
  await rejects('SyntaxError', new Response('{').json());
  is((await new Response('abc').arrayBuffer()).byteLength, 3);
  is((await new Response(new Uint8Array([1, 2])).bytes())[1], 2);
  const blob = await new Response('x', { headers: { 'content-type': 'Text/HTML; Charset=UTF-8' } }).blob();
  is(blob.type, 'text/html; charset=utf-8');
  is(await new Response(new Uint8Array([0xef, 0xbb, 0xbf, 97])).text(), 'a');
  const r = new Response('x');
  yes(!r.bodyUsed);
  await r.text();
  yes(r.bodyUsed);
  await rejects('TypeError', r.text());
  is(await new Response().text(), '');
  await rejects('TypeError', new Response('x').formData());
});

test('copies of messages are read apart', async () => {
  const one = new Response('tide', { status: 203, headers: { 'x-a': '1' } });
  const two = one.clone();
  is([two.status, two.headers.get('x-a')], [203, '1']);
  two.headers.set('x-a', '2');
  is(one.headers.get('x-a'), '1');
  is(await one.text() + await two.text(), 'tidetide');
  throws('TypeError', () => one.clone());
  const streamed = new Response(streamOf(new Uint8Array([97]), new Uint8Array([98])));
  const copy = streamed.clone();
  is(await copy.text() + await streamed.text(), 'abab');
});

test('form data', async () => {
  const f = new FormData();
  f.append('pier', 'skerra');
  f.append('pier', 'calder');
  f.append('file', new Blob(['x']), 'rota.txt');
  f.set('day', 3);
  is(f.get('pier'), 'skerra');
  is(f.getAll('pier'), ['skerra', 'calder']);
  is(f.get('file').name, 'rota.txt');
  is(f.get('day'), '3');
  f.set('pier', 'far');
  is([...f.keys()], ['pier', 'file', 'day']);
  f.delete('file');
  is([...f], [['pier', 'far'], ['day', '3']]);
  throws('TypeError', () => f.append('x', 'y', 'z'));
  const back = await new Response(f).formData();
  is([...back], [['pier', 'far'], ['day', '3']]);
  const coded = await new Response('a=1&b=x+y', { headers: { 'content-type': 'application/x-www-form-urlencoded' } }).formData();
  is(coded.get('b'), 'x y');
});

test('what aborts a request aborts its fetch', async () => {
  const c = new AbortController();
  const r = new Request('/data.json', { signal: c.signal });
  yes(!r.signal.aborted);
  yes(r.signal !== c.signal);
  c.abort();
  yes(r.signal.aborted);
  await rejects('AbortError', fetch(r));
  await rejects('AbortError', fetch('/data.json', { signal: AbortSignal.abort() }));
  await rejects('TypeError', fetch('/data.json', { signal: {} }));
});
