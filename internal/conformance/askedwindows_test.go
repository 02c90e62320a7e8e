package conformance

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
)

// askedDir holds files of questions about windows, and what a real Chromium answered.
const askedDir = "testdata/windows"

// askedAnswers are by file and question.
type askedAnswers map[string]map[string]string

// askedFiles are what the pages of the questions ask for, beside the questions.
var askedFiles = map[string]string{
	"/data.json": `{"tides": [1, 2]}`, "/data.txt": "high water", "/data.xml": `<?xml version="1.0"?><tides/>`,
	"/page.html": "<!doctype html><title>Tides</title>", "/extra.js": "window.extra = 'came';",
	"/extra.css": ".linked { color: rgb(5, 5, 5) }", "/module.js": "export const value = 7; export default 'd';",
	"/worker.js":   "importScripts('/extra.js'.replace('extra', 'imported')); postMessage(imported);",
	"/shared.js":   "importScripts('/imported.js'); onconnect = (e) => e.ports[0].postMessage([imported, name, location.pathname]);",
	"/imported.js": "var imported = 'imported';", "/deep/er/data.txt": "deep", "/sees/outside.txt": "outside", "/sees.js": seesWorker,
}

// seesWorker answers with what it sees of requests.
const seesWorker = `
const told = [], handled = [];
const facts = (r) => ({ url: r.url.replace(location.origin, ''), method: r.method, mode: r.mode, destination: r.destination, credentials: r.credentials, cache: r.cache,
  redirect: r.redirect, referrer: r.referrer.replace(location.origin, ''), referrerPolicy: r.referrerPolicy, reload: r.isReloadNavigation, history: r.isHistoryNavigation, keepalive: r.keepalive, integrity: r.integrity });
oninstall = () => skipWaiting();
onfetch = (e) => {
  const { pathname, search } = new URL(e.request.url);
  const answer = (body, type, init = {}) => e.respondWith(new Response(body, { headers: type ? { 'content-type': type } : {}, ...init }));
  const page = '<!doctype html><title>Made</title><p>Tides &amp; sailings</p>';
  const told_ = async () => JSON.stringify({ ...facts(e.request), body: e.request.method === 'POST' ? await e.request.text() : '' });
  switch (pathname.replace('/sees', '')) {
    case '/doc.html': e.respondWith(told_().then((t) => new Response(t.replace(/&/g, '&amp;').replace(/</g, '&lt;'), { headers: { 'content-type': 'text/html' } }))); break;
    case '/echo': e.respondWith(told_().then((t) => new Response(t))); break;
    case '/element': told.push(JSON.stringify(facts(e.request))); answer(search === '?js' || search === '?mod' ? '' : 'x', search === '?css' ? 'text/css' : search.match(/js|mod/) ? 'text/javascript' : 'text/html'); break;
    case '/told': answer(JSON.stringify(told)); break;
    case '/worker.js': answer('fetch("/sees/echo?of-worker").then((r) => r.text()).then((t) => postMessage([' + JSON.stringify(JSON.stringify(facts(e.request))) + ', t]))', 'text/javascript'); break;
    case '/as-blob': answer(new Blob([page], { type: 'text/html' })); break;
    case '/as-untyped': answer(new Blob([page])); break;
    case '/as-buffer': answer(new TextEncoder().encode(page).buffer, 'text/html'); break;
    case '/as-stream': answer(new Blob([page]).stream(), 'text/html'); break;
    case '/as-text': answer('Tides <b>', 'text/plain'); break;
    case '/as-json': answer('{"tide": "<b>"}', 'application/json'); break;
    case '/as-css': answer('p > b {}', 'text/css'); break;
    case '/as-empty': answer(''); break;
    case '/as-xml': answer('<tides/>', 'application/xml'); break;
    case '/as-form': answer(new URLSearchParams('a=1')); break;
    case '/as-status': answer(page, 'text/html', { status: 404, headers: { 'content-type': 'text/html' } }); break;
    case '/to': e.respondWith(Response.redirect('/sees/doc.html' + search)); break;
    case '/to-fragment': e.respondWith(Response.redirect('/sees/doc.html#two')); break;
    case '/to-outside': e.respondWith(Response.redirect('/page.html')); break;
    case '/made': answer('made'); break;
    case '/fetched': e.respondWith(fetch('/sees/outside.txt')); break;
    case '/handled':
      e.handled.then(() => handled.push(search + ' yes'), (error) => handled.push(search + ' ' + error.name));
      if (search === '?answered') answer('x');
      if (search === '?refused') e.respondWith(Promise.reject(new Error('no')));
      if (search === '?canceled') e.preventDefault();
      break;
    case '/handling': answer(JSON.stringify(handled)); break;
  }
};
`

// askedPage is the page of a file of questions.
func askedPage(name string) string {
	return `<!doctype html><html lang=en><meta charset=utf-8><title>Questions</title><body><script src="/asked/probe.js"></script>` +
		`<script src="/asked/` + name + `"></script></body></html>`
}

// askedAnswer answers as the host of the questions does.
func askedAnswer(path string) (status int, kind, body, location string, delay time.Duration) {
	kinds := map[string]string{".json": "application/json", ".txt": "text/plain", ".xml": "application/xml",
		".html": "text/html", ".js": "text/javascript", ".css": "text/css"}
	name, isQuestion := strings.CutPrefix(path, "/asked/")
	switch {
	case strings.HasPrefix(path, "/questions/"):
		return 200, "text/html", askedPage(strings.TrimPrefix(path, "/questions/")), "", 0
	case isQuestion:
		text, err := os.ReadFile(filepath.Join(askedDir, filepath.Base(name)))
		if err != nil {
			return 404, "text/plain", "", "", 0
		}
		return 200, "text/javascript", string(text), "", 0
	case path == "/moved":
		return 302, "text/plain", "", "/data.txt", 0
	case path == "/slow":
		return 200, "text/plain", "late", "", 400 * time.Millisecond
	}
	if text, ok := askedFiles[path]; ok {
		return 200, kinds[filepath.Ext(path)], text, "", 0
	}
	return 404, "text/plain", "nothing here", "", 0
}

// askedHost is that host for the embedded user agent.
type askedHost struct{}

func (askedHost) Origin() string { return "http://127.0.0.1:8099" }

func (askedHost) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	status, kind, body, location, delay := askedAnswer(r.URL.Pathname())
	h := http.Header{"Content-Type": {kind}, "Cache-Control": {"no-cache"}}
	if location != "" {
		h.Set("Location", location)
	}
	return &site.Response{Status: status, StatusText: http.StatusText(status), Header: h, Body: site.Bytes(body),
		Delay: delay}, nil
}

// askHere asks the questions of a file in the embedded user agent.
func askHere(t *testing.T, name string) map[string]string {
	b := useragent.New(context.Background(), []site.Host{askedHost{}}, useragent.Options{})
	defer b.Close()
	b.Refuse(func(u string) bool { return !strings.HasPrefix(u, askedHost{}.Origin()) })
	answers := map[string]string{}
	b.Listen(func(n account.Note) {
		if text, ok := strings.CutPrefix(n.Text, "ANSWERS"); ok {
			require.NoError(t, json.Unmarshal([]byte(text), &answers))
		}
	})
	b.Open(askedHost{}.Origin()+"/questions/"+name, nil)
	b.Pass(30 * time.Second)
	if os.Getenv("TACHYFORM_ASKED_NOTES") != "" {
		for _, n := range b.Notes() {
			if !strings.HasPrefix(n.Text, "ANSWERS") {
				t.Log(n.Level, n.Text, n.Stack)
			}
		}
	}
	return answers
}

// askChromium asks them in a real one.
func askChromium(t *testing.T, c *chromium.Browser, name string) map[string]string {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		status, kind, body, location, delay := askedAnswer(r.URL.Path)
		time.Sleep(delay)
		w.Header().Set("Content-Type", kind)
		w.Header().Set("Cache-Control", "no-cache")
		if location != "" {
			w.Header().Set("Location", location)
		}
		w.WriteHeader(status)
		fmt.Fprint(w, body)
	}))
	defer server.Close()
	text, err := c.Evaluate(server.URL+"/questions/"+name, "new Promise((done) => { const look = () => window.allAnswers ? "+
		"done(window.allAnswers) : setTimeout(look, 50); look(); })")
	require.NoError(t, err, name)
	answers := map[string]string{}
	require.NoError(t, json.Unmarshal([]byte(text), &answers), name)
	return answers
}

// askedFilesOfQuestions lists the files.
func askedFilesOfQuestions(t *testing.T) (names []string) {
	list, err := filepath.Glob(filepath.Join(askedDir, "*.js"))
	require.NoError(t, err)
	for _, p := range list {
		if name := filepath.Base(p); name != "probe.js" {
			names = append(names, name)
		}
	}
	sort.Strings(names)
	return names
}

// Windows answer questions about the DOM and all around it as a real Chromium did. Where they differ, and why, stands in
// the list of differences beside the answers.
func TestAskedWindows(t *testing.T) {
	var want askedAnswers
	var differ map[string]string
	text, err := os.ReadFile(filepath.Join(askedDir, "answers.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &want))
	text, err = os.ReadFile(filepath.Join(askedDir, "differences.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &differ))
	asked, agreed := 0, 0
	for _, name := range askedFilesOfQuestions(t) {
		t.Run(name, func(t *testing.T) {
			got := askHere(t, name)
			for question, answer := range want[name] {
				asked++
				if got[question] == answer {
					agreed++
					assert.Empty(t, differ[name+": "+question], "%s: no difference any more", question)
				} else if differ[name+": "+question] == "" {
					assert.Equal(t, answer, got[question], question)
				}
			}
		})
	}
	t.Logf("%d of %d answers agree", agreed, asked)
}

// The answers are those of a real Chromium: a part of the questions is asked anew in each run, all of them with
// TACHYFORM_RECORD=1, which also keeps them.
func TestAskedInChromium(t *testing.T) {
	c := sharedChromium(t)
	record := os.Getenv("TACHYFORM_RECORD") != ""
	kept := askedAnswers{}
	if text, err := os.ReadFile(filepath.Join(askedDir, "answers.json")); err == nil {
		require.NoError(t, json.Unmarshal(text, &kept))
	}
	for i, name := range askedFilesOfQuestions(t) {
		if !record && i%3 != time.Now().YearDay()%3 {
			continue
		}
		if record {
			kept[name] = askChromium(t, c, name)
			continue
		}
		// A busy machine changes when things happen: what differs is asked again.
		open := maps.Clone(kept[name])
		for try := 0; try < 8 && len(open) > 0; try++ {
			time.Sleep(time.Duration(try) * 500 * time.Millisecond)
			got := askChromium(t, c, name)
			maps.DeleteFunc(open, func(question, answer string) bool { return got[question] == answer })
		}
		assert.Empty(t, open, name)
	}
	if record {
		text, err := json.MarshalIndent(kept, "", " ")
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(askedDir, "answers.json"), append(text, '\n'), 0o644))
	}
}
