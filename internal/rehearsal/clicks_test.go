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

// A router that asks for data when a link is clicked, and for none when the page is opened by its address: the page is whole only if both work.
// Links that no script takes are left alone.
func TestClicks(t *testing.T) {
	router := `navigator.serviceWorker.register('/w.js');
const draw = (text) => { document.querySelector('main').textContent = text; };
if (ROUTED) document.addEventListener('click', async (e) => {
  const a = e.target.closest('a');
  if (!a || a.pathname === '/plain.html') return;
  e.preventDefault();
  history.pushState(null, '', a.href);
  try { draw((await (await fetch('/data' + a.pathname + '.json')).json()).text); } catch { draw('That did not work'); }
});`
	page := func(text string) string {
		return "<!doctype html><title>Pier</title><main>" + text + "</main><a href=/low>low</a> <a href=/high>high</a> <a href=/plain.html>plain</a><script src=/r.js></script>"
	}
	for name, c := range map[string]struct {
		routed, kept string
		low, high    Outcome
		from         string
		needs        []string
	}{
		"the data of one page is kept": {"true", "'/data/low.json'", Whole, Partial, home, []string{"/data/high.json", "/data/low.json"}},
		"all is kept":                  {"true", "'/data/low.json', '/data/high.json'", Whole, Whole, "", []string{"/data/high.json", "/data/low.json"}},
		"no script takes clicks":       {"false", "'/data/low.json'", Whole, Whole, "", nil},
	} {
		p, err := project.Parse("f", []byte("hosting: {extensionless: answer}"))
		require.NoError(t, err)
		f, err := site.OpenFolder(testsite.Write(t, map[string]string{
			"index.html": page("Tides"), "low.html": page("Low at six"), "high.html": page("High at noon"), "plain.html": page("Plain"),
			"data/low.json": `{"text": "Low at six"}`, "data/high.json": `{"text": "High at noon"}`, "r.js": "const ROUTED = " + c.routed + ";\n" + router,
			"w.js": "oninstall = (e) => e.waitUntil(caches.open('a').then((c) => c.addAll(['/', '/low', '/high', '/plain.html', '/r.js', " + c.kept + "]))); onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));",
		}), "https://line.example", "/", p.Host)
		require.NoError(t, err)
		r := &Rehearsal{Hosts: []site.Host{f}, Visit: []string{home, home}, Pages: []string{home, home + "low", home + "high", home + "plain.html"},
			Conditions: []condition.Condition{condition.Offline}, Clicks: 20}
		if c.routed == "false" {
			r.Clicks = 3
		}
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		low, high := got.Pages[1].Under["offline"], got.Pages[2].Under["offline"]
		assert.Equal(t, c.low, low.Outcome, name)
		assert.Equal(t, c.high, high.Outcome, "%s: %v", name, high.Lacks)
		assert.Equal(t, c.from, high.From, name)
		var needs []string
		for _, i := range []int{2, 1} {
			for _, s := range got.Pages[i].Seen.Requests {
				if s.Destination == "" && s.ByScript {
					needs = append(needs, s.URL[len(home)-1:])
				}
			}
		}
		assert.Equal(t, c.needs, needs, name)
		assert.Equal(t, Whole, got.Pages[3].Under["offline"].Outcome, name)
		assert.Zero(t, got.Unclicked, name)
		r.Clicks = 2
		got, err = r.Run(context.Background())
		require.NoError(t, err)
		assert.Equal(t, map[string]int{"true": 1, "false": 0}[c.routed], got.Unclicked, name)
	}
}
