package audit

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/image/draw"

	"tachyform/internal/project"
	"tachyform/internal/site"
)

const goodPage = `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8"><title>Pier</title><meta name="viewport" content="width=device-width">
<link rel="manifest" href="/m.json">
<meta name="theme-color" content="#0b4f6c">
<link rel="icon" href="/any.png">
<link rel="apple-touch-icon" href="/any.png"><link rel="apple-touch-startup-image" href="/any.png">
<script>navigator.serviceWorker.register('/w.js')</script>
</head>
<body><img src="/any.png" alt=""><a href="/far.html">Far</a></body>
</html>
`

const goodManifest = `{"name": "Pier", "short_name": "Pier", "description": "A pier.", "id": "/", "start_url": "/", "display": "standalone",
 "icons": [{"src": "/any.png", "sizes": "192x192", "type": "image/png"}, {"src": "/mask.png", "sizes": "192x192", "type": "image/png", "purpose": "maskable"}]}`

const goodWorker = `const ALL = ['/', '/far.html', '/any.png', '/m.json', '/mask.png'];
addEventListener('install', (e) => e.waitUntil(caches.open('all').then((c) => c.addAll(ALL))));
addEventListener('fetch', (e) => e.respondWith(caches.match(e.request, { ignoreSearch: true }).then((r) => r || fetch(e.request))));`

// disc is an opaque square icon of n pixels whose content is a disc with the given radius, as part of its width.
func disc(n int, radius float64) string {
	m := image.NewNRGBA(image.Rect(0, 0, n, n))
	for y := range n {
		for x := range n {
			c := color.NRGBA{11, 79, 108, 255}
			dx, dy := float64(x)+.5-float64(n)/2, float64(y)+.5-float64(n)/2
			if dx*dx+dy*dy < radius*radius*float64(n*n) {
				c = color.NRGBA{255, 255, 255, 255}
			}
			m.SetNRGBA(x, y, c)
		}
	}
	var b bytes.Buffer
	png.Encode(&b, m)
	return b.String()
}

// paleDisc is a white disc on nothing.
func paleDisc() string {
	m := image.NewNRGBA(image.Rect(0, 0, 192, 192))
	for y := 60; y < 130; y++ {
		for x := 60; x < 130; x++ {
			m.SetNRGBA(x, y, color.NRGBA{250, 250, 250, 255})
		}
	}
	var b bytes.Buffer
	png.Encode(&b, m)
	return b.String()
}

// enlarged scales a picture up, as people do who have only a small one.
func enlarged(file string, n int) string {
	small, _ := png.Decode(strings.NewReader(file))
	m := image.NewNRGBA(image.Rect(0, 0, n, n))
	draw.BiLinear.Scale(m, m.Rect, small, small.Bounds(), draw.Src, nil)
	var b bytes.Buffer
	png.Encode(&b, m)
	return b.String()
}

// noise is a picture that no PNG makes small.
func noise(n int) string {
	m := image.NewNRGBA(image.Rect(0, 0, n, n))
	x := uint32(1)
	for i := range m.Pix {
		x = x*1664525 + 1013904223
		if m.Pix[i] = byte(x >> 24); i%4 == 3 {
			m.Pix[i] = 255
		}
	}
	var b bytes.Buffer
	png.Encode(&b, m)
	return b.String()
}

// androidApp is a project that goes to a shop.
var androidApp = "shops: {android: {package: example.pier, fingerprints: ['" + strings.Repeat("AB:", 31) + "AB']}}"

// goodSite is a site without a finding.
func goodSite() map[string]string {
	return map[string]string{"index.html": goodPage, "far.html": strings.Replace(goodPage, "Pier", "Far", 1),
		"m.json": goodManifest, "w.js": goodWorker, "any.png": disc(192, .3), "mask.png": disc(192, .3)}
}

// lay writes files into a folder and opens it as the project's text says.
func lay(t *testing.T, files map[string]string, settings string) (*project.Project, *site.Folder) {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	p, err := project.Parse("tachyform.yaml", []byte(settings))
	require.NoError(t, err)
	f, err := site.OpenFolder(dir, p.Origin, p.Addr, p.Host)
	require.NoError(t, err)
	return p, f
}

// judge audits files with a project file's text, which may name another origin.
func judge(t *testing.T, files map[string]string, settings string) *Report {
	t.Helper()
	if !strings.HasPrefix(settings, "origin:") {
		settings = "origin: https://pier.example\n" + settings
	}
	p, f := lay(t, files, settings)
	others, err := HostsOf(p, func(name string) string { return filepath.Join(f.Dir, name) })
	require.NoError(t, err)
	r, err := Run(context.Background(), Input{Project: p, Name: "dist", Host: f, Folder: f, Others: others})
	require.NoError(t, err)
	return r
}

func codes(r *Report) []string {
	var list []string
	for _, f := range r.Findings {
		if !slices.Contains(list, f.Code) {
			list = append(list, f.Code)
		}
	}
	return list
}

func TestNoFindings(t *testing.T) {
	r := judge(t, goodSite(), "")
	assert.Empty(t, codes(r))
	assert.Equal(t, Summary{Verdict: "ready", Whole: 2, AfterFirst: 2}, r.Summary)
	for target, v := range r.Targets {
		assert.True(t, v.Installable, target)
	}
	far := r.Pages[slices.IndexFunc(r.Pages, func(p *PageReport) bool { return p.URL == "/far.html" })].Under["offline"]
	assert.Contains(t, *far.Text, "Far", "a page that is opened offline alone tells what it shows all the same")
	assert.NotEmpty(t, far.Links)
	assert.NotContains(t, *far.Text, "<")
	text, err := json.Marshal(r)
	require.NoError(t, err)
	for _, member := range []string{`"schema":"tachyform.audit/1"`, `"installable":true,"blockers":[]`,
		`"state":"activated","error":null`, `"outcome":"whole"`, `"missing":[]`, `"verdict":"ready"`} {
		assert.Contains(t, string(text), member, "the form that programs rely on")
	}
}

// Each fault alone brings its finding, with a place or evidence, and no other of the same or a heavier weight.
func TestChecks(t *testing.T) {
	edit := func(file, old, new string) func(map[string]string) {
		return func(f map[string]string) {
			if !strings.Contains(f[file], old) {
				panic(file + " does not hold " + old)
			}
			f[file] = strings.ReplaceAll(f[file], old, new)
		}
	}
	put := func(file, text string) func(map[string]string) { return func(f map[string]string) { f[file] = text } }
	cases := []struct {
		code, settings string
		change         func(map[string]string)
		evidence       string
	}{
		{"site.insecure", "origin: http://pier.example", nil, "http://pier.example"},
		{"site.entry", "hosting: {headers: [{match: /, set: {Content-Type: text/plain}}]}", nil, "text/plain"},
		{"site.entry", "audit: {entry: /gone.html}", nil, "404"},
		{"app.unlinked", "", edit("index.html", `<link rel="manifest" href="/m.json">`, ""), "no <link"},
		{"app.unlinked", "", func(f map[string]string) {
			edit("index.html", `<meta charset="utf-8">`, "<div></div>")(f)
		}, "body"},
		{"app.unreachable", "", func(f map[string]string) { delete(f, "m.json") }, "404"},
		{"app.unreachable", "", edit("index.html", "/m.json", "https://elsewhere.example/m.json"), "elsewhere"},
		{"app.unreadable", "", put("m.json", goodPage), "HTML"},
		{"app.unreadable", "", edit("m.json", `"id"`, `"permissions_policy": {"fullscreen": "self"}, "id"`),
			"permissions_policy"},
		{"app.nameless", "", edit("m.json", `"name": "Pier", "short_name": "Pier",`, ""), "neither"},
		{"app.start", "", edit("m.json", `"start_url": "/",`, ""), "start_url"},
		{"app.display", "", edit("m.json", "standalone", "browser"), "browser"},
		{"app.display", "", edit("m.json", `"display": "standalone",`,
			`"display": "standalone", "display_override": ["browser"],`), "display_override"},
		{"icon.unfit", "", edit("m.json", `"sizes": "192x192", "type": "image/png"}, {`,
			`"sizes": "96x96", "type": "image/png"}, {`), "96x96"},
		{"app.related", "", edit("m.json", `"id"`,
			`"prefer_related_applications": true, "related_applications": [{"platform": "play", "id": "x"}], "id"`), "true"},
		{"worker.failed", "", edit("w.js", "'/m.json'", "'/gone.json'"), "gone.json"},
		{"worker.failed", "", put("w.js", "throw new Error('low tide')"), "low tide"},
		{"worker.failed", "", func(f map[string]string) { delete(f, "w.js") }, "404"},
		{"worker.failed", "hosting: {media_types: {.js: text/plain}}", nil, "text/plain"},
		{"worker.rivals", "", edit("far.html", "register('/w.js')", "register('/w.js?second')"), "/w.js?second"},
		{"worker.none", "", func(f map[string]string) {
			edit("index.html", "navigator.serviceWorker.register('/w.js')", "")(f)
			f["far.html"] = f["index.html"]
		}, "nowhere"},
		{"offline.start", "", edit("w.js", "'/', ", ""), "offline"},
		{"page.gone", "audit: {pages: [/lost.html]}", nil, "200"},
		{"link.broken", "", edit("index.html", `<a href="/far.html">`, `<a href="/fra.html">`), "/fra.html"},
		{"link.unanswered", "", edit("index.html", `<a href="/far.html">Far</a>`, `<a href="/far.html">Far</a> <a href="/tides">Tides</a><script>
			document.addEventListener('click', (e) => { if (e.target.pathname !== '/tides') return; e.preventDefault(); history.pushState(null, '', '/tides'); });</script>`), "404"},
		{"link.refused", "hosting: {media_types: {/far.css: text/plain}}", func(f map[string]string) {
			f["far.css"] = "p {}"
			edit("index.html", `<link rel="icon"`, `<link rel="stylesheet" href="/far.css"><link rel="icon"`)(f)
			edit("w.js", "'/far.html', ", "'/far.html', '/far.css', ")(f)
		}, "text/plain"},
		{"worker.scope", "", func(f map[string]string) {
			f["app/index.html"], f["app/w.js"] = strings.ReplaceAll(f["index.html"], "/w.js", "/app/w.js"), f["w.js"]
			f["index.html"] = f["app/index.html"]
			f["far.html"] = f["app/index.html"]
		}, "/app/"},
		{"shop.proof", androidApp, func(map[string]string) {}, "not there"},
		{"shop.proof", androidApp, put(".well-known/assetlinks.json", "{}"), "no list"},
		{"shop.proof", androidApp, put(".well-known/assetlinks.json", "[]"), "says nothing of example.pier"},
		{"shop.lacks", androidApp, func(map[string]string) {}, "screenshots, categories, an icon of 512 by 512"},
		{"limit.over", "audit: {limits: {kept: 1 kB}}", func(map[string]string) {}, "over the limit of 1 kB"},
		{"limit.over", "audit: {limits: {files: 4}}", func(map[string]string) {}, "5 answers are kept"},
		{"limit.over", "audit: {limits: {whole_offline: 100}}", edit("w.js", "'/far.html', ", ""),
			"1 of 2 pages are whole offline, 50 %"},
		{"worker.breaks", "", edit("w.js", "'fetch', (e) => ", "'fetch', (e) => e.request.method === 'POST' ? "+
			"e.respondWith(Promise.reject(1)) : "), "POST /"},
		{"worker.ranges", "", func(f map[string]string) {
			f["film.mp4"] = "0123456789"
			edit("far.html", "</body>", `<video src="/film.mp4"></video></body>`)(f)
			edit("w.js", "'/far.html', ", "'/far.html', '/film.mp4', ")(f)
		}, "/film.mp4"},
		{"worker.forgets", "", func(f map[string]string) {
			edit("w.js", ".addAll(ALL)", ".addAll(ALL)).then(() => { self.ready = true }")(f)
			edit("w.js", "(e) => e.respondWith(", "(e) => !self.ready && e.request.url.includes('far') || e.respondWith(")(f)
		}, "/far.html"},
		{"worker.slows", "", func(f map[string]string) {
			edit("w.js", "e.respondWith(caches", "e.respondWith(new Promise((ok) => setTimeout(ok, 1500)).then(() => caches")(f)
			edit("w.js", "fetch(e.request))));", "fetch(e.request)))));")(f)
		}, "/ comes after 1.5 s"},
		{"worker.breaks", "other_origins: [{origin: https://maps.example, folder: .}]", func(f map[string]string) {
			edit("far.html", "</body>", `<img src="https://maps.example/any.png" alt=""></body>`)(f)
			edit("w.js", "'fetch', (e) => ", "'fetch', (e) => !e.request.url.startsWith(location.origin) ? "+
				"e.respondWith(Response.error()) : ")(f)
		}, "GET https://maps.example/any.png answers with status 200 without the worker"},
		{"keep.partial", "", func(f map[string]string) {
			f["film.mp4"] = "0123456789"
			edit("far.html", "</body>", `<video src="/film.mp4"></video></body>`)(f)
			edit("w.js", "r || fetch(e.request)", "r || fetch(e.request).then(async (x) => { if (x.status === 206) await "+
				"(await caches.open('all')).put(e.request.url, new Response(await x.clone().blob())); return x })")(f)
		}, "/film.mp4, 10 bytes"},
		{"app.stale", "hosting: {headers: [{match: /m.json, set: {Cache-Control: max-age=604800}}]}", nil, "max-age=604800"},
		{"worker.stays", "", func(f map[string]string) {
			edit("w.js", "caches.open('all').then((c) =>", "caches.has('all').then((had) => { if (had) throw new "+
				"Error('there is one already'); return caches.open('all') }).then((c) =>")(f)
		}, "there is one already"},
		{"worker.hasty", "", func(f map[string]string) {
			f["late.css"] = "p {}"
			edit("index.html", `<link rel="icon"`, `<link rel="stylesheet" href="/late.css"><link rel="icon"`)(f)
			edit("w.js", "'/far.html', ", "'/far.html', '/late.css', ")(f)
			edit("w.js", "'install', (e) => ", "'install', (e) => skipWaiting() && 0 || ")(f)
		}, "/late.css"},
		{"keep.left", "", edit("w.js", "'all'", "'all-v3'"), `"all-v2"`},
		{"worker.renamed", "", func(f map[string]string) {
			f["w.3f9c2b71.js"] = f["w.js"]
			for _, name := range []string{"index.html", "far.html"} {
				edit(name, "/w.js", "/w.3f9c2b71.js")(f)
			}
		}, "/w.3f9c2b71.js"},
		{"keep.errors", "", edit("w.js", "r || fetch(e.request)", "r || fetch(e.request).then((x) => { const y = "+
			"x.clone(); if (x.status === 404) e.waitUntil(caches.open('more').then((c) => c.put(e.request, y))); return x })"),
			"status 404"},
		{"keep.redirected", "hosting: {redirects: [{match: /far.html, to: /farther.html}]}",
			func(f map[string]string) { f["farther.html"] = f["far.html"] }, "/far.html"},
		{"page.policy", `hosting: {headers: [{match: /far.html, set: {Content-Security-Policy: "script-src 'self'"}}]}`, nil,
			"'sha256-"},
		{"offline.signed-out", "worker: {stand_ins: {page: /far.html}}\nhosting: {statuses: [{match: /far.html, status: " +
			"401, unless_cookie: badge}], headers: [{match: /, set: {Set-Cookie: badge=1}}]}", nil, "status 401"},
		{"offline.signed-out", "worker: {stand_ins: {page: /far.html}}\nhosting: {redirects: [{match: /far.html, to: " +
			"/sign-in, unless_cookie: badge}], headers: [{match: /, set: {Set-Cookie: badge=1}}]}", nil,
			"redirects to /sign-in"},
		{"site.http", "other_origins: [{origin: http://pier.example, folder: .}]", nil,
			"http://pier.example/ answers with status 200"},
		{"link.crossorigin", "", func(f map[string]string) {
			f["type.woff2"] = "x"
			edit("far.html", `<link rel="icon"`, `<link rel="preload" as="font" href="/type.woff2"><link rel="icon"`)(f)
			edit("w.js", "'/far.html', ", "'/far.html', '/type.woff2', ")(f)
		}, "/type.woff2"},
		{"link.refused", "", func(f map[string]string) {
			f["far.css"] = "p {}"
			edit("far.html", `<link rel="icon"`, `<link rel="stylesheet" integrity="sha256-AAAA" href="/far.css"><link rel="icon"`)(f)
			edit("index.html", `<link rel="icon"`,
				`<link rel="stylesheet" integrity="sha256-AAAA" href="/far.css"><link rel="icon"`)(f)
			edit("w.js", "'/far.html', ", "'/far.html', '/far.css', ")(f)
		}, "integrity"},
		{"worker.delayed", "hosting: {headers: [{match: /lib.js, set: {Cache-Control: max-age=86400}}]}",
			func(f map[string]string) {
				f["lib.js"] = "self.lib = 1"
				f["w.js"] = "importScripts('/lib.js');" + f["w.js"]
			}, "imports /lib.js"},
		{"keep.opaque", "other_origins: [{origin: https://maps.example, folder: .}]", func(f map[string]string) {
			f["tile.png"] = f["any.png"]
			edit("w.js", ".addAll(ALL)", ".addAll(ALL).then(async () => c.put('https://maps.example/tile.png', await "+
				"fetch('https://maps.example/tile.png', { mode: 'no-cors' })))")(f)
		}, "https://maps.example/tile.png"},
		{"app.apart",
			"hosting: {headers: [{match: /far.html, set: {Set-Cookie: session=1}}]}\naudit: {visit: [/, /far.html]}", nil,
			"/far.html"},
		{"limit.over", "audit: {limits: {requests: 4}}", func(map[string]string) {}, "makes 5 requests"},
		{"keep.grows", "", func(f map[string]string) {
			edit("w.js", ", { ignoreSearch: true }", "")(f)
			edit("w.js", "r || fetch(e.request)", "r || fetch(e.request).then((x) => { const y = x.clone(); if (x.ok) "+
				"e.waitUntil(caches.open('more').then((c) => c.put(e.request, y))); return x })")(f)
		}, "/any.png"},
		{"link.mixed", "", edit("far.html", "</body>", `<script src="http://charts.example/draw.js"></script></body>`),
			"http://charts.example/draw.js"},
		{"page.viewport", "", edit("far.html", `name="viewport"`, `name="other"`), ""},
		{"offline.first", "audit: {visit: [/, /far.html]}", func(f map[string]string) {
			edit("w.js", "'/any.png', ", "")(f)
			edit("w.js", "r || fetch(e.request)", "r || fetch(e.request).then((x) => { const y = x.clone(); if (x.ok && "+
				"e.request.url.endsWith('any.png')) e.waitUntil(caches.open('more').then((c) => c.put(e.request, y))); return x })")(f)
		}, "missing /any.png"},
		{"site.plain", "", func(f map[string]string) {
			f["long.css"] = strings.Repeat("p { color: navy }\n", 2000)
			edit("index.html", "</head>", `<link rel="stylesheet" href="/long.css"></head>`)(f)
			edit("w.js", "'/far.html', ", "'/far.html', '/long.css', ")(f)
		}, "one file without Content-Encoding, 36 kB: /long.css"},
		{"worker.disguises", "", edit("w.js", "r || fetch(e.request)",
			"r || (e.request.mode === 'navigate' ? caches.match('/') : fetch(e.request))"), "status 404"},
		{"worker.delayed", "hosting: {headers: [{match: /w.js, set: {Cache-Control: max-age=86400}}]}",
			func(map[string]string) {}, "max-age=86400"},
		{"worker.heavy", "", func(f map[string]string) {
			f["big.bin"] = strings.Repeat("x", 16_000_000)
			edit("w.js", "'/far.html', ", "'/far.html', '/big.bin', ")(f)
		}, "16.0 MB"},
		{"page.stale", "hosting: {headers: [{match: /far.html, set: {Cache-Control: max-age=604800}}]}",
			func(map[string]string) {}, "max-age=604800"},
		{"page.language", "", edit("far.html", ` lang="en"`, ""), ""},
		{"page.title", "", edit("far.html", "<title>Far</title>", ""), ""},
		{"link.broken", "", edit("far.html", "</body>", `<a href="/old/a.html">a</a><a href="/old/b/c.html">b</a><a href="/old/d.html">d</a><a href="/old/e.html">e</a></body>`),
			"4 addresses below /old/ are not there"},
		{"offline.unknown", "", func(f map[string]string) { f["far.html"] += "<script>fetch('/api/berths').catch(() => {})</script>" },
			"a server may answer it"},
		{"offline.unknown", "audit: {scripts: read}", edit("far.html", `<img src="/any.png" alt=""><a href="/far.html">Far</a>`,
			"<div id=app></div><script>document.getElementById('app').innerHTML = 'Far'</script>"), "/far.html"},
		{"app.bare", "", edit("m.json", ` "description": "A pier.",`, ""), ""},
		{"keep.private", "hosting: {headers: [{match: /far.html, set: {Set-Cookie: visitor=1}}]}", func(map[string]string) {},
			"/far.html"},
		{"page.register", "", edit("far.html", "navigator.serviceWorker.register('/w.js')", ""), "/far.html"},
		{"offline.lost", "", edit("w.js", "'/far.html', ", ""), ""},
		{"offline.stuck", "", edit("w.js", "'/far.html', ", ""), ""},
		{"offline.partial", "", edit("w.js", "'/any.png', ", ""), "/any.png"},
		{"offline.other", "", edit("w.js", "caches.match(e.request,",
			"caches.match(e.request.url.endsWith('far.html') ? '/' : e.request,"), ""},
		{"offline.lucky", "hosting: {headers: [{match: /far.html, set: {Cache-Control: max-age=900}}, {match: /any.png, " +
			"set: {Cache-Control: max-age=900}}]}", edit("w.js", "'/any.png', ", ""), "/any.png"},
		{"offline.phone", "", func(f map[string]string) {
			f["far.html"] = strings.Replace(f["far.html"], `<img src="/any.png"`, `<img srcset="/any.png 1x, /dense.png 3x"`, 1)
			f["dense.png"] = f["any.png"]
		}, "/dense.png"},
		{"offline.partial", "audit: {asks: [{page: /far.html, for: [/tides.json]}]}", put("tides.json", "{}"), "/tides.json"},
		{"offline.varies", "", func(f map[string]string) {
			f["tides.json"] = `"low"`
			edit("index.html", "</body>", "<script>if (innerWidth < 600) fetch('/tides.json').then((r) => r.json()).then((t) => document.body.append(t))</script></body>")(f)
		}, "phone: partial, missing /tides.json"},
		{"worker.beyond", "", func(f map[string]string) { f["w.js"] = "const n = new Intl.NumberFormat('de');" + f["w.js"] },
			"Intl"},
		{"icon.missing", "", edit("index.html", `rel="icon" href="/any.png"`, `rel="icon" href="/none.png"`), "/none.png"},
		{"icon.lies", "", put("mask.png", disc(180, .3)), "180x180"},
		{"icon.damaged", "", func(f map[string]string) { f["mask.png"] = f["mask.png"][:200] }, "damaged"},
		{"icon.cut", "", put("mask.png", disc(192, .47)), "from its centre"},
		{"app.ignored", "", edit("m.json", `"id"`, `"theme_color": "bluish", "id"`), "bluish"},
		{"app.ignored", "", edit("m.json", `"id"`, `"categories": "travel", "id"`), "list"},
		{"page.manifest", "", edit("far.html", `<link rel="manifest" href="/m.json">`, ""), ""},
		{"page.invalid", "", put("far.html", strings.Replace(goodPage, "Far</a>", "F\xe4r</a>", 1)), "/far.html"},
		{"app.id", "", edit("m.json", `"id": "/", `, ""), "after its start_url"},
		{"app.one-sided", "", func(f map[string]string) {
			f["shot.png"] = disc(400, .3)
			edit("m.json", `"id"`, `"screenshots": [{"src": "/shot.png", "sizes": "400x400", "form_factor": "narrow"}], "id"`)(f)
		}, "form_factor"},
		{"app.more", "", edit("index.html", `<link rel="apple-touch-startup-image" href="/any.png">`, ""), "startup images"},
		{"app.more", "", func(f map[string]string) {
			f["c.html"], f["d.html"] = f["far.html"], f["far.html"]
		}, "shortcuts"},
		{"app.unknown", "", edit("m.json", `"id"`, `"nmae": "x", "id"`), "nmae"},
		{"app.start-answer", "hosting: {redirects: [{match: /start, to: /}]}",
			edit("m.json", `"start_url": "/"`, `"start_url": "/start"`), "redirects to /"},
		{"app.shortcut", "", edit("m.json", `"id"`, `"shortcuts": [{"name": "Tides", "url": "/gone.html"}], "id"`),
			"/gone.html"},
		{"app.screenshot", "", edit("m.json", `"id"`, `"screenshots": [{"src": "/mask.png", "sizes": "192x192"}], "id"`),
			"320"},
		{"app.screenshot", "", edit("m.json", `"id"`, `"screenshots": [{"src": "/shot.png"}], "id"`), "not there"},
		{"app.cut", "", edit("m.json", `"short_name": "Pier"`, `"short_name": "Pier of the outer isles"`), "Pier of the …"},
		{"app.differs", "", edit("m.json", `"id"`, `"theme_color": "red", "id"`), "#ff0000"},
		{"app.differs", "", edit("index.html", `<meta name="theme-color"`,
			`<meta name="application-name" content="Quay"><meta name="theme-color"`), "Quay"},
		{"app.flash", "", edit("index.html", `<meta charset="utf-8">`,
			`<meta charset="utf-8"><style>:root { --deep: #06283a } body { background: var(--deep) }</style>`), "#06283a"},
		{"app.flash", "", edit("m.json", `"id"`, `"background_color": "navy", "id"`), "#000080"},
		{"app.contrast", "", func(f map[string]string) {
			edit("m.json", `"id"`, `"theme_color": "#7c7c7c", "id"`)(f)
			edit("index.html", "#0b4f6c", "#7c7c7c")(f)
		}, "4.2"},
		{"app.partly", "", edit("m.json", `"id"`, `"orientation": "portrait", "id"`), "orientation by safari-ios"},
		{"app.twice", "", func(f map[string]string) {
			f["n.json"] = f["m.json"]
			edit("far.html", "/m.json", "/n.json")(f)
		}, "both have the id"},
		{"page.misspelt", "", edit("far.html", `<link rel="icon"`, `<meta name="theme_color" content="red"><link rel="icon"`),
			"theme_color"},
		{"page.obsolete", "", edit("far.html", `<link rel="icon"`,
			`<meta name="msapplication-TileColor" content="red"><link rel="icon"`), "msapplication"},
		{"page.double", "", edit("far.html", `<link rel="icon"`, `<link rel="manifest" href="/n.json"><link rel="icon"`),
			"/far.html"},
		{"icon.black", "", func(f map[string]string) {
			f["clear.png"] = paleDisc()
			edit("far.html", `rel="apple-touch-icon" href="/any.png"`, `rel="apple-touch-icon" href="/clear.png"`)(f)
		}, "/clear.png"},
		{"icon.blurred", "", func(f map[string]string) { f["any.png"] = enlarged(disc(36, .3), 192) }, "any.png"},
		{"icon.heavy", "", func(f map[string]string) { f["any.png"] = noise(192) }, "kB"},
		{"icon.faint", "", func(f map[string]string) { f["any.png"] = paleDisc() }, "any.png"},
		{"icon.maskable", "", edit("m.json", `"purpose": "maskable"`, `"purpose": "any"`), "maskable"},
		{"page.theme", "", edit("far.html", `<meta name="theme-color" content="#0b4f6c">`, ""), "theme-color"},
		{"page.icon", "", edit("far.html", `<link rel="icon" href="/any.png">`, ""), "icon"},
		{"page.apple", "", edit("far.html", `<link rel="apple-touch-icon" href="/any.png">`, ""), "apple"},
	}
	seen := map[string]bool{"offline.stand-in": true, "offline.seen": true} // the fitted example, and TestConfirmed
	for _, c := range cases {
		seen[c.code] = true
		t.Run(c.code, func(t *testing.T) {
			files := goodSite()
			if c.change != nil {
				c.change(files)
			}
			r := judge(t, files, c.settings)
			if c.code == "site.plain" { // a host that is no folder
				p, f := lay(t, files, "origin: https://pier.example")
				var err error
				r, err = Run(context.Background(), Input{Project: p, Name: p.Origin, Host: struct{ site.Host }{f}})
				require.NoError(t, err)
			}
			i := slices.IndexFunc(r.Findings, func(f *Finding) bool {
				return f.Code == c.code &&
					strings.Contains(f.Evidence, c.evidence)
			})
			require.GreaterOrEqual(t, i, 0, "%v", codes(r))
			f := r.Findings[i]
			assert.NotEmpty(t, f.Title)
			assert.NotEmpty(t, f.Reason)
			assert.NotEmpty(t, f.Mend)
			assert.NotEqual(t, Where{}, f.Where, "a place")
			for _, target := range f.Targets {
				if f.Weights[target] != Blocker || !slices.Contains(CheckOf(c.code).Stops, target) {
					continue
				}
				assert.False(t, r.Targets[target].Installable, target)
				assert.Contains(t, r.Targets[target].Blockers, c.code)
			}
			// Without a worker that reaches it, or moved, the start page is lost as well.
			if f.Weight != Blocker && c.code != "worker.none" && c.code != "worker.scope" && c.code != "app.start-answer" {
				assert.Zero(t, r.Summary.Blockers, "%v", codes(r))
			}
		})
	}
	for _, c := range Catalogue {
		if strings.HasPrefix(c.Code, "release.") {
			continue // of two releases; see TestHandoverFindings
		}
		assert.True(t, seen[c.Code], "no site with just the fault %s", c.Code)
	}
}
