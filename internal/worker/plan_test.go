package worker_test

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/survey"
	"tachyform/internal/testsite"
	"tachyform/internal/worker"
)

// harbour is a small site for plans: two pages, one of them behind a gate, with a picture, a style sheet and data.
var harbour = map[string]string{
	"index.html":      `<link rel=stylesheet href=/a/s.css><script>fetch('/d/now.json');fetch('/api/boats')</script>`,
	"pier/index.html": `<img src=/a/p.png>`, "offline.html": `<img src=/a/o.png>`,
	"a/s.css": "", "a/p.png": "p", "a/o.png": "o", "a/app-3f9c2b71.js": "1", "a/unused.png": "u", "d/now.json": "{}",
	"members/list.html": "",
}

func plan(t *testing.T, settings string) (*worker.Plan, error) {
	t.Helper()
	dir := t.TempDir()
	for name, text := range harbour {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	p, err := project.Parse("tachyform.yaml", []byte(settings))
	require.NoError(t, err)
	f, err := site.OpenFolder(dir, origin, "/", p.Host)
	require.NoError(t, err)
	reader := &page.Reader{}
	g, err := survey.BuildGraph(context.Background(), f, reader)
	require.NoError(t, err)
	require.NoError(t, g.Visit(context.Background(), reader, survey.Visits{}))
	return worker.NewPlan(context.Background(), p, f, g)
}

// A derived pack holds the pages and what they ask for, says why, and leaves to rules what they answer.
func TestDerivedPack(t *testing.T) {
	p, err := plan(t, `
worker:
  pack: {pages: [/, /pier/], include: [/a/app-*]}
  rules: [{match: /d/*, answer: network-first}]
  stand_ins: {page: /offline.html}
`)
	require.NoError(t, err)
	why := map[string]string{}
	for _, e := range p.Pack {
		why[e.Path] = e.Why
		assert.Equal(t, e.Path == "/a/app-3f9c2b71.js", e.Hashed, e.Path)
	}
	assert.Equal(t, map[string]string{"/": "page of /", "/pier/": "page of /pier/", "/a/s.css": "for /",
		"/a/p.png": "for /pier/", "/a/app-3f9c2b71.js": "pattern /a/app-*",
		"/offline.html": "stand-in for pages", "/a/o.png": "for the stand-in /offline.html"}, why)
}

// What is allowed and was perhaps not meant is said with its line; what can't work is an error.
func TestNotes(t *testing.T) {
	for _, c := range []struct{ settings, says string }{
		{"rules: [{match: /d/*, answer: network-first}, {match: /d/now.json, answer: cache-first}]",
			"can never match: the one for /d/* on line 2"},
		{"rules: [{match: /a/*.png, answer: cache-first}, {match: /a/p*, answer: network-first}]",
			"both match /a/p.png; the earlier"},
		{"rules: [{match: /d/now.json, answer: cache-first}, {match: /d/*, answer: network-first}]", ""},
		{"rules: [{match: /nowhere/*, answer: cache-first}]", "matches no file"},
		{"rules: [{match: /api/*, answer: network-first}]", ""},
		{"rules: [{match: /*, destination: document, answer: network-first}]", ""},
		{"pack: {include: [/a/*]}, rules: [{match: /a/*, answer: cache-first}]", "is in the pack, which answers first"},
		{"pack: {include: [/a/*], leave_out: [/b/*]}", "leaves out nothing"},
		{"never: [/d/*], rules: [{match: /d/now.json, answer: cache-first}]", "worker.never names all of it"},
		{"rules: [{match: /d/*, answer: cache-first}]}\nhosting: {headers: [{match: /d/*, set: {Set-Cookie: a=b}}]",
			"meant for one person (/d/now.json: Set-Cookie)"},
		{"pack: {include: [/d/*]}}\nhosting: {headers: [{match: /d/*, set: {Cache-Control: private}}]",
			"the pack keeps what the host marks"},
		{"pack: {include: [/]}, register: {off_on: [line.example]}", "not registered on line.example"},
		{"pack: {include: [/]}, register: {hosts: ['*.example'], off_on: [localhost]}", ""},
	} {
		p, err := plan(t, "worker: \n  {"+c.settings+"}\n")
		require.NoError(t, err, c.settings)
		var said []string
		for _, n := range p.Notes {
			said = append(said, n.Where+": "+n.What)
		}
		if c.says == "" {
			assert.Empty(t, said, c.settings)
		} else if assert.Len(t, said, 1, c.settings) {
			assert.Contains(t, said[0], c.says)
			assert.Regexp(t, `:2:\d+: `, said[0])
		}
	}
	gate := "}\nhosting: {redirects: [{match: /members/*, to: /sign-in, unless_cookie: member}]"
	for settings, says := range map[string]string{
		"pack: {include: [/members/*]}" + gate: "/members/list.html: this file of the pack " +
			"cannot be fetched at installation, so the worker could never be installed: the host sends whoever asks on to " +
			"/sign-in (302)",
		"stand_ins: {page: /members/list.html}" + gate:                      "sends whoever asks on to /sign-in",
		"pack: {include: [/a/*], budget: 3 B}":                              "over its budget of 3 B; the heaviest are",
		"pack: {pages: [/a/*]}":                                             `"/a/*" matches no page`,
		"module: none.js":                                                   "none.js cannot be read",
		"shell: {page: /app.html}":                                          "there is no file at /app.html",
		"pack: {include: [/]}, rules: [{match: '/(', answer: cache-first}]": "not a URL pattern",
		"never: ['/(']":                                                     "not a URL pattern",
	} {
		_, err := plan(t, "worker: \n  {"+settings+"}\n")
		if assert.Error(t, err, settings) {
			assert.Contains(t, strings.ReplaceAll(err.Error(), "\n", " "), says)
		}
	}
}

// Over its budget a pack is refused, or, where the project file says so, goes without the pages that are the most links
// away, and what they alone need.
func TestOverBudget(t *testing.T) {
	files := map[string]string{"index.html": "<a href=/near.html>near</a>", "alone.html": "alone",
		"near.html": "<a href=/far.html>far</a><img src=/near.png>", "far.html": "<img src=/far.png>",
		"near.png": strings.Repeat("n", 20_000), "far.png": strings.Repeat("f", 20_000)}
	planned := func(t *testing.T, settings string) (*worker.Plan, error) {
		dir := testsite.Write(t, files)
		p, err := project.Parse("tachyform.yaml", []byte(settings))
		require.NoError(t, err)
		f, err := site.OpenFolder(dir, origin, "/", p.Host)
		require.NoError(t, err)
		return worker.NewPlan(context.Background(), p, f, nil)
	}
	for budget, want := range map[string]string{
		"1 MB":  "/ /alone.html /far.html /far.png /near.html /near.png",
		"90 kB": "/ /alone.html /near.html /near.png",
		"61 kB": "/ /alone.html",
	} {
		p, err := planned(t, "worker: {pack: {pages: ['/*'], over_budget: leave-out, budget: "+budget+"}}")
		require.NoError(t, err)
		var paths []string
		for _, e := range p.Pack {
			paths = append(paths, e.Path)
		}
		assert.Equal(t, want, strings.Join(paths, " "), budget)
		pages := 0
		for _, path := range paths {
			if !strings.HasSuffix(path, ".png") {
				pages++
			}
		}
		assert.Equal(t, 4-pages, p.LeftOut, budget)
	}
	_, err := planned(t, "worker: {pack: {pages: ['/*'], budget: 30 kB}}")
	assert.ErrorContains(t, err, "over its budget of 30 kB")
	var p *problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, problem.Refused, p.Kind)
}

// The start page stays with what it cannot do without, whatever that weighs up to 25 MB; its pictures stay as far as they fit.
// A heavy page leaves room for those behind it, and a link without the slash of a folder leads to its page.
func TestHeavyStartPage(t *testing.T) {
	for _, c := range []struct {
		budget, shell, want, left, says string
		script, pages                   int
	}{
		{"200 kB", "", "/ /app.js", "/big.png /small.png", "over its budget of 200 kB: the start page needs 300.1 kB", 300_000, 3},
		{"200 kB", ", shell: {page: /}", "/ /app.js", "/big.png /small.png", "the start page needs 300.1 kB", 300_000, 3},
		{"361 kB", "", "/ /app.js /deep/", "/big.png /small.png", "", 300_000, 2},
		{"130 kB", "", "/ /app.js /deep/ /small.png", "/big.png", "", 10_000, 2},
		{"1 MB", "", "", "", "over its budget of 25 MB; the heaviest are /app.js (26 MB)", 26_000_000, 0},
	} {
		dir := testsite.Write(t, map[string]string{
			"index.html": "<a href=/heavy.html>heavy</a><a href=/deep>deep</a><img src=/big.png><img src=/small.png><script src=/app.js></script>",
			"heavy.html": strings.Repeat("h", 500_000), "deep/index.html": "deep", "zz.html": strings.Repeat("z", 90_000),
			"app.js": strings.Repeat(";", c.script), "big.png": strings.Repeat("b", 150_000), "small.png": strings.Repeat("s", 30_000),
		})
		p, err := project.Parse("tachyform.yaml", []byte("worker: {pack: {pages: ['/*'], over_budget: leave-out, budget: "+c.budget+"}"+c.shell+"}"))
		require.NoError(t, err)
		f, err := site.OpenFolder(dir, origin, "/", p.Host)
		require.NoError(t, err)
		made, err := worker.NewPlan(context.Background(), p, f, nil)
		if c.want == "" {
			assert.ErrorContains(t, err, c.says, c)
			continue
		}
		require.NoError(t, err)
		var paths, notes []string
		for _, e := range made.Pack {
			paths = append(paths, e.Path)
		}
		for _, n := range made.Notes {
			notes = append(notes, n.What)
		}
		assert.Equal(t, c.want, strings.Join(paths, " "), c)
		assert.Equal(t, c.left, strings.Join(made.FilesLeftOut, " "), c)
		assert.Equal(t, c.pages, made.LeftOut, c)
		assert.Contains(t, strings.Join(notes, "\n"), c.says, c)
		assert.Equal(t, c.says == "", len(notes) == 0, notes)
	}
}

// What visits have shown is fetched along with the pack where a rule keeps it: with the query that it was asked for with,
// from other origins, too; all takes every file of the site that the rule matches.
func TestFetchedAtInstall(t *testing.T) {
	seen := &page.Seen{Pages: map[string]*page.SeenPage{origin + "/": {URL: origin + "/", Status: 200, Requests: []page.SeenRequest{
		{URL: origin + "/d/now.json?day=1", ByScript: true, Status: 200}, {URL: "https://tiles.example/1.png", Destination: "image", ByScript: true, Status: 200}, {URL: "https://tiles.example/2.png", Destination: "image"},
		{URL: origin + "/d/lost.json", ByScript: true, Missing: true}, {URL: origin + "/api/boats", ByScript: true, Status: 200}}}}}
	for settings, want := range map[string]string{
		"{match: /d/*, answer: network-first}":                                                                       "",
		"{match: /d/*, answer: network-first, at_install: yes}":                                                      "/d/now.json?day=1",
		"{match: /d/*, answer: network-first, at_install: all}":                                                      "/d/now.json?day=1 /d/old.json",
		"{match: 'https://tiles.example/*', answer: cache-first, at_install: yes}":                                   "https://tiles.example/1.png https://tiles.example/2.png",
		"{match: 'https://photos.example/*', answer: cache-first, at_install: yes, opaque: yes, keep: {at_most: 9}}": "https://photos.example/a.css https://photos.example/b.png",
		"{match: /api/*, destination: data, answer: network-first, at_install: yes}":                                 "/api/boats",
		"{match: /api/*, destination: script, answer: network-first, at_install: yes}":                               "",
	} {
		dir := testsite.Write(t, map[string]string{"index.html": "<p>words</p><link rel=preconnect href=https://photos.example><link rel=stylesheet href=https://photos.example/a.css><style>p { background: url(https://photos.example/b.png) }</style>", "d/now.json": "{}", "d/old.json": "{}"})
		p, err := project.Parse("tachyform.yaml", []byte("worker: {pack: {pages: [/]}, rules: ["+settings+"]}"))
		require.NoError(t, err)
		f, err := site.OpenFolder(dir, origin, "/", p.Host)
		require.NoError(t, err)
		plan, err := worker.NewPlan(context.Background(), p, f, &survey.Graph{Seen: seen})
		require.NoError(t, err)
		code, err := worker.Generate(plan, worker.Options{})
		require.NoError(t, err)
		first := regexp.MustCompile(`first: (\[[^\]]*\])`).FindSubmatch(code)
		var list []string
		if first != nil {
			require.NoError(t, json.Unmarshal(first[1], &list))
		}
		assert.Equal(t, want, strings.Join(list, " "), settings)
	}
}
