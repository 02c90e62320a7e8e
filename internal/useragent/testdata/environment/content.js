const text = async (stream) => new Response(stream).text();
test('blobs and files', async () => {
  const b = new Blob(['low ', new Uint8Array([104, 105]), new Blob(['!'])], { type: 'Text/X' });
  is([b.size, b.type, await b.text(), await b.slice(0, 3, 'a/b').text(), b.slice(-3).size], [7, 'text/x', 'low hi!', 'low', 3]);
  const f = new File(['x'], 'tide.txt', { type: 'a/b', lastModified: 5 });
  is([f.name, f.type, f.lastModified, f instanceof Blob], ['tide.txt', 'a/b', 5, true]);
  is(await b.bytes(), new Uint8Array([108, 111, 119, 32, 104, 105, 33]));
});
test('encoding', () => {
  is(new TextEncoder().encode('aé€😀'), new Uint8Array([97, 195, 169, 226, 130, 172, 240, 159, 152, 128]));
  const into = new TextEncoder().encodeInto('é€', new Uint8Array(4));
  is([into.read, into.written], [1, 2]);
  is([new TextDecoder().decode(new Uint8Array([0xef, 0xbb, 0xbf, 97, 0xff])), new TextDecoder('utf-8', { ignoreBOM: true }).decode(new Uint8Array([0xef, 0xbb, 0xbf])).length], ['a\ufffd', 1]);
  throws('TypeError', () => new TextDecoder('utf-8', { fatal: true }).decode(new Uint8Array([0xff])));
  throws('RangeError', () => new TextDecoder('no such'));
  const d = new TextDecoder();
  is(d.decode(new Uint8Array([0xe2, 0x82]), { stream: true }) + d.decode(new Uint8Array([0xac])), '€');
  is([btoa('low'), atob(' bG93 ')], ['bG93', 'low']);
  throws('InvalidCharacterError', () => btoa('€'));
  throws('InvalidCharacterError', () => atob('*'));
});
test('reading a stream', async () => {
  let pulled = 0;
  const s = new ReadableStream({ pull(c) { c.enqueue(++pulled); if (pulled === 3) c.close(); } }, { highWaterMark: 0 });
  is([s.locked, pulled], [false, 0]);
  const r = s.getReader();
  is([s.locked, (await r.read()).value, (await r.read()).value], [true, 1, 2]);
  r.releaseLock();
  const rest = [];
  for await (const x of s) rest.push(x);
  is([rest, s.locked], [[3], false]);
  throws('TypeError', () => { const t = new ReadableStream(); t.getReader(); t.getReader(); });
});
test('streams that fail or are cancelled', async () => {
  const bad = new ReadableStream({ start(c) { c.error(new RangeError('low')); } });
  await rejects('RangeError', bad.getReader().read());
  let why;
  const s = new ReadableStream({ cancel(reason) { why = reason; } });
  await s.cancel('enough');
  is([why, (await s.getReader().read()).done], ['enough', true]);
  const fromList = streamOf('a', 'b');
  const got = [];
  for await (const x of fromList) got.push(x);
  is(got, ['a', 'b']);
});
test('tee and pipe', async () => {
  const [a, b] = new Blob(['both']).stream().tee();
  is([await text(a), await text(b)], ['both', 'both']);
  const written = [];
  let closed = false;
  await streamOf(1, 2).pipeTo(new WritableStream({ write: (x) => { written.push(x); }, close: () => { closed = true; } }));
  is([written, closed], [[1, 2], true]);
  const doubled = streamOf(1, 2).pipeThrough(new TransformStream({ transform: (x, c) => { c.enqueue(x); c.enqueue(x); }, flush: (c) => c.enqueue('end') }));
  const out = [];
  for await (const x of doubled) out.push(x);
  is(out, [1, 1, 2, 2, 'end']);
  const c = new AbortController();
  c.abort('stop');
  let aborted;
  await rejects(undefined, streamOf(1).pipeTo(new WritableStream({ abort: (r) => { aborted = r; } }), { signal: c.signal }).catch((e) => { throw { name: undefined, e }; }));
  is(aborted, 'stop');
});
test('byte streams', async () => {
  const s = new ReadableStream({ type: 'bytes', start(c) { c.enqueue(new Uint8Array([1, 2, 3])); c.close(); } });
  const r = s.getReader({ mode: 'byob' });
  const { value } = await r.read(new Uint8Array(2));
  is(value, new Uint8Array([1, 2]));
});
test('text through streams', async () => {
  is(await text(streamOf('lo', 'w é').pipeThrough(new TextEncoderStream())), 'low é');
  const parts = [];
  for await (const p of streamOf(new Uint8Array([0xe2]), new Uint8Array([0x82, 0xac])).pipeThrough(new TextDecoderStream())) parts.push(p);
  is(parts.join(''), '€');
});
test('compression', async () => {
  for (const format of ['gzip', 'deflate', 'deflate-raw']) {
    const packed = await new Response(new Blob(['tide '.repeat(200)]).stream().pipeThrough(new CompressionStream(format))).arrayBuffer();
    yes(packed.byteLength < 100, format);
    is((await text(new Blob([packed]).stream().pipeThrough(new DecompressionStream(format)))).length, 1000, format);
  }
  throws('TypeError', () => new CompressionStream('brittle'));
  await rejects('TypeError', text(new Blob(['not packed']).stream().pipeThrough(new DecompressionStream('gzip'))));
});
test('URLs', () => {
  const u = new URL('../b/./c?x=1#y', 'https://u:p@Line.Example:443/a/d/');
  is([u.href, u.origin, u.host, u.pathname, u.search, u.hash, u.username], ['https://u:p@line.example/a/b/c?x=1#y', 'https://line.example', 'line.example', '/a/b/c', '?x=1', '#y', 'u']);
  u.port = '8080';
  u.pathname = 'é';
  u.searchParams.append('q', 'a b&');
  u.hash = '';
  is(u.href, 'https://u:p@line.example:8080/%C3%A9?x=1&q=a+b%26');
  u.search = '?z';
  is([u.searchParams.get('z'), URL.canParse('x'), URL.parse('x'), URL.canParse('x', 'https://a/')], ['', false, null, true]);
  throws('TypeError', () => new URL('http://['));
  throws('TypeError', () => new URL('x', ''));
});
test('search parameters', () => {
  const p = new URLSearchParams('?b=2&a=1&b=3&c');
  is([p.getAll('b'), p.get('c'), p.has('b', '3'), p.size], [['2', '3'], '', true, 4]);
  p.sort();
  p.delete('b', '2');
  p.set('d', 'ü');
  is([String(p), String(new URLSearchParams({ x: 'y' })), String(new URLSearchParams([['a', 'b']]))], ['a=1&b=3&c=&d=%C3%BC', 'x=y', 'a=b']);
  throws('TypeError', () => new URLSearchParams([['a']]));
});
test('URL patterns', () => {
  const p = new URLPattern({ pathname: '/tides/:pier/*', baseURL: 'https://line.example' });
  const m = p.exec('https://line.example/tides/skerra/now');
  is([m.pathname.groups.pier, m.pathname.groups[0], p.test('https://line.example/tides'), p.hostname], ['skerra', 'now', false, 'line.example']);
  throws('TypeError', () => new URLPattern('(', 'https://line.example'));
});
test('digests and random numbers', async () => {
  const hex = (b) => Array.from(new Uint8Array(b), (x) => x.toString(16).padStart(2, '0')).join('');
  is(hex(await crypto.subtle.digest({ name: 'sha-1' }, new TextEncoder().encode('abc'))), 'a9993e364706816aba3e25717850c26c9cd0d89d');
  await rejects('NotSupportedError', crypto.subtle.digest('MD5', new Uint8Array()));
  yes(/^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/.test(crypto.randomUUID()));
  yes(new Set(crypto.getRandomValues(new Uint8Array(32))).size > 8);
});
test('what a worker does not have', () => {
  for (const name of ['window', 'document', 'XMLHttpRequest', 'localStorage', 'alert', 'std', 'os', 'print', 'require', 'process', 'Worker']) is(name in self, false, name);
  throws('TypeError', () => URL.createObjectURL(new Blob()));
});
