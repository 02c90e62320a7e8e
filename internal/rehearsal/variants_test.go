package rehearsal

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

// Workers that give up after a while or after many requests, and pages that load more as an app, on a phone or after a minute, are told.
func TestVariants(t *testing.T) {
	const answer = "caches.match(e.request).then((r) => r || fetch(e.request))"
	for name, c := range map[string]struct{ page, worker, wants string }{
		"nothing varies":       {"", "onfetch = (e) => e.respondWith(" + answer + ");", ""},
		"as an app":            {"if (matchMedia('(display-mode: standalone)').matches) fetch('/app.json').then((r) => r.text()).then((t) => document.body.append(t));", "onfetch = (e) => e.respondWith(" + answer + ");", "installed"},
		"on a phone":           {"if (innerWidth < 600) fetch('/app.json').then((r) => r.text()).then((t) => document.body.append(t));", "onfetch = (e) => e.respondWith(" + answer + ");", "phone"},
		"after a minute":       {"setTimeout(() => fetch('/app.json').then((r) => r.text()).then((t) => document.body.append(t)), 40000);", "onfetch = (e) => e.respondWith(" + answer + ");", "a minute on the page"},
		"it deletes its cache": {"", "const began = Date.now(); onfetch = (e) => e.respondWith(caches.match('/at').then((r) => r.text()).then((t) => Date.now() - t > 3 * 864e5 ? caches.delete('a') : 0).then(() => " + answer + "));", "30 days later"},
		"it gives up":          {"", "let n = 0; onfetch = (e) => { if (++n < 25) e.respondWith(" + answer + "); };", "200 requests"},
		"at the third visit":   {"", "onfetch = (e) => e.respondWith(caches.open('b').then(async (c) => { if (e.request.mode === 'navigate') { await c.put('/' + Date.now(), new Response('')); if ((await c.keys()).length > 2) await caches.delete('a'); } return " + answer + "; }));", "third visit"},
	} {
		f, err := site.OpenFolder(testsite.Write(t, map[string]string{
			"index.html": "<!doctype html><title>Pier</title><p>Tides of today</p><script src=/p.js></script>", "app.json": "More", "p.js": "navigator.serviceWorker.register('/w.js');" + c.page,
			"w.js": "oninstall = (e) => e.waitUntil(caches.open('a').then(async (c) => { await c.addAll(['/', '/p.js']); await c.put('/at', new Response(Date.now())); })); onactivate = (e) => e.waitUntil(clients.claim()); " + c.worker,
		}), "https://line.example", "/", project.Default("").Host)
		require.NoError(t, err)
		r := &Rehearsal{Hosts: []site.Host{f}, Visit: []string{home}, Pages: []string{home}, Conditions: []condition.Condition{condition.Offline}, Start: home}
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		require.NotEmpty(t, got.Varied, name)
		var differ []string
		for _, v := range got.Varied {
			if v.Outcome != Whole {
				differ = append(differ, string(v.Variant))
			}
		}
		want := []string(nil)
		if c.wants != "" {
			want = []string{c.wants}
		}
		assert.Equal(t, want, differ, name)
	}
}
