package fit

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const at = "https://line.example/tides/"

var two = HeadTags{Manifest: "/m.json", ThemeColor: "#fff"}

const link, theme = `<link rel="manifest" href="/m.json">`, `<meta name="theme-color" content="#fff">`

func TestEditHead(t *testing.T) {
	for _, c := range []struct{ name, page, want string }{
		{"indented", "<html>\n<head>\n    <title>x</title>\n</head>\n", "<html>\n<head>\n    <title>x</title>\n    " + link +
			"\n    " + theme + "\n</head>\n"},
		{"Windows line ends", "<head>\r\n\t<title>x</title>\r\n</head>\r\n", "<head>\r\n\t<title>x</title>\r\n\t" + link +
			"\r\n\t" + theme + "\r\n</head>\r\n"},
		{"empty head", "<html>\n  <head>\n  </head>\n", "<html>\n  <head>\n    " + link + "\n    " + theme + "\n  </head>\n"},
		{"one line", "<head><title>x</title></head><p>", "<head><title>x</title>" + link + theme + "</head><p>"},
		{"no head tags", "<!doctype html>\n<title>x</title>\n<p>y\n", "<!doctype html>\n<title>x</title>\n" + link + "\n" +
			theme + "\n<p>y\n"},
		{"text first", "hello", link + theme + "hello"},
		{"there already", "<head>\n<link href='../m.json' rel=manifest>\n<META NAME=theme-color content=red>\n</head>",
			"<head>\n<link href='../m.json' rel=manifest>\n<META NAME=theme-color content=red>\n</head>"},
		{"another address", "<head>\n<link href='old.json' rel=manifest>\n" + theme + "\n</head>",
			"<head>\n<link href='/m.json' rel=manifest>\n" + theme + "\n</head>"},
		{"no address", "<head>\n<link rel=manifest>\n" + theme + "\n</head>",
			"<head>\n<link rel=manifest href=\"/m.json\">\n" + theme + "\n</head>"},
		{"in the body, in comments, in templates", "<head>\n<!-- " + link + " --><template>" + link +
			"</template>\n</head>\n<body>" + link, "<head>\n<!-- " + link + " --><template>" + link + "</template>\n" + link +
			"\n" + theme + "\n</head>\n<body>" + link},
		{"script that speaks of heads", "<head>\n<script>'</head>'</script>\n</head>",
			"<head>\n<script>'</head>'</script>\n" + link + "\n" + theme + "\n</head>"},
		{"templates", "<head>\n<?php if ($a->b) { ?>\n<link rel=manifest href=\"<%= m %>\">\n<?php } ?>\n  {{> head " +
			"}}\n</head>",
			"<head>\n<?php if ($a->b) { ?>\n<link rel=manifest href=\"<%= m %>\">\n<?php } ?>\n  {{> head }}\n  " + theme +
				"\n</head>"},
		{"byte order mark", "\xef\xbb\xbf<head>\n</head>\n", "\xef\xbb\xbf<head>\n  " + link + "\n  " + theme +
			"\n</head>\n"},
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

// What the project file asks for besides: dark colours, cookies for the manifest, mended names; and what it asks for
// no more goes.
func TestEditHeadFurther(t *testing.T) {
	edit := func(text string, w HeadTags, earlier ...string) string {
		e, err := EditHead([]byte(text), at, w, earlier)
		require.NoError(t, err, text)
		again, err := EditHead(e.Text, at, w, earlier)
		require.NoError(t, err, text)
		assert.Equal(t, string(e.Text), string(again.Text), "a second time")
		return string(e.Text)
	}
	both := HeadTags{ThemeColor: "#fff", DarkColor: "#000", Scheme: "light dark"}
	assert.Equal(t,
		`<head><meta name="color-scheme" content="light dark"><meta name="theme-color" media="(prefers-color-scheme: light)" content="#fff"><meta name="theme-color" media="(prefers-color-scheme: dark)" content="#000"></head>`, edit("<head></head>", both))
	assert.Equal(t, `<head>`+theme+`<meta name="color-scheme" content="light dark"></head>`,
		edit("<head>"+theme+"</head>", both), "one without a medium is for both")
	assert.Equal(t, `<link rel=manifest href=/m.json crossorigin="use-credentials">`,
		edit(`<link rel=manifest href=/m.json>`, HeadTags{Manifest: "/m.json", Credentials: true}))
	slips := `<head><meta name='theme-colour' content=red><link rel="apple-touch-icon-precomposed" href=a.png></head>`
	assert.Equal(t, `<head><meta name='theme-color' content=red><link rel="apple-touch-icon" href=a.png></head>`,
		edit(slips, HeadTags{ThemeColor: "#fff", AppleIcon: "/b.png", Mend: true}))
	e, err := EditHead([]byte(slips), at, HeadTags{}, nil)
	require.NoError(t, err)
	require.Len(t, e.Misnamed, 2)
	assert.Equal(t, "theme-color", e.Misnamed[0].Right)
	assert.True(t, e.Misnamed[1].Obsolete)
	earlier := HeadTags{ThemeColor: "#fff", Register: "/r.js", Manifest: "/m.json"}.Snippet()
	before := "<head>\n  " + strings.Join(earlier, "\n  ") + "\n</head>"
	assert.Equal(t, "<head>\n  "+link+"\n  "+`<meta name="theme-color" content="#abc">`+"\n</head>",
		edit(before, HeadTags{ThemeColor: "#abc", Manifest: "/m.json"},
			earlier...), "what an earlier fit wrote and nobody wants now goes")
}

// All bytes outside what was inserted stay, and a second edit changes nothing.
func FuzzEditHead(f *testing.F) {
	f.Add([]byte("<html>\n<head>\n  <title>x</title>\n</head>\n<body>"))
	f.Add([]byte("<head><base href=//x><link rel=manifest href='&quot;'><template></head><p>"))
	f.Fuzz(func(t *testing.T, text []byte) {
		w := HeadTags{ThemeColor: "#fff", Icon: "/i.ico", AppleIcon: "/a.png"}
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
		{"a", []byte("one"), []byte("ONE"), "page"}, {"b", []byte("two"), []byte("TWO"), "page"}, {"new/deep/c", nil,
			[]byte("THREE"), "icon"}}}
}

func files(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(path string, e os.DirEntry, err error) error {
		rel, _ := filepath.Rel(dir, path)
		if err == nil && e.Type()&os.ModeSymlink != 0 {
			out[rel] = "link"
		} else if err == nil && !e.IsDir() {
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

// state takes the state folder of a plan for the time of the test.
func state(t *testing.T, p *Plan) *State {
	t.Helper()
	s, err := OpenState(context.Background(), p.State, "test")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

func put(t *testing.T, path, text string) {
	t.Helper()
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
}

// cutOff begins a fit, or an undo of one, and leaves off after so many files.
func cutOff(t *testing.T, p *Plan, s *State, after int, undo bool) {
	t.Helper()
	site, err := openTree(p.Site)
	require.NoError(t, err)
	defer site.Close()
	name, err := relativeSite(p.State, p.Site)
	require.NoError(t, err)
	number, err := s.nextNumber()
	require.NoError(t, err)
	j, err := begin(s.root, site, name, number, p.Changes, nil)
	require.NoError(t, err)
	if undo {
		require.NoError(t, j.forward(site))
		j.State = undoing
		require.NoError(t, j.save())
	}
	for i, e := range j.Entries[:after] {
		switch {
		case !undo:
			require.NoError(t, site.exchange(e.Path, j.temporary(i), e.Before, p.Changes[i].New, e.Mode))
		case e.Before == absent:
			require.NoError(t, site.Remove(e.Path))
		default:
			require.NoError(t, site.exchange(e.Path, j.temporary(i), e.After, p.Changes[i].Old, e.Mode))
		}
	}
	// A file that was being written when the end came.
	require.NoError(t, site.create(j.temporary(0), p.Changes[0].New[:1], 0o644))
}

// Wherever a fit or an undo is cut off, the next run finishes it, and undo gives back what was there.
func TestInterrupted(t *testing.T) {
	for _, undo := range []bool{false, true} {
		for cut := range 4 {
			p := plan(t)
			before := files(t, p.Site)
			s := state(t, p)
			cutOff(t, p, s, cut, undo)
			r, err := s.Recover(p.Site)
			require.NoError(t, err)
			assert.Equal(t, []Recovered{{Undo: undo, Finished: true}}, r.Runs)
			if !undo {
				assert.Equal(t, map[string]string{"a": "ONE", "b": "TWO", "new": "/", "new/deep": "/", "new/deep/c": "THREE"},
					files(t, p.Site))
				_, err = s.Undo(p.Site)
				require.NoError(t, err)
			}
			assert.Equal(t, before, files(t, p.Site))
		}
	}
}

// A site that was built anew, whole or in part, after a fit or an undo was cut off keeps every byte of the new build.
func TestRebuiltAfterCut(t *testing.T) {
	for _, undo := range []bool{false, true} {
		for cut := range 4 {
			for _, rebuilt := range []map[string]string{{"a": "NEW", "b": "NEW", "d": "NEW"}, {"a": "NEW"}, {"b": "NEW"},
				{"new/deep/c": "NEW"}, {"a": ""}} {
				p := plan(t)
				want := files(t, p.Site)
				s := state(t, p)
				cutOff(t, p, s, cut, undo)
				for name, text := range rebuilt {
					if text == "" {
						require.NoError(t, os.Remove(filepath.Join(p.Site, name)))
						delete(want, name)
						continue
					}
					put(t, filepath.Join(p.Site, name), text)
					want[name] = text
				}
				_, err := s.Recover(p.Site)
				require.NoError(t, err)
				got := files(t, p.Site)
				for _, folder := range []string{"new", "new/deep"} {
					delete(got, folder)
				}
				assert.Equal(t, want, got, "undo %v, cut after %d, then %v", undo, cut, rebuilt)
				_, err = s.Undo(p.Site)
				assert.Error(t, err, "nothing is left to take back")
			}
		}
	}
}

func TestFailedFit(t *testing.T) {
	for name, change := range map[string]func(site string) error{
		"a file stands where a folder": func(site string) error {
			return os.WriteFile(filepath.Join(site, "new"),
				[]byte("in the way"), 0o644)
		},
		"changed while": func(site string) error {
			return os.WriteFile(filepath.Join(site, "b"),
				[]byte("meanwhile"), 0o644)
		},
		"a symbolic link": func(site string) error {
			return os.Rename(filepath.Join(site, "b"),
				filepath.Join(site, "x"))
		},
		"leads out of the site's folder": func(site string) error {
			return os.Symlink("../outside",
				filepath.Join(site, "new"))
		},
		"a folder stands there": func(site string) error { return os.MkdirAll(filepath.Join(site, "new/deep/c"), 0o755) },
	} {
		p := plan(t)
		require.NoError(t, os.Mkdir(filepath.Join(p.Site, "../outside"), 0o755))
		require.NoError(t, change(p.Site))
		if name == "a symbolic link" {
			require.NoError(t, os.Symlink("x", filepath.Join(p.Site, "b")))
		}
		before := files(t, filepath.Dir(p.Site))
		s := state(t, p)
		assert.ErrorContains(t, s.Apply(context.Background(), p), name)
		after := files(t, filepath.Dir(p.Site))
		delete(after, ".tachyform")
		delete(after, ".tachyform/lock")
		assert.Equal(t, before, after, name)
		_, err := s.Undo(p.Site)
		assert.ErrorContains(t, err, "nothing to undo", name)
	}
}

// What a build made anew since a fit is what undo gives back; from all else every fit is taken, however many there
// were.
func TestUndoAfterRebuild(t *testing.T) {
	p := plan(t)
	s := state(t, p)
	require.NoError(t, s.Apply(context.Background(), p))
	require.NoError(t, os.RemoveAll(p.Site))
	put(t, filepath.Join(p.Site, "a"), "rebuilt")
	next := &Plan{Site: p.Site, State: p.State, Changes: []Change{{"a", []byte("rebuilt"), []byte("REBUILT"), "page"}}}
	require.NoError(t, s.Apply(context.Background(), next))
	_, err := s.Undo(p.Site)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"a": "rebuilt"}, files(t, p.Site))

	p = plan(t)
	s = state(t, p)
	require.NoError(t, s.Apply(context.Background(), p))
	put(t, filepath.Join(p.Site, "a"), "rebuilt") // and nothing else: builds often write only what changed
	next = &Plan{Site: p.Site, State: p.State, Changes: []Change{{"a", []byte("rebuilt"), []byte("REBUILT"), "page"}}}
	require.NoError(t, s.Apply(context.Background(), next))
	u, err := s.Undo(p.Site)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"a": "rebuilt", "b": "two"}, files(t, p.Site))
	assert.Equal(t, []string{"a", "b", "new/deep/c"}, u.Restored)
}

// Journals may have come with somebody else's project: none leads out of the site, and what is no journal stops nobody.
func TestForeignJournals(t *testing.T) {
	one := digest([]byte("evil"))
	entry := func(path string) string {
		return `{"state":"applying","site":"site","entries":[{"path":"` + path + `","before":"","after":"` + one +
			`","mode":420}]}`
	}
	for name, text := range map[string]string{
		"000001": entry("../victim"), "000002": entry("/victim"), "000003": entry("a/../../victim"),
		"000004": strings.Replace(entry("victim"), `"site"`, `"."`, 1),
		"000005": strings.Replace(entry("x"), "entries", `folders":["../made"],"entries`,
			1), "000006": entry("out/victim"), "000007": "{", "000008": entry("x"), "odd": entry("x"),
		"000009": strings.Replace(entry("x"), "applying", "dancing", 1), "000010": strings.Replace(entry("x"), `"site":`,
			`"token":"../x","site":`, 1),
	} {
		p := plan(t)
		base := filepath.Dir(p.Site)
		require.NoError(t, os.Symlink("..", filepath.Join(p.Site, "out")))
		put(t, filepath.Join(base, "mine"), "evil")
		dir := filepath.Join(p.State, journalsName, name)
		put(t, filepath.Join(dir, journalName), text)
		put(t, filepath.Join(dir, "new/0"), "evil")
		put(t, filepath.Join(p.State, journalsName, ".DS_Store"), "")
		if name == "000008" { // the content is a link to a file of somebody's
			require.NoError(t, os.Remove(filepath.Join(dir, "new/0")))
			require.NoError(t, os.Symlink("../../../../mine", filepath.Join(dir, "new/0")))
		}
		s := state(t, p)
		_, _ = s.Recover(p.Site)
		for _, path := range []string{"victim", "made", "site/x", "site/victim"} {
			assert.NoFileExists(t, filepath.Join(base, path), name)
		}
		assert.NoError(t, s.Apply(context.Background(), p), name)
		u, err := s.Undo(p.Site)
		require.NoError(t, err, name)
		assert.Contains(t, u.Strays[0].Name, ".DS_Store")
		assert.Equal(t, map[string]string{"a": "one", "b": "two", "out": ""},
			map[string]string{"a": files(t, p.Site)["a"], "b": files(t, p.Site)["b"], "out": ""}, name)
	}
}

// One process at a time; the next says who holds the folder, and a process that is gone holds nothing.
func TestOneAtATime(t *testing.T) {
	p := plan(t)
	s := state(t, p)
	ctx, stop := context.WithTimeout(context.Background(), 100*time.Millisecond)
	defer stop()
	_, err := OpenState(ctx, p.State, "second")
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	assert.ErrorContains(t, s.held(), "tachyform test (process")
	assert.ErrorIs(t, WaitUntilFree(ctx, p.State), context.DeadlineExceeded)
	// Whoever removes the folder meanwhile, or the lock, does not let two in: the second takes the new file.
	require.NoError(t, s.Close())
	require.NoError(t, WaitUntilFree(context.Background(), p.State))
	again, err := OpenState(context.Background(), p.State, "third")
	require.NoError(t, err)
	require.NoError(t, again.Close())
	outside := t.TempDir()
	require.NoError(t, os.RemoveAll(p.State))
	require.NoError(t, os.Symlink(outside, p.State))
	_, err = OpenState(context.Background(), p.State, "fourth")
	assert.ErrorContains(t, err, "symbolic link")
}
