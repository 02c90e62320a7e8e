package project

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/problem"
	"tachyform/internal/testsite"
)

// Whatever a site calls itself, the drafted file reads back as it.
func TestDraftReadsBack(t *testing.T) {
	for _, name := range []string{
		"Skerry Line", "Pier: 7", "yes", "No", "~", "null", "12", "0x1f", "1e3", ".5", "+7", "-", "- a", "? b", "# tides",
		"a #b", "a: b", "a:", ":a",
		"'quoted'", `"quoted"`, `back\slash`, "{braces}", "[brackets]", "a, b", "&anchor", "*alias", "!tag", "|", ">", "%",
		"@a", "`a`", " a ", "a\tb", "a\nb", "a\r\nb",
		"é ü 渡し船", "ferry \U0001F6A2", "a\u2028b", "a\u0085b", "a\x7fb", "a\x01b", "\u00a0", "---", "...", "<<", "=",
		"2026-11-27", "1_000", "0o7", "off", "true",
	} {
		d := Draft{Site: "dist", Name: name, ShortName: name, Description: name, Pages: []string{"/" + name}, Entry: "/",
			ThemeColor: "#0b4f6c", OriginGuessed: true}
		p, err := Parse("f", d.Text())
		if !assert.NoError(t, err, "%q\n%s", name, d.Text()) {
			continue
		}
		assert.Equal(t, name, p.App.Text("name"), "%s", d.Text())
		assert.Equal(t, name, p.App.Text("description"))
		assert.Equal(t, []string{"/" + name}, p.Worker.Pack.Pages)
	}
}

// Each part of a draft reads back as what was found.
func TestDraftParts(t *testing.T) {
	full := Draft{Site: "../build", Origin: "https://line.example", Address: "/app/", Name: "Line", ShortName: "Line",
		Lang: "en-GB", Display: "minimal-ui", StartURL: "/app/?a=1",
		Orientation: "portrait", ThemeColor: "#fff", BackgroundColor: "#000", Master: "brand/mark.svg",
		Pages: []string{"/app/", "/app/tides/*"}, KeepWhy: "all of it is small", PageStandIn: "/app/off.html", Entry: "/app/"}
	p, err := Parse("f", full.Text())
	require.NoError(t, err)
	assert.Equal(t, "../build", p.Site)
	assert.Equal(t, "https://line.example", p.Origin)
	assert.Equal(t, "/app/", p.Addr)
	assert.Equal(t, "brand/mark.svg", p.Icons.Master)
	assert.Equal(t, "#fff", p.Icons.Backdrop)
	assert.Equal(t, full.Pages, p.Worker.Pack.Pages)
	assert.Equal(t, "/app/off.html", p.Worker.StandIns.Page)
	assert.Equal(t, "/app/*", p.Worker.Rules[0].Match)
	for name, want := range map[string]string{"lang": "en-GB", "display": "minimal-ui", "start_url": "/app/?a=1",
		"orientation": "portrait", "background_color": "#000"} {
		assert.Equal(t, want, p.App.Text(name), name)
	}
	assert.True(t, p.HasWorker())

	present := full
	present.Present, present.PresentWhy, present.Unread = "/app/sw.js", "index.html:12", true
	p, err = Parse("f", present.Text())
	require.NoError(t, err)
	assert.Equal(t, "/app/sw.js", p.Worker.Present.File)
	assert.False(t, p.HasWorker(), "none is written beside the site's own")
	assert.Contains(t, string(present.Text()), "index.html:12")
	assert.Contains(t, string(present.Text()), "cannot be read there")
	for first, budget := range map[int64]Size{0: 5_000_000, 4_000_000: 5_000_000, 5_600_000: 7_000_000, 40_000_000: 25_000_000} {
		heavy := full
		heavy.First = first
		p, err = Parse("f", heavy.Text())
		require.NoError(t, err)
		assert.Equal(t, budget, p.Worker.Pack.Budget, first)
	}
}

// The project file is found from any folder below it, and what can't be read says how to get one.
func TestFindAndLoad(t *testing.T) {
	dir := testsite.Write(t, map[string]string{FileName: "site: dist\n", "src/deep/a.js": "", "other/" +
		FileName: "site: https://line.example/\n", "broken/" + FileName: "site: [\n"})
	for from, want := range map[string]string{"": "", "src/deep": "", "other": "other", "none/at/all": ""} {
		assert.Equal(t, filepath.Join(dir, want, FileName), Find(filepath.Join(dir, from)), from)
	}
	require.NoError(t, os.Mkdir(filepath.Join(dir, "src", FileName), 0o755))
	assert.Equal(t, filepath.Join(dir, FileName), Find(filepath.Join(dir, "src")), "a folder of that name is none")
	assert.Empty(t, Find("/"))

	p, err := Load(filepath.Join(dir, FileName))
	require.NoError(t, err)
	assert.Equal(t, filepath.Join(dir, "dist"), p.SiteDir())
	assert.Equal(t, dir, p.Dir)
	p, err = Load(filepath.Join(dir, "other", FileName))
	require.NoError(t, err)
	assert.Equal(t, "https://line.example/", p.SiteDir(), "an address is none of a folder's")
	assert.Empty(t, Default("").SiteDir())
	abs := filepath.Join(dir, "x")
	assert.Equal(t, abs, Default(abs).SiteDir())

	for path, mend := range map[string]string{"nowhere.yaml": "tachyform init SITE writes one",
		"src": "check the path given with --project"} {
		_, err := Load(filepath.Join(dir, path))
		var wrong *problem.Problem
		require.ErrorAs(t, err, &wrong, path)
		assert.Equal(t, mend, wrong.Mend, path)
		assert.Equal(t, problem.Usage, wrong.Kind)
	}
	_, err = Load(filepath.Join(dir, "broken", FileName))
	require.Error(t, err)
	assert.Contains(t, err.Error(), FileName+":1", "the place is in the file that was named")
}

// Sizes and times as people write them, and as they are written back.
func TestAmounts(t *testing.T) {
	for text, want := range map[string]Size{"0": 0, "12": 12, "12 B": 12, "3 kB": 3000, "1.5 MB": 1_500_000,
		"2 GB": 2_000_000_000, "3kB": 3000} {
		got, err := parseSize(text)
		if assert.NoError(t, err, text) {
			assert.Equal(t, want, got, text)
		}
	}
	for _, text := range []string{"", "MB", "-1 MB", "1 MiB", "1 mb x", "NaN", "Inf MB", "1e400 GB", "one MB", "0x10"} {
		_, err := parseSize(text)
		assert.Error(t, err, text)
	}
	for size, want := range map[Size]string{0: "0 B", 999: "999 B", 1000: "1 kB", 1250: "1.2 kB", 999_949: "999.9 kB",
		1_500_000: "1.5 MB", 2_000_000_000: "2 GB"} {
		assert.Equal(t, want, size.String())
	}
	for text, want := range map[string]time.Duration{"3s": 3 * time.Second, "1500ms": 1500 * time.Millisecond,
		"2m": 2 * time.Minute, "1h": time.Hour, "1d": 24 * time.Hour, "0.5s": 500 * time.Millisecond} {
		got, err := parseDuration(text)
		if assert.NoError(t, err, text) {
			assert.Equal(t, want, time.Duration(got), text)
			again, err := parseDuration(got.String())
			require.NoError(t, err, got.String())
			assert.Equal(t, got, again, "%s is written as %s", text, got)
		}
	}
	for _, text := range []string{"", "3", "3 sec", "-1s", "s", "1.2.3s", "NaNs"} {
		_, err := parseDuration(text)
		assert.Error(t, err, text)
	}
}

// Members keep their order, whatever is set when, and say so in JSON.
func TestMembers(t *testing.T) {
	var m Members
	m.Set("name", "Line")
	m.Set("icons", []any{map[string]any{"src": "a<b>.png"}})
	m.Set("prefer_related_applications", false)
	m.Set("name", "Skerry Line")
	text, err := json.Marshal(m)
	require.NoError(t, err)
	assert.JSONEq(t, `{"name":"Skerry Line","icons":[{"src":"a<b>.png"}],"prefer_related_applications":false}`,
		string(text))
	assert.Less(t, bytes.Index(text, []byte("name")), bytes.Index(text, []byte("icons")),
		"in the order in which they were set first")
	assert.Empty(t, m.Text("icons"), "a list is no text")
	assert.Equal(t, "Skerry Line", m.Text("name"))
	_, there := m.Get("scope")
	assert.False(t, there)
	plain, err := PlainJSON("a<b>&c")
	require.NoError(t, err)
	assert.Equal(t, `"a<b>&c"`, string(plain), "signs stay as they are")
}
