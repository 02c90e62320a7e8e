package cli

import (
	"context"
	"fmt"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/project"
)

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

// TestBenchAgainstChromium opens the same fitted pages offline in one warm Chromium and in the embedded user agent.
func TestBenchAgainstChromium(t *testing.T) {
	forBench(t)
	_, p := fittedDemo(t)
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
	start := time.Now()
	r, err := audit.Rehearse(context.Background(), in)
	require.NoError(t, err)
	ours := time.Since(start) / time.Duration(2*len(r.Pages)) // two conditions, the visits counted in
	for _, page := range r.Pages {
		pages = append(pages, server.URL+page.URL)
	}
	theirs, err := c.LoadTime(pages)
	require.NoError(t, err)
	t.Logf("a page offline: Chromium %v, here %v, ratio %.0f", theirs.Round(time.Microsecond*100), ours.Round(time.Microsecond*10), float64(theirs)/float64(ours))
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
