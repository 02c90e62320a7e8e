package conformance

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver"
	"tachyform/internal/driver/firefox"
	"tachyform/internal/driver/webkit"
	"tachyform/internal/fit"
	"tachyform/internal/project"
	"tachyform/internal/serve"
	"tachyform/internal/testsite/demo"
)

// line is a site that is really served and fitted, whose network and releases a test changes.
type line struct {
	*serve.Server
	t        *testing.T
	dir      string
	settings string
	project  *project.Project
	host     atomic.Value // of hosting
	// round is part of what /now/ answers, so that a kept answer can be told from a fresh one.
	round atomic.Int64
}

type hosting struct{ http.Handler }

func newLine(t *testing.T, settings string, files map[string]string) *line {
	l := &line{t: t, dir: t.TempDir(), settings: settings}
	var err error
	l.Server, err = serve.Start(http.HandlerFunc(l.answer))
	require.NoError(t, err)
	t.Cleanup(l.Offline)
	l.deploy(files)
	return l
}

// deploy puts files in their place and fits the site; a file without content is removed.
func (l *line) deploy(files map[string]string) {
	root := filepath.Join(l.dir, "site")
	for name, text := range files {
		path := filepath.Join(root, name)
		if text == "" {
			require.NoError(l.t, os.Remove(path))
			continue
		}
		require.NoError(l.t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(l.t, os.WriteFile(path, []byte(text), 0o644))
	}
	file := filepath.Join(l.dir, project.FileName)
	require.NoError(l.t, os.WriteFile(file, []byte("site: site\napp: {name: Line}\norigin: "+l.Origin()+"\n"+l.settings),
		0o644))
	p, err := project.Load(file)
	require.NoError(l.t, err)
	f := demo.Open(l.t, p)
	plan, err := fit.Prepare(context.Background(), p, f, nil)
	require.NoError(l.t, err)
	demo.Apply(l.t, plan)
	l.project = p
	l.host.Store(hosting{serve.Handler(root, l.Origin(), p)})
}

// answer answers below /now/ with what only this moment has, else as the host of the site does.
func (l *line) answer(w http.ResponseWriter, r *http.Request) {
	if !strings.HasPrefix(r.URL.Path, "/now/") {
		l.host.Load().(hosting).ServeHTTP(w, r)
		return
	}
	w.Header().Set("Cache-Control", "no-cache")
	w.Header().Set("Content-Type", "text/plain")
	switch {
	case strings.Contains(r.URL.Path, "secret"):
		w.Header().Set("Cache-Control", "no-store")
	case strings.Contains(r.URL.Path, "gone"):
		w.WriteHeader(410)
	case strings.Contains(r.URL.Path, "heavy"):
		w.Write(make([]byte, 60_000))
	}
	fmt.Fprintf(w, "%s%d", r.Method[:1], l.round.Load())
}

func (l *line) online() { require.NoError(l.t, l.Online()) }

// open opens a page in a tab and waits until its worker is active.
func (l *line) open(tab driver.Tab, path string) {
	l.t.Helper()
	require.NoError(l.t, tab.Load(l.Origin()+path))
	l.js(tab,
		`navigator.serviceWorker.ready.then(r => new Promise(done => { const look = () => r.active.state === 'activated' ? done('') : setTimeout(look, 20); look() }))`)
}

// js gives the text that an expression, or a promise, comes to on the page.
func (l *line) js(tab driver.Tab, expression string) string {
	l.t.Helper()
	text, err := tab.Evaluate("Promise.resolve(" + expression + ").then(String)")
	require.NoError(l.t, err, expression)
	return text
}

// fetches gives what the page gets for URLs: the text, or "nothing" after a failure or three seconds.
func (l *line) fetches(tab driver.Tab, urls []string) (list []string) {
	l.t.Helper()
	text, _ := json.Marshal(urls)
	answer := l.js(tab, `Promise.all(`+string(text)+
		`.map(u => Promise.race([fetch(u).then(r => r.text()), new Promise(r => setTimeout(r, 3000, 'nothing'))]).catch(() => 'nothing'))).then(JSON.stringify)`)
	require.NoError(l.t, json.Unmarshal([]byte(answer), &list))
	return list
}

// until waits until an expression comes to a text.
func (l *line) until(tab driver.Tab, expression, want string) {
	l.t.Helper()
	got := ""
	for range 100 {
		got, _ = tab.Evaluate("Promise.resolve(" + expression + ").then(String)")
		if got == want {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
	assert.Equal(l.t, want, got, expression)
}

// keptURLs is an expression for the addresses that rules have kept.
const keptURLs = `caches.keys().then(names => Promise.all(names.filter(n => n.includes(' kept ')).map(n => caches.open(n).then(c => c.keys())))).then(l => l.flat().map(r => r.url.slice(location.origin.length)).join(' '))`

// approaches says what each approach gives, from its words: online, offline and stalled, with and without a kept copy.
var approaches = map[string][6]string{
	"network-first":              {"fresh", "fresh", "kept", "nothing", "nothing", "nothing"},
	"network-first, patience 1s": {"fresh", "fresh", "kept", "nothing", "kept", "nothing"},
	"cache-first":                {"kept", "fresh", "kept", "nothing", "kept", "nothing"},
	"stale-while-revalidate":     {"kept", "fresh", "kept", "nothing", "kept", "nothing"},
	"network-only":               {"fresh", "fresh", "nothing", "nothing", "nothing", "nothing"},
	"cache-only":                 {"kept", "nothing", "kept", "nothing", "kept", "nothing"},
}

// basics proves in a real browser what every site relies on: the approaches under every condition, with and without a
// kept copy; a packed page offline by all its addresses; the page stand-in; and a new release that takes over.
func basics(t *testing.T, newTab func() driver.Tab) {
	var rules []string
	var order []string
	for name := range approaches {
		answer, patience, _ := strings.Cut(name, ", patience ")
		rule := fmt.Sprintf("{match: /now/%d/*, answer: %s", len(order), answer)
		if patience != "" {
			rule += ", patience: " + patience
		}
		rules, order = append(rules, rule+"}"), append(order, name)
	}
	l := newLine(t, "worker: {pack: {pages: [/, /pier/]}, rules: ["+strings.Join(rules, ", ")+
		"], stand_ins: {page: /offline.html, status: 503}, takeover: at-once}\n", map[string]string{
		"index.html":      "<!doctype html><title>One</title><link rel=stylesheet href=/line.css><p>",
		"pier/index.html": "<!doctype html><title>Pier</title>",
		"offline.html":    "<!doctype html><title>Away</title>",
		"other.html":      "<!doctype html><title>Other</title>",
		"line.css":        "p { color: rgb(1, 2, 3) }",
	})
	page := newTab()
	defer func() { page.Close() }()
	l.open(page, "/")
	l.open(page, "/")
	assert.Equal(t, "true", l.js(page, "!!navigator.serviceWorker.controller"))

	var stored []string
	for i := range order {
		stored = append(stored, fmt.Sprintf("/now/%d/stored", i))
	}
	l.js(page, fmt.Sprintf(`caches.open('own').then(c => c.put('/now/%d/stored', new Response('G0')))`,
		slices.Index(order, "cache-only")))
	l.fetches(page, stored)
	l.until(page, keptURLs+".then(k => k.split(' ').length)", "4")
	for at, condition := range []string{"online", "offline", "stalled"} {
		l.round.Store(int64(at + 1))
		switch condition {
		case "offline":
			l.Offline()
		case "stalled":
			require.NoError(t, l.Stall())
		}
		urls := stored
		for i := range order {
			urls = append(urls, fmt.Sprintf("/now/%d/%s", i, condition))
		}
		for i, got := range l.fetches(page, urls) {
			name := order[i%len(order)]
			switch got {
			case fmt.Sprintf("G%d", at+1):
				got = "fresh"
			case "nothing":
			default:
				got = "kept"
			}
			assert.Equal(t, approaches[name][2*at+i/len(order)], got, "%s, %s, stored: %v", name, condition, i < len(order))
		}
	}
	l.Offline()

	// A packed page is whole by each of its addresses; another one is stood in for.
	for _, address := range [][2]string{{"/", "One"}, {"/?from=home-screen", "One"}, {"/index.html", "One"},
		{"/pier", "Pier"}, {"/pier/index.html", "Pier"}, {"/other.html", "Away"}} {
		path, title := address[0], address[1]
		require.NoError(t, page.Load(l.Origin()+path))
		assert.Equal(t, title, l.js(page, "document.title"), path)
		if title == "One" {
			assert.Equal(t, "rgb(1, 2, 3)", l.js(page, "getComputedStyle(document.querySelector('p')).color"), path)
		}
	}
	// The page that was wanted comes once the network is back.
	l.online()
	l.until(page, "document.title", "Other")

	// A release takes over; what did not change is not fetched again.
	l.open(page, "/")
	l.deploy(map[string]string{"index.html": "<!doctype html><title>Two</title><link rel=stylesheet href=/line.css><p>"})
	l.Asked()
	l.js(page, "navigator.serviceWorker.getRegistration().then(r => { r.update() })")
	l.until(page, "document.title", "Two")
	asked := map[string]int{}
	for _, r := range l.Asked() {
		asked[r]++
	}
	assert.Equal(t, 1, asked["GET /"], "%v", asked)
	assert.Equal(t, 0, asked["GET /line.css"]+asked["GET /offline.html"], "%v", asked)
}

// tabs gives what opens tabs of a browser.
func tabs(t *testing.T, b driver.Browser) func() driver.Tab {
	return func() driver.Tab {
		opened, err := b.NewTab()
		require.NoError(t, err)
		return opened
	}
}

// notHere skips a test loudly where a browser is not installed or does not start.
func notHere(t *testing.T, err error) {
	t.Helper()
	if errors.Is(err, driver.ErrNotHere) {
		t.Skip("SKIPPED, NOT PROVEN IN THIS BROWSER: " + err.Error())
	}
	require.NoError(t, err)
}

func TestBasicsInChromium(t *testing.T) {
	basics(t, tabs(t, sharedChromium(t)))
}

func TestBasicsInFirefox(t *testing.T) {
	t.Parallel()
	b, err := firefox.Start()
	notHere(t, err)
	t.Cleanup(b.Close)
	basics(t, tabs(t, b))
}

func TestBasicsInWebKit(t *testing.T) {
	t.Parallel()
	b, err := webkit.Start()
	notHere(t, err)
	t.Cleanup(b.Close)
	basics(t, tabs(t, b))
}
