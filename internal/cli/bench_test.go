package cli

import (
	"context"
	"fmt"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/fit"
	"tachyform/internal/project"
)

// BenchmarkRehearseDemo is the default rehearsal of the fitted example.
func BenchmarkRehearseDemo(b *testing.B) {
	_, p := fittedDemo(b)
	f, err := openFolder(p.SiteDir(), p)
	require.NoError(b, err)
	for b.Loop() {
		_, err = audit.Rehearse(context.Background(), audit.Input{Project: p, Name: "site", Host: f, Folder: f})
		require.NoError(b, err)
	}
}

// BenchmarkAuditDemo is one audit of the fitted example: two conditions, every page.
func BenchmarkAuditDemo(b *testing.B) {
	_, p := fittedDemo(b)
	for b.Loop() {
		f, err := openFolder(p.SiteDir(), p)
		require.NoError(b, err)
		_, err = audit.Run(context.Background(), audit.Input{Project: p, Name: "site", Host: f, Folder: f})
		require.NoError(b, err)
	}
}

// forBench skips measurements in ordinary test runs.
func forBench(t *testing.T) {
	if os.Getenv("TACHYFORM_BENCH") == "" {
		t.Skip("a measurement; make bench runs it")
	}
}

// TestBenchAgainstChromium opens the same fitted pages offline in one warm Chromium and in the embedded user agent, which here starts
// the worker anew for every page and has the visits online counted in.
func TestBenchAgainstChromium(t *testing.T) {
	forBench(t)
	_, demo := fittedDemo(t)
	for name, p := range map[string]*project.Project{"the example, a dozen requests a page": demo, "300 pages of text with a style sheet, a script and a picture": textSite(t, 300)} {
		c := chromium(t)
		server := httptest.NewUnstartedServer(nil)
		server.Start()
		server.Config.Handler = Handler(p.SiteDir(), server.URL, p)
		p.Origin = server.URL
		var visits, pages []string
		for _, v := range p.Audit.Visit {
			visits = append(visits, server.URL+v)
		}
		require.NoError(t, c.Visit(visits, "navigator.serviceWorker.ready"))
		server.CloseClientConnections()
		server.Close()
		f, err := openFolder(p.SiteDir(), p)
		require.NoError(t, err)
		in := audit.Input{Project: p, Name: "site", Host: f, Folder: f}
		r, err := audit.Rehearse(context.Background(), in) // warm, as the browser is
		require.NoError(t, err)
		var ours []time.Duration
		for range 5 {
			start := time.Now()
			r, err = audit.Rehearse(context.Background(), in)
			require.NoError(t, err)
			ours = append(ours, time.Since(start)/time.Duration(2*len(r.Pages))) // two conditions
		}
		slices.Sort(ours)
		for _, page := range r.Pages[:min(len(r.Pages), 60)] {
			require.Contains(t, []string{"whole", "stand-in"}, page.Under["offline"].Outcome, page.URL)
			pages = append(pages, server.URL+page.URL)
		}
		theirs, err := c.LoadTime(pages)
		require.NoError(t, err)
		t.Logf("%s: a page in Chromium %v, here %v, ratio %.0f", name, theirs.Round(time.Microsecond*100), ours[2].Round(time.Microsecond*10), float64(theirs)/float64(ours[2]))
	}
}

// textSite makes a site of pages such as a documentation has, fitted with everything in the pack.
func textSite(t testing.TB, n int) *project.Project {
	dir := t.TempDir()
	put := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	for i := range n {
		put(fmt.Sprintf("site/p%d.html", i), fmt.Sprintf(`<!doctype html><html lang="en"><head><title>Pier %d</title><link rel="stylesheet" href="/s.css"><script defer src="/s.js"></script></head><body><img src="/pier.svg" alt=""><h1>Pier %d</h1>%s<a href="/p%d.html">next</a></body></html>`, i, i, strings.Repeat("<p>Low water comes twice a day.</p>", 100), (i+1)%n))
	}
	put("site/index.html", `<!doctype html><title>Piers</title><link rel="stylesheet" href="/s.css"><a href="/p0.html">first</a>`)
	put("site/s.css", "p { color: navy }")
	put("site/s.js", "document.documentElement.dataset.ready = '1'")
	put("site/pier.svg", `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>`)
	put("mark.svg", `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>`)
	put("tachyform.yaml", "site: site\napp: {name: Piers, short_name: Piers, start_url: /, display: standalone}\nicons: {master: mark.svg, backdrop: \"#fff\"}\nworker:\n  pack: {include: [\"/*\"]}\naudit: {visit: [/]}\n")
	p, err := project.Load(filepath.Join(dir, project.FileName))
	require.NoError(t, err)
	f, err := openFolder(p.SiteDir(), p)
	require.NoError(t, err)
	plan, err := fit.Prepare(context.Background(), p, f)
	require.NoError(t, err)
	require.NoError(t, plan.Apply(context.Background()))
	return p
}

// TestBenchGrowth audits made-up sites of growing size: the cost should grow with the number of pages.
func TestBenchGrowth(t *testing.T) {
	forBench(t)
	for _, n := range []int{100, 300, 1000} {
		dir := t.TempDir()
		for i := range n {
			var links strings.Builder
			for j := range 20 {
				fmt.Fprintf(&links, `<a href="/p%d.html">p</a>`, (i+j*7)%n)
			}
			text := fmt.Sprintf(`<!doctype html><html lang="en"><head><title>Page %d</title><link rel="stylesheet" href="/s.css"><script>navigator.serviceWorker.register('/w.js')</script></head><body>%s</body></html>`, i, links.String())
			require.NoError(t, os.WriteFile(filepath.Join(dir, fmt.Sprintf("p%d.html", i)), []byte(text), 0o644))
		}
		require.NoError(t, os.WriteFile(filepath.Join(dir, "index.html"), []byte(`<script>navigator.serviceWorker.register('/w.js')</script>`), 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "s.css"), []byte("p { color: red }"), 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "w.js"), []byte("onfetch = e => e.respondWith(caches.match(e.request).then(r => r || fetch(e.request)))"), 0o644))
		p := project.Default(dir)
		f, err := openFolder(dir, p)
		require.NoError(t, err)
		start := time.Now()
		_, err = audit.Run(context.Background(), audit.Input{Project: p, Name: "site", Host: f, Folder: f})
		require.NoError(t, err)
		took := time.Since(start)
		t.Logf("%5d pages: %v, %v a page", n, took.Round(time.Millisecond), (took / time.Duration(n)).Round(time.Microsecond))
	}
}
