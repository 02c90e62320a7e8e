package document

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"testing"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/useragent/storage"
)

const line = "https://line.example"

// host answers by path with a status, headers and a body: "404", "302 Location: /x", "200 Content-Type: text/plain\n\ntides". Others are
// pages whose markup it is.
type host struct {
	pages map[string]string
	asked *[]string
}

func (host) Origin() string { return line }

func (h host) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	*h.asked = append(*h.asked, r.Method+" "+r.URL.Pathname())
	text, there := h.pages[r.URL.Pathname()]
	if !there {
		return &site.Response{Status: 404, Header: http.Header{"Content-Type": {"text/html"}}, Body: site.Bytes("<title>Nothing</title>")}, nil
	}
	status, header := 200, http.Header{"Content-Type": {"text/html"}}
	for _, s := range []int{200, 204, 302, 307} {
		if rest, is := strings.CutPrefix(text, http.StatusText(s)+"\n"); is {
			head, body, _ := strings.Cut(rest, "\n\n")
			status, text = s, body
			for _, field := range strings.Split(head, "\n") {
				if name, value, ok := strings.Cut(field, ": "); ok {
					header.Set(name, value)
				}
			}
		}
	}
	return &site.Response{Status: status, Header: header, Body: site.Bytes(text)}, nil
}

// windows gives the windows of a browser that reads scripts rather than running them, and what its host was asked for.
func windows(pages map[string]string) (*Windows, *[]string) {
	k, store, asked := &clock.Clock{}, storage.New(), &[]string{}
	n := fetch.NewNetwork(context.Background(), map[string]site.Host{line: host{pages, asked}}, condition.Online)
	n.Clock = k
	f := &fetch.Fetcher{Clock: k, Network: n, Cookies: store, Refused: func(string) {}, Answered: func(*whatwg.Url, *site.Response) {}}
	w := &Windows{Options: Options{Reader: &page.Reader{}}, Workers: &serviceworker.Container{Fetcher: f, Store: store, Account: &account.Account{Clock: k}}}
	w.Workers.Windows = w
	return w, asked
}

// What opening a page comes to (HTML, 7.4.5).
func TestNavigate(t *testing.T) {
	pages := map[string]string{
		"/": "<title>Sailings</title>", "/moved": "Found\nLocation: /", "/moved/again": "Found\nLocation: /moved", "/moved/part": "Found\nLocation: /#tides",
		"/loop": "Found\nLocation: /loop", "/mail": "Found\nLocation: mailto:pier@line.example", "/nowhere": "Found\nX: y\n\n<title>Stays</title>",
		"/none": "No Content\n", "/file": "OK\nContent-Disposition: attachment\n\nx", "/zip": "OK\nContent-Type: application/zip\n\nx",
		"/text": "OK\nContent-Type: text/plain\n\nhigh water", "/on": "<title>On</title><meta http-equiv=refresh content='0; url=/'>",
		"/later": "<title>Later</title><meta http-equiv=refresh content='9; url=/'>", "/refresh": "OK\nRefresh: 0; url=/\n\n<title>Header</title>",
		"/temporary": "Temporary Redirect\nLocation: /",
	}
	for url, c := range map[string]struct {
		title, at string
		status    int
		why       fetch.FailureKind
	}{
		"/":                  {"Sailings", "/", 200, 0},
		"/#tides":            {"Sailings", "/#tides", 200, 0},
		"/moved":             {"Sailings", "/", 200, 0},
		"/moved#tides":       {"Sailings", "/#tides", 200, 0},
		"/moved/again#tides": {"Sailings", "/#tides", 200, 0},
		"/moved/part#other":  {"Sailings", "/#tides", 200, 0},
		"/temporary":         {"Sailings", "/", 200, 0},
		"/loop":              {"", "", 0, fetch.TooManyRedirects},
		"/mail":              {"", "", 0, fetch.RedirectsElsewhere},
		"/nowhere":           {"Stays", "/nowhere", 302, 0},
		"/never":             {"Nothing", "/never", 404, 0},
		"/none":              {"", "", 0, fetch.NoContent},
		"/file":              {"", "", 0, fetch.Download},
		"/zip":               {"", "", 0, fetch.Download},
		"/text":              {"", "/text", 200, 0},
		"/on":                {"Sailings", "/", 200, 0},
		"/refresh":           {"Sailings", "/", 200, 0},
		"/later":             {"Later", "/later", 200, 0},
	} {
		w, _ := windows(pages)
		v := w.Open(line+url, nil).View
		assert.Equal(t, c.why, v.Reason.Kind, url)
		assert.Equal(t, c.why != 0, v.Failed, url)
		assert.Equal(t, c.title, v.Title, url)
		assert.Equal(t, c.status, v.Status, url)
		assert.Equal(t, c.at, strings.TrimPrefix(v.FinalURL, line), url)
	}
}

// Frames of pages whose scripts do not run: what is asked for, and what the page misses (HTML, 4.8.5).
func TestPlainFrames(t *testing.T) {
	for name, c := range map[string]struct {
		pages map[string]string
		asked string
		why   fetch.FailureKind // of the frame
	}{
		"a page":               {map[string]string{"/": "<iframe src=/tides></iframe>", "/tides": "<img src=/chart.png>", "/chart.png": ""}, "GET /, GET /tides, GET /chart.png", 0},
		"markup":               {map[string]string{"/": "<iframe srcdoc='<img src=/chart.png>'></iframe>", "/chart.png": ""}, "GET /, GET /chart.png", 0},
		"itself":               {map[string]string{"/": "<iframe src=/#part></iframe>"}, "GET /", 0},
		"one in another":       {map[string]string{"/": "<iframe src=/a></iframe>", "/a": "<iframe src=/b></iframe>", "/b": "<iframe src=/></iframe>"}, "GET /, GET /a, GET /b", 0},
		"a missing page":       {map[string]string{"/": "<iframe src=/never></iframe>"}, "GET /, GET /never", fetch.BadStatus},
		"one that forbids it":  {map[string]string{"/": "<iframe src=/tides></iframe>", "/tides": "OK\nX-Frame-Options: deny\n\n<img src=/chart.png>"}, "GET /, GET /tides", fetch.FrameForbids},
		"a page that may not":  {map[string]string{"/": "OK\nContent-Security-Policy: frame-src 'none'\n\n<iframe src=/tides></iframe>", "/tides": ""}, "GET /", fetch.PolicyForbids},
		"sent where it is not": {map[string]string{"/": "OK\nContent-Security-Policy: frame-src https://line.example/tides\n\n<iframe src=/tides></iframe>", "/tides": "Found\nLocation: https://other.example/"}, "GET /, GET /tides", fetch.PolicyForbids},
		"a file":               {map[string]string{"/": "<iframe src=/file></iframe>", "/file": "OK\nContent-Disposition: attachment\n\nx"}, "GET /, GET /file", 0},
		"too deep":             {map[string]string{"/": "<iframe src=/1></iframe>", "/1": "<iframe src=/2></iframe>", "/2": "<iframe src=/3></iframe>", "/3": "<iframe src=/4></iframe>", "/4": "<iframe src=/5></iframe>", "/5": "<iframe src=/6></iframe>", "/6": "<iframe src=/7></iframe>"}, "GET /, GET /1, GET /2, GET /3, GET /4, GET /5, GET /6", 0},
	} {
		w, asked := windows(c.pages)
		v := w.Open(line+"/", nil).View
		assert.Equal(t, c.asked, strings.Join(slices.DeleteFunc(*asked, func(a string) bool { return a == "GET /favicon.ico" }), ", "), name)
		var why fetch.FailureKind
		for _, l := range v.Loads {
			assert.True(t, l.Done, "%s: %s", name, l.URL)
			if l.Destination == "iframe" {
				why = max(why, l.Why.Kind)
			}
		}
		assert.Equal(t, c.why, why, name)
	}
}

// Going to and fro in the history of a tab (HTML, 7.4.1 and 7.4.3).
func TestSessionHistory(t *testing.T) {
	pages := map[string]string{"/a": "<title>A</title>", "/b": "<title>B</title>", "/c": "<title>C</title>"}
	for name, c := range map[string]struct {
		opens []string
		then  func(w *Windows, tab *Tab)
		title string
		steps int
	}{
		"three pages":                     {[]string{"/a", "/b", "/c"}, nil, "C", 3},
		"the same once more":              {[]string{"/a", "/a"}, nil, "A", 1},
		"back":                            {[]string{"/a", "/b", "/c"}, func(w *Windows, tab *Tab) { w.Traverse(tab, -2) }, "A", 3},
		"back and ahead":                  {[]string{"/a", "/b", "/c"}, func(w *Windows, tab *Tab) { w.Traverse(tab, -2); w.Traverse(tab, 1) }, "B", 3},
		"too far back":                    {[]string{"/a", "/b"}, func(w *Windows, tab *Tab) { w.Traverse(tab, -2) }, "B", 2},
		"elsewhere from an earlier place": {[]string{"/a", "/b", "/c"}, func(w *Windows, tab *Tab) { w.Traverse(tab, -2); w.Open(line+"/c", tab) }, "C", 2},
		"once more from the host":         {[]string{"/a", "/b"}, func(w *Windows, tab *Tab) { w.Reload(tab, false) }, "B", 2},
	} {
		w, _ := windows(pages)
		var tab *Tab
		for _, url := range c.opens {
			tab = w.Open(line+url, tab)
		}
		if c.then != nil {
			c.then(w, tab)
		}
		assert.Equal(t, c.title, tab.Title, name)
		assert.Len(t, tab.steps.used, c.steps, name)
	}
	// Browsers remember fifty steps.
	w, _ := windows(pages)
	var tab *Tab
	for i := range 60 {
		tab = w.Open(line+[]string{"/a", "/b"}[i%2], tab)
	}
	assert.Len(t, tab.steps.used, mostSteps)
	assert.Len(t, tab.history.entries, mostSteps)
}

// When a script runs, by its kind and its attributes (HTML, 4.12.1.1, steps 33 and 34).
func TestScriptTiming(t *testing.T) {
	for name, c := range map[string]struct {
		e    scriptElement
		want scriptTiming
	}{
		"inline":                      {scriptElement{kind: "classic"}, blocking},
		"inline with async":           {scriptElement{kind: "classic", async: true}, blocking},
		"inline with defer":           {scriptElement{kind: "classic", deferred: true}, blocking},
		"external":                    {scriptElement{kind: "classic", external: true}, blocking},
		"external with defer":         {scriptElement{kind: "classic", external: true, deferred: true}, afterwards},
		"external with async":         {scriptElement{kind: "classic", external: true, async: true}, soon},
		"both":                        {scriptElement{kind: "classic", external: true, async: true, deferred: true}, soon},
		"a module":                    {scriptElement{kind: "module"}, afterwards},
		"a module with async":         {scriptElement{kind: "module", async: true}, soon},
		"put in by a script":          {scriptElement{kind: "classic", external: true, parsed: -1}, inOrder},
		"put in, with async":          {scriptElement{kind: "classic", external: true, async: true, parsed: -1}, soon},
		"put in, with defer":          {scriptElement{kind: "classic", external: true, deferred: true, parsed: -1}, inOrder},
		"a module that was put in":    {scriptElement{kind: "module", parsed: -1}, inOrder},
		"an inline one that was made": {scriptElement{kind: "classic", parsed: -1}, blocking},
	} {
		assert.Equal(t, c.want, c.e.timing(), name)
	}
}

// The media types by which documents are loaded (MIME Sniffing, 7; HTML, 7.5).
func TestComputedType(t *testing.T) {
	for _, c := range []struct{ kind, nosniff, body, want string }{
		{"text/html; charset=utf-8", "", "x", "text/html"}, {"", "", "<!doctype html><p>", "text/html"}, {"", "", "high water", "text/plain"},
		{"", "nosniff", "<!doctype html>", ""}, {"", "", "\x89PNG\r\n\x1a\n", "image/png"}, {"image/svg+xml", "", "<svg>", "image/svg+xml"},
	} {
		r := &fetch.Response{Body: site.Bytes(c.body)}
		for name, value := range map[string]string{"content-type": c.kind, "x-content-type-options": c.nosniff} {
			if value != "" {
				r.Header = append(r.Header, [2]string{name, value})
			}
		}
		assert.Equal(t, c.want, computedType(r), c)
	}
}
