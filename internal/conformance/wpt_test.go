package conformance

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
)

// wptHost serves a tree of browser conformance tests as their README asks: templates filled in, .headers files
// applied, handlers missing.
type wptHost struct {
	dir, origin string
	worker      string // the address of the worker that is tested
	text        string // and its script
	page        string // what its page holds
}

func (h wptHost) Origin() string { return h.origin }

var wptTemplate = strings.NewReplacer("{{host}}", "localhost", "{{ports[http][0]}}", "8000", "{{ports[http][1]}}",
	"8001", "{{ports[https][0]}}", "8443",
	"{{ports[https][1]}}", "8444", "{{ports[wss][0]}}", "8667", "{{domains[www2]}}", "www2.localhost", "{{hosts[alt][]}}",
	"127.0.0.1")

// wptHooks are added to the harness: they report when all tests of a file are through, or their time is up.
const wptHooks = `
;setTimeout(() => { if (self.timeout) timeout(); }, self.LONG ? 60000 : 10000);
;add_completion_callback(function (tests, harness) {
  console.log("WPT" + JSON.stringify({ harness: harness.status, message: harness.message, tests: tests.map(function (t) { return { name: t.name, status: t.status, message: t.message }; }) }));
});`

func (h wptHost) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	path := r.URL.Pathname()
	plain := func(status int, kind, body string) (*site.Response, error) {
		return &site.Response{Status: status, StatusText: http.StatusText(status),
			Header: http.Header{"Content-Type": {kind}}, Body: site.Bytes(body)}, nil
	}
	switch {
	case h.worker != "" && r.URL.Href(true) == h.worker:
		return plain(200, "text/javascript", h.text)
	case path == "/":
		return plain(200, "text/html", "<!doctype html>"+h.page)
	case path == "/resources/WebIDLParser.js":
		path = "/resources/webidl2/lib/webidl2.js"
	case strings.HasSuffix(path, ".py"):
		return plain(404, "text/plain", "no handlers")
	}
	text, err := os.ReadFile(filepath.Join(h.dir, filepath.FromSlash(path)))
	if err != nil {
		return plain(404, "text/plain", "not found")
	}
	body := string(text)
	if strings.Contains(filepath.Base(path), ".sub.") {
		body = wptTemplate.Replace(body)
	}
	if path == "/resources/testharness.js" {
		body += wptHooks
	}
	kinds := map[string]string{".js": "text/javascript", ".json": "application/json", ".html": "text/html",
		".txt": "text/plain", ".idl": "text/plain"}
	resp, _ := plain(200, kinds[filepath.Ext(path)], body)
	if extra, err := os.ReadFile(filepath.Join(h.dir, filepath.FromSlash(path)) + ".headers"); err == nil {
		for _, line := range strings.Split(wptTemplate.Replace(string(extra)), "\n") {
			if name, value, ok := strings.Cut(line, ":"); ok {
				resp.Header.Set(strings.TrimSpace(name), strings.TrimSpace(value))
			}
		}
	}
	return resp, nil
}

type wptFile struct {
	Path, Kind, Theme, Global, Title, Timeout, Mode string
	Scripts                                         []string
}

type wptReport struct {
	Harness int
	Message string
	Tests   []struct {
		Name, Message string
		Status        int
	}
}

// runWPT runs one file and gives its report, nil when it never finished.
func runWPT(dir string, f wptFile) (*wptReport, []account.Note) {
	address := wptOrigin + "/" + f.Path
	prelude := wptPrelude
	if f.Title != "" {
		title, _ := json.Marshal(f.Title)
		prelude += "self.META_TITLE = " + string(title) + ";\n"
	}
	kind := "classic"
	var text string
	if f.Kind == "any.js" {
		address = wptOrigin + "/" + strings.TrimSuffix(f.Path, ".js") + ".worker.js"
		text = prelude + "importScripts('/resources/testharness.js');\n"
		for _, s := range f.Scripts {
			text += "importScripts('/" + s + "');\n"
		}
		text += "importScripts('/" + f.Path + "');\ndone();"
	} else {
		file, err := os.ReadFile(filepath.Join(dir, f.Path))
		if err != nil {
			return nil, nil
		}
		text = prelude + string(file)
		if f.Global == "serviceworker-module" {
			kind = "module"
		}
	}
	return runWPTScript(dir, address, kind, text, f.Timeout == "long")
}

const (
	wptOrigin  = "http://localhost:8000"
	wptPrelude = "self.GLOBAL = { isWindow: () => false, isWorker: () => true, isShadowRealm: () => false };\n"
)

// runWPTScript runs a text as a service worker that stands at an address, and gives its report, nil when it never
// finished.
func runWPTScript(dir, address, kind, text string, long bool) (*wptReport, []account.Note) {
	limit := 10 * time.Second
	if long {
		limit = 60 * time.Second
		text = "self.LONG = true;\n" + text
	}
	scope := address[:strings.LastIndexByte(address, '/')+1] + "does/not/exist"
	register := fmt.Sprintf("<script>navigator.serviceWorker.register(%q, {scope: %q, type: %q})</script>", address, scope,
		kind)
	hosts := []site.Host{wptHost{dir: dir, origin: wptOrigin, worker: address, text: text, page: register}}
	for _, origin := range []string{"http://127.0.0.1:8000", "http://localhost:8001", "http://127.0.0.1:8001"} {
		hosts = append(hosts, wptHost{dir: dir, origin: origin})
	}
	b := useragent.New(context.Background(), hosts, useragent.Options{})
	defer b.Close()
	b.Refuse(func(u string) bool {
		return !strings.HasPrefix(u, "http://localhost:800") && !strings.HasPrefix(u, "http://127.0.0.1:800")
	})
	return awaitReport(b, wptOrigin+"/", limit+time.Second)
}

// awaitReport opens a page and gives the first report that comes within a time, nil for none.
func awaitReport(b *useragent.Browser, url string, limit time.Duration) (report *wptReport, notes []account.Note) {
	b.Listen(func(n account.Note) {
		if text, ok := strings.CutPrefix(n.Text, "WPT{"); ok && report == nil {
			report = &wptReport{}
			if json.Unmarshal([]byte("{"+text), report) != nil {
				report = nil
			}
		}
	})
	b.Open(url, nil)
	for end := b.Now() + limit; report == nil && b.Now() < end; {
		b.Pass(time.Second)
	}
	return report, b.Notes()
}

// wptTree finds a tree of tests, which a variable may name, and reads the list of its files into files; passing are those
// subtests of each file that a real browser passes.
func wptTree(t *testing.T, variable, usual string, files any) (dir string, passing map[string][]string) {
	if dir = os.Getenv(variable); dir == "" {
		dir = usual
	}
	text, err := os.ReadFile(filepath.Join(dir, "INDEX.json"))
	if err != nil {
		t.Skip("SKIPPED: no conformance tests at " + dir + "; set " + variable)
	}
	require.NoError(t, json.Unmarshal(text, files))
	text, err = os.ReadFile(filepath.Join(dir, "chromium-baseline.json"))
	require.NoError(t, err)
	var baseline struct {
		Files map[string]struct{ Passing []string }
	}
	require.NoError(t, json.Unmarshal(text, &baseline))
	passing = map[string][]string{}
	for path, f := range baseline.Files {
		passing[path] = f.Passing
	}
	return dir, passing
}

// TestWPT runs a whole tree of browser conformance tests and counts, of what a real browser passes, how much passes
// here.
func TestWPT(t *testing.T) {
	var files []wptFile
	dir, passing := wptTree(t, "TACHYFORM_WPT", "../../../shared/wpt", &files)
	only := os.Getenv("TACHYFORM_WPT_ONLY")
	passed, total := 0, 0
	type score struct{ passed, total int }
	themes := map[string]*score{}
	for _, f := range files {
		if only != "" && !strings.Contains(f.Path, only) {
			continue
		}
		want := passing[f.Path]
		report, notes := runWPT(dir, f)
		got := map[string]bool{}
		messages := map[string]string{}
		if report != nil {
			for _, x := range report.Tests {
				got[x.Name] = x.Status == 0
				messages[x.Name] = x.Message
			}
		}
		n := 0
		for _, name := range want {
			if got[name] {
				n++
			} else if only != "" {
				t.Logf("   FAIL %s: %s", name, messages[name])
			}
		}
		t.Logf("%s %d/%d", f.Path, n, len(want))
		if only != "" && report == nil {
			for _, note := range notes {
				t.Logf("   %s %s %s", note.Level, note.Text, note.Stack)
			}
		}
		if themes[f.Theme] == nil {
			themes[f.Theme] = &score{}
		}
		themes[f.Theme].passed += n
		themes[f.Theme].total += len(want)
		passed += n
		total += len(want)
	}
	var names []string
	for name := range themes {
		names = append(names, name)
	}
	sort.Strings(names)
	for _, name := range names {
		t.Logf("theme %s %d/%d", name, themes[name].passed, themes[name].total)
	}
	t.Logf("sum %d/%d", passed, total)
	if only == "" {
		require.GreaterOrEqual(t, passed*1000, total*980, "what was reached before has to hold")
	}
}
