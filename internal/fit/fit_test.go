package fit

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const at = "https://line.example/tides/"

var two = Wanted{Manifest: "/m.json", ThemeColor: "#fff"}

const link, theme = `<link rel="manifest" href="/m.json">`, `<meta name="theme-color" content="#fff">`

func TestEditHead(t *testing.T) {
	for _, c := range []struct{ name, page, want string }{
		{"indented", "<html>\n<head>\n    <title>x</title>\n</head>\n", "<html>\n<head>\n    <title>x</title>\n    " + link + "\n    " + theme + "\n</head>\n"},
		{"Windows line ends", "<head>\r\n\t<title>x</title>\r\n</head>\r\n", "<head>\r\n\t<title>x</title>\r\n\t" + link + "\r\n\t" + theme + "\r\n</head>\r\n"},
		{"empty head", "<html>\n  <head>\n  </head>\n", "<html>\n  <head>\n    " + link + "\n    " + theme + "\n  </head>\n"},
		{"one line", "<head><title>x</title></head><p>", "<head><title>x</title>" + link + theme + "</head><p>"},
		{"no head tags", "<!doctype html>\n<title>x</title>\n<p>y\n", "<!doctype html>\n<title>x</title>\n" + link + "\n" + theme + "\n<p>y\n"},
		{"text first", "hello", link + theme + "hello"},
		{"there already", "<head>\n<link href='../m.json' rel=manifest>\n<META NAME=theme-color content=red>\n</head>", "<head>\n<link href='../m.json' rel=manifest>\n<META NAME=theme-color content=red>\n</head>"},
		{"another address", "<head>\n<link href='old.json' rel=manifest>\n" + theme + "\n</head>", "<head>\n<link href='/m.json' rel=manifest>\n" + theme + "\n</head>"},
		{"no address", "<head>\n<link rel=manifest>\n" + theme + "\n</head>", "<head>\n<link rel=manifest href=\"/m.json\">\n" + theme + "\n</head>"},
		{"in the body, in comments, in templates", "<head>\n<!-- " + link + " --><template>" + link + "</template>\n</head>\n<body>" + link, "<head>\n<!-- " + link + " --><template>" + link + "</template>\n" + link + "\n" + theme + "\n</head>\n<body>" + link},
		{"script that speaks of heads", "<head>\n<script>'</head>'</script>\n</head>", "<head>\n<script>'</head>'</script>\n" + link + "\n" + theme + "\n</head>"},
		{"templates", "<head>\n<?php if ($a->b) { ?>\n<link rel=manifest href=\"<%= m %>\">\n<?php } ?>\n  {{> head }}\n</head>", "<head>\n<?php if ($a->b) { ?>\n<link rel=manifest href=\"<%= m %>\">\n<?php } ?>\n  {{> head }}\n  " + theme + "\n</head>"},
		{"byte order mark", "\xef\xbb\xbf<head>\n</head>\n", "\xef\xbb\xbf<head>\n  " + link + "\n  " + theme + "\n</head>\n"},
	} {
		got, err := EditHead([]byte(c.page), at, two, nil)
		require.NoError(t, err, c.name)
		assert.Equal(t, c.want, string(got.Text), c.name)
		again, err := EditHead(got.Text, at, two, nil)
		require.NoError(t, err, c.name)
		assert.Equal(t, string(got.Text), string(again.Text), c.name+", a second time")
	}
	for _, bad := range []string{"<head><title>x</title><link rel=", "<head><!-- ", "<head><script>x", "\xff\xfe<\x00"} {
		_, err := EditHead([]byte(bad), at, two, nil)
		assert.Error(t, err, bad)
	}
}

// What the project file asks for besides: dark colours, cookies for the manifest, mended names; and what it asks for no more goes.
func TestEditHeadFurther(t *testing.T) {
	edit := func(text string, w Wanted, earlier ...string) string {
		e, err := EditHead([]byte(text), at, w, earlier)
		require.NoError(t, err, text)
		again, err := EditHead(e.Text, at, w, earlier)
		require.NoError(t, err, text)
		assert.Equal(t, string(e.Text), string(again.Text), "a second time")
		return string(e.Text)
	}
	both := Wanted{ThemeColor: "#fff", DarkColor: "#000", Scheme: "light dark"}
	assert.Equal(t, `<head><meta name="color-scheme" content="light dark"><meta name="theme-color" media="(prefers-color-scheme: light)" content="#fff"><meta name="theme-color" media="(prefers-color-scheme: dark)" content="#000"></head>`, edit("<head></head>", both))
	assert.Equal(t, `<head>`+theme+`<meta name="color-scheme" content="light dark"></head>`, edit("<head>"+theme+"</head>", both), "one without a medium is for both")
	assert.Equal(t, `<link rel=manifest href=/m.json crossorigin="use-credentials">`, edit(`<link rel=manifest href=/m.json>`, Wanted{Manifest: "/m.json", Credentials: true}))
	slips := `<head><meta name='theme-colour' content=red><link rel="apple-touch-icon-precomposed" href=a.png></head>`
	assert.Equal(t, `<head><meta name='theme-color' content=red><link rel="apple-touch-icon" href=a.png></head>`, edit(slips, Wanted{ThemeColor: "#fff", AppleIcon: "/b.png", Mend: true}))
	e, err := EditHead([]byte(slips), at, Wanted{}, nil)
	require.NoError(t, err)
	require.Len(t, e.Misnamed, 2)
	assert.Equal(t, "theme-color", e.Misnamed[0].Right)
	assert.True(t, e.Misnamed[1].Obsolete)
	earlier := Wanted{ThemeColor: "#fff", Register: "/r.js", Manifest: "/m.json"}.Snippet()
	before := "<head>\n  " + strings.Join(earlier, "\n  ") + "\n</head>"
	assert.Equal(t, "<head>\n  "+link+"\n  "+`<meta name="theme-color" content="#abc">`+"\n</head>", edit(before, Wanted{ThemeColor: "#abc", Manifest: "/m.json"}, earlier...), "what an earlier fit wrote and nobody wants now goes")
}

// All bytes outside what was inserted stay, and a second edit changes nothing.
func FuzzEditHead(f *testing.F) {
	f.Add([]byte("<html>\n<head>\n  <title>x</title>\n</head>\n<body>"))
	f.Add([]byte("<head><base href=//x><link rel=manifest href='&quot;'><template></head><p>"))
	f.Fuzz(func(t *testing.T, text []byte) {
		w := Wanted{ThemeColor: "#fff", Icon: "/i.ico", AppleIcon: "/a.png"}
		first, err := EditHead(text, at, w, nil)
		if err != nil {
			return
		}
		once := first.Text
		rest := once
		for _, l := range w.Snippet() {
			if i := bytes.Index(rest, []byte(l)); i >= 0 && !bytes.Contains(text, []byte(l)) {
				rest = append(bytes.Clone(rest[:i]), rest[i+len(l):]...)
			}
		}
		if strip(rest) != strip(text) {
			t.Fatalf("other bytes changed: %q to %q", text, once)
		}
		twice, err := EditHead(once, at, w, nil)
		if err != nil || !bytes.Equal(once, twice.Text) {
			t.Fatalf("a second edit changes %q to %q (%v)", once, twice.Text, err)
		}
	})
}

func strip(b []byte) string {
	return strings.NewReplacer("\n", "", "\r", "", " ", "", "\t", "").Replace(string(b))
}

// plan makes a site folder with two files and changes to three.
func plan(t *testing.T) *Plan {
	t.Helper()
	dir := t.TempDir()
	site := filepath.Join(dir, "site")
	require.NoError(t, os.MkdirAll(site, 0o755))
	for name, text := range map[string]string{"a": "one", "b": "two"} {
		require.NoError(t, os.WriteFile(filepath.Join(site, name), []byte(text), 0o600))
	}
	return &Plan{Site: site, State: filepath.Join(dir, ".tachyform"), Changes: []Change{
		{"a", []byte("one"), []byte("ONE"), "page"}, {"b", []byte("two"), []byte("TWO"), "page"}, {"new/deep/c", nil, []byte("THREE"), "icon"}}}
}

func files(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, e os.DirEntry, err error) error {
		rel, _ := filepath.Rel(dir, path)
		if err == nil && !e.IsDir() {
			var text []byte
			text, err = os.ReadFile(path)
			out[rel] = string(text)
		} else if rel != "." {
			out[rel] = "/"
		}
		return err
	}))
	return out
}

// Wherever a fit is cut off, the next run finishes it, and undo gives back what was there.
func TestInterruptedFit(t *testing.T) {
	for cut := range 4 {
		p := plan(t)
		before := files(t, p.Site)
		j, err := begin(p.State, p.Site, p.Changes, nil)
		require.NoError(t, err)
		for i, e := range j.Entries[:min(cut, 3)] { // only so many files were moved into place
			require.NoError(t, os.MkdirAll(filepath.Dir(j.target(e)), 0o755))
			require.NoError(t, replace(j.target(e), p.Changes[i].New, e.Mode))
		}
		said, err := Recover(p.State)
		require.NoError(t, err)
		assert.NotEmpty(t, said)
		assert.Equal(t, "THREE", files(t, p.Site)["new/deep/c"])
		_, err = Undo(p.State, p.Site)
		require.NoError(t, err)
		assert.Equal(t, before, files(t, p.Site))
	}
}

func TestFailedFit(t *testing.T) {
	p := plan(t)
	require.NoError(t, os.WriteFile(filepath.Join(p.Site, "new"), []byte("in the way"), 0o644)) // a file where a folder has to be
	before := files(t, p.Site)
	assert.Error(t, p.Apply(context.Background()))
	assert.Equal(t, before, files(t, p.Site))
	_, err := Undo(p.State, p.Site)
	assert.Error(t, err)

	p = plan(t)
	require.NoError(t, os.WriteFile(filepath.Join(p.Site, "b"), []byte("changed meanwhile"), 0o644))
	before = files(t, p.Site)
	assert.ErrorContains(t, p.Apply(context.Background()), "changed while")
	assert.Equal(t, before, files(t, p.Site))
}

// After a rebuild the files that it made anew are what undo gives back.
func TestUndoAfterRebuild(t *testing.T) {
	p := plan(t)
	require.NoError(t, p.Apply(context.Background()))
	require.NoError(t, os.RemoveAll(p.Site))
	require.NoError(t, os.MkdirAll(p.Site, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(p.Site, "a"), []byte("rebuilt"), 0o644))
	next := &Plan{Site: p.Site, State: p.State, Changes: []Change{{"a", []byte("rebuilt"), []byte("REBUILT"), "page"}}}
	require.NoError(t, next.Apply(context.Background()))
	_, err := Undo(p.State, p.Site)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"a": "rebuilt"}, files(t, p.Site))
}
