package rehearsal

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent/document"
)

// standsIn keeps a page that stands in for all others, and the pages that are named.
const standsIn = `const KEPT = ['/', '/away.html', '/kept.html', '/part.js'];
addEventListener('install', (e) => e.waitUntil(caches.open('a').then((c) => c.addAll(KEPT))));
addEventListener('fetch', (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request).catch((x) => { if (e.request.mode === 'navigate') return caches.match('/away.html'); throw x; }))));`

// manyPages is a site of pages, of which the worker keeps two.
func manyPages(t *testing.T, away string) *Rehearsal {
	files := []string{"away.html", away, "part.js", "document.body.append('drawn ');",
		"index.html", "<!doctype html><title>Home</title><p>home</p><script>navigator.serviceWorker.register('/w.js')</script>",
		"kept.html", "<!doctype html><title>Kept</title><p>kept</p><script src=/part.js></script>"}
	r := &Rehearsal{Visit: []string{home}, Pages: []string{home, home + "kept.html"}, Follow: &Following{AtMost: 50, Depth: 2},
		Conditions: []condition.Condition{condition.Offline, condition.Stalled}}
	for i := range 24 {
		name := fmt.Sprintf("p%02d.html", i)
		files = append(files, name, fmt.Sprintf("<!doctype html><title>P%02d</title><p>page %02d</p><a href=/kept.html>kept</a><script src=/part.js></script>", i, i))
		r.Pages = append(r.Pages, home+name)
	}
	r.Hosts = []site.Host{siteWith(t, standsIn, files...)}
	return r
}

// What is shown in the place of many pages is drawn a few times, and comes out for each page as if it were each time: its
// own address, the text and the links of the stand-in. One that shows its address is drawn every time.
func TestStandInsAreDrawnOnce(t *testing.T) {
	const polls = "<script>fetch(location.href, { method: 'HEAD' }).catch(() => {})</script>"
	for away, want := range map[string]func(url string) string{
		"<!doctype html><title>Away</title><p>away</p><a href=/>home</a>" + polls:                           func(string) string { return "away home" },
		"<!doctype html><title>Away</title><p></p><script>document.body.append(location.pathname)</script>": func(url string) string { return strings.TrimPrefix(url, "https://line.example") },
	} {
		r := manyPages(t, away)
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		require.Len(t, got.Pages, len(r.Pages))
		for _, p := range got.Pages[2:] {
			for _, c := range r.Conditions {
				o := p.Under[c.Name]
				if c.Name == condition.Stalled.Name {
					continue // there the worker waits for ever
				}
				assert.Equal(t, StandIn, o.Outcome, p.URL)
				assert.Equal(t, want(p.URL), strings.TrimSpace(o.View.FullText()), p.URL)
				assert.Equal(t, p.URL, o.View.FinalURL)
				assert.Empty(t, o.Missing, p.URL)
			}
			assert.Equal(t, 200, p.Status)
			assert.NotEmpty(t, p.Title, "known without drawing it")
		}
		assert.Equal(t, Whole, got.Pages[1].Under["offline"].Outcome)
		drawn := 0
		for _, p := range got.Pages {
			if p.drawn {
				drawn++
			}
		}
		assert.Equal(t, 1+1+sampleOfSet-1, drawn, "the pages that are shown, and a sample of those with the same scripts")
	}
}

// A page whose only script is known to register the worker and to draw nothing comes out as it does with that script run.
func TestKnownScript(t *testing.T) {
	outcomes := func(known *document.KnownScript) (list []string) {
		r := &Rehearsal{Visit: []string{home}, Pages: []string{home, home + "far.html"}, Known: known,
			Conditions: []condition.Condition{condition.Offline}, Hosts: []site.Host{siteWith(t, strings.Replace(keepsAll, "'/s.js'", "'/far.html', '/reg.js'", 1),
				"index.html", "<!doctype html><title>Home</title><p>home</p><script src=/reg.js></script>",
				"far.html", "<!doctype html><title>Far</title><p>far</p><script src=/reg.js></script><img src=/gone.png>", "reg.js", "navigator.serviceWorker.register('/w.js')")}}
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		require.NotNil(t, got.Worker)
		for _, p := range got.Pages {
			o := p.Under["offline"]
			list = append(list, fmt.Sprint(p.URL, o.Outcome, o.View.FullText(), o.View.Drawn, len(o.Missing), o.Doubt, len(p.Seen.Registrations)))
		}
		return list
	}
	known := &document.KnownScript{URL: home + "reg.js", Registration: page.Registration{Script: home + "w.js", Type: "classic"}}
	assert.Equal(t, outcomes(nil), outcomes(known))
}

// What is whole only once other pages were visited is told from what the first visit alone keeps.
func TestAfterFirst(t *testing.T) {
	const asVisited = `addEventListener('install', (e) => e.waitUntil(caches.open('a').then((c) => c.add('/'))));
addEventListener('activate', (e) => e.waitUntil(clients.claim()));
addEventListener('fetch', (e) => e.respondWith(fetch(e.request).then(async (r) => { await (await caches.open('a')).put(e.request, r.clone()); return r; }, () => caches.match(e.request))));`
	for _, c := range []struct {
		visit []string
		after map[string]Outcome
	}{
		{[]string{home, home + "far.html"}, map[string]Outcome{home + "far.html": Lost}},
		{[]string{home}, nil},
		{[]string{home + "far.html", home, home + "far.html"}, map[string]Outcome{home + "far.html": Lost}},
	} {
		r := &Rehearsal{Visit: c.visit, Pages: []string{home, home + "far.html"}, Conditions: []condition.Condition{condition.Offline},
			Hosts: []site.Host{siteWith(t, asVisited, "index.html", "<!doctype html><title>Home</title><p>home</p><script>navigator.serviceWorker.register('/w.js')</script>",
				"far.html", "<!doctype html><title>Far</title><p>far</p><script>navigator.serviceWorker.register('/w.js')</script>")}}
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		after := map[string]Outcome{}
		for url, o := range got.AfterFirst {
			after[url] = o.Outcome
		}
		if c.after == nil {
			assert.Empty(t, after)
		} else {
			assert.Equal(t, c.after, after, "%v", c.visit)
		}
	}
}
