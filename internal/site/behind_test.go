package site

import (
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"testing"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/testsite"
)

// Behind a host stands what its settings state, or a server that is asked for what no file answers.
func TestBehindTheHost(t *testing.T) {
	asked := ""
	backend := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked += r.Method + " " + r.URL.String() + "\n"
		if r.URL.Path == "/nothing" {
			w.WriteHeader(http.StatusNotFound)
			return
		}
		w.Header().Set("Content-Type", "application/json")
		w.Write([]byte(`{"from": "backend"}`))
	}))
	dir := testsite.Write(t, map[string]string{project.FileName: "site: dist\nhosting:\n  single_page: /index.html\n  backend: " + backend.URL +
		"\n  answers:\n    - {match: /api/berths, file: samples/berths.json}\n    - {match: /api/berths, method: POST, status: 201}\n" +
		"    - {match: /api/gone, file: samples/none.json}\n", "dist/index.html": "index", "dist/a.txt": "a", "samples/berths.json": "[1]"})
	p, err := project.Load(dir + "/" + project.FileName)
	require.NoError(t, err)
	f, err := OpenFolder(p.SiteDir(), "https://line.example", "/", p.Host)
	require.NoError(t, err)
	answer := func(method, path string) (string, error) {
		u, err := whatwg.Parse("https://line.example" + path)
		require.NoError(t, err)
		r, err := f.Answer(context.Background(), &Request{Method: method, URL: u, Header: http.Header{}})
		if err != nil {
			return "", err
		}
		text, err := r.Body.Bytes()
		require.NoError(t, err)
		return http.StatusText(r.Status) + " " + Essence(r.Header.Get("Content-Type")) + " " + string(text), nil
	}
	for _, c := range []struct{ method, path, want string }{
		{"GET", "/a.txt", "OK text/plain a"},
		{"GET", "/api/berths", "OK application/json [1]"},
		{"POST", "/api/berths", "Created text/plain 201 Created\n"},
		{"GET", "/api/other?day=1", `OK application/json {"from": "backend"}`},
		{"GET", "/nothing", "OK text/html index"},
	} {
		got, err := answer(c.method, c.path)
		require.NoError(t, err, c.path)
		assert.Equal(t, c.want, got, c.path)
	}
	assert.Equal(t, "GET /api/other?day=1\nGET /nothing\n", asked, "nothing that a file or a stated answer tells")
	for path, may := range map[string]bool{"/api/berths": false, "/none": true, "/far/none.json": true, "/data/none.json": false, "/a.txt": false} {
		alone, err := OpenFolder(testsite.Write(t, map[string]string{"index.html": "", "a.txt": "", "data/a.json": ""}), "https://line.example", "/",
			project.Hosting{SinglePage: "/index.html", Index: []string{"index.html"}, Extensionless: "none", Answers: []project.Answer{{Match: "/api/*", Status: 404}}})
		require.NoError(t, err)
		assert.Equal(t, may, alone.FallsBack(path), path)
	}
	_, err = answer("DELETE", "/api/other")
	assert.ErrorIs(t, err, ErrNotSent)
	var wrong *problem.Problem
	_, err = answer("GET", "/api/gone")
	require.True(t, errors.As(err, &wrong))
	assert.Contains(t, wrong.Where, "samples")
	assert.True(t, f.States("https://line.example/anything"), "a server that is asked tells all")
	backend.Close()
	_, err = answer("GET", "/api/late")
	require.True(t, errors.As(err, &wrong))
	assert.Contains(t, wrong.Mend, "start it")
}

// Servers are told of headers in their own words.
func TestHeaderLines(t *testing.T) {
	for _, s := range LinesFor([]WantedHeader{{"/worker.js", "Cache-Control", "no-cache"}, {"/a/site.webmanifest", "Content-Type", "application/manifest+json"}}) {
		text := ""
		for _, l := range s.Lines {
			text += l + "\n"
		}
		switch s.Server {
		case "nginx":
			assert.Equal(t, "location = /worker.js { add_header Cache-Control \"no-cache\"; }\nlocation = /a/site.webmanifest {\n  types {} default_type application/manifest+json;\n}\n", text)
		case "Apache":
			assert.Equal(t, "<Files \"worker.js\">\n  Header set Cache-Control \"no-cache\"\n</Files>\nAddType application/manifest+json .webmanifest\n", text)
		default:
			assert.Equal(t, "/worker.js\n  Cache-Control: no-cache\n/a/site.webmanifest\n  Content-Type: application/manifest+json\n", text)
		}
	}
}

// A server that is not on this machine is asked only when the command line says so.
func TestBackendElsewhere(t *testing.T) {
	for _, origin := range []string{"http://192.0.2.1:80", "http://[2001:db8::1]", "http://198.51.100.7:8080"} {
		f, err := OpenFolder(testsite.Write(t, map[string]string{"index.html": ""}), "https://line.example", "/", project.Hosting{Backend: origin})
		require.NoError(t, err)
		u, err := whatwg.Parse("https://line.example/api")
		require.NoError(t, err)
		_, err = f.Answer(context.Background(), &Request{Method: "GET", URL: u, Header: http.Header{}})
		assert.ErrorIs(t, err, errElsewhere, origin)
		var p *problem.Problem
		require.ErrorAs(t, err, &p)
		assert.Contains(t, p.Mend, "--backend "+origin)
	}
}
