package page

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What scripts add to their page, as far as their text tells.
func TestMade(t *testing.T) {
	const base = "https://pier.example/isles/"
	cases := []struct{ name, script, asks, tags string }{
		{"by properties", `const s = document.createElement('script'); s.src = 'a.js'; document.body.append(s)`,
			"script /isles/a.js", "script"},
		{"by setAttribute",
			`let l = document.createElement("LINK"); l.setAttribute('rel', 'stylesheet'); l.setAttribute('href', '/a.css'); document.head.appendChild(l)`, "style /a.css", "link"},
		{"by assign", "document.head.append(Object.assign(document.createElement('link'), { rel: 'manifest', href: " +
			"'/m.json' }))", "", "link"},
		{"as a module",
			`var s = document.createElement('script'); s.type = 'module'; s.src = '/a.mjs'; document.head.insertBefore(s, null)`,
			"script module /a.mjs", "script"},
		{"never placed", `const s = document.createElement('script'); s.src = '/a.js'`, "", ""},
		{"a picture needs no place", `new Image().src = '/a.png'; const i = new Image(); i.src = '/b.png'`,
			"image /a.png, image /b.png", "img img"},
		{"an address that only running tells",
			`const s = document.createElement('script'); s.src = '/' + name; document.body.append(s)`, "", "script"},
		{"a variable used anew",
			`let s = document.createElement('script'); s.src = '/a.js'; document.body.append(s); s = document.createElement('script'); s.src = '/b.js'; document.body.append(s)`, "script /a.js, script /b.js", "script script"},
		{"written", `document.write('<script src="/a.js"><\/script><p>Pier')`, "script /a.js", "script p"},
		{"inserted, where scripts do not run",
			`document.head.insertAdjacentHTML('beforeend', '<script src=/a.js></script><link rel=stylesheet href=/a.css>')`,
			"style /a.css", "link"},
		{"when somebody clicks",
			`b.addEventListener('click', () => { const s = document.createElement('script'); s.src = '/a.js'; document.body.append(s) })`, "", ""},
		{"when the page has come",
			`addEventListener('load', () => { const s = document.createElement('script'); s.src = '/a.js'; document.body.append(s) })`, "script /a.js", "script"},
		{"not for a data address", `const i = new Image(); i.src = 'data:image/gif;base64,AA'`, "", "img"},
	}
	for _, c := range cases {
		s := ParseScript(base+"s.js", base, []byte(c.script)).At(base, nil)
		require.True(t, s.Valid, c.name)
		var asks, tags []string
		for _, r := range s.References {
			kind := r.Destination
			if r.Module {
				kind += " module"
			}
			asks = append(asks, string(kind)+" "+strings.TrimPrefix(r.URL, "https://pier.example"))
			assert.True(t, r.Runs, c.name)
		}
		for _, m := range s.Made {
			tags = append(tags, m.Name)
		}
		assert.Equal(t, c.asks, strings.Join(asks, ", "), c.name)
		assert.Equal(t, c.tags, strings.Join(tags, " "), c.name)
	}
}

func TestManifestByScript(t *testing.T) {
	for script, want := range map[string]string{
		`document.querySelector('link[rel="manifest"]').href = '/other.json'`:                                          "https://pier.example/other.json",
		`const l = document.getElementById('m'); l.setAttribute('href', 'other.json')`:                                 "https://pier.example/other.json",
		`const l = document.createElement('link'); l.rel = 'manifest'; l.href = '/late.json'; document.head.append(l)`: "https://pier.example/m.json",
		`document.querySelector('#m').href = '/' + where`:                                                              "https://pier.example/m.json",
		`b.addEventListener('click', () => { document.querySelector('link[rel=manifest]').href = '/other.json' })`:     "https://pier.example/m.json",
		`document.querySelector('head link[rel=manifest]'); document.querySelector('#n').href = '/other.json'`:         "https://pier.example/m.json",
	} {
		d := ParseDocument("https://pier.example/", "text/html", []byte(`<link rel=manifest id=m href=/m.json><script>`+
			script+`</script>`))
		s := d.Scripts[0]
		assert.Equal(t, want, d.With(s.Made, s.Changed).ManifestURL(), script)
	}
}

func TestParseRefresh(t *testing.T) {
	const base = "https://pier.example/a/"
	for content, want := range map[string]string{
		"0; url=b.html": "0s https://pier.example/a/b.html", "3": "3s https://pier.example/a/",
		" 1.5 , URL = '/b' x": "1s https://pier.example/b",
		"0;/b":                "0s https://pier.example/b", `2;url="/b`: "2s https://pier.example/b",
		".5;url=/b": "0s https://pier.example/b", "0 /b": "0s https://pier.example/b",
		"soon; url=/b": "", "": "", "5x": "", "0; url=mailto:pier": "",
	} {
		got := ""
		if r, ok := ParseRefresh(base, content); ok {
			got = r.After.Round(time.Second).String() + " " + r.URL
		}
		assert.Equal(t, want, got, content)
	}
}

// What never runs on the page's origin asks for nothing; what waits for a hand is told apart.
func TestConditions(t *testing.T) {
	for script, want := range map[string]string{
		`if (location.protocol === 'http:') fetch('/a')`:                                             "",
		`if (location.hostname !== 'localhost') { fetch('/a') } else { fetch('/b') }`:                "/a",
		`if ('serviceWorker' in navigator && window.isSecureContext) fetch('/a')`:                    "/a",
		`if (!('serviceWorker' in navigator)) fetch('/a')`:                                           "",
		`if (!navigator.serviceWorker || location.host != 'pier.example') throw 1; else fetch('/a')`: "/a",
		`(function () { if (location.hostname.endsWith('.example')) return; fetch('/a') })()`:        "",
		`(() => { if (location.hostname.endsWith('.test')) { return } fetch('/a') })()`:              "/a",
		`['localhost', '127.0.0.1'].includes(location.hostname) || fetch('/a')`:                      "/a",
		`location.port === '' ? fetch('/a') : fetch('/b')`:                                           "/a",
		`document.location.origin == 'https://pier.example' && fetch('/a'); false && fetch('/b')`:    "/a",
		`if (location.pathname === '/x') fetch('/a')`:                                                "/a",
		`if (navigator.onLine) fetch('/a')`:                                                          "/a",
		`(() => { return; fetch('/a'); function f() { fetch('/b') } })()`:                            "/b",
		`b.onclick = () => fetch('/a'); window.onload = () => fetch('/b')`:                           "by hand /a, /b",
		`b.addEventListener('click', () => { fetch('/a') }); fetch('/b'); import('./c.js')`:          "by hand /a, /b, /c.js",
		`b.addEventListener('click', () => navigator.serviceWorker.register('/w.js'))`:               "",
		`navigator.serviceWorker.addEventListener('controllerchange', () => fetch('/a'))`:            "/a",
	} {
		s := ParseScript("https://pier.example/s.js", "https://pier.example/", []byte(script))
		require.True(t, s.Valid, script)
		var got []string
		for _, r := range s.References {
			text := strings.TrimPrefix(r.URL, "https://pier.example")
			if r.ByHand {
				text = "by hand " + text
			}
			got = append(got, text)
		}
		assert.Equal(t, want, strings.Join(got, ", "), script)
		assert.Empty(t, s.Registrations, script)
	}
}

// What pages tell a waiting worker, and whether they load themselves anew when it has taken over.
func TestTells(t *testing.T) {
	const listen = "navigator.serviceWorker.addEventListener('controllerchange', () => "
	cases := []struct {
		script, tells    string
		reloads, guarded bool
	}{
		{`r.waiting.postMessage({ type: 'go', n: 1, deep: [true, null] })`, `{"deep":[true,null],"n":1,"type":"go"}`, false,
			false},
		{`const tell = (w) => w.postMessage('go')`, `"go"`, false, false},
		{`navigator.serviceWorker.controller.postMessage('hello')`, "", false, false},
		{`window.postMessage('x'); port.postMessage('y'); frame.contentWindow.postMessage('z')`, "", false, false},
		{`r.waiting.postMessage({ at: Date.now() })`, "", false, false},
		{`b.addEventListener('click', () => r.waiting.postMessage('go'))`, "", false, false},
		{listen + `location.reload())`, "", true, false},
		{`let once; ` + listen + `{ if (once) return; once = 1; window.location.reload() })`, "", true, false},
		{`const had = !!navigator.serviceWorker.controller; ` + listen + `{ if (had) location.reload() })`, "", true, true},
		{`const had = navigator.serviceWorker.controller; ` + listen + `had && location.reload())`, "", true, true},
		{`b.onclick = () => location.reload()`, "", false, false},
	}
	for _, c := range cases {
		s := ParseScript("https://pier.example/s.js", "https://pier.example/", []byte(c.script))
		require.True(t, s.Valid, c.script)
		assert.Equal(t, c.tells, strings.Join(s.Tells, " "), c.script)
		assert.Equal(t, []bool{c.reloads, c.guarded}, []bool{s.Reloads, s.GuardedReload}, c.script)
	}
	s := ParseScript("https://pier.example/s.js", "https://pier.example/", []byte(listen+"fetch('/late'))"))
	assert.True(t, s.References[0].AfterChange)
}
