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

// Buttons and their like are pressed where they stand: what they ask for belongs to their page, and what breaks without a network makes it partial.
func TestPresses(t *testing.T) {
	load := "import('/lazy.js').catch(() => { document.querySelector('p').textContent = 'That did not work'; })"
	listen := "<script>document.querySelector('#b').addEventListener('click', () => " + load + ")</script>"
	for name, c := range map[string]struct {
		body, pressed string
		asks          []string
	}{
		"a button":                      {"<button id=b>Open</button>" + listen, "Open", []string{"/lazy.js"}},
		"a tab, by its label":           {"<div id=b role=tab aria-label=Winter></div>" + listen, "Winter", []string{"/lazy.js"}},
		"a summary":                     {"<details id=b><summary>More</summary></details><script>document.querySelector('#b').ontoggle = () => " + load + "</script>", "More", []string{"/lazy.js"}},
		"what opens a dialog":           {"<span id=b aria-haspopup=dialog>Choose</span>" + listen, "Choose", []string{"/lazy.js"}},
		"a script further up":           {"<button data-open=x>Open</button><script>onclick = (e) => e.target.dataset.open && " + load + "</script>", "Open", []string{"/lazy.js"}},
		"the second, by another script": {"<button>Close</button><button id=b>Open</button>" + listen, "Open", []string{"/lazy.js"}},
		"a library's property": {"<button>Close</button><button>Open</button><script>document.querySelectorAll('button').forEach((b, i) => { b.$$click = i ? () => " +
			load + " : () => 0; }); onclick = (e) => e.target.$$click?.()</script>", "Open", []string{"/lazy.js"}},
		"what is kept":           {"<button id=b>Open</button>" + strings.Replace(listen, "lazy", "kept", 1), "", []string{"/kept.js"}},
		"what sends a form":      {"<form><button id=b>Send</button></form>" + listen, "", nil},
		"what is left alone":     {"<div data-tachyform-press=no><button id=b>Open</button></div>" + listen, "", nil},
		"what is disabled":       {"<button id=b disabled>Open</button>" + listen, "", nil},
		"what nobody sees":       {"<button id=b hidden>Open</button>" + listen, "", nil},
		"missing online as well": {"<button id=b>Open</button>" + strings.Replace(listen, "lazy", "gone", 1), "", []string{"/gone.js"}},
		"it leads elsewhere":     {"<button onclick=\"location = '/other.html'\">Open</button>", "", nil},
	} {
		p, err := project.Parse("f", []byte("{}"))
		require.NoError(t, err)
		f, err := site.OpenFolder(testsite.Write(t, map[string]string{
			"index.html": "<!doctype html><title>Pier</title><p>Tides of the pier</p>" + c.body + "<script>navigator.serviceWorker.register('/w.js')</script>",
			"lazy.js":    "export {}", "kept.js": "export {}", "other.html": "<!doctype html><title>Other</title>",
			"w.js": "oninstall = (e) => e.waitUntil(caches.open('a').then((c) => c.addAll(['/', '/kept.js']))); onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));",
		}), "https://line.example", "/", p.Host)
		require.NoError(t, err)
		r := &Rehearsal{Hosts: []site.Host{f}, Visit: []string{home, home}, Pages: []string{home}, Conditions: []condition.Condition{condition.Offline}, Presses: 20}
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		o := got.Pages[0].Under["offline"]
		assert.Equal(t, c.pressed, o.Pressed, name)
		assert.Equal(t, map[bool]Outcome{true: Whole, false: Partial}[c.pressed == ""], o.Outcome, "%s: %v", name, o.Doubt)
		var asks []string
		for _, s := range got.Pages[0].Seen.Requests {
			if s.ByScript && !strings.HasSuffix(s.URL, "/w.js") {
				asks = append(asks, s.URL[len(home)-1:])
			}
		}
		assert.Equal(t, c.asks, asks, name)
	}
}

// Of pages with the same scripts one is pressed with all that is on it; on the others only what asked for something there.
func TestPressesOfMany(t *testing.T) {
	files := map[string]string{
		"r.js": `navigator.serviceWorker.register('/w.js');
for (const b of document.querySelectorAll('button')) b.onclick = b.id === 'ask' ? () => fetch('/data/' + document.title + '.json') : () => document.body.append('seen');`,
		"w.js": "oninstall = (e) => e.waitUntil(caches.open('a').then((c) => c.addAll(['/', '/1', '/2', '/3', '/4', '/r.js'])));" +
			" onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));",
	}
	for _, n := range []string{"index", "1", "2", "3", "4"} {
		files[n+".html"] = "<!doctype html><title>" + n + "</title><button id=menu>Menu</button><nav><button id=ask>Ask</button></nav><script src=/r.js></script>"
		files["data/"+n+".json"] = "{}"
	}
	p, err := project.Parse("f", []byte("hosting: {extensionless: answer}"))
	require.NoError(t, err)
	f, err := site.OpenFolder(testsite.Write(t, files), "https://line.example", "/", p.Host)
	require.NoError(t, err)
	for most, unpressed := range map[int]int{20: 0, 4: 2} {
		r := &Rehearsal{Hosts: []site.Host{f}, Visit: []string{home}, Pages: []string{home, home + "1", home + "2", home + "3", home + "4"},
			Conditions: []condition.Condition{condition.Offline}, Presses: most}
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		asked := 0
		for _, page := range got.Pages {
			for _, s := range page.Seen.Requests {
				if strings.Contains(s.URL, "/data/") {
					asked++
					assert.Equal(t, "Ask", page.Under["offline"].Pressed)
				}
			}
		}
		assert.Equal(t, unpressed, got.Unpressed)
		assert.Equal(t, 5-unpressed, asked)
	}
}
