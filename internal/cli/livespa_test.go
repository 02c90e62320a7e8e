package cli

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/survey"
	"tachyform/internal/testsite"
)

const routedPage = `<!doctype html><html lang=en><head><meta charset=utf-8><meta name=viewport content="width=device-width"><title>Skerry Line</title></head>
<body><div id=app></div><script type=module src=/app.js></script></body></html>`

// A router that loads a module for each page.
const routedApp = `const pages = {'/': () => 'Sailings from the pier today', '/tides': async () => (await import('/tides.js')).default};
async function draw() {
  const page = pages[location.pathname];
  document.querySelector('#app').innerHTML = '<nav><a href="/">Sailings</a> <a href="/tides">Tides</a></nav><p>' + (page ? await page() : 'There is no such page') + '</p>';
}
document.addEventListener('click', (e) => { const a = e.target.closest('a'); if (a) { e.preventDefault(); history.pushState(null, '', a.href); draw(); } });
draw();`

// A live single-page app is looked at as a folder is: scripts run, routes are found and tried. Where the host answers them with an error, that is
// told with the rule for the host, and init writes a shell all the same.
func TestLiveSinglePageApp(t *testing.T) {
	for _, c := range []struct {
		fallback   bool
		unanswered []string
		findings   []string
		pages      []string
	}{
		{false, []string{"/tides"}, []string{"link.unanswered"}, []string{"/"}},
		{true, nil, nil, []string{"/", "/tides"}},
	} {
		dir := t.TempDir()
		root := testsite.Write(t, map[string]string{"index.html": routedPage, "app.js": routedApp, "tides.js": "export default 'High at noon, low at six'"})
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if _, err := os.Stat(filepath.Join(root, filepath.FromSlash(r.URL.Path))); err != nil && c.fallback && !strings.Contains(r.URL.Path, ".") {
				r.URL.Path = "/"
			}
			http.FileServer(http.Dir(root)).ServeHTTP(w, r)
		}))
		defer server.Close()

		r := run(t, dir, "survey", server.URL, "--format", "json")
		require.Equal(t, 0, r.status, r.err)
		var s survey.Summary
		require.NoError(t, json.Unmarshal([]byte(r.out), &s))
		assert.Equal(t, survey.SinglePage, s.Kind)
		assert.Equal(t, c.unanswered, s.Unanswered)
		assert.Equal(t, 1, s.Pages)
		assert.Equal(t, "/", s.Keep.Shell)
		assert.Equal(t, 3, s.Keep.Files, "with the module of a route")

		report := auditJSON(t, dir, server.URL)
		var findings, pages []string
		for _, f := range report.Findings {
			if strings.HasPrefix(f.Code, "link.") {
				findings = append(findings, f.Code)
				assert.Contains(t, f.Mend, "try_files $uri $uri/ /index.html")
			}
		}
		for _, p := range report.Pages {
			pages = append(pages, p.URL)
		}
		assert.Equal(t, c.findings, findings)
		assert.Equal(t, c.pages, pages)

		mark, err := os.ReadFile("../../examples/skerry-line/plain/brand/mark.svg")
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, "mark.svg"), mark, 0o644))
		r = run(t, dir, "init", server.URL)
		require.Equal(t, 0, r.status, r.err)
		assert.Contains(t, read(t, dir, "tachyform.yaml"), "shell:")
		r = run(t, dir, "fit", "--into", "up")
		require.Equal(t, 0, r.status, r.err)
		assert.Contains(t, read(t, dir, "up/worker.js"), "tides.js")

		// Once it is uploaded, the routes open by the shell, and the worker is known for what fit wrote.
		for _, name := range []string{"worker.js", "register.js", "site.webmanifest", "stand-in.html", "icons"} {
			require.NoError(t, os.Rename(filepath.Join(dir, "up", name), filepath.Join(root, name)))
		}
		page := strings.Replace(routedPage, "</head>", `<link rel=manifest href=/site.webmanifest><script src=/register.js defer></script></head>`, 1)
		require.NoError(t, os.WriteFile(filepath.Join(root, "index.html"), []byte(page), 0o644))
		for _, p := range auditJSON(t, dir).Pages {
			assert.Equal(t, "whole", string(p.Under["offline"].Outcome), p.URL)
		}
		r = run(t, t.TempDir(), "init", server.URL)
		require.Equal(t, 0, r.status, r.err)
		assert.NotContains(t, r.out, "the site's own")
		assert.NotContains(t, r.out, "could register")
	}
}

// Init judges a live site that has a worker of its own as it is.
func TestInitOfLiveSiteWithWorker(t *testing.T) {
	root := testsite.Write(t, map[string]string{"sw.js": ownWorker,
		"index.html": strings.Replace(pierPage, "</head>", "<script>navigator.serviceWorker.register('/sw.js')</script></head>", 1), "far.html": pierPage})
	server := httptest.NewServer(http.FileServer(http.Dir(root)))
	defer server.Close()
	dir := t.TempDir()
	r := run(t, dir, "init", server.URL)
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, read(t, dir, "tachyform.yaml"), "file: /sw.js")
	assert.Contains(t, r.out, "As it is:")
}
