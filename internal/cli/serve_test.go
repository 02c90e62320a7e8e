package cli

import (
	"bufio"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/testsite/demo"
)

// served is a running tachyform serve: where the site and its control page are, and what it prints.
type served struct {
	t             testing.TB
	command       *exec.Cmd
	site, control string
	lines         chan string
}

func startServe(t testing.TB, dir string, args ...string) *served {
	s := &served{t: t, command: exec.Command(program, append([]string{"serve", "--port", "0"}, args...)...)}
	s.command.Dir = dir
	out, err := s.command.StdoutPipe()
	require.NoError(t, err)
	s.command.Stderr = s.command.Stdout
	require.NoError(t, s.command.Start())
	t.Cleanup(func() { s.command.Process.Kill(); s.command.Wait() })
	s.lines = make(chan string, 1000)
	go func() {
		for lines := bufio.NewScanner(out); lines.Scan(); {
			s.lines <- strings.Join(strings.Fields(lines.Text()), " ")
		}
		close(s.lines)
	}()
	for line := s.next(); line != "Requests that reach the host:"; line = s.next() {
		for _, f := range strings.Fields(line) {
			switch {
			case strings.Contains(f, "/#"):
				s.control = f
			case strings.HasPrefix(f, "http://"):
				s.site = f
			}
		}
	}
	require.NotEmpty(t, s.site)
	return s
}

// next gives the next line that it prints, with white space collapsed.
func (s *served) next() string {
	select {
	case line, more := <-s.lines:
		require.True(s.t, more, "it has ended")
		return line
	case <-time.After(20 * time.Second):
		require.Fail(s.t, "nothing more was printed")
		return ""
	}
}

// switchTo asks the control page for something.
func (s *served) switchTo(path, body string) {
	base, token, _ := strings.Cut(s.control, "/#")
	r, err := http.NewRequest("POST", base+path, strings.NewReader(body))
	require.NoError(s.t, err)
	for name, value := range map[string]string{"X-Tachyform-Token": token, "Origin": base, "Content-Type": "application/json"} {
		r.Header.Set(name, value)
	}
	resp, err := http.DefaultClient.Do(r)
	require.NoError(s.t, err)
	resp.Body.Close()
	require.Equal(s.t, 200, resp.StatusCode)
}

// ask gives status, media type and content, 0 for no answer.
func (s *served) ask(method, path, body string) (int, string, string) {
	client := http.Client{Timeout: 5 * time.Second, Transport: &http.Transport{DisableKeepAlives: true}}
	r, err := http.NewRequest(method, strings.TrimSuffix(s.site, "/")+path, strings.NewReader(body))
	require.NoError(s.t, err)
	resp, err := client.Do(r)
	if err != nil {
		return 0, "", ""
	}
	defer resp.Body.Close()
	text, _ := io.ReadAll(resp.Body)
	return resp.StatusCode, resp.Header.Get("Content-Type"), string(text)
}

func (s *served) end() {
	require.NoError(s.t, s.command.Process.Signal(os.Interrupt))
	assert.NoError(s.t, s.command.Wait())
}

func TestServe(t *testing.T) {
	dir := write(t, map[string]string{"tachyform.yaml": "site: dist\naddress: /pier/\n", "dist/index.html": pierPage,
		"dist/site.webmanifest": "{}", "later/index.html": "<title>Later</title>"})
	s := startServe(t, dir, "--next", "later")
	require.True(t, strings.HasSuffix(s.site, "/pier/"), s.site)
	status, kind, _ := s.ask("GET", "/", "")
	assert.Equal(t, []any{200, "text/html; charset=utf-8"}, []any{status, kind})
	assert.Regexp(t, `^\d\d:\d\d:\d\d 200 .* - page GET /pier/$`, s.next())
	_, kind, _ = s.ask("GET", "/site.webmanifest", "")
	assert.Equal(t, "application/manifest+json", kind)
	s.next()
	status, _, _ = s.ask("GET", "/nowhere", "")
	assert.Equal(t, 404, status)
	assert.Regexp(t, `404 .* GET /pier/nowhere$`, s.next())
	// A live site is judged as a folder is.
	r := run(t, dir, "audit", s.site, "--format", "json")
	assert.Equal(t, 1, r.status, r.err)
	assert.Contains(t, r.out, "app.unlinked")
	for !strings.HasPrefix(s.next(), "network: offline") {
		s.switchTo("/condition", `{"condition": "offline"}`) // after the requests of the audit
	}
	status, _, _ = s.ask("GET", "/", "")
	assert.Zero(t, status)
	s.switchTo("/condition", `{"condition": "online"}`)
	assert.Equal(t, "network: online", s.next())
	s.switchTo("/next", `{"deployed": true}`)
	assert.Equal(t, "the next release is deployed", s.next())
	_, _, text := s.ask("GET", "/", "")
	assert.Contains(t, text, "Later")
	s.end()

	s = startServe(t, dir, "--condition", "offline")
	status, _, _ = s.ask("GET", "/", "")
	assert.Zero(t, status)
	s.end()
}

// --watch fits the site again after a build; what it writes itself sets nothing off.
func TestServeAndWatch(t *testing.T) {
	dir, _ := demo.Fitted(t)
	s := startServe(t, dir, "--watch")
	page := filepath.Join(dir, "site", "index.html")
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	built := strings.ReplaceAll(string(text), "Next from", "Soon from")
	built = strings.Replace(built, "<link rel=\"manifest\"", "<link rel=\"nothing\"", 1)
	require.NoError(t, os.WriteFile(page, []byte(built), 0o644))
	assert.Equal(t, "fitted again after a change", s.next())
	_, _, shown := s.ask("GET", "/", "")
	assert.Contains(t, shown, "rel=\"manifest\"", "it is fitted")
	assert.Regexp(t, "GET /$", s.next(), "nothing else was fitted meanwhile")
	s.end()
}

// A server behind is asked with all methods, for what no file answers; others are refused on the command line.
func TestServeBehind(t *testing.T) {
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		data, _ := io.ReadAll(r.Body)
		_, _ = io.WriteString(w, r.Method+" "+r.URL.Path+" "+string(data))
	}))
	defer behind.Close()
	dir := write(t, map[string]string{"tachyform.yaml": "site: dist\nhosting: {backend: " + behind.URL + "}\n", "dist/index.html": pierPage})
	s := startServe(t, dir)
	for path, want := range map[string]string{"/": "<!doctype", "/api/tides": "GET /api/tides "} {
		_, _, text := s.ask("GET", path, "")
		assert.True(t, strings.HasPrefix(text, want), text)
	}
	_, _, text := s.ask("PUT", "/api/tides", "low")
	assert.Equal(t, "PUT /api/tides low", text)
	s.end()
	s = startServe(t, t.TempDir(), behind.URL)
	_, _, text = s.ask("DELETE", "/any", "x")
	assert.Equal(t, "DELETE /any x", text)
	s.end()

	for says, args := range map[string][]string{
		`--condition is one of offline, stalled, slow, flaky, online, not "foggy"`: {"serve", "--condition", "foggy"},
		"is another machine":                                         {"serve", "http://192.0.2.1:3000"},
		"--next takes the place of a folder":                         {"serve", "http://localhost:3000", "--next", "dist"},
		"--watch looks at the files of a folder":                     {"serve", "http://localhost:3000", "--watch"},
		`--browser is one of chromium, firefox, webkit, not "opera"`: {"rehearse", "--browser", "opera"},
		"--browser-path names the program of a browser":              {"rehearse", "--browser-path", "/bin/sh"},
	} {
		r := run(t, dir, args...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, strings.Join(strings.Fields(r.err), " "), says)
	}
}

// A server that renders the site is tried fitted: its pages get the head lines, the files of fit are added, and the rest is forwarded.
func TestServeFitted(t *testing.T) {
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			_, _ = io.WriteString(w, "<!doctype html><title>"+r.Method+"</title>")
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("ETag", `"1"`)
		switch r.URL.Path {
		case "/":
			_, _ = io.WriteString(w, "<!doctype html><html lang=en><head><title>Tides</title></head><body><a href=/part>x</a><a href=/wide>y</a></body></html>")
		case "/part":
			_, _ = io.WriteString(w, "<li>Skerra 06:10</li>")
		case "/wide":
			_, _ = io.WriteString(w, "\xff\xfe<\x00h\x00t\x00m\x00l\x00>\x00")
		default:
			http.NotFound(w, r)
		}
	}))
	defer behind.Close()
	described := map[string]string{"tachyform.yaml": "site: " + behind.URL + "\napp: {name: Skerry Line, start_url: /}\nicons: {master: master.svg}\nworker: {pack: {pages: [/]}}\n",
		"master.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 512 512"><rect width="512" height="512" fill="#0b4f6c"/></svg>`}
	s := startServe(t, write(t, described))
	resp, err := http.Get(s.site)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Empty(t, resp.Header.Get("ETag"), "it is that of the page without the lines")
	_, _, text := s.ask("GET", "/", "")
	assert.Contains(t, text, `rel="manifest"`)
	assert.Contains(t, text, "register.js")
	assert.Contains(t, text, "</body></html>", "the length is that of the edited page")
	_, kind, worker := s.ask("GET", "/worker.js", "")
	assert.Contains(t, kind, "javascript")
	assert.Contains(t, worker, "addEventListener")
	_, _, text = s.ask("GET", "/part", "")
	assert.Equal(t, "<li>Skerra 06:10</li>", text, "a part of a page")
	_, _, text = s.ask("POST", "/", "")
	assert.Equal(t, "<!doctype html><title>POST</title>", text)
	_, _, text = s.ask("GET", "/wide", "")
	assert.True(t, strings.HasPrefix(text, "\xff\xfe"))
	for line := s.next(); !strings.HasPrefix(line, "/wide is served unchanged: "); line = s.next() {
		require.NotEmpty(t, line)
	}
	s.end()

	dir := write(t, map[string]string{"tachyform.yaml": "site: dist\napp: {name: Skerry Line}\nicons: {master: master.svg}\nworker: {pack: {pages: [/]}}\nhosting: {backend: " + behind.URL + "}\n",
		"master.svg": described["master.svg"], "dist/index.html": pierPage})
	s = startServe(t, dir)
	assert.Contains(t, s.next(), "the folder is not fitted, so pages of "+behind.URL+" are served unchanged")
	s.end()
	require.Zero(t, run(t, dir, "fit").status)
	s = startServe(t, dir)
	_, _, text = s.ask("GET", "/wide", "")
	assert.True(t, strings.HasPrefix(text, "\xff\xfe"))
	s.end()
}
