package rehearsal

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/crash"
	"tachyform/internal/site"
)

// Windows and workers that end while their scripts run, or whose functions others go on calling, crash nothing.
func TestEndedRealms(t *testing.T) {
	uses := map[string]string{
		"timers": "w.setTimeout(() => {}); w.setInterval(() => {}); w.clearTimeout(1); w.queueMicrotask(() => {}); w.requestAnimationFrame(() => {});",
		"fetch":  "w.fetch('/more.html').catch(() => {}); new w.Request('/x'); new w.Headers([['a', 'b']]);",
		"xhr":    "const x = new w.XMLHttpRequest(); x.open('GET', '/more.html', false); x.send();", "storage": "w.localStorage.setItem('a', 'b'); w.sessionStorage.length;",
		"databases": "w.indexedDB.open('x').onsuccess = () => {};", "caches": "w.caches.open('x').catch(() => {});", "import()": "w.eval('import(\"/app.js\")').catch(() => {});",
		"import() of a function": "const f = w.Function('return import(\"/app.js\")'); f().catch(() => {});",
		"observers":              "new w.MutationObserver(() => {}).observe(w.document, { childList: true, subtree: true }); new w.IntersectionObserver(() => {}).observe(d.body); new w.PerformanceObserver(() => {});",
		"nodes":                  "d.body.innerHTML = '<p>x<script>1</script>'; d.body.append(d.createElement('iframe')); d.querySelector('p').attachShadow({ mode: 'open' }); document.body.append(d.body.firstChild);",
		"rejections":             "w.Promise.reject(new w.Error('x')); w.Promise.resolve().then(() => { throw 1; }); w.eval('(async () => { throw 2; })()');",
		"messages":               "w.postMessage('x', '*'); new w.MessageChannel().port1.postMessage(1); new w.BroadcastChannel('x').postMessage(1); w.structuredClone({ a: [] });",
		"workers":                "new w.Worker('/app.js'); new w.SharedWorker('/app.js'); w.navigator.serviceWorker.register('/w.js').catch(() => {}); w.navigator.serviceWorker.ready;",
		"history":                "w.history.pushState(1, '', '?x'); w.location.hash = '#x'; w.location.reload(); w.history.back();",
		"scripts":                "w.eval('var tide = 1; function f() { return tide; } f()'); w.document.write('<p>x'); w.document.open(); w.document.close();",
		"events":                 "w.addEventListener('x', () => { throw 1; }); w.dispatchEvent(new w.Event('x')); d.dispatchEvent(new w.CustomEvent('x'));",
		"elements":               "w.customElements.define('x-y', w.eval('(class extends HTMLElement {})')); d.createElement('x-y'); new w.Image().src = '/a.png'; d.body.append(Object.assign(d.createElement('script'), { src: '/app.js' }));",
		"computing":              "w.crypto.getRandomValues(new w.Uint8Array(4)); w.crypto.subtle.digest('SHA-256', new w.Uint8Array(4)).catch(() => {}); new w.URL('/x', location.href); new w.TextDecoder().decode(new w.Uint8Array(4)); w.atob('YQ=='); w.getComputedStyle(d.body).color; w.matchMedia('print').matches;",
	}
	scripts := map[string]string{
		"frame removes itself":                                "const f = frame('<script>parent.Object.setPrototypeOf(parent.Array.prototype, null); frameElement.remove(); try { [].map((x) => x); new Array(3).fill(1); } catch {}</' + 'script>');",
		"frame removes itself, prototypes of its own changed": "frame('<script>Object.setPrototypeOf(Array.prototype, null); frameElement.remove(); try { [1, 2].concat([3]); setTimeout(() => {}); parent.document.title; } catch {}</' + 'script>');",
		"frame removes itself, prototypes of both changed":    "Object.setPrototypeOf(Array.prototype, { __proto__: null }); frame('<script>Object.setPrototypeOf(Array.prototype, parent.Array.prototype); const p = parent; frameElement.remove(); p.kept = [[], () => [].length];</' + 'script>'); setTimeout(() => { const [a, f] = window.kept; f(); a.push(1); Object.setPrototypeOf(Array.prototype, Object.prototype); a.map((x) => x); }, 50);",
		"frame removes itself in its events":                  "frame('<script>for (const n of [\"load\", \"pagehide\", \"unload\", \"beforeunload\", \"visibilitychange\"]) addEventListener(n, () => { frameElement && frameElement.remove(); fetch(\"/more.html\"); });</' + 'script>');",
		"frames that remove each other":                       "const list = []; for (let i = 0; i < 25; i++) { const f = frame('x'); list.push(f); f.contentWindow.addEventListener('pagehide', () => { list[i + 1] && list[i + 1].remove(); }); } list[0].remove();",
		"frames that remove each other by their own scripts":  "window.list = []; for (let i = 0; i < 25; i++) window.list.push(frame('<script>addEventListener(\"pagehide\", () => { const n = parent.list[' + (i + 1) + ']; n && n.remove(); });</' + 'script>')); onload = () => window.list[0].remove();",
		"frame goes elsewhere in its load event":              "const f = frame('<script>onload = () => { location.href = \"/more.html\"; };</' + 'script>'); f.addEventListener('load', () => { f.contentWindow.setTimeout(() => {}, 0); f.contentWindow.fetch('/more.html'); });",
		"frames within frames removed from within":            "frame('<iframe srcdoc=\"&lt;script&gt;parent.frameElement.remove(); parent.parent.late = setTimeout; &lt;/script&gt;\"></iframe>'); setTimeout(() => { try { window.late(() => {}); } catch {} }, 100);",
		"worker waits while its page leaves":                  "new Worker(URL.createObjectURL(new Blob(['importScripts(\"/app.js\"); for (;;) { const x = new XMLHttpRequest(); x.open(\"GET\", \"/more.html\", false); x.send(); }']))); location = '/more.html';",
		"page waits while it is closed by a frame":            "frame('<script>top.location = \"/more.html\"</' + 'script>'); const x = new XMLHttpRequest(); x.open('GET', '/more.html', false); x.send();",
	}
	for name, code := range uses {
		scripts["used after removal: "+name] = "const f = frame('<p>x'); const w = f.contentWindow, d = f.contentDocument; f.remove(); for (const part of " + quoted(code) + ") try { eval(part); } catch {}"
		scripts["used after going elsewhere: "+name] = "const f = frame('<p>x'); const w = f.contentWindow, d = f.contentDocument; const { setTimeout: later, fetch: get, eval: run } = w; f.onload = () => { f.onload = null; try { later(() => {}); get('/x').catch(() => {}); run('import(\"/app.js\")').catch(() => {}); } catch {} for (const part of " + quoted(code) + ") try { eval(part); } catch {} }; f.src = '/more.html'; f.removeAttribute('srcdoc');"
	}
	for name, code := range scripts {
		t.Run(name, func(t *testing.T) {
			const frame = "const frame = (html) => { const f = document.createElement('iframe'); f.srcdoc = html; document.body.append(f); return f; };"
			host := siteWith(t, "", "index.html", "<!doctype html><title>Pier</title><p>Sailings<script src=/page.js></script>",
				"more.html", "<!doctype html><title>More</title><p>More", "app.js", "var harbour = 1", "w.js", "", "page.js", frame+code)
			log := &crash.Log{}
			r := &Rehearsal{Hosts: []site.Host{host}, Visit: []string{home}, Pages: []string{home}, Conditions: []condition.Condition{condition.Online}}
			got, err := r.Run(crash.WithLog(context.Background(), log))
			require.NoError(t, err)
			for _, c := range log.All() {
				t.Errorf("%s\n%s", c.What, c.Stack)
			}
			assert.Nil(t, got.Pages[0].Under["online"].Doubt, "%v", got.Notes)
		})
	}
}

// quoted is JavaScript for the list of the statements in code.
func quoted(code string) string {
	var parts []string
	for _, part := range strings.Split(strings.TrimSuffix(code, ";"), "; ") {
		parts = append(parts, fmt.Sprintf("%q", part))
	}
	return "[" + strings.Join(parts, ", ") + "]"
}
