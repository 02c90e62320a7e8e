package rehearsal

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

// The same rehearsal gives the same result, also when pages are tried side by side.
func TestSameResult(t *testing.T) {
	f := siteWith(t,
		`addEventListener('fetch', (e) => e.respondWith(Math.random() < 0.5 ? fetch(e.request) : caches.open('r' + Math.random()).then(async (c) => { const r = await fetch(e.request); await c.put(e.request, r.clone()); return r; })));`, "a.html", "<title>a</title>", "b.html", "<title>b</title>")
	var first string
	for range 3 {
		r := Rehearsal{Hosts: []site.Host{f}, Visit: []string{home, home, home},
			Pages: []string{home, home + "a.html", home + "b.html"}, Conditions: []condition.Condition{condition.Offline,
				condition.Flaky, condition.Slow}}
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		var b strings.Builder
		for _, p := range got.Pages {
			for _, c := range r.Conditions {
				o := p.Under[c.Name]
				b.WriteString(p.URL + c.Name + string(o.Outcome) + o.AnsweredBy.String() + o.Elapsed.String() + "\n")
			}
		}
		for _, c := range got.Caches {
			b.WriteString(c.Name + "\n")
		}
		if first == "" {
			first = b.String()
		}
		assert.Equal(t, first, b.String())
	}
}

const home = "https://line.example/"

// siteWith makes a site whose first page registers a worker with this code; more files may be given as pairs.
func siteWith(t *testing.T, code string, more ...string) *site.Folder {
	t.Helper()
	files := map[string]string{"index.html": "<!doctype html><title>Pier</title><script>navigator.serviceWorker.register('/w.js')</script>", "w.js": code}
	for i := 0; i < len(more); i += 2 {
		files[more[i]] = more[i+1]
	}
	f, err := site.OpenFolder(testsite.Write(t, files), "https://line.example", "/", project.Default("").Host)
	require.NoError(t, err)
	return f
}
