package useragent

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
)

// siteWith makes a site whose first page registers a worker with this code; more files may be given as pairs.
func siteWith(t *testing.T, code string, more ...string) *site.Folder {
	t.Helper()
	dir := t.TempDir()
	files := append([]string{"index.html",
		"<!doctype html><title>Pier</title><script>navigator.serviceWorker.register('/w.js')</script>", "w.js", code},
		more...)
	for i := 0; i < len(files); i += 2 {
		path := filepath.Join(dir, files[i])
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(files[i+1]), 0o644))
	}
	f, err := site.OpenFolder(dir, "https://line.example", "/", project.Default(dir).Host)
	require.NoError(t, err)
	return f
}

// title visits the first page online, stops the worker, and gives the title of what the first page shows offline
// afterwards.
func titleOffline(t *testing.T, f *site.Folder) (string, []account.Note) {
	t.Helper()
	b := New(context.Background(), []site.Host{f}, Options{})
	defer b.Close()
	tab := b.Open("https://line.example/", nil)
	b.Settle()
	b.CloseTab(tab)
	b.StopWorkers()
	branch := b.Branch()
	defer branch.Close()
	branch.SetCondition(condition.Offline)
	return branch.Open("https://line.example/", nil).Title, append(b.Notes(), branch.Notes()...)
}

const answerTitle = `addEventListener('fetch', (e) => e.respondWith((async () => new Response('<title>' + await said() + '</title>', {headers: {'content-type': 'text/html'}}))()));`

// What workers do by other means than caches comes out as in a browser, also after the worker was stopped.
func TestWorkerEnvironment(t *testing.T) {
	for name, c := range map[string]struct{ code, want string }{
		"indexed database": {`
			const open = () => new Promise((ok, no) => { const r = indexedDB.open('tides', 2); r.onupgradeneeded = (e) => { const s = r.result.createObjectStore('piers', {keyPath: 'id'}); s.createIndex('height', 'height'); }; r.onsuccess = () => ok(r.result); r.onerror = () => no(r.error); });
			const done = (r) => new Promise((ok, no) => { r.onsuccess = () => ok(r.result); r.onerror = () => no(r.error); });
			addEventListener('install', (e) => e.waitUntil((async () => { const db = await open(); const tx = db.transaction('piers', 'readwrite'); for (const [id, height, when] of [['skerra', 3.6, new Date(5)], ['far', 4.1, new Map([[1, 2]])], ['calder', 3.4]]) tx.objectStore('piers').put({id, height, when}); await new Promise((ok) => { tx.oncomplete = ok; }); })()));
			const said = async () => { const db = await open(); const s = db.transaction('piers').objectStore('piers'); const all = []; const cursor = s.index('height').openCursor(IDBKeyRange.lowerBound(3.5)); await new Promise((ok) => { cursor.onsuccess = () => { const c = cursor.result; if (!c) return ok(); all.push(c.value.id); c.continue(); }; });
			  return [all, await done(s.count()), (await done(s.get('skerra'))).when.getTime(), (await done(s.get('far'))).when.get(1), db.version].join(' '); };` + answerTitle, "skerra,far 3 5 2 2"},
		"aborted transaction": {`
			const said = () => new Promise((ok) => { const r = indexedDB.open('x', 1); r.onupgradeneeded = () => r.result.createObjectStore('s'); r.onsuccess = () => { const db = r.result; const tx = db.transaction('s', 'readwrite'); tx.objectStore('s').put(1, 'a'); const twice = tx.objectStore('s').add(2, 'a'); twice.onerror = () => {}; tx.onabort = () => { const c = db.transaction('s').objectStore('s').count(); c.onsuccess = () => ok(twice.error.name + c.result); }; }; });` + answerTitle, "ConstraintError0"},
		"streams": {`
			const said = async () => { const up = new TransformStream({ transform: (c, out) => out.enqueue(c.toUpperCase()) }); const text = await new Response(new Response('low water').body.pipeThrough(new TextDecoderStream()).pipeThrough(up).pipeThrough(new TextEncoderStream())).text();
			  const packed = new Response('high').body.pipeThrough(new CompressionStream('gzip')); return text + (await new Response(packed.pipeThrough(new DecompressionStream('gzip'))).text()); };` + answerTitle, "LOW WATERhigh"},
		"ports and channels": {`
			const said = () => new Promise((ok) => { const { port1, port2 } = new MessageChannel(); const c = new BroadcastChannel('b'); new BroadcastChannel('b').onmessage = (e) => ok(e.data.n + 1 + ''); port1.onmessage = (e) => c.postMessage(e.data); port2.postMessage({ n: 4 }); });` + answerTitle, "5"},
		"virtual time": {`
			const said = () => new Promise((ok) => { const t = Date.now(); setTimeout(() => ok(Date.now() - t + ''), 3000); });` + answerTitle, "3000"},
		"digest": {`
			const said = async () => [...new Uint8Array(await crypto.subtle.digest('SHA-256', new TextEncoder().encode('tide')))].slice(0, 3).join() + crypto.randomUUID().length;` + answerTitle, "138,40,14636"},
		"static routes": {`
			addEventListener('install', (e) => e.waitUntil((async () => { await (await caches.open('c')).put('/', new Response('<title>routed</title>', {headers: {'content-type': 'text/html'}})); await e.addRoutes([{ condition: { not: { urlPattern: '/' } }, source: 'network' }, { condition: { urlPattern: '/', requestMode: 'navigate' }, source: { cacheName: 'c' } }]); })()));
			const said = async () => 'asked';` + answerTitle, "routed"},
		"preload": {`
			addEventListener('activate', (e) => e.waitUntil(registration.navigationPreload.enable()));
			addEventListener('fetch', (e) => e.respondWith((async () => { try { return await e.preloadResponse; } catch (error) { return new Response('<title>' + error.name + '</title>', {headers: {'content-type': 'text/html'}}); } })()));`, "NetworkError"},
		"locks, cookies and more": {`
			const said = async () => { const order = []; await Promise.all([navigator.locks.request('a', async () => { await new Promise((ok) => setTimeout(ok, 50)); order.push(1); }), navigator.locks.request('a', () => order.push(2)), navigator.locks.request('a', { ifAvailable: true }, (l) => order.push(l === null ? 'busy' : 'free'))]);
			  await cookieStore.set('pier', 'skerra'); const { usage, quota } = await navigator.storage.estimate(); const list = await Array.fromAsync([Promise.resolve(1), 2], (x) => x * 2);
			  return [order, (await cookieStore.get('pier')).value, usage < quota, list, await scheduler.postTask(() => 'task')].join(' '); };` + answerTitle, "busy,1,2 skerra true 2,4 task"},
		"gaps do not throw for looking": {`
			const said = async () => { let drawn; try { drawn = new OffscreenCanvas(1, 1); } catch (e) { drawn = e.name; } return [typeof WebAssembly, typeof OffscreenCanvas, drawn, 'PushManager' in self, typeof registration.sync.register, new Intl.NumberFormat('en').format(3)].join(' '); };` + answerTitle, "object function NotSupportedError true function 3"},
		"pattern": {`
			const said = async () => new URLPattern({ pathname: '/tides/:pier' }).exec('https://line.example/tides/skerra').pathname.groups.pier;` + answerTitle, "skerra"},
	} {
		t.Run(name, func(t *testing.T) {
			got, notes := titleOffline(t, siteWith(t, c.code))
			assert.Equal(t, c.want, got, notes)
		})
	}
}
