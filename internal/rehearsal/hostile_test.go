package rehearsal

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/site"
)

// Whatever a worker does, it comes to an end, with an outcome and without harm.
func TestHostile(t *testing.T) {
	const answering = "addEventListener('fetch', (e) => e.respondWith(caches.match(e.request)));"
	const keeping = "addEventListener('install', (e) => e.waitUntil(caches.open('a').then((c) => c.add('/'))));" +
		answering
	for name, c := range map[string]struct {
		code    string
		outcome Outcome
		gap     string
	}{
		"every built-in throws":     {`for (const C of [Array, Map, Set, Promise, WeakMap, String, RegExp, Function, Object, Uint8Array, Error]) for (const k of Object.getOwnPropertyNames(C.prototype)) { if (k !== 'constructor') try { C.prototype[k] = () => { throw new Error('no ' + k); }; } catch {} } JSON.parse = JSON.stringify = () => { throw new Error('json'); }; globalThis.Promise = globalThis.Map = null;` + answering, Lost, ""},
		"everything frozen":         {`for (const k of Object.getOwnPropertyNames(globalThis)) try { Object.freeze(globalThis[k]); if (globalThis[k].prototype) Object.freeze(globalThis[k].prototype); } catch {} Object.preventExtensions(self);` + keeping, Whole, ""},
		"much deleted":              {`for (const k of ['Boolean', 'JSON', 'Map', 'Set', 'Array', 'Object', 'Promise', 'Symbol', 'Number', 'String', 'RegExp', 'Date', 'Math', 'Uint8Array', 'ArrayBuffer', 'Error', 'TypeError', 'Reflect', 'Response', 'Headers', 'URL']) delete globalThis[k];` + keeping, Whole, ""},
		"members on every object":   {`Object.prototype.toJSON = function () { return 1; }; Object.prototype.then = undefined; Object.prototype.get = Object.prototype.value = Object.prototype.ignoreSearch = Object.prototype.body = 7; Array.prototype.toJSON = () => 2; String.prototype.toJSON = () => 3;` + keeping, Whole, ""},
		"built-ins that lie":        {`Array.prototype.push = Array.prototype.map = Array.prototype[Symbol.iterator] = Map.prototype.get = Map.prototype.set = String.prototype.split = RegExp.prototype.exec = JSON.parse = JSON.stringify = Object.keys = Object.entries = Object.defineProperty = Reflect.ownKeys = Function.prototype.call = Function.prototype.bind = Promise.resolve = Promise.all = () => 1;` + keeping, Whole, ""},
		"accessors on every object": {`Object.defineProperty(Object.prototype, 'url', { set() { throw 1; }, get() { return 'http://x/'; } }); Object.prototype.resolve = 3; addEventListener('fetch', (e) => e.respondWith(fetch(e.request)));`, Lost, ""},
		"loops in every event":      {`for (const n of ['install', 'activate', 'fetch', 'message', 'push']) addEventListener(n, () => { for (;;); });`, Lost, ""},
		"loops without end":         {`for (;;);`, Lost, ""},
		"loop of promises":          {`addEventListener('fetch', (e) => e.respondWith((async () => { for (;;) await 0; })()));`, Lost, ""},
		"timers that double":        {`addEventListener('fetch', (e) => e.respondWith(new Promise(() => { const f = () => { setTimeout(f, 0); setTimeout(f, 0); }; f(); })));`, Stuck, ""},
		"memory":                    {`addEventListener('fetch', () => { const a = []; for (;;) a.push(new Uint8Array(1e7)); });`, Lost, ""},
		"memory of text":            {`addEventListener('fetch', () => { let s = 'x'; for (;;) s += s; });`, Lost, ""},
		"content without end":       {`addEventListener('fetch', (e) => e.respondWith(new Response(new ReadableStream({ pull(c) { c.enqueue(new Uint8Array(1e5)); } }))));`, Lost, ""},
		"caches without end":        {`addEventListener('fetch', (e) => e.respondWith((async () => { const c = await caches.open('x'); for (let i = 0; ; i++) await c.put('/' + i, new Response('x'.repeat(4e6))); })()));`, Stuck, ""},
		"databases without end":     {`addEventListener('fetch', (e) => e.respondWith(new Promise((done) => { const o = indexedDB.open('x'); o.onupgradeneeded = () => o.result.createObjectStore('s', { autoIncrement: true }); o.onsuccess = () => { const put = () => { const t = o.result.transaction('s', 'readwrite'); t.objectStore('s').put('x'.repeat(1e7)); t.oncomplete = put; t.onabort = () => done(Response.error()); }; put(); }; })));`, Stuck, ""},
		"updates without end":       {`const again = () => registration.update().then(again, again); addEventListener('fetch', (e) => { again(); e.respondWith(new Promise(() => {})); });`, Stuck, ""},
		"messages without end":      {`addEventListener('fetch', (e) => { const c = new MessageChannel(); c.port1.onmessage = () => c.port2.postMessage(1); c.port2.onmessage = () => c.port1.postMessage(1); c.port1.postMessage(1); e.respondWith(new Promise(() => {})); });`, Stuck, ""},
		"a search without end": {`addEventListener('fetch', () => { [].indexOf.call({ length: 2 ** 53 - 1 }, 1); });`,
			Lost, ""},
		"recursion":                    {`addEventListener('fetch', () => { const f = () => f(); f(); });`, Lost, ""},
		"events in events":             {`addEventListener('fetch', () => { const t = new EventTarget(); t.addEventListener('x', () => t.dispatchEvent(new Event('x'))); t.dispatchEvent(new Event('x')); });`, Lost, ""},
		"a script that imports itself": {`importScripts('/w.js');`, Lost, ""},
		"a pattern without end": {`addEventListener('fetch', () => { /(a+)+$/.test('a'.repeat(40) + 'b'); });`, Lost,
			""},
		"a proxy for headers": {`addEventListener('fetch', (e) => e.respondWith(new Response('x', { headers: new Proxy({}, { ownKeys() { for (;;); } }) })));`, Lost, ""},
		"output":              {`addEventListener('fetch', () => { for (let i = 0; i < 1e5; i++) console.log('x'.repeat(1000)); });`, Lost, ""},
	} {
		t.Run(name, func(t *testing.T) {
			r := &Rehearsal{Steps: 2_000_000, Hosts: []site.Host{siteWith(t, c.code)}, Visit: []string{home},
				Pages: []string{home}, Conditions: []condition.Condition{condition.Offline}}
			got, err := r.Run(context.Background())
			require.NoError(t, err)
			assert.Equal(t, c.outcome, got.Pages[0].Under["offline"].Outcome, "%v", got.Notes)
			if c.outcome != Whole {
				assert.NotEmpty(t, got.Pages[0].Under["offline"].Reason)
			}
			if c.gap != "" {
				require.NotEmpty(t, got.Gaps)
				assert.Contains(t, got.Gaps[0], c.gap)
			}
			assert.LessOrEqual(t, len(got.Notes), 500)
		})
	}
}
