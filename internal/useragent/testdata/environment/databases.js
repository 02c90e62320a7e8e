const asked = (r) => new Promise((ok, no) => { r.onsuccess = () => ok(r.result); r.onerror = (e) => { e.preventDefault(); no(r.error); }; });
const ended = (t) => new Promise((ok, no) => { t.oncomplete = () => ok('complete'); t.onabort = () => no(t.error ?? new DOMException('', 'AbortError')); });
async function opened(name, make = (db) => db.createObjectStore('s', { keyPath: 'id' })) {
  await asked(indexedDB.deleteDatabase(name));
  const r = indexedDB.open(name, 1);
  r.onupgradeneeded = () => make(r.result, r.transaction);
  return asked(r);
}
test('versions and upgrades', async () => {
  const db = await opened('v');
  is([db.version, db.name, [...db.objectStoreNames]], [1, 'v', ['s']]);
  db.close();
  const r = indexedDB.open('v', 3);
  let from;
  r.onupgradeneeded = (e) => { from = [e.oldVersion, e.newVersion]; r.result.createObjectStore('t', { autoIncrement: true }); };
  const next = await asked(r);
  is([from, [...next.objectStoreNames]], [[1, 3], ['s', 't']]);
  next.close();
  await rejects('VersionError', asked(indexedDB.open('v', 2)));
  yes((await indexedDB.databases()).some((d) => d.name === 'v' && d.version === 3));
});
test('keeping and finding', async () => {
  const db = await opened('k');
  const t = db.transaction('s', 'readwrite');
  const s = t.objectStore('s');
  s.put({ id: 2, pier: 'calder', when: new Date(7) });
  s.put({ id: 1, pier: 'skerra' });
  s.put({ id: 'a', pier: 'holm' });
  is(await ended(t), 'complete');
  const r = db.transaction('s').objectStore('s');
  is([(await asked(r.get(2))).when.getTime(), await asked(r.get(9)), await asked(r.count()), await asked(r.getAllKeys()), (await asked(r.getAll(IDBKeyRange.lowerBound(2)))).map((x) => x.pier)], [7, undefined, 3, [1, 2, 'a'], ['calder', 'holm']]);
  await rejects('ConstraintError', asked(db.transaction('s', 'readwrite').objectStore('s').add({ id: 1 })));
  throws('DataError', () => db.transaction('s', 'readwrite').objectStore('s').put({ noId: 1 }));
  throws('ReadOnlyError', () => db.transaction('s').objectStore('s').put({ id: 5 }));
  throws('NotFoundError', () => db.transaction('none'));
  db.close();
  throws('InvalidStateError', () => db.transaction('s'));
});
test('indexes and cursors', async () => {
  const db = await opened('i', (d) => {
    const s = d.createObjectStore('s', { keyPath: 'id' });
    s.createIndex('height', 'h');
    s.createIndex('tag', 'tags', { multiEntry: true });
    s.createIndex('name', 'n', { unique: true });
  });
  const t = db.transaction('s', 'readwrite');
  for (const [id, h, n, tags] of [[1, 3, 'a', ['x', 'y']], [2, 1, 'b', ['y']], [3, 2, 'c', []]]) t.objectStore('s').put({ id, h, n, tags });
  await ended(t);
  const s = db.transaction('s', 'readwrite').objectStore('s');
  is([(await asked(s.index('height').getAll())).map((x) => x.id), await asked(s.index('tag').count('y')), (await asked(s.index('name').get('b'))).id], [[2, 3, 1], 2, 2]);
  const walked = [];
  await new Promise((ok) => {
    const r = s.openCursor(null, 'prev');
    r.onsuccess = () => {
      const c = r.result;
      if (!c) return ok();
      walked.push(c.key);
      if (c.key === 2) c.update({ ...c.value, h: 9 });
      if (c.key === 3) c.delete();
      c.continue();
    };
  });
  is([walked, await asked(s.count()), (await asked(s.get(2))).h], [[3, 2, 1], 2, 9]);
  await rejects('ConstraintError', asked(db.transaction('s', 'readwrite').objectStore('s').put({ id: 8, n: 'a' })));
});
test('transactions that are given up leave nothing', async () => {
  const db = await opened('t');
  const t = db.transaction('s', 'readwrite');
  t.objectStore('s').put({ id: 1 });
  t.abort();
  await rejects('AbortError', ended(t));
  is(await asked(db.transaction('s').objectStore('s').count()), 0);
  const done = db.transaction('s', 'readwrite');
  await ended(done);
  throws('InvalidStateError', () => done.objectStore('s'));
});
test('keys in order', () => {
  is([indexedDB.cmp(1, 2), indexedDB.cmp('a', 1), indexedDB.cmp([1], 'z'), indexedDB.cmp(new Date(1), 5), indexedDB.cmp([1, 2], [1, 2])], [-1, 1, 1, 1, 0]);
  const r = IDBKeyRange.bound(1, 5, true);
  is([r.includes(1), r.includes(5), r.lowerOpen, IDBKeyRange.only(3).lower], [false, true, true, 3]);
  throws('DataError', () => IDBKeyRange.bound(5, 1));
  throws('DataError', () => IDBKeyRange.only({}));
});
test('what goes in comes out', async () => {
  const db = await opened('x', (d) => d.createObjectStore('s'));
  const t = db.transaction('s', 'readwrite');
  t.objectStore('s').put({ m: new Map([[1, 2]]), b: new Uint8Array([1, 2]), u: undefined, blob: new Blob(['low'], { type: 'a/b' }), big: 12n }, 'k');
  throws('DataCloneError', () => t.objectStore('s').put(() => {}, 'f'));
  await ended(t);
  const got = await asked(db.transaction('s').objectStore('s').get('k'));
  is([got.m.get(1), got.b[1], 'u' in got, await got.blob.text(), got.blob.type, got.big === 12n], [2, 2, true, 'low', 'a/b', true]);
});
