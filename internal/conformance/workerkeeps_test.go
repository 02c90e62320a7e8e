package conformance

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/storage"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
)

// What rules keep, for how long, and what they never do; in a real Chromium, whose worker is stopped between storing
// and looking.
func TestKeepingInChromium(t *testing.T) {
	c := sharedChromium(t)
	elsewhere := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter,
		r *http.Request) {
		fmt.Fprint(w, "elsewhere")
	}))
	defer elsewhere.Close()
	other := strings.Replace(elsewhere.URL, "127.0.0.1", "localhost", 1)
	l := newLine(t, `
worker:
  pack: {pages: [/], include: [/film.mp4], ignore_query: [from]}
  never: [/now/few/never*]
  rules:
    - {match: /now/few/*, answer: cache-first, keep: {at_most: 2}}
    - {match: /now/short/*, answer: cache-first, keep: {for: 1s}}
    - {match: /now/heavy/*, answer: cache-first, keep: {bytes: 130 kB}}
    - {match: /now/status/gone, answer: network-first, statuses: [200, 410]}
    - {match: /now/plain/*, answer: network-first}
    - {match: /now/even/*, answer: network-first, even_private: yes}
    - {match: /now/query/*, answer: cache-first, ignore_query: [t, "mark-*"]}
    - {match: /now/tell/*, answer: stale-while-revalidate, tell: yes}
    - {match: /now/sent/*, answer: network-only, method: POST}
    - {match: "`+other+`/*", answer: cache-first, opaque: yes, keep: {at_most: 1}}
    - {match: /films/*, answer: cache-first}
  stand_ins: {data: {match: /now/sent/*, body: '{"sent": false}'}}
  takeover: when-closed
`, map[string]string{"index.html": "<!doctype html><title>One</title>", "film.mp4": "0123456789",
		"films/a.mp4": "abcdefghij"})
	page := tabs(t, c)()
	defer page.Close()
	l.open(page, "/")
	l.open(page, "/")
	get := func(url, init string) string {
		return l.js(page,
			fmt.Sprintf(`fetch(%q, %s).then(r => r.text().then(text => r.status + ' ' + text.slice(-40)), () => 'failed')`, url,
				init))
	}
	asks := func(url, init, want string) {
		t.Helper()
		assert.Equal(t, want, get(url, init), url)
		time.Sleep(60 * time.Millisecond)
	}
	kept := func(part, want string) {
		t.Helper()
		l.until(page, keptURLs+fmt.Sprintf(".then(k => k.split(' ').filter(u => u.includes(%q)).join(' '))", part), want)
	}
	// Bounds by number, time and weight.
	for _, name := range []string{"a", "b", "c", "never"} {
		asks("/now/few/"+name, "{}", "200 G0")
		require.NoError(t, c.StopWorkers())
	}
	kept("/few/", "/now/few/b /now/few/c")
	asks("/now/short/a", "{}", "200 G0")
	for _, name := range []string{"a", "b", "c"} {
		get("/now/heavy/"+name, "{}")
		time.Sleep(100 * time.Millisecond)
	}
	kept("/heavy/", "/now/heavy/b /now/heavy/c")
	l.round.Store(1)
	asks("/now/few/c", "{}", "200 G0")
	asks("/now/few/never", "{}", "200 G1")
	time.Sleep(1200 * time.Millisecond)
	asks("/now/short/a", "{}", "200 G1")

	// Statuses, and what is for one person only.
	asks("/now/status/gone", "{}", "410 G1")
	asks("/now/plain/gone", "{}", "410 G1")
	asks("/now/plain/secret", "{}", "200 G1")
	asks("/now/plain/mine", "{headers: {Authorization: 'x'}}", "200 G1")
	asks("/now/even/secret", "{headers: {Authorization: 'x'}}", "200 G1")
	kept("/status/", "/now/status/gone")
	kept("/plain/", "")
	kept("/even/", "/now/even/secret")

	// Queries: those that are ignored choose no copy.
	asks("/now/query/a?t=1&n=2", "{}", "200 G1")
	l.round.Store(2)
	asks("/now/query/a?t=9&mark-x=1&n=2", "{}", "200 G1")
	asks("/now/query/a?n=3", "{}", "200 G2")
	kept("/query/", "/now/query/a?n=2 /now/query/a?n=3")

	// The page is told when what it was given is out of date, and only then.
	l.js(page, `(self.told = [], document.addEventListener('tachyform:refreshed', e => told.push(e.detail.url)), '')`)
	asks("/now/tell/a", "{}", "200 G2")
	asks("/now/tell/a", "{}", "200 G2")
	l.round.Store(3)
	asks("/now/tell/a", "{}", "200 G2")
	l.until(page, "told.join(' ')", l.Origin()+"/now/tell/a")
	asks("/now/tell/a", "{}", "200 G3")
	l.until(page, "told.length", "1")

	// Answers of other origins that nobody may look into.
	for _, name := range []string{"/a", "/b"} {
		assert.Equal(t, "opaque", l.js(page, fmt.Sprintf(`fetch(%q, {mode: 'no-cors'}).then(r => r.type)`, other+name)))
		time.Sleep(60 * time.Millisecond)
	}
	assert.Equal(t, other+"/b", l.js(page, `caches.open('tachyform / kept `+other+
		`/*').then(c => c.keys()).then(k => k.map(r => r.url).join(' '))`))

	// Ranges of whole copies, from the pack and from a rule's store; a film asked for from its start is kept whole.
	asks("/film.mp4", "{headers: {Range: 'bytes=2-4'}}", "206 234")
	asks("/film.mp4", "{headers: {Range: 'bytes=-3'}}", "206 789")
	asks("/film.mp4", "{headers: {Range: 'bytes=20-'}}", "416 ")
	asks("/films/a.mp4", "{headers: {Range: 'bytes=4-'}}", "206 efghij")
	kept("/films/", "")
	asks("/films/a.mp4", "{headers: {Range: 'bytes=0-'}}", "200 abcdefghij")
	kept("/films/", "/films/a.mp4")
	// A query that may choose another content is not answered by the packed page.
	l.Offline()
	asks("/films/a.mp4", "{headers: {Range: 'bytes=4-5'}}", "206 ef")
	asks("/?from=home", "{}", "200 "+l.js(page, "fetch('/').then(r => r.text()).then(t => t.slice(-40))"))
	asks("/?search=pier", "{}", "failed")
	// What is sent is never kept; its stand-in says so.
	asks("/now/sent/a", "{method: 'POST', body: 'x'}", `503 {"sent": false}`)
	l.online()
	asks("/now/sent/a", "{method: 'POST', body: 'x'}", "200 P3")

	// Signing out empties what was kept, and leaves the pack.
	assert.Equal(t, "tachyform / pack", l.js(page, `tachyform.forget().then(() => caches.keys()).then(n => n.join(' '))`))

	// Where nothing more can be stored the answer comes all the same.
	quota := func(size *float64) {
		require.NoError(t, page.(*chromium.Tab).Command(func(ctx context.Context, session cdp.Session) error {
			_, err := cdp.Call(ctx, session, storage.OverrideQuotaForOrigin,
				storage.OverrideQuotaForOriginParams{Origin: l.Origin(), QuotaSize: size})
			return err
		}))
	}
	none := 1.0
	quota(&none)
	asks("/now/heavy/d", "{}", "200 "+strings.Repeat("\x00", 38)+"G3")

	// The browser threw the pack away: the network answers, and the pack is made whole again.
	quota(nil)
	l.js(page, `caches.delete('tachyform / pack')`)
	require.NoError(t, c.StopWorkers())
	asks("/film.mp4", "{}", "200 0123456789")
	l.until(page, `caches.open('tachyform / pack').then(c => c.keys()).then(k => k.length)`, "3")
}

// A browser that keeps nothing for a site answers as if there were no worker.
func TestWithoutStorageInChromium(t *testing.T) {
	l := newLine(t, "worker: {pack: {pages: [/]}, rules: [{match: /now/*, answer: cache-first}], module: own.js, "+
		"takeover: at-once}\n", map[string]string{
		"index.html": "<!doctype html><title>One</title>", "../own.js": `
import { refuse } from './refuse.js';
self.addEventListener('message', (event) => { if (event.data === 'lock') refuse(); });
`,
		"../refuse.js": `export function refuse() { caches.open = caches.match = () => Promise.reject(new DOMException('', 'SecurityError')); }`})
	page := tabs(t, sharedChromium(t))()
	defer page.Close()
	l.open(page, "/")
	l.open(page, "/")
	l.js(page, `(navigator.serviceWorker.controller.postMessage('lock'), '')`)
	time.Sleep(100 * time.Millisecond)
	l.round.Store(7)
	assert.Equal(t, []string{"G7", "G7"}, l.fetches(page, []string{"/now/a", "/now/a"}))
	require.NoError(t, page.Load(l.Origin()+"/?again"))
	assert.Equal(t, "One", l.js(page, "document.title"))
}

// Two releases, two tabs: no page gets files of both, a half-finished deployment changes nothing, and pages kept as
// they were visited are those of the release that shows them.
func TestReleasesInChromium(t *testing.T) {
	c := sharedChromium(t)
	files := func(n string) map[string]string {
		return map[string]string{
			"index.html":        "<!doctype html><title>Index " + n + "</title><script src=/part.js></script>",
			"form.html":         "<!doctype html><title>Form " + n + "</title><input id=i>",
			"visited.html":      "<!doctype html><title>Visited " + n + "</title><script src=/part.js></script>",
			"part.js":           "self.part = " + n,
			"lazy-" + n + ".js": "self.lazy = " + n,
		}
	}
	l := newLine(t, "worker: {pack: {pages: [/, /form.html], include: ['/lazy-*', /part.js]}, rules: [{match: /*, "+
		"destination: document, answer: network-first, keep: {at_most: 5}}], takeover: ask}\n", files("1"))
	open := tabs(t, c)
	a, b := open(), open()
	defer a.Close()
	defer b.Close()
	l.open(a, "/")
	l.open(a, "/visited.html")
	l.open(b, "/form.html")
	assert.Equal(t, "Form 1", l.js(b, "document.title"))
	// Somebody is typing in the second tab: it puts the reload off.
	l.js(b,
		`(document.addEventListener('tachyform:taken-over', e => { e.preventDefault(); self.later = e.detail.reload }), '')`)
	l.js(a,
		`(self.events = [], ['kept', 'release-waiting', 'taken-over', 'failed'].forEach(n => document.addEventListener('tachyform:' + n, e => { events.push(n); self.detail = e.detail })), '')`)

	// A deployment of which a file has not arrived: the page says that it failed, and nothing changes.
	next := files("2")
	next["lazy-1.js"] = ""
	l.deploy(next)
	whole := l.host.Load().(hosting)
	l.host.Store(hosting{http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/part.js" {
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprint(w, "self.part = 1")
			return
		}
		whole.ServeHTTP(w, r)
	})})
	l.js(a, "tachyform.check().then(() => '')")
	l.until(a, "events.join(' ')", "failed")
	assert.Equal(t, "Index 1", l.js(a, "fetch('/').then(r => r.text()).then(t => t.match(/<title>(.*)<.title>/)[1])"))

	// The whole one waits until its visitor agrees, then one page is loaded again and the other keeps the release it runs
	// under.
	l.host.Store(whole)
	l.js(a, "tachyform.check().then(() => '')")
	l.until(a, "events.join(' ')", "failed release-waiting")
	assert.Equal(t, "Index 1", l.js(a, "fetch('/').then(r => r.text()).then(t => t.match(/<title>(.*)<.title>/)[1])"))
	l.js(a, "(detail.takeOver(), '')")
	l.until(a, "document.title + self.part", "Visited 22")
	l.until(b, "typeof later", "function")
	assert.Equal(t, "Form 1", l.js(b, "document.title"))
	require.NoError(t, c.StopWorkers())
	lazy := func(n string) string {
		return fmt.Sprintf("fetch('/lazy-%s.js').then(r => r.ok ? r.text() : 'none')", n)
	}
	assert.Equal(t, "self.lazy = 1", l.js(b, lazy("1")), "a page of the old release gets its own files")
	assert.Equal(t, "self.part = 1", l.js(b, "fetch('/part.js').then(r => r.text())"))
	assert.Equal(t, "none", l.js(a, lazy("1")))
	assert.Equal(t, "self.part = 2", l.js(a, "fetch('/part.js').then(r => r.text())"))
	l.js(b, "(later(), '')")
	l.until(b, "document.title", "Form 2")
	l.open(a, "/")
	l.until(a, `caches.open('tachyform / pack').then(c => c.keys()).then(k => k.some(r => r.url.includes('lazy-1')))`,
		"false")

	// The visited page was kept under the first release; offline it is the second's.
	l.Offline()
	require.NoError(t, a.Load(l.Origin()+"/visited.html"))
	assert.Equal(t, "Visited 2 2", l.js(a, "document.title + ' ' + self.part"))
}

// One page draws all others; pages from the network alone are asked for while the worker starts; where it is off
// nothing is registered, and what was is taken away.
func TestPagesInChromium(t *testing.T) {
	c := sharedChromium(t)
	page := tabs(t, c)()
	defer page.Close()
	title := func(l *line, path string) string {
		if page.Load(l.Origin()+path) != nil {
			return "none"
		}
		return l.js(page, "document.title")
	}
	shell := newLine(t, "worker: {shell: {page: /app.html, except: [/old/*]}, takeover: when-closed}\nhosting: "+
		"{single_page: /app.html}\n", map[string]string{
		"index.html": "<!doctype html><title>Index</title>", "app.html": "<!doctype html><title>App</title><script " +
			"src=/app.js></script>", "app.js": "document.title += ' drawn'", "report.txt": "plain"})
	shell.open(page, "/app.html")
	shell.Offline()
	assert.Equal(t, "App drawn", title(shell, "/piers/skerra"))
	assert.NotEqual(t, "App drawn", title(shell, "/old/piers"))
	assert.NotEqual(t, "App drawn", title(shell, "/report.txt"))

	first := newLine(t, "worker: {rules: [{match: /*, destination: document, answer: network-first}], stand_ins: "+
		"{page: /away.html, font: /away.woff2}}\n", map[string]string{
		"index.html": "<!doctype html><title>Index</title>", "away.html": "<!doctype html><title>Away</title>",
		"away.woff2": "font"})
	state := "navigator.serviceWorker.getRegistration().then(r => r.navigationPreload.getState()).then(s => s.enabled)"
	first.open(page, "/")
	assert.Equal(t, "true", first.js(page, state))
	require.NoError(t, c.StopWorkers())
	first.Asked()
	assert.Equal(t, "Index", title(first, "/"))
	asked := 0
	for _, r := range first.Asked() {
		if r == "GET /" {
			asked++
		}
	}
	assert.Equal(t, 1, asked, "the page is asked for once, ahead of the worker")
	first.Offline()
	assert.Equal(t, "Index", title(first, "/"))
	assert.Equal(t, "Away", title(first, "/nowhere"))
	assert.Equal(t, "font", first.js(page, `new FontFace('x', 'url(/none.woff2)').load().then(() => '', () => fetch('/away.woff2')).then(r => r ? r.text() : '')`))
	// The next release packs pages, for which the network would be asked in vain.
	first.online()
	first.settings = "worker: {pack: {pages: [/]}, takeover: at-once}\n"
	first.deploy(nil)
	require.NoError(t, page.Load(first.Origin()+"/"))
	first.js(page, "tachyform.check().then(() => '')")
	first.until(page, state, "false")

	off := newLine(t, "worker: {pack: {pages: [/]}}\n",
		map[string]string{"index.html": "<!doctype html><title>Index</title>"})
	off.open(page, "/")
	off.settings = "worker: {pack: {pages: [/]}, register: {off_on: [127.0.0.*]}}\n"
	off.deploy(nil)
	require.NoError(t, page.Load(off.Origin()+"/"))
	off.js(page, "tachyform.check().then(() => '')")
	off.until(page, "navigator.serviceWorker.getRegistration().then(r => !!r.waiting)", "true")
	off.js(page, "(tachyform.takeOver(), '')")
	time.Sleep(time.Second) // the page is loaded again, now with the script that registers nothing
	require.NoError(t, page.Load(off.Origin()+"/"))
	off.until(page, "Promise.all([navigator.serviceWorker.getRegistration(), caches.keys()]).then(([r, names]) => "+
		"[!!r, ...names].join())", "false")
}
