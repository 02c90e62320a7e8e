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
		"databases without end":     {`addEventListener('fetch', (e) => e.respondWith(new Promise((done) => { const o = indexedDB.open('x'); o.onupgradeneeded = () => o.result.createObjectStore('s', { autoIncrement: true }); o.onsuccess = () => { const put = () => { const t = o.result.transaction('s', 'readwrite'); t.objectStore('s').put('x'.repeat(1e7)); t.oncomplete = put; t.onabort = () => done(Response.error()); }; put(); }; })));`, Lost, ""},
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

// Whatever the scripts of a page do, it comes to an end, and what is not known is not said to be.
func TestHostilePages(t *testing.T) {
	const keeping = "addEventListener('install', (e) => e.waitUntil(caches.open('a').then((c) => c.addAll(['/', '/app.js', '/more.html']))));" +
		"addEventListener('fetch', (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));"
	for name, c := range map[string]struct {
		code  string
		known bool
	}{
		"a loop":                      {`for (;;);`, false},
		"a loop of promises":          {`(async () => { for (;;) await 0; })();`, false},
		"timers that double":          {`const f = () => { setTimeout(f, 0); setTimeout(f, 0); }; f();`, false},
		"an interval":                 {`setInterval(() => { document.title += 'x'; }, 1);`, true},
		"frames without end":          {`const f = () => { document.title += '.'; requestAnimationFrame(f); }; f();`, true},
		"a flood of nodes":            {`for (;;) document.body.append(document.createElement('p'));`, false},
		"a flood of text":             {`let s = 'x'; for (;;) { s += s; document.body.textContent = s; }`, false},
		"a deep tree":                 {`let e = document.body; for (let i = 0; i < 20000; i++) e = e.appendChild(document.createElement('div')); e.textContent = 'deep';`, false},
		"deep markup":                 {`document.body.innerHTML = '<div>'.repeat(20000);`, false},
		"a storm of events":           {`addEventListener('x', () => { dispatchEvent(new Event('x')); }); dispatchEvent(new Event('x'));`, false},
		"observers that observe":      {`new MutationObserver(() => { document.body.append('x'); }).observe(document.body, { childList: true }); document.body.append('x');`, false},
		"writes without end":          {`const f = () => { document.write('<p>x</p>'); setTimeout(f, 0); }; setTimeout(f, 0);`, false},
		"a script that writes itself": {`document.write('<script src=/app.js></' + 'script>');`, false},
		"reloads":                     {`location.reload();`, true},
		"reloads later":               {`setTimeout(() => location.reload(), 10);`, true},
		"back and forth":              {`location.href = location.pathname === '/' ? '/more.html' : '/';`, true},
		"history without end":         {`for (let i = 0; i < 1e5; i++) history.pushState(i, '', '?' + i);`, false},
		"workers":                     {`const u = URL.createObjectURL(new Blob(["const f = () => { new Worker(URL.createObjectURL(new Blob(['setInterval(() => {}, 1)']))); }; for (let i = 0; i < 50; i++) f();"])); for (let i = 0; i < 50; i++) new Worker(u);`, false},
		"frames":                      {`for (let i = 0; i < 1200; i++) document.body.append(Object.assign(document.createElement('iframe'), { srcdoc: '<p>' + i }));`, false},
		"registrations without end":   {`const again = () => navigator.serviceWorker.register('/w.js?' + Math.random()).then(again, again); again();`, false},
		"custom elements":             {`customElements.define('x-y', class extends HTMLElement { connectedCallback() { this.append(document.createElement('x-y')); } }); document.body.append(document.createElement('x-y'));`, false},
		"prototypes":                  {`for (const C of [Array, Map, Set, Promise, String, RegExp, Function, Object, Node, Element, Document, EventTarget]) for (const k of Object.getOwnPropertyNames(C.prototype)) if (k !== 'constructor') try { C.prototype[k] = () => { throw new Error('no ' + k); }; } catch {} JSON.parse = JSON.stringify = () => { throw 1; };`, true},
		"members on every object":     {`Object.prototype.toJSON = () => 1; Object.prototype.then = undefined; Object.prototype.$f = Object.prototype.get = Object.prototype.value = 7; Array.prototype.toJSON = () => 2;`, true},
		"storage":                     {`try { for (let i = 0; ; i++) localStorage[i] = 'x'.repeat(1e5); } catch {}`, true},
		"memory":                      {`const a = []; for (;;) a.push(new Uint8Array(1e7));`, false},
		"a pattern without end":       {`/(a+)+$/.test('a'.repeat(40) + 'b');`, false},
		"selectors":                   {`for (let i = 0; i < 300; i++) document.body.append(document.createElement('p')); document.querySelectorAll(':is('.repeat(200) + 'p' + ')'.repeat(200)); document.querySelectorAll('p ~ p ~ p ~ p');`, true},
		"requests":                    {`for (let i = 0; i < 500; i++) fetch('/more.html?' + i);`, true},
		"messages":                    {`onmessage = () => postMessage(1, '*'); postMessage(1, '*');`, false},
	} {
		t.Run(name, func(t *testing.T) {
			host := siteWith(t, "", "index.html", "<!doctype html><title>Pier</title><p>Sailings</p><script>navigator.serviceWorker.register('/w.js')</script><script src=/app.js></script>",
				"more.html", "<!doctype html><title>More</title><p>More</p><script src=/app.js></script>", "app.js", c.code, "w.js", keeping)
			r := &Rehearsal{Steps: 6_000_000, Hosts: []site.Host{host}, Visit: []string{home}, Pages: []string{home},
				Conditions: []condition.Condition{condition.Offline}}
			got, err := r.Run(context.Background())
			require.NoError(t, err)
			o := got.Pages[0].Under["offline"]
			assert.Equal(t, c.known, o.Doubt == nil, "%+v %v", o.Doubt, got.Notes)
			assert.LessOrEqual(t, len(got.Notes), 500)
		})
	}
}
