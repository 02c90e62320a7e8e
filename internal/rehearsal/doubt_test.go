package rehearsal

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/script"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
)

const keepsAll = `addEventListener('install', (e) => e.waitUntil(caches.open('a').then((c) => c.addAll(['/', '/s.js']))));
addEventListener('fetch', (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));`

// What can't be relied on is said to be so, with its reason and place; what somebody told is taken for known.
func TestDoubts(t *testing.T) {
	words := "<p>The tide tables of the harbour, day by day, with all that sails.</p>"
	with := func(body, code string) map[string]string {
		return map[string]string{"index.html": "<!doctype html><title>Pier</title><body>" + body +
			"<script>navigator.serviceWorker.register('/w.js')</script><script src=/s.js></script>", "s.js": code,
			"w.js": keepsAll}
	}
	for name, c := range map[string]struct {
		files   map[string]string
		asks    map[string][]string
		present *page.Registration
		want    *Doubt
		outcome Outcome
	}{
		"with scripts that are only read": {with(words, "document.title = 'x'"), nil, nil, &Doubt{Kind: DoubtRead}, Whole},
		"without any": {map[string]string{"index.html": "<!doctype html><title>Pier</title><body>" + words, "s.js": "", "w.js": keepsAll}, nil,
			&page.Registration{Script: home + "w.js", Type: "classic"}, nil, Whole},
		"told by somebody": {with(words, "fetch('/data/' + day)"), map[string][]string{home: {}}, nil, nil, Whole},
		"told for all pages": {with("<div id=app></div>", "app.innerHTML = day"), map[string][]string{home + "*": {}},
			nil, nil, Whole},
	} {
		t.Run(name, func(t *testing.T) {
			var more []string
			for file, text := range c.files {
				more = append(more, file, text)
			}
			r := &Rehearsal{Hosts: []site.Host{siteWith(t, "", more...)}, Visit: []string{home}, Pages: []string{home},
				Conditions: []condition.Condition{condition.Offline}, Asks: c.asks, Present: c.present,
				ReadScripts: true}
			got, err := r.Run(context.Background())
			require.NoError(t, err)
			o := got.Pages[0].Under["offline"]
			assert.Equal(t, c.outcome, o.Outcome)
			assert.Equal(t, c.want, o.Doubt)
		})
	}
}

// A registration that can't be read is not "no registration"; with the worker named, everything is tried.
func TestUnreadRegistration(t *testing.T) {
	f := siteWith(t, keepsAll, "index.html", "<!doctype html><title>Pier</title><p>The tide tables of the harbour, "+
		"day by day.</p><script src=/s.js></script>", "s.js", "const go = (c) => c.register(base + 'w.js');\nif "+
		"('serviceWorker' in navigator) go(navigator.serviceWorker)")
	r := &Rehearsal{ReadScripts: true, Hosts: []site.Host{f}, Visit: []string{home}, Pages: []string{home},
		Conditions: []condition.Condition{condition.Offline}}
	got, err := r.Run(context.Background())
	require.NoError(t, err)
	assert.Nil(t, got.Worker)
	at := page.Place{URL: home + "s.js", Line: 1, Column: 21}
	assert.Equal(t, []page.Place{at}, got.UnreadRegistrations)
	assert.Equal(t, &Doubt{Kind: DoubtRegistration, Where: at}, got.Pages[0].Under["offline"].Doubt)

	r.Present = &page.Registration{Script: home + "w.js", Type: "classic", UpdateViaCache: "imports"}
	got, err = r.Run(context.Background())
	require.NoError(t, err)
	require.NotNil(t, got.Worker)
	assert.Equal(t, account.Activated, got.Worker.State)
	assert.Empty(t, got.UnreadRegistrations)
	assert.Equal(t, Whole, got.Pages[0].Under["offline"].Outcome)
	assert.Equal(t, &Doubt{Kind: DoubtRead}, got.Pages[0].Under["offline"].Doubt)
}

// What is not simulated, and what was stopped, makes an outcome unknown, wherever it happened.
func TestDoubtsOfWorkers(t *testing.T) {
	for code, want := range map[string]Doubt{
		"addEventListener('fetch', (e) => { new WebTransport('https://line.example'); });":                     {Kind: DoubtGap},
		"addEventListener('fetch', (e) => { for (;;); });":                                                     {Kind: DoubtStopped, Err: script.ErrEndless},
		"addEventListener('install', (e) => { const a = []; for (;;) a.push(new Uint8Array(4e6).fill(1)); });": {Kind: DoubtStopped, Err: script.ErrMemory},
		"addEventListener('fetch', (e) => e.respondWith(new Promise(() => { const f = () => { setTimeout(f); " +
			"setTimeout(f); }; f(); })));": {Kind: DoubtStopped, Err: script.ErrEndless},
	} {
		r := &Rehearsal{Steps: 8_000_000, Hosts: []site.Host{siteWith(t, code)}, Visit: []string{home},
			Pages: []string{home, home + "?a", home + "?b"}, Conditions: []condition.Condition{condition.Offline}}
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		for _, p := range got.Pages {
			d := p.Under["offline"].Doubt
			if assert.NotNil(t, d, code) {
				assert.Equal(t, want.Kind, d.Kind, code)
				assert.Equal(t, want.Err, d.Err, code)
			}
		}
		if want.Kind == DoubtGap {
			assert.NotEmpty(t, got.Gaps, "what a branch lacked is told, too")
		}
	}
}
