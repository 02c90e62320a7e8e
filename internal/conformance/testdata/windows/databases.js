// Indexed Database API 3.0.
const wait = (request) =>
  new Promise((done, fail) => {
    request.onsuccess = () => done(request.result);
    request.onerror = (e) => {
      e.preventDefault();
      fail(request.error);
    };
  });
let made = 0;
// A database of its own, with stores as a function makes them.
const open = (upgrade, version = 1, name = `tides${++made}`) => {
  const request = indexedDB.open(name, version);
  request.onupgradeneeded = (e) => upgrade && upgrade(request.result, request.transaction, e);
  return wait(request);
};
const finished = (tx) =>
  new Promise((done) => {
    tx.oncomplete = () => done('complete');
    tx.onabort = () => done(`abort ${tx.error && tx.error.name}`);
  });
const piers = (db) => {
  const store = db.createObjectStore('piers', { keyPath: 'id' });
  store.createIndex('island', 'island');
  store.createIndex('tags', 'tags', { multiEntry: true });
  store.createIndex('place', ['island', 'depth']);
  store.createIndex('name', 'name', { unique: true });
  [
    [3, 'Skerra', 'Old slip', ['ferry'], 2],
    [1, 'Calder', 'Mole', ['ferry', 'fuel'], 5],
    [2, 'Skerra', 'Pontoon', [], 3],
  ].forEach(([id, island, name, tags, depth]) => store.add({ id, island, name, tags, depth }));
};
const walk = (source, query, direction, step = (c) => c.continue()) =>
  new Promise((done, fail) => {
    const out = [];
    const request = source.openCursor(query, direction);
    request.onerror = () => fail(request.error);
    request.onsuccess = () => {
      const cursor = request.result;
      if (!cursor) return done(out);
      out.push(cursor.primaryKey);
      step(cursor, out);
    };
  });

probe('the versions of an upgrade', async () => {
  const out = [];
  const db = await open((d, tx, e) => out.push(e.oldVersion, e.newVersion, tx.mode, e instanceof IDBVersionChangeEvent), 3, 'versions');
  out.push(db.version, db.name);
  db.close();
  const again = await open((d, tx, e) => out.push(e.oldVersion, e.newVersion), 4, 'versions');
  again.close();
  return out;
});
probe('a version below the one that is there', async () => {
  (await open(null, 2, 'lower')).close();
  return open(null, 1, 'lower');
});
probe('a version of nothing', () => indexedDB.open('zero', 0));
probe('stores and indexes by name', async () => {
  const db = await open(piers);
  const store = db.transaction('piers').objectStore('piers');
  return [[...db.objectStoreNames], [...store.indexNames], store.keyPath, store.autoIncrement, store.index('tags').multiEntry, store.index('place').keyPath];
});
probe('all in the order of keys', async () => {
  const db = await open(piers);
  return (await wait(db.transaction('piers').objectStore('piers').getAll())).map((p) => p.id);
});
probe('by index', async () => {
  const db = await open(piers);
  const store = db.transaction('piers').objectStore('piers');
  return [
    (await wait(store.index('island').getAll('Skerra'))).map((p) => p.id),
    await wait(store.index('tags').getAllKeys('ferry')),
    await wait(store.index('place').getKey(['Skerra', 3])),
    await wait(store.index('name').get('Mole')),
    await wait(store.index('tags').count()),
  ];
});
probe('ranges', async () => {
  const db = await open(piers);
  const store = db.transaction('piers').objectStore('piers');
  const get = (range) => wait(store.getAllKeys(range));
  return [
    await get(IDBKeyRange.lowerBound(2)),
    await get(IDBKeyRange.upperBound(2, true)),
    await get(IDBKeyRange.bound(1, 3, true, true)),
    await get(IDBKeyRange.only(2)),
    await wait(store.getAllKeys(null, 2)),
  ];
});
probe('a range that ends before it begins', () => IDBKeyRange.bound(2, 1));
probe('what a range includes', () => [IDBKeyRange.bound(1, 3).includes(3), IDBKeyRange.bound(1, 3, false, true).includes(3), IDBKeyRange.lowerBound('a').includes(5)]);
probe('cursors in both directions', async () => {
  const db = await open(piers);
  const store = db.transaction('piers').objectStore('piers');
  const index = store.index('island');
  return [await walk(store), await walk(store, null, 'prev'), await walk(index), await walk(index, null, 'nextunique'), await walk(index, null, 'prevunique')];
});
probe('cursors that skip', async () => {
  const db = await open(piers);
  const store = () => db.transaction('piers').objectStore('piers');
  return [
    await walk(store(), null, 'next', (c, out) => (out.length === 1 ? c.continue(3) : c.continue())),
    await walk(store(), null, 'next', (c) => c.advance(2)),
    await walk(store().index('island'), null, 'next', (c, out) => (out.length === 1 ? c.continuePrimaryKey('Skerra', 3) : c.continue())),
  ];
});
probe('a cursor that goes back', async () => {
  const db = await open(piers);
  return walk(db.transaction('piers').objectStore('piers'), null, 'next', (c, out) => {
    try {
      c.continue(1);
    } catch (e) {
      out.push(e.name);
      c.continue();
    }
  });
});
probe('cursors that change what they are at', async () => {
  const db = await open(piers);
  const tx = db.transaction('piers', 'readwrite');
  await walk(tx.objectStore('piers'), null, 'next', (c) => {
    if (c.key === 2) c.delete();
    else c.update({ ...c.value, depth: 9 });
    c.continue();
  });
  await finished(tx);
  return (await wait(db.transaction('piers').objectStore('piers').getAll())).map((p) => [p.id, p.depth]);
});
probe('keys that are made', async () => {
  const db = await open((d) => d.createObjectStore('log', { autoIncrement: true }));
  const store = db.transaction('log', 'readwrite').objectStore('log');
  return [await wait(store.add('a')), await wait(store.add('b', 10)), await wait(store.add('c')), await wait(store.put('d', 2.5)), await wait(store.add('e'))];
});
probe('keys that are made within values', async () => {
  const db = await open((d) => d.createObjectStore('log', { keyPath: 'at.n', autoIncrement: true }));
  const store = db.transaction('log', 'readwrite').objectStore('log');
  const value = { text: 'x' };
  const key = await wait(store.add(value));
  return [key, await wait(store.get(key)), value];
});
probe('the order of keys of all kinds', async () => {
  const db = await open((d) => d.createObjectStore('k'));
  const store = db.transaction('k', 'readwrite').objectStore('k');
  for (const key of ['b', 2, [1, 2], new Date(5), -1, 'a', [], new Uint8Array([1]), new Date(1), Infinity]) store.put(0, key);
  return (await wait(store.getAllKeys())).map((k) => (k instanceof Date ? `date ${k.getTime()}` : k instanceof ArrayBuffer ? 'bytes' : Array.isArray(k) ? `list ${k}` : k));
});
for (const [name, key] of Object.entries({ 'an object': {}, 'true': true, 'not a number': NaN, 'null': null, 'a bad date': new Date(NaN) }))
  probe(`no key: ${name}`, async () => {
    const db = await open((d) => d.createObjectStore('k'));
    db.transaction('k', 'readwrite').objectStore('k').put(0, key);
  });
probe('comparing keys', () => [indexedDB.cmp(1, 2), indexedDB.cmp('a', 1), indexedDB.cmp([1], [1, 0]), indexedDB.cmp(new Date(1), new Date(1))]);
probe('values of all kinds', async () => {
  const db = await open((d) => d.createObjectStore('v'));
  const store = db.transaction('v', 'readwrite').objectStore('v');
  const loop = { n: 1 };
  loop.self = loop;
  await wait(store.put({ map: new Map([[1, { a: 2 }]]), set: new Set(['x']), date: new Date(7), list: new Uint16Array([3, 4]), blob: new Blob(['b']), big: 12n, loop }, 1));
  const back = await wait(store.get(1));
  return [back.map.get(1).a, back.set.has('x'), back.date.getTime(), [...back.list], back.blob.size, back.big === 12n, back.loop.self === back.loop];
});
probe('a value that cannot be kept', async () => {
  const db = await open((d) => d.createObjectStore('v'));
  db.transaction('v', 'readwrite').objectStore('v').put(() => {}, 1);
});
probe('added twice', async () => {
  const db = await open(piers);
  const tx = db.transaction('piers', 'readwrite');
  const out = [];
  const end = finished(tx);
  tx.objectStore('piers').add({ id: 1 }).onerror = (e) => out.push(e.target.error.name, e.bubbles, e.cancelable);
  return [...[await end], ...out];
});
probe('added twice, and let pass', async () => {
  const db = await open(piers);
  const tx = db.transaction('piers', 'readwrite');
  const end = finished(tx);
  tx.objectStore('piers').add({ id: 1 }).onerror = (e) => e.preventDefault();
  tx.objectStore('piers').add({ id: 9 });
  return [await end, await wait(db.transaction('piers').objectStore('piers').count())];
});
probe('twice in a unique index', async () => {
  const db = await open(piers);
  const tx = db.transaction('piers', 'readwrite');
  tx.objectStore('piers').put({ id: 7, name: 'Mole' });
  return finished(tx);
});
probe('a handler that throws', () =>
  alone(async (done) => {
    const db = await open(piers);
    const tx = db.transaction('piers', 'readwrite');
    const heard = (e) => e.preventDefault();
    addEventListener('error', heard);
    tx.objectStore('piers').get(1).onsuccess = () => {
      throw new Error('in a handler');
    };
    const end = await finished(tx);
    removeEventListener('error', heard);
    done(end);
  }));
probe('given up', async () => {
  const db = await open(piers);
  const tx = db.transaction('piers', 'readwrite');
  const end = finished(tx);
  const request = tx.objectStore('piers').put({ id: 8 });
  const out = [];
  request.onerror = () => out.push(request.error.name);
  tx.abort();
  return [await end, ...out, await wait(db.transaction('piers').objectStore('piers').count())];
});
probe('after it is over', async () => {
  const db = await open(piers);
  const tx = db.transaction('piers');
  const store = tx.objectStore('piers');
  await finished(tx);
  store.get(1);
});
probe('finished by hand', async () => {
  const db = await open(piers);
  const tx = db.transaction('piers', 'readwrite');
  tx.objectStore('piers').put({ id: 8 });
  tx.commit();
  try {
    tx.objectStore('piers').put({ id: 9 });
  } catch (e) {
    return [e.name, await finished(tx)];
  }
});
probe('writing where one may only read', async () => {
  const db = await open(piers);
  db.transaction('piers').objectStore('piers').put({ id: 1 });
});
probe('a store that is not there', async () => {
  const db = await open(piers);
  db.transaction('none');
});
probe('no store at all', async () => {
  const db = await open(piers);
  db.transaction([]);
});
probe('a key where the values hold them', async () => {
  const db = await open(piers);
  db.transaction('piers', 'readwrite').objectStore('piers').put({ id: 1 }, 1);
});
probe('in the order of transactions', async () => {
  const db = await open(piers);
  const out = [];
  const first = db.transaction('piers', 'readwrite');
  const second = db.transaction('piers');
  first.objectStore('piers').put({ id: 5 }).onsuccess = () => out.push('put');
  second.objectStore('piers').count().onsuccess = (e) => out.push(e.target.result);
  first.oncomplete = () => out.push('first');
  await finished(second);
  return [...out, 'second'];
});
probe('requests and promises within one transaction', async () => {
  const db = await open(piers);
  const store = db.transaction('piers').objectStore('piers');
  const one = await wait(store.get(1));
  const two = await wait(store.get(2));
  return [one.name, two.name];
});
probe('a wait that is too long', async () => {
  const db = await open(piers);
  const store = db.transaction('piers').objectStore('piers');
  await wait(store.get(1));
  await soon(20);
  store.get(2);
});
probe('a version change while it is open', async () => {
  const out = [];
  const db = await open(piers, 1, 'held');
  db.onversionchange = (e) => {
    out.push(`asked ${e.oldVersion} ${e.newVersion}`);
    db.close();
  };
  const next = await open(() => out.push('upgrade'), 2, 'held');
  return [...out, next.version];
});
probe('a version change that is blocked', async () => {
  const out = [];
  const db = await open(piers, 1, 'blocked');
  const request = indexedDB.open('blocked', 2);
  request.onblocked = () => {
    out.push('blocked');
    db.close();
  };
  request.onupgradeneeded = () => out.push('upgrade');
  return wait(request).then((next) => [...out, next.version]);
});
probe('taken away', async () => {
  (await open(piers, 3, 'gone')).close();
  const request = indexedDB.deleteDatabase('gone');
  const out = [];
  request.onsuccess = (e) => out.push(request.result, e.oldVersion, e.newVersion);
  await wait(request).catch(() => {});
  await soon(30);
  return [...out, (await indexedDB.databases()).some((d) => d.name === 'gone')];
});
probe('an upgrade that is given up', async () => {
  const request = indexedDB.open('upgrade-aborted', 1);
  request.onupgradeneeded = () => {
    request.result.createObjectStore('a');
    request.transaction.abort();
  };
  const first = await wait(request).catch((e) => e.name);
  const db = await open(null, 1, 'upgrade-aborted');
  return [first, db.objectStoreNames.length];
});
probe('stores renamed and removed', async () => {
  const name = 'renamed';
  (await open((db) => ['a', 'b'].forEach((n) => db.createObjectStore(n)), 1, name)).close();
  const db = await open(
    (d, tx) => {
      tx.objectStore('a').name = 'c';
      d.deleteObjectStore('b');
    },
    2,
    name,
  );
  return [...db.objectStoreNames];
});
probe('an index over what is there', async () => {
  const name = 'late index';
  (await open((db) => db.createObjectStore('a', { keyPath: 'id' }).add({ id: 1, x: 5 }), 1, name)).close();
  const db = await open((d, tx) => tx.objectStore('a').createIndex('x', 'x'), 2, name);
  return wait(db.transaction('a').objectStore('a').index('x').getKey(5));
});
probe('what requests are', async () => {
  const db = await open(piers);
  const store = db.transaction('piers').objectStore('piers');
  const request = store.get(1);
  const before = [request.readyState, request.source === store, request.transaction.db === db, String(request)];
  try {
    request.result;
  } catch (e) {
    before.push(e.name);
  }
  await wait(request);
  return [...before, request.readyState, request.error];
});
probe('durability and modes', async () => {
  const db = await open(piers);
  return [db.transaction('piers').durability, db.transaction('piers', 'readwrite', { durability: 'strict' }).durability, db.transaction('piers').mode];
});
probe('getAll of an index with a bound', async () => {
  const db = await open(piers);
  const index = db.transaction('piers').objectStore('piers').index('place');
  return (await wait(index.getAll(IDBKeyRange.bound(['Skerra'], ['Skerra', []])))).map((p) => p.id);
});
probe('cleared and deleted', async () => {
  const db = await open(piers);
  const store = db.transaction('piers', 'readwrite').objectStore('piers');
  const out = [await wait(store.delete(IDBKeyRange.upperBound(1))), await wait(store.count())];
  await wait(store.clear());
  return [...out, await wait(store.count())];
});
probe('a store made anew within a change', () =>
  new Promise((done) => {
    const log = [];
    const open = indexedDB.open('anew', 1);
    open.onupgradeneeded = () => {
      const db = open.result;
      const first = db.createObjectStore('tides', { autoIncrement: true });
      first.createIndex('by', 'by');
      first.add({ by: 1 }).onsuccess = (e) => log.push(`first ${e.target.result}`);
      first.add({ by: 2 }).onsuccess = (e) => log.push(`first ${e.target.result}`);
      db.deleteObjectStore('tides');
      const second = db.createObjectStore('tides', { autoIncrement: true });
      second.add({ by: 3 }).onsuccess = (e) => log.push(`second ${e.target.result}`);
      try {
        first.add({});
      } catch (e) {
        log.push(e.name);
      }
      log.push(first === second, db.objectStoreNames.length, second.indexNames.length);
      second.name = '\ud800x';
      second.createIndex('', 'by');
      log.push(db.objectStoreNames[0] === '\ud800x', second.indexNames[0]);
    };
    open.onsuccess = () => {
      const store = open.result.transaction('\ud800x').objectStore('\ud800x');
      store.index('').get(3).onsuccess = (e) => done([...log, e.target.result?.by, store.name === '\ud800x']);
    };
    open.onerror = () => done([...log, open.error.name]);
  }));
