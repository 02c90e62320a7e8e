package page

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform/internal/csp"
	"tachyform/internal/markup"
	"tachyform/internal/request"
)

// What style sheets make a page ask for depends on what stands in it.
func TestApplied(t *testing.T) {
	const faces = `@font-face { font-family: Keel; src: url(keel.woff2) } @font-face { font-family: Keel; font-weight: 700; src: url(keel-bold.woff2) } @font-face { font-family: Keel; font-style: italic; src: url(keel-italic.woff2) } `
	for _, c := range []struct{ html, css, want string }{
		{`<p>x`, `p { background: url(a.png) } h1 { background: url(b.png) }`, "image /tides/a.png"},
		{`<p class=x>x`, `p { background: url(a.png) } p.x { background: url(b.png) }`, "image /tides/b.png"},
		{`<p class=x>x`, `p { background: url(a.png) !important } p.x { background: url(b.png) }`, "image /tides/a.png"},
		{`<p class=x>x`, `p { background: url(a.png) } .x { background: none }`, ""},
		{`<p style="background: red">x`, `p { background: url(a.png) }`, ""},
		{`<p>x`, `p { background-image: url(a.png); list-style: url(b.png) } p { background-color: red }`,
			"image /tides/a.png, image /tides/b.png"},
		{`<p>x`, `p:hover { background: url(a.png) } p:not(:hover) { border-image: url(b.png) 3 }`, "image /tides/b.png"},
		{`<p>x<b>y`,
			`p::before { background: url(a.png) } b::before { content: ""; background: url(b.png) } p:after { content: url(c.png) }`, "image /tides/c.png, image /tides/b.png"},
		{`<div hidden><p>x</div><section><p>y</section>`,
			`div p { background: url(a.png) } section { display: none } section p { background: url(b.png) }`, ""},
		{`<div id=a><p>x`,
			`:is(#a, #b) > p { background: url(a.png) } :where(h1, h2) { background: url(b.png) } a:any-link { background: url(c.png) }`, "image /tides/a.png"},
		{`<div class=d><p>x`,
			`.d { & p { background: url(a.png) } p + p { background: url(b.png) } &:hover { background: url(c.png) } @media print { background: url(d.png) } }`, "image /tides/a.png"},
		{`<p>x`,
			`@media (max-width: 600px) { p { background: url(a.png) } } @media (width >= 600px) { p { background: url(b.png) } } @supports (display: grid) { p { mask: url(c.svg) } }`, "image /tides/b.png, image /tides/c.svg"},
		{`<p>x`,
			`:root { --b: url(a.png); --f: Keel } p { background: var(--b, none); border-image-source: var(--none, url(b.png)) }`, "image /tides/a.png, image /tides/b.png"},
		{`<p>x`,
			`p { background: image-set("a.png" 1x, "b.png" 2x), url("data:image/png;base64,") } @keyframes k { from { background: url(k.png) } }`, "image /tides/a.png"},
		{`<template><p>x</template><noscript><p>y</noscript>`, `p { background: url(a.png) }`, ""},
		{`<p>x`, faces, ""},
		{`<p>x`, faces + `p { font-family: Keel, serif }`, "font /tides/keel.woff2"},
		{`<p> </p>`, faces + `p { font-family: Keel, serif }`, ""},
		{`<h1>x</h1><p><em>y</em>`, faces + `body { font: 1rem/1.5 "Keel", serif }`,
			"font /tides/keel-bold.woff2, font /tides/keel-italic.woff2"},
		{`<pre>x</pre><button>y</button>`, faces + `body { font-family: keel }`, ""},
		{`<button>y</button>`, faces + `body { font-family: Keel } button { font: inherit; font-weight: 600 }`,
			"font /tides/keel-bold.woff2"},
		{`<p>x`, faces + `p { font-family: serif, Keel }`, ""},
		{`<p>x`, faces + `:root { --f: Keel } p { font-family: var(--f) }`, "font /tides/keel.woff2"},
		{`<p>x`, faces + `p::before { content: "y"; font-family: Keel }`, "font /tides/keel.woff2"},
		{`<p>Küste`,
			`@font-face { font-family: a; src: url(latin.woff2); unicode-range: U+0-FF } @font-face { font-family: a; src: url(greek.woff2); unicode-range: U+370-3FF, U+1F?? } p { font-family: a }`, "font /tides/latin.woff2"},
		{`<p>x`,
			`@font-face { font-family: a; src: local(A), url(a.svg) format("svg"), url(a.woff2) format("woff2") } p { font-family: a }`, "font /tides/a.woff2"},
	} {
		d := ParseDocument(at, "text/html; charset=utf-8", []byte("<!doctype html><style>"+c.css+"</style><body>"+c.html))
		assert.Equal(t, c.want, urls(d.Applied(d.Order(nil))), "%s with %s", c.html, c.css)
	}
	// Imported sheets come before the one that imports them; sheets for other media say nothing.
	d := ParseDocument(at, "", []byte(`<!doctype html><link rel=stylesheet href=a.css><link rel=stylesheet href=print.css media=print><p>x`))
	come := map[string]*Style{}
	for name, text := range map[string]string{"a.css": `@import "b.css"; p { background: url(a.png) }`,
		"b.css": `p { background: url(b.png) } p { mask: url(m.svg) }`, "print.css": `p { background: url(p.png) }`} {
		come["https://line.example/tides/"+name] = ParseStyle("https://line.example/tides/"+name,
			"https://line.example/tides/"+name, []byte(text))
	}
	assert.Equal(t, "image /tides/a.png, image /tides/m.svg", urls(d.Applied(d.Order(come))))
}

func TestPolicies(t *testing.T) {
	const page = "https://line.example/a/b.html"
	for _, c := range []struct {
		policy, destination, url string
		allowed                  bool
	}{
		{"", "script", "https://other.example/x.js", true},
		{"script-src 'self'", "script", "https://line.example/x.js", true},
		{"script-src 'self'", "script", "https://other.example/x.js", false},
		{"script-src 'self'", "image", "https://other.example/x.png", true},
		{"default-src 'none'", "image", "https://line.example/x.png", false},
		{"default-src 'none'; img-src *", "image", "http://any.example/x.png", true},
		{"worker-src 'none'", "serviceworker", "https://line.example/w.js", false},
		{"script-src https://cdn.example", "serviceworker", "https://line.example/w.js", false},
		{"child-src 'self'; script-src 'none'", "serviceworker", "https://line.example/w.js", true},
		{"manifest-src 'none'", "manifest", "https://line.example/m.json", false},
		{"connect-src *.example", "", "https://api.other.example/x", true},
		{"connect-src *.example", "", "https://example/x", false},
		{"connect-src https://api.example:8443/v1/", "", "https://api.example:8443/v1/x", true},
		{"connect-src https://api.example/v1", "", "https://api.example/v1/x", false},
		{"img-src https:", "image", "http://x.example/x.png", false},
		{"img-src http:", "image", "https://x.example/x.png", true},
		{"img-src *, img-src 'self'", "image", "https://x.example/x.png", false},
		{"script-src 'nonce-abc'", "script", "https://x.example/x.js", true},
		{"script-src 'nonce-def'", "script", "https://x.example/x.js", false},
	} {
		p := csp.Parse(page, []string{c.policy})
		assert.Equal(t, c.allowed, p.Allows(csp.Request{Destination: request.Destination(c.destination), URL: c.url, Nonce: "abc"}), "%s for %s %s", c.policy, c.destination, c.url)
	}
	for policy, runs := range map[string]bool{
		"img-src *": true, "script-src 'self'": false, "script-src 'unsafe-inline'": true,
		"default-src 'unsafe-inline' 'nonce-x'":                            false,
		"script-src 'nonce-abc'":                                           true,
		"script-src 'sha256-GItGNLcZoNDuLfIaWXD6gOtIpSRSTYHCIHtO5aTYU48='": false,
		"script-src 'sha256-V1dJFkpvbNvyd7LkIgPWKJl3D5HSGWwMNKwR7LNQhnk='": false,
	} {
		assert.Equal(t, runs, csp.Parse(page, []string{policy}).AllowsInline("let a", "abc"), policy)
	}
}

func TestImportMaps(t *testing.T) {
	m := ParseImportMap("https://line.example/a/",
		`{"imports": {"tide": "/lib/tide.js", "piers/": "./piers/", "/old.js": "/new.js", "gone": null}, "scopes": {"/inner/": {"tide": "/inner/tide.js"}}}`)
	for specifier, want := range map[string]string{"tide": "/lib/tide.js", "piers/skerra.js": "/a/piers/skerra.js",
		"../old.js": "/new.js", "./x.js": "/m/x.js", "gone": "", "unknown": "", "piers/../../x.js": ""} {
		got, _ := m.Resolve("https://line.example/m/main.js", specifier)
		assert.Equal(t, want, strings.TrimPrefix(got, "https://line.example"), specifier)
	}
	got, _ := m.Resolve("https://line.example/inner/main.js", "tide")
	assert.Equal(t, "https://line.example/inner/tide.js", got)

	// A later map adds to the first one, and changes nothing that it says.
	both := m.Merge(ParseImportMap("https://line.example/", `{"imports": {"tide": "/other.js", "chart": "data:text/javascript,export default 1"}, "scopes": {"/inner/": {"tide": "/never.js", "chart": "/inner/chart.js"}}}`))
	for specifier, want := range map[string]string{"tide": "https://line.example/lib/tide.js", "chart": "data:text/javascript,export default 1"} {
		got, _ = both.Resolve("https://line.example/m/main.js", specifier)
		assert.Equal(t, want, got, specifier)
	}
	for specifier, want := range map[string]string{"tide": "https://line.example/inner/tide.js", "chart": "https://line.example/inner/chart.js"} {
		got, _ = both.Resolve("https://line.example/inner/main.js", specifier)
		assert.Equal(t, want, got, specifier)
	}
	_, there := m.Resolve("https://line.example/m/main.js", "chart")
	assert.False(t, there, "the first map is as it was")
	assert.Equal(t, both, both.Merge(nil))
	var none *ImportMap
	assert.Equal(t, m, none.Merge(m))
}

// The kind of a script element by its attributes, for the parser and for scripts alike.
func TestScriptKind(t *testing.T) {
	for attributes, want := range map[string]string{
		"": ClassicScript, `type=""`: ClassicScript, `type=" "`: "", `type=" text/JavaScript "`: ClassicScript, "type=text/plain": "", "type=module": ModuleScript,
		"type=module nomodule": ModuleScript, "nomodule": "", "type=importmap": ImportMapScript, "type=speculationrules": SpeculationRules,
		"language=vbscript": "", "language=JavaScript": ClassicScript, `language=""`: ClassicScript, "language=vbscript type=text/javascript": ClassicScript,
		"for=window event=onload": ClassicScript, `for=" WINDOW " event="onload()"`: ClassicScript, "for=x event=onload": "", "for=x": ClassicScript,
		"for=window event=onclick": "", "type=module for=x event=y": ModuleScript,
	} {
		d := ParseDocument(at, "", []byte("<script "+attributes+">1</script>"))
		for tag := range markup.Tokens([]byte("<script " + attributes + ">")) {
			got := ScriptKind(func(name string) (string, bool) { value, has := tag.Attributes()[name]; return value, has })
			assert.Equal(t, want, got, attributes)
		}
		assert.Equal(t, want == ClassicScript || want == ModuleScript, len(d.Scripts) == 1, attributes)
	}
}

func FuzzApplied(f *testing.F) {
	f.Add("p { background: url(a.png) }", "<p class=x>x")
	f.Add("@font-face { font-family: a; src: url(a) } :is(p, b) > :not(i)::before { content: 'x'; font: 1px/2 a }",
		"<p><b>x")
	f.Add(":root{--a:var(--b);--b:var(--a)} p{background:var(--a)}", "<p>")
	f.Fuzz(func(t *testing.T, css, html string) {
		d := ParseDocument(at, "", []byte("<style>"+css+"</style>"+html))
		for _, r := range d.Applied(d.Order(nil)) {
			if !strings.HasPrefix(r.URL, "http") {
				t.Fatal(r.URL)
			}
		}
	})
}

// The colour behind a page is that of the root element, else of the body; what lies in pictures is not known.
func TestGround(t *testing.T) {
	for css, want := range map[string]string{
		"":                                 "",
		"body { background: navy }":        "navy",
		"BODY{background:#FFF url(a.png)}": "?",
		":root { --a: rgb(1 2 3) } body { background: var(--a) no-repeat }": "rgb(1 2 3)",
		"html { background-color: red } body { background: blue }":          "red",
		"body { background: blue } .dark { background-color: #111 }":        "#111",
		"body { background: red !important } #b { background: blue }":       "red",
		"body { background: linear-gradient(red, blue) }":                   "?",
		"body { background-image: radial-gradient(red, blue); }":            "?",
		"body { background: none } p { background: red }":                   "",
		"@media print { body { background: red } }":                         "",
	} {
		d := ParseDocument("https://line.example/", "", []byte(`<!doctype html><title>x</title><style>`+css+
			`</style><body class=dark id=b><p>x`))
		assert.Equal(t, want, d.CanvasBackground(d.Order(nil)), css)
	}
}
