package conformance

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"sort"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
)

// pagesHost answers for a tree of browser conformance tests that run in windows, as their README asks.
type pagesHost struct {
	*pagesTree
	origin string
}

// pagesTree is what the hosts of all origins share.
type pagesTree struct {
	dir      string
	handlers []pagesHandler
	pages    map[string]string // those that are made from scripts, by path
	unique   int
}

// pagesHandler is a rule of HANDLERS.json.
type pagesHandler struct {
	Path, Status, StatusText, DelayMs, Body, BodyBase64, File string

	When    map[string]any
	Headers [][2]string
}

func (h pagesHost) Origin() string { return h.origin }

var (
	pagesPlaceholder = regexp.MustCompile(`\{([a-z-]+)(?::([^}|]*))?(?:\|([^}]*))?\}`)
	pagesTemplate    = regexp.MustCompile(`\{\{([^}]*)\}\}`)
	pagesStep        = regexp.MustCompile(`^(\w+)(?:\((.*)\))?$`)
)

// value is what a placeholder stands for.
func (h pagesHost) value(r *site.Request, kind, name string) string {
	query := url.Values{}
	for _, pair := range strings.Split(r.URL.Query(), "&") {
		name, value, _ := strings.Cut(pair, "=")
		name, _ = url.QueryUnescape(name)
		value, _ = url.QueryUnescape(value)
		query.Add(name, value)
	}
	switch kind {
	case "query":
		return query.Get(name)
	case "has":
		if query.Has(name) {
			return "1"
		}
	case "header":
		return r.Header.Get(name)
	case "cookie":
		for _, pair := range strings.Split(r.Header.Get("Cookie"), ";") {
			if n, v, _ := strings.Cut(strings.TrimSpace(pair), "="); n == name {
				return v
			}
		}
	case "method":
		return r.Method
	case "body":
		if r.Body != nil {
			data, _ := r.Body.Bytes()
			return string(data)
		}
	case "path":
		return r.URL.Pathname()
	case "search":
		return r.URL.Search()
	case "query-string":
		return strings.TrimPrefix(r.URL.Search(), "?")
	case "host":
		return r.URL.Host()
	case "unique":
		h.unique++
		return strconv.Itoa(h.unique)
	case "headers-json":
		all := map[string]string{}
		for n, v := range r.Header {
			all[strings.ToLower(n)] = strings.Join(v, ", ")
		}
		text, _ := json.Marshal(all)
		return string(text)
	case "query-json":
		all := map[string]string{}
		for _, pair := range strings.Split(strings.TrimPrefix(r.URL.Search(), "?"), "&") {
			if n, _, _ := strings.Cut(pair, "="); n != "" {
				all[n] = query.Get(n)
			}
		}
		text, _ := json.Marshal(all)
		return string(text)
	case "body-json":
		text, _ := json.Marshal(h.value(r, "body", ""))
		return string(text)
	}
	return ""
}

func (h pagesHost) fill(r *site.Request, text string) string {
	return pagesPlaceholder.ReplaceAllStringFunc(text, func(all string) string {
		m := pagesPlaceholder.FindStringSubmatch(all)
		switch m[1] {
		case "query", "has", "header", "cookie", "method", "body", "path", "search", "query-string", "host", "unique",
			"query-json", "headers-json", "body-json":
		default:
			return all
		}
		if v := h.value(r, m[1], m[2]); v != "" {
			return v
		}
		return m[3]
	})
}

// template fills in a text that is a template.
func (h pagesHost) template(r *site.Request, text string) string {
	origin := h.origin
	host := origin[strings.Index(origin, "//")+2:]
	name, port, _ := strings.Cut(host, ":")
	fixed := map[string]string{"host": "localhost", "ports[http][0]": "8000", "ports[http][1]": "8001",
		"ports[https][0]": "8443", "ports[https][1]": "8444", "ports[ws][0]": "8666", "ports[wss][0]": "8667",
		"hosts[alt][]": "127.0.0.1", "location[server]": origin, "location[host]": host, "location[scheme]": "http",
		"location[port]": port, "location[path]": r.URL.Pathname(), "location[hostname]": name}
	return pagesTemplate.ReplaceAllStringFunc(text, func(all string) string {
		inner := strings.TrimSpace(all[2 : len(all)-2])
		if v, ok := fixed[inner]; ok {
			return v
		}
		for _, kind := range []string{"domains[", "hosts[][", "GET[", "headers["} {
			name, ok := strings.CutPrefix(inner, kind)
			if !ok {
				continue
			}
			name = strings.TrimSuffix(name, "]")
			switch kind {
			case "GET[":
				return h.value(r, "query", name)
			case "headers[":
				return h.value(r, "header", name)
			}
			if name == "" {
				return "localhost"
			}
			return name + ".localhost"
		}
		if inner == "uuid()" {
			return "uuid-" + h.value(r, "unique", "")
		}
		return all
	})
}

var pagesTypes = map[string]string{".html": "text/html", ".htm": "text/html", ".xhtml": "application/xhtml+xml",
	".xht": "application/xhtml+xml", ".xml": "application/xml", ".svg": "image/svg+xml", ".js": "text/javascript",
	".mjs": "text/javascript", ".json": "application/json", ".css": "text/css", ".txt": "text/plain", ".md": "text/plain",
	".idl": "text/plain", ".wasm": "application/wasm", ".vtt": "text/vtt", ".event_stream": "text/event-stream",
	".webmanifest": "application/manifest+json", ".png": "image/png", ".gif": "image/gif", ".jpg": "image/jpeg",
	".ico": "image/x-icon", ".webp": "image/webp"}

func (h pagesHost) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	at := r.URL.Pathname()
	answer := func(status int, kind, body string) *site.Response {
		return &site.Response{Status: status, StatusText: http.StatusText(status),
			Header: http.Header{"Content-Type": {kind}, "Cache-Control": {"no-cache"}}, Body: site.Bytes(body)}
	}
	if at == "/resources/WebIDLParser.js" {
		at = "/resources/webidl2/lib/webidl2.js"
	}
	for _, rule := range h.handlers {
		if rule.Path == at && h.holds(r, rule.When) {
			return h.handled(r, rule), nil
		}
	}
	if at == "/" {
		return answer(200, "text/html", "<!doctype html>"), nil
	}
	if strings.HasSuffix(at, ".py") {
		return answer(404, "text/plain", "no handlers"), nil
	}
	file := filepath.Join(h.dir, filepath.FromSlash(at))
	text, err := os.ReadFile(file)
	if err != nil {
		if body, ok := h.pages[at]; ok {
			kind := "text/html"
			if strings.HasSuffix(at, ".js") {
				kind = "text/javascript"
			}
			return answer(200, kind, body), nil
		}
		return answer(404, "text/plain", "not found"), nil
	}
	if strings.HasSuffix(at, ".asis") {
		return pagesAsIs(string(text)), nil
	}
	body := string(text)
	if at == "/resources/testharnessreport.js" {
		body = "if (self === self.top) self.hostReport = (kind, json) => console.log('WPT' + json);\n" + body
	}
	kind := pagesTypes[path.Ext(at)]
	if kind == "" {
		kind = "application/octet-stream"
	}
	resp := answer(200, kind, body)
	for _, beside := range []string{path.Dir(file) + "/__dir__.headers", file + ".headers",
		file + ".sub.headers"} {
		if extra, err := os.ReadFile(beside); err == nil {
			lines := string(extra)
			if strings.HasSuffix(beside, ".sub.headers") {
				lines = h.template(r, lines)
			}
			set := map[string]bool{}
			for _, line := range strings.Split(lines, "\n") {
				if name, value, ok := strings.Cut(line, ":"); ok {
					name = http.CanonicalHeaderKey(strings.TrimSpace(name))
					if !set[name] {
						resp.Header.Del(name)
					}
					set[name] = true
					resp.Header.Add(name, strings.TrimSpace(value))
				}
			}
		}
	}
	if strings.Contains(path.Base(at), ".sub.") {
		resp.Body = site.Bytes(h.template(r, body))
	}
	h.pipe(r, resp)
	return resp, nil
}

// pipe does what the query pipe= asks for.
func (h pagesHost) pipe(r *site.Request, resp *site.Response) {
	for _, step := range strings.Split(r.URL.SearchParams().Get("pipe"), "|") {
		m := pagesStep.FindStringSubmatch(step)
		if m == nil {
			continue
		}
		args := strings.Split(m[2], ",")
		switch m[1] {
		case "status":
			resp.Status, _ = strconv.Atoi(m[2])
			resp.StatusText = http.StatusText(resp.Status)
		case "header":
			if len(args) > 2 && strings.TrimSpace(args[2]) == "True" {
				resp.Header.Add(args[0], strings.TrimSpace(args[1]))
			} else if len(args) > 1 {
				resp.Header.Set(args[0], strings.TrimSpace(args[1]))
			}
		case "trickle":
			seconds, _ := strconv.ParseFloat(strings.TrimPrefix(m[2], "d"), 64)
			resp.Delay += time.Duration(seconds * float64(time.Second))
		case "sub":
			text, _ := resp.Body.Bytes()
			resp.Body = site.Bytes(h.template(r, string(text)))
		}
	}
}

// pagesAsIs reads a whole answer.
func pagesAsIs(text string) *site.Response {
	head, body, ok := strings.Cut(text, "\r\n\r\n")
	if !ok {
		head, body, _ = strings.Cut(text, "\n\n")
	}
	resp := &site.Response{Status: 200, StatusText: "OK", Header: http.Header{}, Body: site.Bytes(body)}
	for i, line := range strings.Split(head, "\n") {
		line = strings.TrimRight(line, "\r")
		if i == 0 {
			parts := strings.SplitN(line, " ", 3)
			if len(parts) > 1 {
				resp.Status, _ = strconv.Atoi(parts[1])
			}
			resp.StatusText = ""
			if len(parts) > 2 {
				resp.StatusText = parts[2]
			}
			continue
		}
		if name, value, ok := strings.Cut(line, ":"); ok {
			resp.Header.Add(name, strings.TrimSpace(value))
		}
	}
	return resp
}

func (h pagesHost) holds(r *site.Request, when map[string]any) bool {
	for what, want := range when {
		kind, name, _ := strings.Cut(what, ":")
		got := h.value(r, kind, name)
		if text, ok := want.(string); ok && got != text || !ok && got == "" {
			return false
		}
	}
	return true
}

func (h pagesHost) handled(r *site.Request, rule pagesHandler) *site.Response {
	resp := &site.Response{Status: 200, Header: http.Header{}, StatusText: h.fill(r, rule.StatusText)}
	if n, err := strconv.Atoi(h.fill(r, rule.Status)); err == nil {
		resp.Status = n
	}
	if resp.StatusText == "" {
		resp.StatusText = http.StatusText(resp.Status)
	}
	if n, err := strconv.Atoi(h.fill(r, rule.DelayMs)); err == nil {
		resp.Delay = time.Duration(n) * time.Millisecond
	}
	for _, pair := range rule.Headers {
		if v := h.fill(r, pair[1]); v != "" {
			resp.Header.Add(pair[0], v)
		}
	}
	if resp.Header.Get("Content-Type") == "" {
		resp.Header.Set("Content-Type", "text/plain")
	}
	switch {
	case rule.File != "":
		text, err := os.ReadFile(filepath.Join(h.dir, h.fill(r, rule.File)))
		if err != nil {
			resp.Status = 404
		}
		resp.Body = site.Bytes(text)
	case rule.BodyBase64 != "":
		data, _ := base64.StdEncoding.DecodeString(rule.BodyBase64)
		resp.Body = site.Bytes(data)
	default:
		resp.Body = site.Bytes(h.fill(r, rule.Body))
	}
	return resp
}

// pagesFile is an entry of the index.
type pagesFile struct {
	Path, URL, Kind, Theme, Timeout string
	Needs                           []string
}

var pagesMeta = regexp.MustCompile(`(?m)^// META: (\w+)=(.*)$`)

// wrap makes the pages for a test that is a script.
func (t *pagesTree) wrap(f pagesFile) {
	text, err := os.ReadFile(filepath.Join(t.dir, f.Path))
	if err != nil || f.Kind == "html" {
		return
	}
	var head, scripts, imports, title strings.Builder
	for _, m := range pagesMeta.FindAllStringSubmatch(string(text), -1) {
		switch value := strings.TrimSpace(m[2]); m[1] {
		case "timeout":
			head.WriteString(`<meta name="timeout" content="long">`)
		case "title":
			fmt.Fprintf(&title, "<title>%s</title>", value)
		case "script":
			fmt.Fprintf(&scripts, "<script src=%q></script>\n", value)
			fmt.Fprintf(&imports, "importScripts(%q);\n", value)
		}
	}
	global := "self.GLOBAL = { isWindow: function() { return %v; }, isWorker: function() { return %v; }, " +
		"isShadowRealm: function() { return false; } };\n"
	const harness = "<script src=\"/resources/testharness.js\"></script>\n" +
		"<script src=\"/resources/testharnessreport.js\"></script>\n"
	page := "<!doctype html>\n<meta charset=utf-8>\n" + head.String() + title.String() + "\n"
	script := "/" + f.Path
	switch f.Kind {
	case "worker.js":
		page += harness + "<div id=log></div>\n<script>fetch_tests_from_worker(new Worker(" +
			strconv.Quote(script) + "));</script>"
	case "any.js":
		stem := strings.TrimSuffix(script, ".js")
		worker := fmt.Sprintf(global, false, true) + "importScripts(\"/resources/testharness.js\");\n" + imports.String() +
			"importScripts(" + strconv.Quote(script) + ");\ndone();"
		t.pages[stem+".worker.js"] = worker
		t.pages[stem+".worker.html"] = page + harness + "<div id=log></div>\n<script>fetch_tests_from_worker(new Worker(" +
			strconv.Quote(stem+".worker.js") + "));</script>"
		page += "<script>" + fmt.Sprintf(global, true, false) + "</script>\n"
		fallthrough
	default:
		page += harness + scripts.String() + "<div id=log></div>\n<script src=" + strconv.Quote(script) + "></script>"
	}
	t.pages[f.URL] = page
}

// runPage opens a test in a browser of its own and gives its report, nil when it never came.
func (t *pagesTree) runPage(f pagesFile) (*wptReport, []account.Note) {
	limit := 12 * time.Second
	if f.Timeout == "long" {
		limit = 62 * time.Second
	}
	var hosts []site.Host
	for _, origin := range []string{wptOrigin, "http://127.0.0.1:8000", "http://localhost:8001", "http://127.0.0.1:8001",
		"http://www.localhost:8000", "http://www1.localhost:8000", "http://www2.localhost:8000", "http://www1.localhost:8001", "http://xn--lve-6lad.localhost:8001"} {
		hosts = append(hosts, pagesHost{t, origin})
	}
	b := useragent.New(context.Background(), hosts, useragent.Options{})
	defer b.Close()
	b.Refuse(func(u string) bool { return !strings.HasPrefix(u, "http://") || !strings.Contains(u, ":800") })
	return awaitReport(b, wptOrigin+f.URL, limit)
}

// pagesLater are needs of tests that pages without frames and workers of their own do not have.
var pagesLater = map[string]bool{"iframe": true, "worker": true, "indexeddb": true, "other-origin": true, "xml": true}

// TestWPTPages runs a tree of browser conformance tests in windows and counts, of what a real browser passes, how much
// passes here.
func TestWPTPages(t *testing.T) {
	var files []pagesFile
	dir, passing := wptTree(t, "TACHYFORM_WPT_PAGES", "../../../shared/wpt-pages", &files)
	tree := &pagesTree{dir: dir, pages: map[string]string{}}
	text, err := os.ReadFile(filepath.Join(dir, "HANDLERS.json"))
	require.NoError(t, err)
	require.NoError(t, readHandlers(text, tree))
	for _, f := range files {
		tree.wrap(f)
	}
	type score struct {
		passed, total, files int
		mean                 float64
	}
	only := os.Getenv("TACHYFORM_WPT_ONLY")
	known := readDifferences(t, "page")
	scores := map[string]*score{}
	count := func(name string, passed, total int) {
		if scores[name] == nil {
			scores[name] = &score{}
		}
		s := scores[name]
		s.passed, s.total, s.files = s.passed+passed, s.total+total, s.files+1
		s.mean += float64(passed) / float64(total)
	}
	tried := map[string]bool{}
	for i, f := range files {
		if only == "" && !sampled(i, 4) {
			continue
		}
		tried[f.Path] = true
		want := passing[f.Path]
		if only != "" && !strings.Contains(f.Path, only) || len(want) == 0 {
			continue
		}
		report, notes := tree.runPage(f)
		got := map[string]bool{}
		messages := map[string]string{}
		if report != nil {
			for _, x := range report.Tests {
				if _, twice := got[x.Name]; twice && x.Status != 0 || !twice {
					got[x.Name], messages[x.Name] = x.Status == 0, x.Message
				}
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
		mark := ""
		if report == nil {
			mark = " (no report)"
		}
		now := "later"
		if !needsLater(f) {
			now = "now"
		}
		t.Logf("%s %s %d/%d%s", now, f.Path, n, len(want), mark)
		if only != "" {
			if report != nil && report.Harness != 0 {
				t.Logf("   harness %d: %s", report.Harness, report.Message)
			}
			for _, note := range notes {
				if !strings.HasPrefix(note.Text, "WPT{") {
					t.Logf("   %s %s %s", note.Level, note.Text, note.Stack)
				}
			}
		}
		if n < len(want) {
			known.note(fmt.Sprintf("%s %d", f.Path, len(want)-n))
		}
		count("theme "+f.Theme, n, len(want))
		count("needs: "+now, n, len(want))
		count("sum", n, len(want))
	}
	var names []string
	for name := range scores {
		if name != "sum" {
			names = append(names, name)
		}
	}
	sort.Strings(names)
	for _, name := range append(names, "sum") {
		if s := scores[name]; s != nil && name != "sum" {
			t.Logf("%s %d/%d, mean of %d files %.1f %%", name, s.passed, s.total, s.files, 100*s.mean/float64(s.files))
		}
	}
	known.end(func(name string) bool {
		path := name[:strings.LastIndexByte(name, ' ')]
		return tried[path] && (only == "" || strings.Contains(path, only))
	})
	if s := scores["sum"]; s != nil {
		t.Logf("mean over files %.1f %%", 100*s.mean/float64(s.files))
		t.Logf("sum %d/%d", s.passed, s.total)
	}
}

func needsLater(f pagesFile) bool {
	for _, n := range f.Needs {
		if pagesLater[n] {
			return true
		}
	}
	return false
}

// readHandlers reads HANDLERS.json, where a status may be a number.
func readHandlers(text []byte, tree *pagesTree) error {
	var in struct{ Handlers []map[string]any }
	if err := json.Unmarshal(text, &in); err != nil {
		return err
	}
	for _, h := range in.Handlers {
		for _, key := range []string{"status", "delayMs"} {
			if n, ok := h[key].(float64); ok {
				h[key] = strconv.Itoa(int(n))
			}
		}
		again, _ := json.Marshal(h)
		var rule pagesHandler
		if err := json.Unmarshal(again, &rule); err != nil {
			return err
		}
		tree.handlers = append(tree.handlers, rule)
	}
	return nil
}
