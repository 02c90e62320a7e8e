package page

import (
	"strings"
	"testing"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const at = "https://line.example/tides/skerra.html"

func urls(refs []Reference) string {
	var list []string
	for _, r := range refs {
		s := strings.TrimPrefix(r.URL, "https://line.example")
		if r.Background {
			s = "(" + s + ")"
		}
		list = append(list, r.Kind()+" "+s)
	}
	return strings.Join(list, ", ")
}

func TestDocumentReferences(t *testing.T) {
	for html, want := range map[string]string{
		`<link rel=stylesheet href=a.css>`:                                                                                           "style /tides/a.css",
		`<base href="/x/"><img src=p.png>`:                                                                                           "image /x/p.png",
		`<script src=/a.js></script><script type=module src=b.js></script>`:                                                          "script /a.js, script /tides/b.js",
		`<script nomodule src=old.js></script><script type="text/x-note" src=n.js></script>`:                                         "",
		`<noscript><img src=n.png></noscript><template><img src=t.png></template><img src=p.png>`:                                    "image /tides/p.png",
		`<!-- <img src=c.png> --><p><img src=p.png>`:                                                                                 "image /tides/p.png",
		`<link rel=manifest href=/m.json><link rel=icon href=/i.png>`:                                                                "manifest (/m.json), image (/i.png)",
		`<body><link rel=manifest href=/m.json>`:                                                                                     "",
		`<img src=a.png srcset="b.png 2x, c.png 1x">`:                                                                                "image /tides/c.png",
		`<img src=s.png srcset="s.png 100w, b.png 900w" sizes="50vw">`:                                                               "image /tides/b.png",
		`<img srcset="s.png 400w, m.png 1300w, l.png 2600w" sizes="100vw">`:                                                          "image /tides/m.png",
		`<picture><source type="image/x-odd" srcset=o.odd><source media="(max-width: 400px)" srcset=n.png><img src=p.png></picture>`: "image /tides/p.png",
		`<iframe src=f.html></iframe><iframe srcdoc="<img src=x.png>"></iframe>`:                                                     "page /tides/f.html, image /tides/x.png",
		`<video src=v.mp4 poster=p.png></video><video preload=none src=w.mp4></video>`:                                               "media /tides/v.mp4, image /tides/p.png, media /tides/w.mp4",
		`<div style="background: url('bg.png')"></div><style>@import "i.css"; p { background: url(q.png) }</style>`:                  "image /tides/bg.png, style /tides/i.css",
		`<video><source src=a.odd type="video/odd"><source src=b.webm><source src=c.mp4></video><body background=d.png>`:             "media /tides/b.webm, image /tides/d.png",
		`<a href="data:text/plain,x">x</a><img src="data:image/gif;base64,R0">`:                                                      "",
	} {
		assert.Equal(t, want, urls(ParseDocument(at, "", []byte(html)).References), html)
	}
}

func TestDocumentFacts(t *testing.T) {
	d := ParseDocument(at, "", []byte("\xef\xbb\xbf<!doctype html>\n<html lang=de><head><meta charset=utf-8>\n<title> "+
		"Gezeiten\n heute</title><meta name=Theme-Color content=red><link rel='icon SHORTCUT' "+
		"href=i.png></head><body><svg><title>no</title></svg><a href=../x.html#a>x</a></body></html>"))
	assert.Equal(t, "Gezeiten heute", d.Title)
	assert.Equal(t, "de", d.Lang)
	assert.True(t, d.Valid && d.Complete)
	tag, ok := d.Meta("theme-color")
	require.True(t, ok)
	assert.Equal(t, 4, tag.Line)
	require.Len(t, d.Links, 1)
	assert.Equal(t, "https://line.example/x.html", d.Links[0].URL)
	assert.Equal(t, "", ParseDocument(at, "", []byte("<p>text<link rel=manifest href=m>")).ManifestURL(),
		"text ends the head")
	assert.Equal(t, "K\u00fcste", ParseDocument(at, "text/html; charset=windows-1252",
		[]byte("<title>K\xfcste</title>")).Title)
	for text, fragment := range map[string]bool{"owner-proof: 12": true, "<p>part</p>": true, "<li>\n<headline>": true,
		"<!DOCTYPE html><p>": false, "<TITLE>x</TITLE>": false, "\xef\xbb\xbf<html>": false} {
		assert.Equal(t, fragment, ParseDocument(at, "", []byte(text)).Fragment, text)
	}
	assert.False(t, ParseDocument(at, "text/html; charset=utf-8", []byte("<title>K\xfcste</title>")).Valid)
}

// Of a script that can't be run, its text alone tells what it registers, imports and names.
func TestScriptTexts(t *testing.T) {
	const from = "https://line.example/js/a.js"
	for code, want := range map[string]string{
		`navigator.serviceWorker.register('/w.js')`:                                           "/w.js",
		`if (sw) navigator.serviceWorker?.register("w.js", {scope: './', updateViaCache: x})`: "/tides/w.js in /tides/",
		`navigator.serviceWorker.register("/w.js", {"type": "module"})`:                       "/w.js as module",
		`navigator.serviceWorker.register(url)`:                                               "?",
		"navigator.serviceWorker.register(`/${name}.js`)":                                     "?",
		`customElements.register('/w.js')`:                                                    "",
	} {
		s := ParseScript(from, at, []byte(code))
		got := ""
		for _, r := range s.Registrations {
			got += strings.TrimPrefix(r.Script, "https://line.example")
			if r.Scope != "" {
				got += " in " + strings.TrimPrefix(r.Scope, "https://line.example")
			}
			if r.Type != "classic" {
				got += " as " + r.Type
			}
		}
		for range s.UnreadRegistrations {
			got += "?"
		}
		assert.Equal(t, want, got, code)
	}
	s := ParseScript(from, from, []byte("\n  import './b.js'; export * from \"c\"; import d from './d.json' with {type: 'json'};"+
		"const f = () => fetch('t.json?v=1'); new Worker(`/w.js`); t = '5.30 pm'; u = 'https://maps.example/x.png'"))
	imports := &ImportMap{Imports: map[string]string{"c": "https://line.example/lib/c.js"}}
	assert.Equal(t, "script /js/b.js, script /lib/c.js, json /js/d.json", urls(s.At(at, imports).References))
	assert.Equal(t, []string{"c"}, s.At(at, nil).Unresolved)
	assert.Equal(t, 2, s.References[0].Line)
	assert.Subset(t, s.Addresses(at), []string{"https://line.example/tides/t.json?v=1", "https://line.example/js/t.json?v=1",
		"https://line.example/w.js", "https://maps.example/x.png"})
	assert.NotContains(t, strings.Join(s.Addresses(at), " "), "5.30")
}

func TestStyles(t *testing.T) {
	for css, want := range map[string]string{
		`@import url(a.css) screen; @import 'b.css';`:       "style /tides/a.css, style /tides/b.css",
		`a { background: URL( "x y.png" ) , url(\70.png) }`: "image /tides/x%20y.png, image /tides/p.png",
		`@font-face { font-family: A; src: local(A), url(a.eot) format("embedded-opentype"), url(a.woff2) format("woff2"), url(a.ttf) }`: "font /tides/a.woff2",
		`@font-face { font-family: B; src: url(a.ttf) } p { background: image-set("1.png" 1x, "2.png" 2x) }`:                             "font /tides/a.ttf, image /tides/1.png",
		`@namespace url(http://www.w3.org/1999/xhtml); p { fill: url(#g) } /* url(c.png) */`:                                             "",
	} {
		assert.Equal(t, want, urls(ParseStyle(at, at, []byte(css)).All()), css)
	}
}

// What most links are resolved by in a hurry comes out as the URL standard's parser has it.
func TestPlainReferences(t *testing.T) {
	bases := []string{"https://line.example/", at, "https://line.example/a/b/", "http://127.0.0.1:8300/x/y?q=1#f",
		"https://line.example/a//b"}
	refs := []string{"", "x", "x/", "../x", "../../../x", "./", ".", "..", "a/./b/../c", "/..", "/a/../b/.", "...", "a..b",
		".hidden", "/", "#f", "x#f", "a//b", "x/..", "-_.html"}
	for _, base := range bases {
		for _, ref := range refs {
			want, err := whatwg.ParseRef(base, ref)
			require.NoError(t, err)
			got, ok := Resolve(base, ref)
			require.True(t, ok)
			assert.Equal(t, want.Href(true), got, base+" "+ref)
		}
	}
}

func FuzzDocument(f *testing.F) {
	f.Add([]byte(`<base href=x><link rel=stylesheet href=a.css><style>@import url(</style><script>fetch('a')</script><img srcset=",, a 1x,b">`))
	f.Add([]byte("<a href='//['><picture><source srcset='x 0w'><img sizes='(' srcset='a -1x'>"))
	f.Fuzz(func(t *testing.T, text []byte) {
		for _, r := range ParseDocument(at, "", text).References {
			if u, err := whatwg.Parse(r.URL); err != nil || u.Href(true) != r.URL {
				t.Fatalf("%q is no URL in its normal form", r.URL)
			}
		}
	})
}

func FuzzScriptAndStyle(f *testing.F) {
	f.Add([]byte("import A from''"))
	f.Add([]byte("import a from './a.js'; fetch(`x${1}`); new Worker(new URL('w.js', import.meta.url)); " +
		"navigator.serviceWorker.register('\\x2f')"))
	f.Add([]byte("@import url(\"a\" ; @font-face{src:url(a)format(b),url(c}p{background:image-set('x' 1x)}"))
	f.Fuzz(func(t *testing.T, text []byte) {
		for _, refs := range [][]Reference{ParseScript(at, at, text).At("https://other.example/", nil).References,
			ParseStyle(at, at, text).All()} {
			for _, r := range refs {
				if !strings.HasPrefix(r.URL, "http") || r.Line < 0 || r.Column < 0 {
					t.Fatalf("%+v", r)
				}
			}
		}
	})
}
