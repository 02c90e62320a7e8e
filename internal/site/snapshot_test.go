package site

import (
	"context"
	"net/http"
	"testing"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// answers is a host that answers by path.
type answers map[string]struct {
	status     int
	kind, body string
}

func (answers) Origin() string { return "https://line.example" }

func (a answers) Answer(_ context.Context, r *Request) (*Response, error) {
	one, there := a[r.URL.Href(true)[len(a.Origin()):]]
	if !there {
		return plain(404), nil
	}
	return newResponse(one.status, one.kind, Bytes(one.body)), nil
}

// A server's answers become files: named so that their kind is seen, answered at the address where they were found.
func TestSnapshot(t *testing.T) {
	host := answers{
		"/app/":             {200, "text/html; charset=utf-8", "entry"},
		"/app/tides":        {200, "text/html", "tides"},
		"/app/tides.html":   {200, "text/html", "the same name"},
		"/app/sailings/":    {200, "text/html", "sailings"},
		"/app/page.php?a=1": {200, "Text/HTML", "rendered"},
		"/app/style":        {200, "text/css", "css"},
		"/app/main":         {200, "application/javascript", "js"},
		"/app/mod.mjs":      {200, "text/javascript", "mjs"},
		"/app/mark.svg":     {200, "image/svg+xml", "svg"},
		"/app/gone":         {410, "text/html", "gone"},
		"/else/":            {200, "text/html", "outside of the address"},
	}
	s := NewSnapshot(host, "/app/")
	assert.True(t, s.Snapshot())
	for _, c := range []struct {
		url, file string
		rendered  bool
	}{
		{"/app/", "index.html", true},
		{"/app/tides", "tides.html", true},
		{"/app/tides.html", "", false},
		{"/app/sailings/", "sailings/index.html", true},
		{"/app/page.php?a=1", "page.php.html", true},
		{"/app/style", "style.css", false},
		{"/app/main", "main.js", false},
		{"/app/mod.mjs", "mod.mjs", false},
		{"/app/mark.svg", "mark.svg", false},
		{"/app/gone", "", false},
		{"/app/nowhere", "", false},
		{"/else/", "", false},
	} {
		f, err := s.Take(context.Background(), "https://line.example"+c.url)
		require.NoError(t, err)
		if c.file == "" {
			assert.Nil(t, f, c.url)
			continue
		}
		require.NotNil(t, f, c.url)
		assert.Equal(t, c.file, f.Path)
		assert.Equal(t, c.rendered, f.Rendered(), c.url)
		again, err := s.Take(context.Background(), "https://line.example"+c.url)
		require.NoError(t, err)
		assert.Same(t, f, again, "asked once")
		u, _ := whatwg.Parse("https://line.example" + c.url)
		assert.Equal(t, u.Pathname(), s.PathOf(f))
		resp, err := s.Answer(context.Background(), &Request{Method: http.MethodGet, URL: u})
		require.NoError(t, err)
		assert.Equal(t, host[c.url].kind, resp.Header.Get("Content-Type"))
		body, _ := resp.Body.Bytes()
		assert.Equal(t, host[c.url].body, string(body))
	}
	f, err := s.Take(context.Background(), "https://other.example/app/")
	require.NoError(t, err)
	assert.Nil(t, f)
	assert.Len(t, s.Files(), 8)

	// A changed file answers where the old one was found.
	changed := s.With(map[string][]byte{"tides.html": []byte("changed")})
	assert.Equal(t, "changed", bodyAt(t, changed, "/app/tides"))
	assert.Equal(t, "tides", bodyAt(t, s.Folder, "/app/tides"))
}

func bodyAt(t *testing.T, f *Folder, path string) string {
	t.Helper()
	file := f.FileAt(path)
	require.NotNil(t, file, path)
	text, err := file.Bytes()
	require.NoError(t, err)
	return string(text)
}
