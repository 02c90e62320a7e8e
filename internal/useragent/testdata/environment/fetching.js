test('headers', () => {
  const h = new Headers([['B', '2'], ['a', ' 1 '], ['b', '3']]);
  is([...h], [['a', '1'], ['b', '2, 3']]);
  h.append('Set-Cookie', 'x');
  h.append('set-cookie', 'y');
  is([h.getSetCookie(), [...h.keys()], h.has('B'), h.get('none')], [['x', 'y'], ['a', 'b', 'set-cookie', 'set-cookie'], true, null]);
  h.set('b', '4');
  h.delete('a');
  is([...new Headers(h).entries()][0], ['b', '4']);
  is(new Headers({ 'x-y': 'z' }).get('X-Y'), 'z');
  for (const bad of [() => new Headers([['a']]), () => h.append('a b', 'c'), () => h.append('a', 'c\nd'), () => h.append('a', '\u0100'), () => new Headers(null), () => h.get()]) throws('TypeError', bad);
  const seen = [];
  h.forEach((value, name, all) => seen.push([name, value, all === h]));
  is(seen.length, 3);
});
test('guards on headers', () => {
  const r = new Request('/x', { headers: { Cookie: 'a', 'sec-x': 'b', 'X-A': 'c', Origin: 'd' } });
  is([...r.headers], [['x-a', 'c']]);
  const plain = new Request('/x', { mode: 'no-cors', headers: { 'X-A': 'c', 'Content-Type': 'text/plain', Accept: 'a' } });
  is([...plain.headers], [['accept', 'a'], ['content-type', 'text/plain']]);
  throws('TypeError', () => Response.error().headers.append('a', 'b'));
});
test('headers of mode no-cors hold what is safe, and lose a range with the first change', () => {
  const headersOf = (change, headers = {}) => {
    const r = new Request(new Request('/x', { headers: { Range: 'bytes=0-1', ...headers } }), { mode: 'no-cors' });
    change(r.headers);
    return [...r.headers].map((pair) => pair.join(': ')).join('; ');
  };
  const accepted = { Accept: 'a' };
  for (const [change, want] of [
    [(h) => h.append('accept', 'b'), 'accept: a, b'],
    [(h) => h.append('accept', 'x'.repeat(126)), 'accept: a'],
    [(h) => h.set('accept', 'x'.repeat(128)), `accept: ${'x'.repeat(128)}`],
    [(h) => h.set('accept', 'x'.repeat(129)), 'accept: a'],
    [(h) => h.set('accept', '"b"'), 'accept: a'],
    [(h) => h.set('accept', 'a\u0001'), 'accept: a'],
    [(h) => h.delete('accept'), ''],
    [(h) => h.delete('x-tide'), 'accept: a'],
    [(h) => h.append('range', ''), 'accept: a'],
    [(h) => h.set('accept-language', 'en, de;q=0.5'), 'accept: a; accept-language: en, de;q=0.5'],
    [(h) => h.set('accept-language', 'en_GB'), 'accept: a'],
    [(h) => h.set('content-language', 'en/x'), 'accept: a'],
    [(h) => h.set('content-type', 'Text/Plain; charset=utf-8'), 'accept: a; content-type: Text/Plain; charset=utf-8'],
    [(h) => h.set('content-type', 'application/json'), 'accept: a'],
  ]) is(headersOf(change, accepted), want, `${change}`);
  const ranged = new Request(new Request('/x', { mode: 'no-cors' }));
  is(ranged.headers.get('range'), null);
});
test('what a body that is a stream goes with', () => {
  const stream = () => new ReadableStream({ start: (c) => c.close() });
  const make = (init) => new Request('/x', { method: 'POST', body: stream(), ...init });
  is(make({ duplex: 'half' }).duplex, 'half');
  for (const bad of [{}, { duplex: 'full' }, { duplex: 'half', mode: 'no-cors' }, { duplex: 'half', keepalive: true }]) throws('TypeError', () => make(bad), JSON.stringify(bad));
  throws('TypeError', () => new Request('/x', { duplex: 'full' }));
});
test('requests', () => {
  const r = new Request('/tides?x#y', { method: 'post', body: 'low', cache: 'no-store', redirect: 'error', credentials: 'omit', referrerPolicy: 'origin', integrity: 'sha256-x', keepalive: true });
  is([r.url, r.method, r.cache, r.redirect, r.credentials, r.referrerPolicy, r.integrity, r.keepalive, r.mode, r.destination, r.referrer], [HERE + '/tides?x#y', 'POST', 'no-store', 'error', 'omit', 'origin', 'sha256-x', true, 'cors', '', 'about:client']);
  is(r.headers.get('content-type'), 'text/plain;charset=UTF-8');
  is(new Request('/', { method: 'patch' }).method, 'patch');
  for (const bad of [{ method: 'CONNECT' }, { method: 'a b' }, { mode: 'navigate' }, { mode: 'odd' }, { body: 'x' }, { cache: 'only-if-cached' }, { credentials: 'x' }]) throws('TypeError', () => new Request('/', bad), JSON.stringify(bad));
  throws('TypeError', () => new Request('https://a:b@line.example/'));
  throws('TypeError', () => new Request('http://['));
  throws('TypeError', () => new Request('/', { method: 'POST', body: new ReadableStream() }));
});
test('a request made of another', async () => {
  const first = new Request('/a', { method: 'POST', body: 'once', headers: { a: 'b' } });
  const second = new Request(first, { headers: { c: 'd' } });
  is([first.bodyUsed, second.method, [...second.headers].length, await second.text()], [true, 'POST', 1, 'once']);
  throws('TypeError', () => new Request(first));
  const c = new AbortController();
  const followed = new Request(new Request('/', { signal: c.signal }));
  c.abort();
  is(followed.signal.aborted, true);
});
test('cloning requests and responses', async () => {
  const r = new Request('/a', { method: 'PUT', body: 'x' });
  const copy = r.clone();
  is([await r.text(), await copy.text()], ['x', 'x']);
  throws('TypeError', () => r.clone());
  const a = new Response('body', { status: 201, headers: { x: 'y' } });
  const b = a.clone();
  b.headers.set('x', 'z');
  is([a.headers.get('x'), b.status, await a.text(), await b.text()], ['y', 201, 'body', 'body']);
  const streamed = new Response(new Blob(['s']).stream());
  is([await streamed.clone().text(), await streamed.text()], ['s', 's']);
});
test('responses', async () => {
  const r = new Response('low', { status: 404, statusText: 'Gone out' });
  is([r.ok, r.status, r.statusText, r.type, r.url, r.redirected, r.headers.get('content-type'), await r.text(), r.bodyUsed], [false, 404, 'Gone out', 'default', '', false, 'text/plain;charset=UTF-8', 'low', true]);
  await rejects('TypeError', r.text());
  is([new Response().body, new Response(null).bodyUsed, await new Response().text()], [null, false, '']);
  is([Response.error().type, Response.error().status], ['error', 0]);
  const to = Response.redirect('/x', 301);
  is([to.status, to.headers.get('location')], [301, HERE + '/x']);
  const j = Response.json({ a: 1 }, { status: 202 });
  is([j.status, j.headers.get('content-type'), await j.json()], [202, 'application/json', { a: 1 }]);
  for (const [name, bad] of [['RangeError', () => new Response('', { status: 99 })], ['TypeError', () => new Response('x', { status: 204 })], ['RangeError', () => Response.redirect('/', 200)], ['TypeError', () => Response.redirect('http://[')], ['TypeError', () => Response.json(undefined)], ['TypeError', () => new Response('', { statusText: '\n' })]]) throws(name, bad);
});
test('ways to read a body', async () => {
  is(new Uint8Array(await new Response('é').arrayBuffer()), new Uint8Array([195, 169]));
  is(await new Response('ab').bytes(), new Uint8Array([97, 98]));
  const blob = await new Response('x', { headers: { 'content-type': 'image/png' } }).blob();
  is([blob.size, blob.type], [1, 'image/png']);
  await rejects('SyntaxError', new Response('{').json());
  const form = await new Response(new URLSearchParams('a=1&b=2&a=3')).formData();
  is([form.getAll('a'), form.get('b')], [['1', '3'], '2']);
  await rejects('TypeError', new Response('x').formData());
  const locked = new Response('x');
  locked.body.getReader();
  await rejects('TypeError', locked.text());
});
test('form data over the wire', async () => {
  const form = new FormData();
  form.append('name', 'Skerra "north"\r\n');
  form.append('file', new Blob(['low'], { type: 'text/x-tide' }), 'tide.txt');
  const r = new Response(form);
  yes(r.headers.get('content-type').startsWith('multipart/form-data; boundary='));
  const back = await r.formData();
  const file = back.get('file');
  is([back.get('name'), file.name, file.type, await file.text()], ['Skerra "north"\r\n', 'tide.txt', 'text/x-tide', 'low']);
  form.set('name', 'one');
  form.delete('file');
  is([[...form.keys()], form.has('file')], [['name'], false]);
});
test('fetching the own site', async () => {
  const r = await fetch('/data.json');
  is([r.status, r.type, r.url, r.headers.get('content-type'), await r.json()], [200, 'basic', HERE + '/data.json', 'application/json', { tide: 'low' }]);
  is((await fetch('/nowhere')).status, 404);
  const head = await fetch('/data.json', { method: 'HEAD' });
  is([head.status, await head.text()], [200, '']);
  const moved = await fetch('/moved');
  is([moved.redirected, moved.url], [true, HERE + '/data.json']);
  is((await fetch('/moved', { redirect: 'manual' })).type, 'opaqueredirect');
  await rejects('TypeError', fetch('/moved', { redirect: 'error' }));
  await rejects('TypeError', fetch());
  const d = await fetch('data:text/x-tide;base64,bG93');
  is([d.status, d.headers.get('content-type'), await d.text()], [200, 'text/x-tide', 'low']);
  await rejects('TypeError', fetch('ftp://line.example/'));
});
here('fetching elsewhere', async () => {
  await rejects('TypeError', fetch('https://closed.example/x', { mode: 'same-origin' }));
  const opaque = await fetch('https://elsewhere.example/x', { mode: 'no-cors' });
  is([opaque.type, opaque.status, opaque.url, opaque.body, [...opaque.headers].length], ['opaque', 0, '', null, 0]);
  is((await fetch('https://elsewhere.example/x')).type, 'cors');
});
test('fetches that are given up', async () => {
  await rejects('AbortError', fetch('/data.json', { signal: AbortSignal.abort() }));
  const c = new AbortController();
  const p = fetch('/data.json', { signal: c.signal });
  c.abort();
  await rejects('AbortError', p);
  const late = new AbortController();
  const r = await fetch('/data.json', { signal: late.signal });
  late.abort();
  await rejects('AbortError', r.text());
  // A fast host may answer within any timeout, so this one has passed before.
  const timed = AbortSignal.timeout(1);
  await new Promise((done) => timed.addEventListener('abort', done));
  await rejects('TimeoutError', fetch('/data.json', { signal: timed }));
});
test('integrity', async () => {
  const sum = new Uint8Array(await crypto.subtle.digest('SHA-256', await (await fetch('/data.json')).arrayBuffer()));
  const good = 'sha256-' + btoa(String.fromCharCode(...sum));
  is((await fetch('/data.json', { integrity: good })).status, 200);
  await rejects('TypeError', fetch('/data.json', { integrity: 'sha256-AAAA' }));
});
