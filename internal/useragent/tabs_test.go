package useragent_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
	"tachyform/internal/worker"
)

// With the generated worker a page that is still open gets the files of the release it was loaded under, a new one
// those of the next; once the old one is closed its files go.
func TestTabsOfTwoReleases(t *testing.T) {
	const origin = "https://line.example"
	release := func(takeover string, files map[string]string) *site.Folder {
		dir := t.TempDir()
		files["index.html"] = "<title>" + files["part.js"] +
			"</title><script>navigator.serviceWorker.register('/worker.js')</script>"
		for name, text := range files {
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		}
		p, err := project.Parse("tachyform.yaml", []byte("worker: {pack: {include: ['/*']}, takeover: "+takeover+"}"))
		require.NoError(t, err)
		f, err := site.OpenFolder(dir, origin, "/", p.Host)
		require.NoError(t, err)
		plan, err := worker.NewPlan(context.Background(), p, f, nil)
		require.NoError(t, err)
		code, err := worker.Generate(plan, worker.Options{})
		require.NoError(t, err)
		return f.With(map[string][]byte{"worker.js": code})
	}
	for _, takeover := range []string{"at-once", "when-closed"} {
		b := useragent.New(context.Background(), []site.Host{release(takeover,
			map[string]string{"part.js": "one", "lazy.1.js": "lazy"})}, useragent.Options{})
		old := b.Open(origin+"/", nil)
		b.Settle()
		old = b.Open(origin+"/", old)
		b.Settle()
		b.Deploy(release(takeover, map[string]string{"part.js": "two"}))
		next := b.Open(origin+"/", nil)
		b.Settle()
		b.StopWorkers()
		if takeover == "at-once" {
			next = b.Open(origin+"/", next)
		}
		asks := func(tab *document.Tab, path string) string {
			r, _, _ := b.Fetch(tab, "", &fetch.Request{
				URL: origin + path, Method: "GET", Mode: "cors", Credentials: "same-origin", Cache: "default", Redirect: "follow",
				Referrer: "about:client",
			})
			if r == nil || r.Status != 200 {
				return "nothing"
			}
			return string(r.Bytes())
		}
		held := func() bool {
			for _, c := range b.Caches() {
				for _, e := range c.Entries {
					if weburl.WithoutQuery(e.URL) == origin+"/lazy.1.js" {
						return true
					}
				}
			}
			return false
		}
		assert.Equal(t, []string{"one", "one", "lazy"}, []string{old.Title, asks(old, "/part.js"), asks(old, "/lazy.1.js")},
			takeover)
		if takeover == "when-closed" { // both pages run under the release that waits to be left
			assert.Equal(t, []string{"one", "one"}, []string{next.Title, asks(next, "/part.js")})
			b.CloseTab(next)
		} else {
			assert.Equal(t, []string{"two", "two", "nothing"},
				[]string{next.Title, asks(next, "/part.js"), asks(next, "/lazy.1.js")})
			assert.True(t, held())
		}
		b.CloseTab(old)
		b.Settle()
		next = b.Open(origin+"/", nil)
		b.Settle()
		assert.Equal(t, "two", next.Title)
		assert.False(t, held(), "%s: the files of a release that nobody has open any more", takeover)
		b.Close()
	}
}
