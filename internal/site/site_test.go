package site

import (
	"context"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
)

func folder(t *testing.T, hosting string, files ...string) *Folder {
	t.Helper()
	dir := t.TempDir()
	for _, name := range files {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(name), 0o644))
	}
	p, err := project.Parse("f", []byte("address: /app/\nhosting: "+hosting))
	require.NoError(t, err)
	f, err := OpenFolder(dir, "https://line.example", p.Addr, p.Host)
	require.NoError(t, err)
	return f
}

// ask gives status, then the file or place that answers.
func ask(t *testing.T, f *Folder, path string, header ...string) string {
	t.Helper()
	u, err := whatwg.ParseRef("https://line.example", path)
	require.NoError(t, err)
	h := http.Header{}
	for i := 0; i < len(header); i += 2 {
		h.Set(header[i], header[i+1])
	}
	r, err := f.Answer(context.Background(), &Request{Method: "GET", URL: u, Header: h})
	require.NoError(t, err)
	body, err := r.Body.Bytes()
	require.NoError(t, err)
	what := string(body)
	if to := r.Header.Get("Location"); to != "" {
		what = to
	}
	if r.Status == 404 && what == "not found" {
		what = ""
	}
	return strings.TrimSpace(http.StatusText(r.Status) + " " + what)
}

func TestHosting(t *testing.T) {
	all := []string{"index.html", "about.html", "tides/index.html", "lost.html", "Map.png", "ort/süd.html", "a b.txt",
		".env", ".well-known/x.json"}
	for _, c := range []struct{ hosting, path, want string }{
		{"{}", "/app/", "OK index.html"},
		{"{}", "/app", "Moved Permanently /app/"},
		{"{}", "/", "Not Found"},
		{"{}", "/app/tides?x=1", "Moved Permanently /app/tides/?x=1"},
		{"{}", "/app/tides/", "OK tides/index.html"},
		{"{}", "/app/about", "Not Found"},
		{"{}", "/app/map.png", "Not Found"},
		{"{}", "/app/ort/s%C3%BCd.html", "OK ort/süd.html"},
		{"{}", "/app/a%20b.txt", "OK a b.txt"},
		{"{}", "/app/../etc/passwd", "Not Found"},
		{"{}", "/app/%2e%2e/x", "Not Found"},
		{"{not_found: /app/lost.html}", "/app/nope", "Not Found lost.html"},
		{"{single_page: /app/index.html}", "/app/nope", "OK index.html"},
		{"{extensionless: answer}", "/app/about", "OK about.html"},
		{"{extensionless: answer}", "/app/about.html", "OK about.html"},
		{"{extensionless: redirect}", "/app/about.html?x", "Moved Permanently /app/about?x"},
		{"{extensionless: redirect}", "/app/about", "OK about.html"},
		{"{slash: remove}", "/app/tides/", "Moved Permanently /app/tides"},
		{"{slash: remove}", "/app/tides", "OK tides/index.html"},
		{"{slash: keep}", "/app/tides", "OK tides/index.html"},
		{"{redirects: [{match: '/app/old/:page', to: '/app/:page.html', status: 308}]}", "/app/old/about",
			"Permanent Redirect /app/about.html"},
		{"{redirects: [{match: '/app/:day/:days', to: '/app/:days-:day', status: 301}]}", "/app/1/22",
			"Moved Permanently /app/22-1"},
		{"{redirects: [{match: '/app/:day', to: 'https://line.example:8443/:day/:night', status: 301}]}", "/app/1",
			"Moved Permanently https://line.example:8443/1/:night"},
		{"{index: [tides.html, about.html]}", "/app/", "OK about.html"},
		{"{index: [none.html]}", "/app/", "Not Found"},
		{"{extensionless: redirect}", "/app/index.html", "OK index.html"},
		{"{extensionless: answer}", "/app/about/", "Not Found"},
		{"{not_found: /app/lost.html, single_page: /app/index.html}", "/app/nope", "OK index.html"},
		{"{}", "/app/.env", "Not Found"},
		{"{}", "/app/a/.git/config", "Not Found"},
		{"{}", "/app/.well-known/x.json", "OK .well-known/x.json"},
		{"{hidden: answer}", "/app/.env", "OK .env"},
		{"{}", "/app/%zz", "Not Found"},
		{"{statuses: [{match: /app/about.html, status: 403, unless_cookie: member}]}", "/app/about.html",
			"Forbidden about.html"},
		{"{statuses: [{match: /app/about.html, status: 503}]}", "/app/about.html", "Service Unavailable about.html"},
		{"{statuses: [{match: /app/down, status: 503}]}", "/app/down", "Service Unavailable 503 Service Unavailable"},
		{"{answers: [{match: '/app/api/*', status: 204}]}", "/app/api/x?y", "No Content 204 No Content"},
		{"{answers: [{match: /app/about.html, file: hosting.go, status: 410}], single_page: /app/index.html}", "/app/about",
			"OK index.html"},
	} {
		assert.Equal(t, c.want, ask(t, folder(t, c.hosting, all...), c.path), c.hosting+" "+c.path)
	}
	f := folder(t, "{redirects: [{match: '/app/*', to: /sign-in, unless_cookie: member}]}", all...)
	assert.Equal(t, "Found /sign-in", ask(t, f, "/app/about.html"))
	assert.Equal(t, "OK about.html", ask(t, f, "/app/about.html", "Cookie", "a=b; member=1"))
	f = folder(t, "{}", all...)
	for _, whole := range []string{"bytes=0-1,3-4", "lines=0-1", "bytes=a-b", "bytes=2"} {
		assert.Equal(t, "OK about.html", ask(t, f, "/app/about.html", "Range", whole), whole)
	}
	assert.Equal(t, "Partial Content html", ask(t, f, "/app/about.html", "Range", "bytes=6-400"))
	assert.Equal(t, "Partial Content out.", ask(t, f, "/app/about.html", "Range", "bytes=2-5"))
	assert.Equal(t, "Partial Content l", ask(t, f, "/app/about.html", "Range", "bytes=-1"))
	assert.Equal(t, "Requested Range Not Satisfiable", ask(t, f, "/app/about.html", "Range", "bytes=99-"))
}

func TestHeaders(t *testing.T) {
	f := folder(t, "{headers: [{match: '/app/*', set: {Cache-Control: max-age=60, X-A: '1'}}, {match: /app/a.js, set: "+
		"{X-A: null}}], media_types: {.js: text/odd}}", "a.js", "b.unknown")
	get := func(path string) http.Header {
		u, _ := whatwg.Parse("https://line.example" + path)
		r, err := f.Answer(context.Background(), &Request{Method: "HEAD", URL: u})
		require.NoError(t, err)
		return r.Header
	}
	assert.Equal(t, "text/odd", get("/app/a.js").Get("Content-Type"))
	assert.Equal(t, "max-age=60", get("/app/a.js").Get("Cache-Control"))
	assert.Empty(t, get("/app/a.js").Get("X-A"))
	assert.Equal(t, "1", get("/app/b.unknown").Get("X-A"))
	assert.Equal(t, "application/octet-stream", get("/app/b.unknown").Get("Content-Type"))
}

// What lies outside the folder is not reached through links.
func TestLinksOut(t *testing.T) {
	f := folder(t, "{}", "index.html")
	outside := filepath.Join(t.TempDir(), "secret")
	require.NoError(t, os.WriteFile(outside, []byte("x"), 0o644))
	require.NoError(t, os.Symlink(outside, filepath.Join(f.Dir, "out.html")))
	require.NoError(t, os.Symlink(filepath.Join(f.Dir, "index.html"), filepath.Join(f.Dir, "in.html")))
	f, err := OpenFolder(f.Dir, "https://line.example", "/", project.Default("x").Host)
	require.NoError(t, err)
	assert.Nil(t, f.File("out.html"))
	assert.Equal(t, []string{"out.html"}, f.Skipped)
	assert.NotNil(t, f.File("in.html"))
}

// The host redirects to a folder that lacks its slash; an address that something answers stays as it is.
func TestWithSlash(t *testing.T) {
	f := folder(t, "{}", "index.html", "tides/index.html", "about.html")
	for ref, want := range map[string]string{
		"/app/tides": "/app/tides/", "/app/tides?a=1#b": "/app/tides/?a=1#b", "/app/tides/": "/app/tides/", "/app/about.html": "/app/about.html",
		"/app/lost": "/app/lost", "https://line.example/app/tides#b": "https://line.example/app/tides/#b",
		"https://other.example/app/tides": "https://other.example/app/tides",
	} {
		assert.Equal(t, want, f.WithSlash(ref), ref)
	}
	rooted := folder(t, "{single_page: /app/index.html}", "index.html", "tides/index.html")
	assert.Equal(t, "/app/lost", rooted.WithSlash("/app/lost"))
}
