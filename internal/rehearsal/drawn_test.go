package rehearsal

import (
	"cmp"
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/testsite"
)

// judgedOffline runs a site of one page, whose worker keeps what is listed in it, and gives what became of the page
// offline.
func judgedOffline(t *testing.T, hosting string, files map[string]string, kept ...string) *PageOutcome {
	t.Helper()
	list := "'/'"
	for _, k := range kept {
		list += fmt.Sprintf(", '%s'", k)
	}
	all := []string{"line.txt", "on", "w.js", `addEventListener('install', (e) => e.waitUntil(caches.open('a').then((c) => c.addAll([` + list + `]))));
addEventListener('activate', (e) => e.waitUntil(clients.claim()));
addEventListener('fetch', (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)).catch((error) => {
  if (e.request.url.endsWith('/line.txt')) return new Response('off');
  throw error;
})));`}
	for name, text := range files {
		if name == "index.html" {
			asks := ""
			if strings.Contains(text, "line.then") {
				asks = "<script>const line = fetch('/line.txt').then((r) => r.text()).then((t) => t === 'on');</script>"
			}
			text = "<!doctype html><title>Pier</title>" + asks + "<body>" + text +
				"<script>navigator.serviceWorker.register('/w.js')</script>"
		}
		all = append(all, name, text)
	}
	p, err := project.Parse("project.yaml", []byte("hosting: "+cmp.Or(hosting, "{}")+"\n"))
	require.NoError(t, err)
	laid := map[string]string{}
	for i := 0; i < len(all); i += 2 {
		laid[all[i]] = all[i+1]
	}
	f, err := site.OpenFolder(testsite.Write(t, laid), "https://line.example", "/", p.Host)
	require.NoError(t, err)
	r := &Rehearsal{Hosts: []site.Host{f}, Visit: []string{home, home}, Pages: []string{home},
		Conditions: []condition.Condition{condition.Offline}, OneProfile: true, HostKnows: func(string) bool { return strings.Contains(hosting, "status") }}
	got, err := r.Run(context.Background())
	require.NoError(t, err)
	return got.Pages[0].Under["offline"]
}

// A page is whole when it draws offline what it draws online; what differs is told, and what changes by itself is left
// out.
func TestJudgedAsDrawn(t *testing.T) {
	const load = `<main>Loading</main><script>fetch('/t.json').then((r) => r.json()).then((d) => { document.querySelector('main').textContent = d.join(' '); }%s);</script>`
	shown := fmt.Sprintf(load, "")
	caught := fmt.Sprintf(load, ", () => { document.querySelector('main').textContent = 'Tides are not to be had'; }")
	tides := `["ebb","flow"]`
	for name, c := range map[string]struct {
		settings string
		files    map[string]string
		kept     []string
		want     Outcome
		lacks    []string
	}{
		"data that is kept":        {"", map[string]string{"index.html": shown, "t.json": tides}, []string{"/t.json"}, Whole, nil},
		"a spinner for ever":       {"", map[string]string{"index.html": shown, "t.json": tides}, nil, Partial, []string{"ebb", "flow"}},
		"an error of the app's":    {"", map[string]string{"index.html": caught, "t.json": tides}, nil, Partial, []string{"ebb", "flow"}},
		"an answer made offline":   {"", map[string]string{"index.html": `<main></main><script>line.then((on) => { document.querySelector('main').textContent = on ? 'all boats sail' : 'no line'; });</script>`}, nil, Partial, []string{"all", "boats", "sail"}},
		"the time of day":          {"", map[string]string{"index.html": `<p>Tides at <b></b></p><script>document.querySelector('b').textContent = new Date().toISOString();</script>`}, nil, Whole, nil},
		"a number by chance":       {"", map[string]string{"index.html": `<p>Berth <b></b></p><script>document.querySelector('b').textContent = Math.random();</script>`}, nil, Whole, nil},
		"a count of visits":        {"", map[string]string{"index.html": `<p>Visit <b></b></p><script>localStorage.n = Number(localStorage.n ?? 0) + 1; document.querySelector('b').textContent = localStorage.n;</script>`}, nil, Whole, nil},
		"a badge beside the words": {"", map[string]string{"index.html": `<p>Piers</p><script>line.then((on) => on || document.body.append('offline now'));</script>`}, nil, Whole, nil},
		"less of a list": {"", map[string]string{"index.html": `<ul></ul><script>for (const t of ['/a.txt', '/b.txt']) fetch(t).then((r) => r.text()).then((t) => document.querySelector('ul').insertAdjacentHTML('beforeend', '<li>' + t)).catch(() => {});</script>`,
			"a.txt": "north", "b.txt": "south"}, []string{"/a.txt"}, Partial, []string{"south"}},
		"the same in another order": {"", map[string]string{"index.html": `<p></p><script>line.then((on) => { document.querySelector('p').textContent = on ? 'ebb flow' : 'flow ebb'; });</script>`}, nil, Whole, nil},
		"in a shadow tree": {"", map[string]string{"index.html": `<p>Tides</p><x-a></x-a><script>customElements.define('x-a', class extends HTMLElement { connectedCallback() { const s = this.attachShadow({ mode: 'closed' }); fetch('/t.json').then((r) => r.json()).then((d) => { s.innerHTML = '<p>' + d.join(' '); }, () => { s.innerHTML = '<p>none'; }); } });</script>`,
			"t.json": tides}, nil, Partial, []string{"ebb", "flow"}},
		"hidden by a style": {"", map[string]string{"index.html": `<style>.off .on { display: none }</style><p class=on>Sailing today</p><script>line.then((on) => { document.body.className = on ? '' : 'off'; });</script>`}, nil, Partial, []string{"Sailing", "today"}},
		"a picture by script": {"", map[string]string{"index.html": `<p>Map</p><script>fetch('/t.json').then(() => { const i = new Image(); i.src = '/m.svg'; document.body.append(i); }, () => {});</script>`,
			"t.json": tides, "m.svg": `<svg xmlns="http://www.w3.org/2000/svg"/>`}, nil, Partial, []string{home + "m.svg"}},
		"a frame's words": {"", map[string]string{"index.html": `<p>Frame</p><iframe src=/f.html></iframe>`, "f.html": "<p>within"}, []string{"/f.html"}, Whole, nil},
		"behind a route": {"{single_page: /index.html}", map[string]string{"index.html": `<script src=/r.js></script>`,
			"r.js": `document.body.append('at ' + location.pathname);`}, []string{"/r.js"}, Whole, nil},
	} {
		t.Run(name, func(t *testing.T) {
			o := judgedOffline(t, c.settings, c.files, c.kept...)
			assert.Equal(t, c.want, o.Outcome, "%+v", o.Doubt)
			assert.Equal(t, c.lacks, o.Lacks)
			if c.want == Partial {
				assert.Nil(t, o.Doubt)
			}
		})
	}
}

// What this user agent does not know is never a fault of the site, nor is it told as whole.
func TestGapsAreDoubts(t *testing.T) {
	text := "<p>Tides of the harbour</p>"
	for name, c := range map[string]struct {
		settings string
		page     string
		want     DoubtKind
		says     string
		kept     []string
	}{
		"nothing drawn":                {"", `<div id=app></div>`, DoubtNothing, "", nil},
		"an empty shadow tree":         {"", `<x-a></x-a><script>document.querySelector('x-a').attachShadow({ mode: 'open' });</script>`, DoubtNothing, "", nil},
		"a server behind the folder":   {"", text + `<script>fetch('/api/tides').then((r) => r.json()).catch(() => {});</script>`, DoubtServer, "/api/tides", nil},
		"by the old object":            {"", text + `<script>const x = new XMLHttpRequest(); x.open('GET', '/api/x'); x.send();</script>`, DoubtServer, "/api/x", nil},
		"a stream that a server sends": {"", text + `<script>new EventSource('/live').onerror = () => {};</script>`, DoubtServer, "/live", nil},
		"another origin's data":        {"", text + `<script>fetch('https://gauge.example/now.json').then((r) => r.text()).then((t) => document.body.append(t), () => {});</script>`, DoubtElsewhere, "https://gauge.example/now.json", []string{"https://gauge.example/now.json"}},
		"another origin's script":      {"", text + `<script src="https://gauge.example/widget.js"></script>`, DoubtElsewhere, "https://gauge.example/widget.js", []string{"https://gauge.example/widget.js"}},
		"a method that is not there":   {"", text + `<script>document.body.noSuchMethod();</script>`, DoubtError, "not a function", nil},
		"syntax that is not known":     {"", text + `<script>let let = 1;</script>`, DoubtError, "", nil},
		"a rejection at the start":     {"", text + `<script>Promise.reject(new TypeError('not a function'));</script>`, DoubtError, "not a function", nil},
		"a connection that stays open": {"", text + `<script>new WebSocket('ws://pier.example/line').onerror = () => document.body.append('no line');</script>`, DoubtGap, "WebSocket", nil},
		"text that was measured":       {"", text + `<canvas></canvas><script>document.body.append(document.querySelector('canvas').getContext('2d').measureText('tide').width > 30 ? 'wide' : 'narrow');</script>`, DoubtGap, "measureText", nil},
		"pixels that were asked for":   {"", text + `<script>const c = document.createElement('canvas').getContext('2d'); document.body.append(c.getImageData(0, 0, 1, 1).data[0] ? 'light' : 'dark');</script>`, DoubtGap, "getImageData", nil},
		"a drawing area":               {"", text + `<canvas></canvas><script>document.querySelector('canvas').getContext('webgl2').viewport(0, 0, 1, 1);</script>`, DoubtGap, "WebGL", nil},
		"WebAssembly":                  {"", text + `<script>WebAssembly.compile(new Uint8Array(8)).catch(() => {});</script>`, DoubtGap, "WebAssembly", nil},
		"another language's dates":     {"", text + `<script>document.body.append(new Date(0).toLocaleDateString('fr-FR', { month: 'long' }));</script>`, DoubtGap, "fr", nil},
	} {
		t.Run(name, func(t *testing.T) {
			o := judgedOffline(t, c.settings, map[string]string{"index.html": c.page}, c.kept...)
			require.NotNil(t, o.Doubt, "told as %s", o.Outcome)
			assert.Equal(t, c.want, o.Doubt.Kind, "%+v", o.Doubt)
			assert.Contains(t, o.Doubt.Gap+o.Doubt.Asked+o.Doubt.Text, c.says)
		})
	}
	for name, c := range map[string]struct{ settings, page string }{
		"a connection that nobody sees":     {"", text + `<script>new WebSocket('ws://pier.example/line').onerror = () => {};</script>`},
		"a drawing":                         {"", text + `<canvas></canvas><script>const c = document.querySelector('canvas').getContext('2d'); c.fillStyle = 'navy'; c.fillRect(0, 0, 9, 9); c.fillText('tide', c.measureText('tide').width, 0);</script>`},
		"a look for what is there":          {"", text + `<script>if (typeof WebAssembly === 'object' && WebAssembly.validate(new Uint8Array(8))) document.body.dataset.w = document.createElement('canvas').getContext('webgl') ? 'a' : 'b';</script>`},
		"an error that the site throws":     {"", text + `<script>throw new RangeError('by the site');</script>`},
		"a picture that is not there":       {"", text + `<img src=/none.png alt="">`},
		"a host that is told to answer 404": {"{statuses: [{match: /api/tides, status: 404}]}", text + `<script>fetch('/api/tides').catch(() => {});</script>`},
		"a request that hosting explains":   {"{single_page: /index.html}", text + `<script>fetch('/api/tides').then((r) => r.text());</script>`},
		"a control and no text":             {"", `<input>`},
		"a picture and no text":             {"", `<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0h9"/></svg>`},
		"a control in a shadow tree":        {"", `<x-a></x-a><script>document.querySelector('x-a').attachShadow({ mode: 'open' }).innerHTML = '<button></button>';</script>`},
	} {
		t.Run(name, func(t *testing.T) {
			o := judgedOffline(t, c.settings, map[string]string{"index.html": c.page})
			assert.Nil(t, o.Doubt, "%+v", o.Doubt)
		})
	}
}

// What is seen of a page in each visit: its documents, its requests, where it leads.
func TestVisitsTell(t *testing.T) {
	for name, c := range map[string]struct {
		page      string
		more      []string
		documents int
		address   string
		text      string
		asked     string
		links     string
	}{
		"plain":              {"<p>Piers</p><a href=/a>A</a><a href=//other.example/>B</a>", nil, 1, "/", "Piers AB", "/", "/a"},
		"sent on by script":  {"<script>location.replace('/b.html?x')</script>", []string{"b.html", "<p>There"}, 2, "/b.html?x", "There", "/ /b.html?x", ""},
		"sent on by a form":  {"<form action=/b.html><input name=q value=1></form><script>document.forms[0].submit()</script>", []string{"b.html", "<p>There"}, 2, "/b.html?q=1", "There", "/ /b.html?q=1", ""},
		"sent on by a link":  {"<a href=/b.html>x</a><script>document.querySelector('a').click()</script>", []string{"b.html", "<p>There"}, 2, "/b.html", "There", "/ /b.html", ""},
		"sent on by markup":  {"<meta http-equiv=refresh content='0;/b.html'>", []string{"b.html", "<p>There"}, 2, "/b.html", "There", "/ /b.html", ""},
		"another address":    {"<script>history.pushState(0, '', '/deep/er')</script><a href=x>x</a>", nil, 1, "/deep/er", "x", "/", "/deep/x"},
		"a fragment":         {"<p>x</p><script>location.hash = 'low'</script>", nil, 1, "/#low", "x", "/", ""},
		"reloads once":       {"<p>x</p><script>if (!sessionStorage.r) { sessionStorage.r = 1; location.reload(); }</script>", nil, 2, "/", "x", "/", ""},
		"reloads for ever":   {"<p>x</p><script>location.reload()</script>", nil, 5, "/", "x", "/", ""},
		"what scripts fetch": {"<script>fetch('/a.json'); new Image().src = '/i.png'; navigator.sendBeacon('/log', 'x');</script>x", []string{"a.json", "{}", "i.png", "x"}, 1, "/", "x", "/ /a.json /i.png /log", ""},
		"in its frame":       {"<iframe src=/f.html></iframe>x", []string{"f.html", "<script>fetch('/in.json')</script>", "in.json", "{}"}, 1, "/", "x", "/ /f.html /in.json", ""},
		"in a shared one":    {"<script>new SharedWorker('/t.js', 'tides')</script>x", []string{"t.js", "importScripts('/u.js'); onconnect = () => fetch('/in.json');", "u.js", "", "in.json", "{}"}, 1, "/", "x", "/ /in.json /t.js /u.js", ""},
		"in its thread":      {"<script>new Worker('/t.js')</script>x", []string{"t.js", "importScripts('/u.js'); fetch('/in.json');", "u.js", "", "in.json", "{}"}, 1, "/", "x", "/ /in.json /t.js /u.js", ""},
		"late links":         {"<script>setTimeout(() => document.body.insertAdjacentHTML('beforeend', '<a href=/late>l</a>'), 300)</script>", nil, 1, "/", "l", "/", "/late"},
		"a dialog that asks": {"<script>document.body.append(confirm('sure?'), ' ', prompt('who?'))</script>", nil, 1, "/", "false null", "/", ""},
	} {
		t.Run(name, func(t *testing.T) {
			files := append([]string{"index.html", "<!doctype html><title>Pier</title><body>" + c.page}, c.more...)
			r := &Rehearsal{Hosts: []site.Host{siteWith(t, "", files...)}, Visit: []string{home}}
			got, err := r.Run(context.Background())
			require.NoError(t, err)
			v := got.Visits[0]
			assert.Equal(t, c.documents, v.Documents, "documents")
			assert.Equal(t, strings.TrimSuffix(home, "/")+c.address, v.FinalURL)
			assert.Equal(t, c.text, v.Text())
			assert.Equal(t, c.asked, strings.Join(v.Asked, " "), "requests")
			assert.Equal(t, c.links, strings.Join(v.Links(), " "), "links")
		})
	}
}

// What pages link to once they are drawn joins the list, as far as it may: each address once, its query aside, and a
// fragment only where a router reads it.
func TestDrawnLinksAreFollowed(t *testing.T) {
	hosting, err := project.Parse("project.yaml", []byte("hosting: {single_page: /index.html}"))
	require.NoError(t, err)
	const routes = `<!doctype html><title>Pier</title><main></main><script>
const links = { '/': ['/a', '/a?again', '/#top', '/#/low', '/#!/high', 'https://elsewhere.example/x', '/none.txt'], '/a': ['/b', '/'], '/b': ['/c'], '/c': ['/d'] };
addEventListener('load', () => setTimeout(() => { for (const l of links[location.pathname] ?? []) document.querySelector('main').insertAdjacentHTML('beforeend', '<a href="' + l + '">' + l + '</a> '); }, 50));</script>`
	for name, c := range map[string]struct {
		follow *Following
		want   string
	}{
		"not at all":   {nil, "/"},
		"one step":     {&Following{AtMost: 100, Depth: 1}, "/ /a /#/low /#!/high"},
		"further":      {&Following{AtMost: 100, Depth: 9}, "/ /a /#/low /#!/high /b /c /d"},
		"not too many": {&Following{AtMost: 4, Depth: 9}, "/ /a /#/low /#!/high"},
		"as far as it may": {&Following{AtMost: 100, Depth: 9, Allows: func(path string) bool { return path != "/b" && !strings.Contains(path, "#") }},
			"/ /a"},
	} {
		t.Run(name, func(t *testing.T) {
			f, err := site.OpenFolder(testsite.Write(t, map[string]string{"index.html": routes, "none.txt": "x"}), "https://line.example", "/", hosting.Host)
			require.NoError(t, err)
			r := &Rehearsal{Hosts: []site.Host{f}, Visit: []string{home}, Pages: []string{home}, Follow: c.follow,
				Conditions: []condition.Condition{condition.Offline}}
			got, err := r.Run(context.Background())
			require.NoError(t, err)
			var list []string
			for i, p := range got.Pages {
				list = append(list, "/"+strings.TrimPrefix(p.URL, home))
				assert.Equal(t, i > 0, p.Found, p.URL)
			}
			assert.Equal(t, c.want, strings.Join(list, " "))
		})
	}
}

// What scripts of one page use and is lacking makes that page unknown, with the place in its script, and no other one.
func TestGapsOfOnePage(t *testing.T) {
	for name, oneProfile := range map[string]bool{"a branch for each page": false, "one profile": true} {
		f, err := site.OpenFolder(testsite.Write(t, map[string]string{
			"index.html": "<!doctype html><title>Sums</title><p>sums</p><script src=/sums.js></script>", "tides.html": "<!doctype html><title>Tides</title><p>tides</p><script>document.body.dataset.ready = ''</script>",
			"sums.js": "\nWebAssembly.compile(new Uint8Array(8)).catch(() => {});\nnavigator.serviceWorker.register('/w.js');",
			"w.js":    "oninstall = (e) => e.waitUntil(caches.open('a').then((c) => c.addAll(['/', '/sums.js', '/tides.html']))); onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));",
		}), "https://line.example", "/", project.Default("").Host)
		require.NoError(t, err)
		r := &Rehearsal{Hosts: []site.Host{f}, Visit: []string{home, home}, Pages: []string{home, home + "tides.html"},
			Conditions: []condition.Condition{condition.Offline}, OneProfile: oneProfile}
		got, err := r.Run(context.Background())
		require.NoError(t, err)
		doubt := got.Pages[0].Under["offline"].Doubt
		require.NotNil(t, doubt, "%s: %+v", name, got.Pages[0].Under["offline"])
		assert.Equal(t, Doubt{Kind: DoubtGap, Gap: "compiling WebAssembly", At: "https://line.example/sums.js:2:20"}, *doubt, name)
		assert.Nil(t, got.Pages[1].Under["offline"].Doubt, name)
		assert.Empty(t, got.Gaps, "the worker is not concerned")
	}
}
