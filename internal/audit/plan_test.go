package audit

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
)

// stageSite is a site with a worker of the given code and a page that registers it; next is its second release.
func stageSite(t *testing.T, worker, next string) (string, *site.Folder) {
	t.Helper()
	dir := t.TempDir()
	for _, release := range []struct{ folder, worker, title string }{{"site", worker, "Piers 1"},
		{"next", next, "Piers 2"}} {
		page := "<!doctype html><title>" + release.title +
			`</title><link rel="stylesheet" href="/s.css"><script>navigator.serviceWorker.register('/w.js')</script><a href="/tides.html">Tides</a>`
		for name, text := range map[string]string{"index.html": page,
			"tides.html": strings.Replace(page, "Piers", "Tides", 1), "s.css": "p { color: red }", "w.js": release.worker} {
			path := filepath.Join(dir, release.folder, name)
			require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
			require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
		}
	}
	f, err := site.OpenFolder(filepath.Join(dir, "site"), "https://line.example", "/", project.Default(dir).Host)
	require.NoError(t, err)
	return dir, f
}

func play(t *testing.T, worker, next, steps string) *PlanResult {
	t.Helper()
	return playAs(t, nil, worker, next, steps)
}

func playAs(t *testing.T, profile *useragent.Kind, worker, next, steps string) *PlanResult {
	t.Helper()
	dir, f := stageSite(t, worker, next)
	p, err := project.Parse("f", []byte("rehearsals:\n- name: it\n  steps:\n"+steps))
	require.NoError(t, err)
	played, err := RunPlan(context.Background(), Input{Project: p, Name: "site", Host: f, Folder: f, Kind: profile},
		p.Rehearsals[0], func(name string) (site.Host, error) {
			return site.OpenFolder(filepath.Join(dir, name), f.Origin(), "/", p.Host)
		})
	require.NoError(t, err)
	return played
}

const keeping = `const C = 'one';
addEventListener('install', (e) => e.waitUntil(caches.open(C).then((c) => c.addAll(['/', '/s.css']))));
addEventListener('activate', (e) => e.waitUntil(caches.keys().then((all) => Promise.all(all.filter((n) => n !== C).map((n) => caches.delete(n))))));
addEventListener('fetch', (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));
`

// Rehearsals come out as what a person would see in a browser, step by step.
func TestPlay(t *testing.T) {
	two := strings.Replace(keeping, "'one'", "'two'", 1)
	for name, c := range map[string]struct{ worker, next, steps string }{
		"next release": {keeping, two, `
  - {open: /}
  - {expect: {title: Piers 1, controlled: no, outcome: whole, kept: [/, /s.css], worker: activated, waiting: no}}
  - {reload: normal}
  - {expect: {controlled: yes, answered_by: cache, asked: [/w.js], not_asked: [/]}}
  - {open: /tides.html, tab: second}
  - {deploy: next}
  - {reload: normal}
  - {expect: {title: Piers 1, waiting: yes, asked: [/w.js]}}
  - {close: tab}
  - {expect: {waiting: yes}}
  - {close: tab, tab: second}
  - {expect: {waiting: no}}
  - {open: /}
  - {expect: {title: Piers 2, answered_by: cache two}}`},
		"network and storage": {keeping, "", `
  - {open: /}
  - {network: offline}
  - {reload: normal}
  - {expect: {outcome: whole, missing: [], shows: Tides</a>}}
  - {follow: /tides.html}
  - {expect: {outcome: lost}}
  - {network: stalled}
  - {open: /tides.html}
  - {expect: {outcome: stuck}}
  - {network: online}
  - {open: /tides.html}
  - {expect: {outcome: whole, answered_by: network, status: 200}}
  - {reload: past-worker}
  - {expect: {controlled: no, asked: [/s.css]}}
  - {network: offline}
  - {evict: caches}
  - {open: /}
  - {expect: {outcome: lost, not_kept: [/], worker: activated}}
  - {evict: everything}
  - {close: browser}
  - {expect: {worker: none}}`},
		"the history": {keeping, "", `
  - {open: /}
  - {open: /tides.html}
  - {network: offline}
  - {history: back}
  - {expect: {title: Piers 1, outcome: whole, answered_by: history, address: /, asked: [], controlled: no}}
  - {wait: 20m}
  - {history: forward}
  - {expect: {outcome: lost}}
  - {wait: 20m}
  - {history: back}
  - {expect: {title: Piers 1, outcome: whole, answered_by: cache, address: /}}
  - {network: online}
  - {history: forward}
  - {expect: {outcome: whole, answered_by: network, address: /tides.html}}
  - {reload: normal}
  - {history: back}
  - {history: forward}
  - {expect: {outcome: whole, answered_by: history, address: /tides.html}}
  - {evict: everything}
  - {history: back}
  - {expect: {answered_by: network}}`},
		"messages": {`
addEventListener('push', (e) => { const { pier, m } = e.data.json(); e.waitUntil(registration.showNotification('Low water at ' + pier, { tag: 'tide', data: { to: '/tides.html' }, body: m + ' m' })); });
addEventListener('notificationclick', (e) => { e.notification.close(); e.waitUntil(clients.openWindow(e.notification.data.to)); });
addEventListener('sync', (e) => { console.log('sync ' + e.tag); e.waitUntil(caches.open('box').then((c) => c.add('/s.css'))); });
addEventListener('periodicsync', (e) => console.log('now and then ' + e.tag));
addEventListener('activate', (e) => e.waitUntil(registration.sync.register('later')));
addEventListener('fetch', () => {});`, "", `
  - {open: /}
  - {expect: {says: sync later, kept: [/s.css]}}
  - {stop: worker}
  - {push: '{"pier": "Skerra", "m": 0.4}'}
  - {expect: {notification: tide}}
  - {click: Low water at Skerra}
  - {expect: {asked: [/tides.html]}}
  - {periodic_sync: forecast}
  - {expect: {says: now and then forecast}}
  - {sync: again}
  - {expect: {says: sync again}}`},
		"pages sent away": {keeping, `addEventListener('install', () => skipWaiting());
addEventListener('activate', (e) => e.waitUntil((async () => { for (const n of await caches.keys()) await caches.delete(n); await registration.unregister(); for (const c of await clients.matchAll()) c.navigate(c.url); })()));`, `
  - {open: /}
  - {reload: normal}
  - {deploy: next}
  - {reload: normal}
  - {expect: {title: Piers 2, controlled: no, not_kept: [/]}}`},
		"launch, cookies": {`addEventListener('fetch', (e) => e.respondWith(fetch(e.request)));`, "", `
  - {cookie: member=1}
  - {launch: home-screen}
  - {wait: 3s}
  - {expect: {address: /}}`},
	} {
		t.Run(name, func(t *testing.T) {
			p := play(t, c.worker, c.next, c.steps)
			for i, s := range p.Steps {
				assert.Empty(t, s.Wrong, "step %d: %s\n%v", i+1, s.Do, s.Account)
			}
		})
	}
}

// What is expected and does not come about is told; so is what our engine lacks, as a gap and not as a fault.
func TestPlayFails(t *testing.T) {
	p := play(t, `new WebSocket('wss://line.example/x').onerror = () => console.log('no line');
addEventListener('fetch', (e) => e.respondWith(new Response(new Intl.NumberFormat('de').format(12))));`, "", `
  - {open: /}
  - {reload: normal}
  - {expect: {title: Piers 1, missing: [/x.css], status: 404, kept: [/], waiting: yes, says: nothing of the kind}}
  - {follow: /nowhere.html}
  - {expect: {says: no line}}`)
	assert.False(t, p.Holds)
	assert.Len(t, p.Steps[2].Wrong, 6)
	assert.Contains(t, strings.Join(p.Steps[2].Wrong, "; "), "missing: expected /x.css, got nothing")
	assert.Contains(t, p.Steps[3].Wrong[0], "no link to")
	assert.Empty(t, p.Steps[4].Wrong)
	assert.Len(t, p.Gaps, 2)
}

// What a kind of browser lacks is not there for its workers.
func TestTargets(t *testing.T) {
	const asks = `console.log(['SyncManager' in self, 'sync' in registration, 'addRoutes' in InstallEvent.prototype, 'PushManager' in self].join()); addEventListener('fetch', () => {});`
	for name, want := range map[string]string{"chromium-android": "true,true,true,true",
		"firefox-android": "false,false,false,true", "safari-ios": "false,false,false,true"} {
		p := playAs(t, useragent.Kinds[name], asks, "", "  - {open: /}\n  - {expect: {says: '"+want+"'}}")
		assert.True(t, p.Holds, "%s: %v", name, p.Steps)
	}
}
