package rehearsal

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/crash"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent/document"
)

// A panic below makes the page unknown in which it happened, and is logged; the other pages are judged.
func TestCrash(t *testing.T) {
	host := siteWith(t, "", "index.html", "<!doctype html><title>Pier</title><p>Sailings<script>fetch('/api/first')</script>",
		"more.html", "<!doctype html><title>More</title><p>More<script>document.title += '.'</script>")
	log := &crash.Log{}
	r := &Rehearsal{Hosts: []site.Host{host}, Pages: []string{home, home + "more.html"}, Conditions: []condition.Condition{condition.Online},
		HostKnows: func(url string) bool {
			if strings.Contains(url, "/api/") {
				panic("the tides of the Orrin Isles")
			}
			return true
		}}
	got, err := r.Run(crash.WithLog(context.Background(), log))
	require.NoError(t, err)
	require.NotEmpty(t, log.All())
	for _, c := range log.All() {
		assert.Equal(t, "string", c.What)
		assert.NotContains(t, string(c.Stack), "tides")
		assert.Contains(t, string(c.Stack), "TestCrash")
	}
	d := got.Pages[0].Under["online"].Doubt
	require.NotNil(t, d)
	assert.Equal(t, DoubtStopped, d.Kind)
	assert.ErrorAs(t, d.Err, new(*crash.Crash))
	assert.NotNil(t, got.Pages[0].Seen)
	assert.Equal(t, Whole, got.Pages[1].Under["online"].Outcome)
	assert.Nil(t, got.Pages[1].Under["online"].Doubt)
}

// What a worker answers and a browser does not show as the page is not the page.
func TestAnswersThatAreNotShown(t *testing.T) {
	const html = "const html = (headers) => caches.match('/').then(async (r) => new Response(await r.text(), { headers }));"
	for name, c := range map[string]struct {
		answer  string
		outcome Outcome
		reason  string
	}{
		"as it is":         {"html({ 'content-type': 'text/html' })", Whole, ""},
		"inline":           {"html({ 'content-type': 'text/html', 'content-disposition': 'inline; filename=x' })", Whole, ""},
		"text":             {"html({})", Partial, "media type text/plain"},
		"JSON":             {"html({ 'content-type': 'application/json' })", Partial, "media type application/json"},
		"an attachment":    {"html({ 'content-type': 'text/html', 'content-disposition': 'attachment; filename=x' })", Lost, "Content-Disposition: attachment"},
		"bytes":            {"html({ 'content-type': 'application/octet-stream' })", Lost, "media type application/octet-stream"},
		"an archive":       {"html({ 'content-type': 'application/zip' })", Lost, "application/zip"},
		"leaves the page":  {"html({ 'content-type': 'text/html', refresh: '0;url=/gone' })", StandIn, ""},
		"stays for a time": {"html({ 'content-type': 'text/html', refresh: '60;url=/gone' })", Whole, ""},
	} {
		t.Run(name, func(t *testing.T) {
			worker := "addEventListener('install', (e) => { skipWaiting(); e.waitUntil(caches.open('v').then((c) => c.addAll(['/', '/a.js']))); }); addEventListener('activate', (e) => e.waitUntil(clients.claim()));" +
				html + "addEventListener('fetch', (e) => e.respondWith(e.request.mode === 'navigate' ? " + c.answer + " : caches.match(e.request)));"
			host := siteWith(t, worker, "index.html", "<!doctype html><title>Pier</title><p>Sailings</p><script>navigator.serviceWorker.register('/w.js')</script><script src=/a.js></script>", "a.js", "document.title += '.'")
			r := &Rehearsal{Hosts: []site.Host{host}, Visit: []string{home}, Pages: []string{home}, Conditions: []condition.Condition{condition.Offline}}
			got, err := r.Run(context.Background())
			require.NoError(t, err)
			o := got.Pages[0].Under["offline"]
			assert.Equal(t, c.outcome, o.Outcome)
			assert.Contains(t, o.Reason.String(), c.reason)
			assert.Nil(t, o.Doubt)
		})
	}
}

// A script that is stopped makes its page unknown; the registration that fit wrote holds all the same, and the other pages
// are judged.
func TestRegistrationDespiteAStop(t *testing.T) {
	worker := "addEventListener('install', (e) => e.waitUntil(caches.open('v').then((c) => c.addAll(['/', '/more.html', '/r.js'])))); addEventListener('fetch', (e) => e.respondWith(caches.match(e.request)));"
	host := siteWith(t, worker, "index.html", "<!doctype html><title>Pier</title><p>Sailings</p><script>for (;;);</script><script src=/r.js></script>",
		"more.html", "<!doctype html><title>More</title><p>More</p><script src=/r.js></script>", "r.js", "navigator.serviceWorker.register('/w.js')")
	r := &Rehearsal{Steps: 1_000_000, Hosts: []site.Host{host}, Visit: []string{home}, Pages: []string{home, home + "more.html"}, Conditions: []condition.Condition{condition.Offline}}
	r.Known = knownScript(home + "r.js")
	got, err := r.Run(context.Background())
	require.NoError(t, err)
	require.NotNil(t, got.Worker)
	require.NotNil(t, got.Pages[0].Under["offline"].Doubt)
	assert.Equal(t, DoubtStopped, got.Pages[0].Under["offline"].Doubt.Kind)
	assert.Equal(t, Whole, got.Pages[1].Under["offline"].Outcome)
	assert.Nil(t, got.Pages[1].Under["offline"].Doubt)

	r.Known = nil
	got, err = r.Run(context.Background())
	require.NoError(t, err)
	assert.Nil(t, got.Worker)
	for _, p := range got.Pages {
		require.NotNil(t, p.Under["offline"].Doubt, "nobody knows whether a worker would have been there")
	}
	assert.Positive(t, got.Strained)
}

func knownScript(url string) *document.KnownScript {
	return &document.KnownScript{URL: url, Registration: page.Registration{Script: home + "w.js", Type: "classic", From: url}}
}
