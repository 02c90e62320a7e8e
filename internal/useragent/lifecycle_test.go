package useragent

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
)

const home = "https://line.example/"

// hosted gives a folder another hosting section.
func hosted(t *testing.T, f *site.Folder, hosting string) *site.Folder {
	t.Helper()
	p, err := project.Parse("f", []byte("hosting: "+hosting))
	require.NoError(t, err)
	g, err := site.OpenFolder(f.Dir, f.Origin(), "/", p.Host)
	require.NoError(t, err)
	return g
}

// Registrations are refused, by name and reason, as the standard has it.
func TestRegistering(t *testing.T) {
	pageWith := func(call string) string {
		return "<!doctype html><title>x</title><script>navigator.serviceWorker." + call + "</script>"
	}
	for _, c := range []struct{ call, hosting, refusal, scope string }{
		{"register('/w.js')", "{}", "", home},
		{"register('/sub/w.js')", "{}", "", home + "sub/"},
		{"register('/sub/w.js', {scope: '/sub/deep/'})", "{}", "", home + "sub/deep/"},
		{"register('/sub/w.js', {scope: '/'})", "{}", "SecurityError", ""},
		{"register('/sub/w.js', {scope: '/'})", "{headers: [{match: /sub/w.js, set: {Service-Worker-Allowed: /}}]}", "",
			home},
		{"register('/gone.js')", "{}", "status 404", ""},
		{"register('/w.js')", "{media_types: {.js: text/plain}}", "text/plain", ""},
		{"register('/w.js')", "{redirects: [{match: /w.js, to: /sub/w.js}]}", "is redirected", ""},
		{"register('https://other.example/w.js')", "{}", "another origin", ""},
		{"register('/w.js', {scope: 'https://other.example/'})", "{}", "another origin", ""},
		{"register('/a%2fw.js')", "{}", "escaped slash", ""},
		{"register('/module.js', {type: 'module'})", "{}", "", home},
		{"register('/module.js')", "{}", "throws", ""},
	} {
		f := hosted(t, siteWith(t, "", "index.html", pageWith(c.call), "sub/w.js", "", "module.js",
			"import { x } from './part.js'; self.x = x;", "part.js", "export const x = 1;"), c.hosting)
		b := New(context.Background(), []site.Host{f}, Options{})
		v := b.Open(home, nil)
		b.Settle()
		got := strings.Join(v.RegisterErrors, " ")
		if c.refusal != "" {
			assert.Contains(t, got, c.refusal, c.call)
			assert.Empty(t, b.workers.Registrations(), c.call)
		} else if assert.Empty(t, got, c.call) && assert.Len(t, b.workers.Registrations(), 1, c.call) {
			assert.Equal(t, c.scope, b.workers.Registrations()[0].Scope, c.call)
			assert.Equal(t, account.Activated, b.workers.Registrations()[0].Active.State, c.call)
		}
		b.Close()
	}
}

// states writes the workers of the first registration as installing/waiting/active, by the release in their script.
func states(b *Browser) string {
	if len(b.workers.Registrations()) == 0 {
		return "none"
	}
	name := func(w *serviceworker.Worker) string {
		if w == nil {
			return "-"
		}
		return strings.TrimPrefix(strings.Split(w.Source(), "\n")[0], "// ")
	}
	g := b.workers.Registrations()[0]
	return name(g.Installing) + "/" + name(g.Waiting) + "/" + name(g.Active)
}

// What a next release comes to, step by step.
func TestUpdates(t *testing.T) {
	const silent = ""
	const skips = "addEventListener('install', () => skipWaiting());"
	const fails = "addEventListener('install', (e) => e.waitUntil(caches.open('x').then((c) => c.add('/gone'))));"
	const claims = "addEventListener('activate', (e) => e.waitUntil(clients.claim()));"
	const leaves = "addEventListener('activate', (e) => e.waitUntil(registration.unregister()));"
	for _, c := range []struct {
		name, one, two                 string
		afterFirst, afterTwo, reopened string
		controlledAtOnce               bool
	}{
		{"waits until the pages are closed", silent, silent, "-/-/one", "-/two/one", "-/-/two", false},
		{"skips waiting", silent, skips, "-/-/one", "-/-/two", "-/-/two", false},
		{"fails to install", silent, fails, "-/-/one", "-/-/one", "-/-/one", false},
		{"throws", silent, "throw 1;", "-/-/one", "-/-/one", "-/-/one", false},
		{"first one fails", fails, silent, "none", "-/-/two", "-/-/two", false},
		{"claims", claims, silent, "-/-/one", "-/two/one", "-/-/two", true},
		{"leaves", leaves, silent, "none", "-/-/two", "-/-/two", false},
		{"imports changed", "importScripts('/part.js');", "importScripts('/part.js');", "-/-/one", "-/two/one", "-/-/two",
			false},
	} {
		t.Run(c.name, func(t *testing.T) {
			one := siteWith(t, "// one\n"+c.one, "part.js", "")
			two := siteWith(t, "// two\n"+c.two, "part.js", "// changed")
			host := &changing{one}
			b := New(context.Background(), []site.Host{host}, Options{})
			defer b.Close()
			tab := b.Open(home, nil)
			b.Settle()
			assert.Equal(t, c.afterFirst, states(b))
			assert.Equal(t, c.controlledAtOnce, tab.IsControlled())
			host.Folder = two
			tab = b.Open(home, tab)
			b.Settle()
			assert.Equal(t, c.afterTwo, states(b))
			b.CloseTab(tab)
			b.Settle()
			b.StopWorkers()
			b.Open(home, nil)
			b.Settle()
			assert.Equal(t, c.reopened, states(b))
		})
	}
}

type changing struct{ *site.Folder }

// A script is the same when its bytes and those of all it imports are; nothing is installed then.
func TestUnchanged(t *testing.T) {
	f := siteWith(t, "importScripts('/part.js')", "part.js",
		"addEventListener('install', () => console.log('installing'))")
	b := New(context.Background(), []site.Host{f}, Options{})
	defer b.Close()
	var tab *document.Tab
	for range 3 {
		tab = b.Open(home, tab)
		b.Settle()
	}
	n := 0
	for _, note := range b.Notes() {
		if note.Text == "installing" && note.Level == "log" {
			n++
		}
	}
	assert.Equal(t, 1, n)
}

// What a worker may give to a page load, and what comes of it.
func TestAnswers(t *testing.T) {
	const html = "{headers: {'content-type': 'text/html'}}"
	for answer, want := range map[string]string{
		"new Response('<title>made</title>', " + html + ")":                                          "200 made",
		"new Response('<title>made</title>', {status: 503, headers: {'content-type': 'text/html'}})": "503 made",
		"fetch('/far.html')":                                  "200 Far",
		"fetch('/moved')":                                     "lost redirected",
		"fetch('/moved', {redirect: 'manual'})":               "200 Far",
		"fetch('https://other.example/x', {mode: 'no-cors'})": "lost opaque",
		"Response.error()":                                    "lost error",
		"Response.redirect('/far.html')":                      "200 Far",
		"undefined":                                           "lost error",
		"caches.match('/nothing')":                            "lost error",
		"Promise.reject(new Error('no'))":                     "lost error",
		"fetch('/gone')":                                      "404 ",
		"new Promise(() => {})":                               "stuck ten seconds",
		"fetch(e.request).then(async (r) => { await r.text(); return r; })":                              "lost error",
		"fetch(e.request).then((r) => r.clone())":                                                        "200 Pier",
		"fetch(e.request).then((r) => new Response(r.body, r))":                                          "200 Pier",
		"(async () => { await new Promise((r) => setTimeout(r, 9000)); return fetch('/far.html'); })()":  "200 Far",
		"(async () => { await new Promise((r) => setTimeout(r, 11000)); return fetch('/far.html'); })()": "stuck ten seconds",
	} {
		f := hosted(t, siteWith(t, "addEventListener('fetch', (e) => { if (e.request.url === location.origin + '/') "+
			"e.respondWith("+answer+"); });", "far.html", "<!doctype html><title>Far</title>"), "{redirects: [{match: "+
			"/moved, to: /far.html}]}")
		b := New(context.Background(), []site.Host{f}, Options{})
		tab := b.Open(home, nil)
		b.Settle()
		v := b.Open(home, tab)
		got := ""
		switch {
		case v.Failed:
			got = "lost " + v.Reason.String()
		case v.Stuck:
			got = "stuck " + v.Reason.String()
		default:
			got = strings.TrimSpace(itoa3(v.Status) + " " + v.Title)
		}
		kind, words, _ := strings.Cut(want, " ")
		assert.True(t, strings.HasPrefix(got, kind), "%s: %s", answer, got)
		assert.Contains(t, got, words, answer)
		b.Close()
	}
}

func itoa3(n int) string {
	return string([]byte{byte('0' + n/100), byte('0' + n/10%10), byte('0' + n%10)})
}

// Requests carry what a page's elements give them.
func TestRequests(t *testing.T) {
	f := siteWith(t,
		`addEventListener('fetch', (e) => { const r = e.request; console.log(new URL(r.url).pathname, r.mode, r.destination || 'none', r.credentials, r.redirect, String(Boolean(e.clientId)), String(Boolean(e.resultingClientId))); });`,
		"index.html",
		`<!doctype html><title>x</title><link rel=stylesheet href=/s.css><link rel=manifest href=/m.json><img src=/i.png><img crossorigin src=/c.png><script type=module src=/m.js></script><script src=/a.js></script><iframe src=/f.html></iframe>Text<script>navigator.serviceWorker.register('/w.js');fetch('/d.json')</script>`,
		"s.css", "@font-face{font-family:a;src:url(/f.woff2)} body{font-family:a}", "m.js", "import '/n.js'", "n.js", "",
		"a.js", "", "f.html", "<p>", "d.json", "{}")
	b := New(context.Background(), []site.Host{f}, Options{})
	defer b.Close()
	tab := b.Open(home, nil)
	b.Settle()
	b.account.Notes = nil
	b.Open(home, tab)
	b.Settle()
	got := map[string]string{}
	for _, n := range b.Notes() {
		if path, rest, ok := strings.Cut(n.Text, " "); ok && n.Level == "log" {
			got[path] = rest
		}
	}
	for path, want := range map[string]string{
		"/":        "navigate document include manual true true",
		"/f.html":  "navigate iframe include manual false true",
		"/s.css":   "no-cors style include follow true false",
		"/f.woff2": "cors font same-origin follow true false",
		"/i.png":   "no-cors image include follow true false",
		"/c.png":   "cors image same-origin follow true false",
		"/a.js":    "no-cors script include follow true false",
		"/m.js":    "cors script same-origin follow true false",
		"/n.js":    "cors script same-origin follow true false",
		"/d.json":  "cors none same-origin follow true false",
		"/m.json":  "cors manifest omit follow true false",
	} {
		assert.Equal(t, want, got[path], path)
	}
}

func TestHTTPCache(t *testing.T) {
	f := hosted(t, siteWith(t, "", "index.html", "<!doctype html><title>x</title><img src=/kept.png><img src=/asked.png>",
		"kept.png", "x", "asked.png", "x"),
		"{headers: [{match: /kept.png, set: {Cache-Control: max-age=60}}]}")
	missing := func(on bool) string {
		b := New(context.Background(), []site.Host{f}, Options{})
		defer b.Close()
		if on {
			b.fetcher.Cache = fetch.NewHTTPCache()
		}
		b.Open(home, nil)
		b.Settle()
		// The page itself is asked for; only what it shows may come from the cache.
		b.net.Refuses = func(u string) bool { return u != home }
		return strings.ReplaceAll(strings.Join(b.Open(home, nil).Missing(), " "), home, "/")
	}
	assert.Equal(t, "/kept.png /asked.png", missing(false))
	assert.Equal(t, "/asked.png", missing(true))
}

// Two workers for one scope are noticed, whichever page registers them.
func TestRivalsForAScope(t *testing.T) {
	b := New(context.Background(), []site.Host{siteWith(t, "", "index.html",
		"<!doctype html><script>navigator.serviceWorker.register('/w.js'); navigator.serviceWorker.register('/v.js')</script>", "v.js", "", "sub/w.js", "", "sub.html", "<!doctype html><script>navigator.serviceWorker.register('/sub/w.js')</script>")}, Options{})
	defer b.Close()
	tab := b.Open(home+"sub.html", nil)
	b.Settle()
	assert.Empty(t, b.Rivals())
	b.Open(home, tab)
	b.Settle()
	assert.Equal(t, []serviceworker.Rival{{Scope: home, Scripts: []string{home + "w.js", home + "v.js"}}}, b.Rivals())
}
