// Blobs, files, text in bytes, base64, hashes and copies.
const bytes = (...list) => new Uint8Array(list);

test('a blob joins its parts', async () => {
  const blob = new Blob(['tide', bytes(32, 51), new Blob([',6 m'])], { type: 'Text/Plain' });
  is(blob.size, 10);
  is(blob.type, 'text/plain');
  is(await blob.text(), 'tide 3,6 m');
  is(new Uint8Array(await blob.arrayBuffer()), new TextEncoder().encode('tide 3,6 m'));
  is((await blob.bytes()).length, 10);
  is(new Blob().size, 0);
  throws('TypeError', () => new Blob('no list'));
  is(new Blob([], { type: 'a\u00e9' }).type, '');
});

test('parts of a blob', async () => {
  const blob = new Blob(['0123456789'], { type: 'a/b' });
  is(await blob.slice(2, 5).text(), '234');
  is(await blob.slice(-3).text(), '789');
  is(await blob.slice(5, 2).text(), '');
  is(blob.slice(0, 1).type, '');
  is(blob.slice(0, 1, 'c/d').type, 'c/d');
  is(await new Response(blob.stream()).text(), '0123456789');
});

test('a file has a name and a time', async () => {
  const file = new File(['x'], 'rota.txt', { type: 'text/plain', lastModified: 12345 });
  yes(file instanceof Blob);
  is([file.name, file.size, file.lastModified, await file.text()], ['rota.txt', 1, 12345, 'x']);
  throws('TypeError', () => new File(['x']));
});

test('a reader of files tells by events', async () => {
  const read = (how, blob) => new Promise((ok) => {
    const r = new FileReader();
    const seen = [];
    for (const type of ['loadstart', 'load', 'loadend']) r.addEventListener(type, () => seen.push(type));
    r.onloadend = () => ok([r.result, seen.includes('load'), r.readyState]);
    r[how](blob);
  });
  is(await read('readAsText', new Blob(['ebb'])), ['ebb', true, 2]);
  is((await read('readAsDataURL', new Blob(['hi'], { type: 'text/plain' })))[0], 'data:text/plain;base64,aGk=');
  is((await read('readAsArrayBuffer', new Blob(['abc'])))[0].byteLength, 3);
  throws('TypeError', () => new FileReader().readAsText('no blob'));
});

test('text becomes bytes and text again', () => {
  const text = 'Skerra – 3,6 m 😀';
  const coded = new TextEncoder().encode(text);
  is(coded.length, 21);
  is(new TextDecoder().decode(coded), text);
  is(new TextEncoder().encode('\ud800'), bytes(0xef, 0xbf, 0xbd));
  const into = new Uint8Array(4);
  is(new TextEncoder().encodeInto('aé€', into), { read: 2, written: 3 });
  is(into, bytes(97, 0xc3, 0xa9, 0));
});

test('damaged text', () => {
  is(new TextDecoder().decode(bytes(97, 0xff, 98)), 'a\ufffdb');
  throws('TypeError', () => new TextDecoder('utf-8', { fatal: true }).decode(bytes(0xff)));
  is(new TextDecoder().decode(bytes(0xef, 0xbb, 0xbf, 97)), 'a');
  is(new TextDecoder('utf-8', { ignoreBOM: true }).decode(bytes(0xef, 0xbb, 0xbf, 97)), '\ufeffa');
  throws('RangeError', () => new TextDecoder('no-such-code'));
  is(new TextDecoder('UTF8').encoding, 'utf-8');
  is(new TextDecoder('latin1').decode(bytes(0xe9)), 'é');
  const parts = new TextDecoder();
  is(parts.decode(bytes(0xe2, 0x82), { stream: true }) + parts.decode(bytes(0xac)), '€');
});

test('base64', () => {
  is(btoa('tide'), 'dGlkZQ==');
  is(atob('dGlkZQ=='), 'tide');
  is(atob(' dGlk\nZQ '), 'tide');
  is(btoa('\u00ff'), '/w==');
  throws('InvalidCharacterError', () => btoa('€'));
  for (const bad of ['a', 'a===', 'dGlk?', '=']) throws('InvalidCharacterError', () => atob(bad), bad);
});

test('hashes and chance', async () => {
  const hex = (buffer) => Array.from(new Uint8Array(buffer), (b) => b.toString(16).padStart(2, '0')).join('');
  is(hex(await crypto.subtle.digest('SHA-256', new TextEncoder().encode('abc'))), 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad');
  is(hex(await crypto.subtle.digest({ name: 'sha-1' }, bytes())), 'da39a3ee5e6b4b0d3255bfef95601890afd80709');
  is((await crypto.subtle.digest('SHA-512', bytes(1))).byteLength, 64);
  await rejects('NotSupportedError', crypto.subtle.digest('MD5', bytes()));
  yes(/^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/.test(crypto.randomUUID()));
  yes(crypto.getRandomValues(new Uint8Array(16)).some((b) => b !== 0));
  throws('TypeMismatchError', () => crypto.getRandomValues(new Float32Array(1)));
});

test('copies are deep and keep their kind', () => {
  const one = { date: new Date(5), map: new Map([[{ a: 1 }, new Set([2])]]), list: [1, , 3], re: /a+/gi, bytes: bytes(1, 2), big: 7n, error: new RangeError('low'), nothing: undefined, zero: -0 };
  one.self = one;
  const two = structuredClone(one);
  yes(two !== one && two.self === two);
  is(two.date.getTime(), 5);
  yes(two.date instanceof Date && two.map instanceof Map && two.bytes instanceof Uint8Array && two.error instanceof RangeError);
  is([...two.map.values()][0].has(2), true);
  is(two.list.length, 3);
  yes(!(1 in two.list));
  is([two.re.source, two.re.flags, two.error.message], ['a+', 'gi', 'low']);
  is(two.big, 7n);
  yes('nothing' in two);
  yes(Object.is(two.zero, -0));
  is(structuredClone(new Boolean(false)).valueOf(), false);
});

test('what cannot be copied', () => {
  for (const bad of [() => 1, Symbol('x'), { deep: { f() {} } }, new WeakMap(), Promise.resolve(), new Response()]) throws('DataCloneError', () => structuredClone(bad));
  const getter = structuredClone(Object.create({ inherited: 1 }, { own: { value: 2, enumerable: true }, hidden: { value: 3 } }));
  is(getter, { own: 2 });
  throws('RangeError', () => structuredClone({ get x() { throw new RangeError('no'); } }));
});

test('what is handed over is gone', () => {
  const buffer = new Uint8Array([1, 2, 3]).buffer;
  const copy = structuredClone(buffer, { transfer: [buffer] });
  is(copy.byteLength, 3);
  is(buffer.byteLength, 0);
});
