package conformance

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/testsite"
)

// pierSite has a worker that caches the pages, a form, and a page that its worker does not cache.
var pierSite = map[string]string{
	"dist/index.html": `<!doctype html><html lang=en><meta name=viewport content="width=device-width"><title>Pier</title><a href=/tides.html>Tides</a>
<form><label>Boat <input name=boat></label><select name=run><option>North<option>Outer</select><button>Save</button></form><p id=out></p>
<script>navigator.serviceWorker.register('/sw.js');
document.forms[0].onsubmit = (e) => { e.preventDefault(); localStorage.boat = e.target.boat.value + ' ' + e.target.run.value; document.title = 'Saved'; };</script>`,
	"dist/tides.html": "<!doctype html><title>Tides</title><p>Low at 06:10",
	"dist/rota.html":  "<!doctype html><title>Rota</title>",
	"next/index.html": "<!doctype html><title>Pier, next</title>",
	"next/tides.html": "<!doctype html><title>Tides, next</title>",
	"dist/sw.js": `addEventListener('install', (e) => { skipWaiting(); e.waitUntil(caches.open('pier').then((c) => c.addAll(['/', '/tides.html']))); });
addEventListener('activate', (e) => e.waitUntil(clients.claim()));
addEventListener('fetch', (e) => e.respondWith(fetch(e.request).catch(() => caches.match(e.request)).then((r) => r ?? Response.error())));`,
	"tachyform.yaml": `site: dist
audit: {visit: [/]}
rehearsals:
  - name: a form, offline
    steps:
      - open: /
      - type: {into: Boat, text: Petrel}
      - choose: {from: run, option: Outer}
      - click: Save
      - expect: {title: Saved, storage: {boat: Petrel Outer}, kept: [/tides.html], worker: activated}
      - network: offline
      - follow: /tides.html
      - expect: {title: Tides, shows: "Low at 06:10", controlled: yes, asked: [], outcome: whole}
      - history: back
      - expect: {title: Saved, links: [/tides.html]}  # from the back/forward cache
      - open: /rota.html
      - push: tide
  - name: the next release
    steps:
      - open: /
      - deploy: next
      - reload: normal
      - expect: {title: "Pier, next"}
      - expect: {title: wrong}
`}

// Rehearsals of the project file run in a real browser as in the embedded user agent, and the reports show both.
func TestRehearsedInChromium(t *testing.T) {
	t.Parallel()
	needChromium(t)
	dir := testsite.Write(t, pierSite)
	at := func(name string) string { return filepath.Join(dir, name) }
	out := tachyform(t, 1, "rehearse", "--project", at("tachyform.yaml"), "--browser", "chromium", "--under", "offline", "--pictures",
		"--report", "html="+at("r.html"), "--report", "json="+at("r.json"), "--report", "junit="+at("r.xml"), "--report", "markdown="+at("r.md"))
	assert.Regexp(t, `SEEN IN CHROMIUM \d+\n  3 of 3 as predicted`, out)
	assert.Regexp(t, `in chromium \d+: 10 of 10 steps as predicted, 2 not comparable`, out)
	assert.Regexp(t, `in chromium \d+: 5 of 5 steps as predicted`, out)
	text, err := os.ReadFile(at("r.html"))
	require.NoError(t, err)
	assert.Equal(t, 3*4, strings.Count(string(text), `<img src="data:image/jpeg;base64,`), "three pages, offline and online, in two sizes")
	var got struct {
		Browser string
		Seen    []struct{ URL, Differs string }
		Played  []struct {
			Steps []struct{ Do, Title, Skipped string }
		}
	}
	text, err = os.ReadFile(at("r.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &got))
	assert.Len(t, got.Seen, 3)
	require.Len(t, got.Played, 2)
	assert.Equal(t, "Pier, next", got.Played[1].Steps[2].Title)
	assert.Equal(t, "a page cannot read outcome", got.Played[0].Steps[7].Skipped)
	assert.NotEmpty(t, got.Played[0].Steps[11].Skipped, "a push")
	for name, want := range map[string]string{"r.xml": `failures="1"`, "r.md": "**expectations not met**"} {
		text, err = os.ReadFile(at(name))
		require.NoError(t, err)
		assert.Contains(t, string(text), want)
	}
}

// chartSite has a page that draws with WebGL, which the embedded user agent does not simulate.
var chartSite = map[string]string{
	"dist/index.html": `<!doctype html><html lang=en><head><meta name=viewport content="width=device-width"><title>Chart</title><link rel=manifest href=/m.webmanifest></head><body><h1>Tide chart</h1><canvas width=300 height=200></canvas>
<script>navigator.serviceWorker.register('/sw.js');
const gl = document.querySelector('canvas').getContext('webgl');
gl.clearColor(0, 0.4, 0.6, 1);
gl.clear(gl.COLOR_BUFFER_BIT);
fetch('/chart.json?zoom=2').then((r) => r.json()).then((c) => { document.title = c.title; });</script></body></html>`,
	"dist/chart.json":    `{"title": "Chart of Skerra"}`,
	"dist/m.webmanifest": `{"name": "Chart", "start_url": "/", "display": "browser", "icons": [{"src": "/i.svg", "sizes": "any"}]}`,
	"dist/i.svg":         plainMark,
	"dist/sw.js": `addEventListener('install', (e) => e.waitUntil(caches.open('c').then((c) => c.addAll(['/', '/chart.json?zoom=2']))));
addEventListener('fetch', (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));`,
	"tachyform.yaml": "site: dist\n"}

// A page that cannot be simulated counts as the browser showed it, for these bytes.
func TestConfirmedInChromium(t *testing.T) {
	t.Parallel()
	needChromium(t)
	dir := testsite.Write(t, chartSite)
	audit := func(args ...string) string {
		return tachyform(t, 1, append([]string{"audit", "--project", filepath.Join(dir, "tachyform.yaml"), "--under", "offline"}, args...)...)
	}
	assert.Contains(t, audit(), "offline.unknown")
	out := audit("--confirm", "chromium", "--write-requests")
	assert.Regexp(t, `1 page confirmed by chromium \d+ on \d{4}-\d\d-\d\d`, out)
	assert.Contains(t, out, "display is not standalone")
	assert.Regexp(t, `installable  no, as predicted`, out)
	assert.Regexp(t, `/ +offline +whole`, out)
	settings, err := os.ReadFile(filepath.Join(dir, "tachyform.yaml"))
	require.NoError(t, err)
	assert.Contains(t, string(settings), `asks:`+"\n"+`    - {page: "/", for: ["/chart.json"]}`, "without its query, and without manifest and icon")
	out = audit()
	assert.Contains(t, out, "1 page confirmed by chromium")
	assert.NotContains(t, out, "offline.unknown")
	assert.Contains(t, audit("--ignore-confirmed"), "offline.unknown")
	testsite.Add(t, dir, map[string]string{"dist/chart.json": `{"title": "Chart of Calder"}`})
	assert.Contains(t, audit(), "offline.unknown", "other bytes")
}
