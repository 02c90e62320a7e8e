package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/testsite"
	"tachyform/internal/testsite/demo"
)

// program is the built program that the tests drive.
var program string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "tachyform-test-")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "tachyform")
	build := exec.Command("go", "build", "-o", program, "tachyform/cmd/tachyform")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		panic(string(out))
	}
	status := m.Run()
	os.RemoveAll(dir)
	os.Exit(status)
}

type outcome struct {
	status   int
	out, err string
}

// run starts the program in a folder.
func run(t *testing.T, dir string, args ...string) outcome {
	t.Helper()
	c := exec.Command(program, args...)
	c.Dir = dir
	var out, errOut bytes.Buffer
	c.Stdout, c.Stderr = &out, &errOut
	err := c.Run()
	if _, exited := err.(*exec.ExitError); err != nil && !exited {
		t.Fatal(err)
	}
	text := errOut.String() + out.String()
	assert.NotContains(t, text, "goroutine ", "a stack trace")
	assert.NotContains(t, text, "\x1b[", "colours although nobody looks")
	return outcome{c.ProcessState.ExitCode(), out.String(), errOut.String()}
}

// write puts files into a new folder.
func write(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, text := range files {
		path := filepath.Join(dir, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o644))
	}
	return dir
}

const pierPage = "<!doctype html>\n<html lang=\"en\">\n<head>\n  " +
	"<title>Pier</title>\n</head>\n<body><p>Pier</p></body>\n</html>\n"

func pictureOf(w, h int) string {
	var b bytes.Buffer
	png.Encode(&b, image.NewGray(image.Rect(0, 0, w, h)))
	return b.String()
}

// On a folder of one's own: init, fit, rehearse, audit, undo.
func TestOwnSite(t *testing.T) {
	dir := write(t, map[string]string{"dist/index.html": pierPage, "dist/far/away.html": pierPage,
		"dist/offline.html": pierPage, "brand/mark.png": pictureOf(512, 512)})
	before := testsite.Tree(t, filepath.Join(dir, "dist"))

	r := run(t, dir, "survey", "dist", "--format", "json")
	require.Equal(t, 0, r.status, r.err)
	var s struct{ Pages, Files int }
	require.NoError(t, json.Unmarshal([]byte(r.out), &s))
	assert.Equal(t, 3, s.Pages)

	r = run(t, dir, "audit", "dist")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "NOT READY")

	r = run(t, dir, "init", "dist", "--name", "Pier 7: times", "--master", "brand/mark.png", "--theme-color", "#0b4f6c",
		"--origin", "https://pier.example")
	require.Equal(t, 0, r.status, r.err)
	r = run(t, dir, "fit")
	require.Equal(t, 0, r.status, r.err)
	r = run(t, dir, "fit")
	assert.Contains(t, r.out, "Nothing to do")
	r = run(t, dir, "rehearse", "--format", "json")
	require.Equal(t, 0, r.status, r.err)
	assert.NotContains(t, r.out, "lost")
	r = run(t, dir, "audit", "--report", "html=report.html")
	assert.Equal(t, 0, r.status, r.out)
	assert.Contains(t, r.out, "READY")
	assert.FileExists(t, filepath.Join(dir, "report.html"))
	r = run(t, filepath.Join(dir, "dist", "far"), "undo") // the project file is found by walking up
	require.Equal(t, 0, r.status, r.err)
	assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")))

	r = run(t, dir, "fit")
	require.Equal(t, 0, r.status, r.err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "dist/index.html"), []byte("changed"), 0o644))
	r = run(t, dir, "undo")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "index.html")
}

// Each mistake gets one message that says what, where and how to mend it, the right status, and leaves everything as
// it was.
func TestBadInput(t *testing.T) {
	good := "site: dist\norigin: https://pier.example\napp: {name: Pier}\nworker: {pack: {include: [/*]}}\n"
	with := func(extra map[string]string) map[string]string {
		files := map[string]string{"tachyform.yaml": good, "dist/index.html": pierPage}
		for k, v := range extra {
			files[k] = v
		}
		return files
	}
	cases := []struct {
		name   string
		files  map[string]string
		args   string
		status int
		says   []string
	}{
		{"no such folder", nil, "survey nowhere", 3, []string{"nowhere", "no such folder", "build"}},
		{"empty folder", map[string]string{"dist/.keep/x": ""}, "survey dist/.keep/none", 3, []string{"no such folder"}},
		{"no HTML", map[string]string{"dist/readme.txt": "x"}, "audit dist", 3, []string{"no HTML page", "index.html"}},
		{"a file", map[string]string{"page.html": pierPage}, "survey page.html", 3, []string{"This is a file"}},
		{"a project's root", map[string]string{"package.json": "{}", "index.html": pierPage, "dist/index.html": pierPage},
			"survey .", 3, []string{"root of a project", "dist"}},
		{"sources", map[string]string{"src/package.json": "{}",
			"src/index.html": `<script type="module" src="/src/main.tsx"></script>`, "src/build/index.html": pierPage},
			"audit src", 3, []string{"sources", filepath.Join("src", "build")}},
		{"no build yet", map[string]string{"package.json": "{}", "src/main.js": ""}, "fit .", 3,
			[]string{"root of a project", "build the project"}},
		{"fit before init", map[string]string{"dist/index.html": pierPage}, "fit dist", 2,
			[]string{"tachyform.yaml", "tachyform init dist"}},
		{"nowhere to write", with(map[string]string{".tachyform": "in the way"}), "fit", 3,
			[]string{".tachyform", "untouched", "can be written to"}},
		{"no site named", nil, "audit", 2, []string{"no site", "tachyform survey dist"}},
		{"unknown command", nil, "adit", 2, []string{"adit", "audit"}},
		{"unknown option", nil, "audit --fomat json", 2, []string{"--fomat"}},
		{"bad option value", with(nil), "audit --format yaml", 2, []string{"yaml", "json"}},
		{"bad condition", with(nil), "rehearse --under ofline", 2, []string{"ofline", "offline"}},
		{"wrong key", with(map[string]string{"tachyform.yaml": good + "  takover: ask\n"}), "fit", 2,
			[]string{"tachyform.yaml:5", ""}},
		{"misspelt key", with(map[string]string{"tachyform.yaml": "site: dist\naudt: {}\n"}), "fit", 2,
			[]string{"tachyform.yaml:2:1", "audt", "audit"}},
		{"wrong type", with(map[string]string{"tachyform.yaml": "site: [dist]\n"}), "fit", 2,
			[]string{"tachyform.yaml:1:7", "takes text"}},
		{"wrong value", with(map[string]string{"tachyform.yaml": "site: dist\nworker: {takeover: asks}\n"}), "fit", 2,
			[]string{"asks", "did you mean ask"}},
		{"not YAML", with(map[string]string{"tachyform.yaml": "site: [dist\n"}), "fit", 2,
			[]string{"tachyform.yaml", "YAML"}},
		{"no name", with(map[string]string{"tachyform.yaml": "site: dist\n"}), "fit", 2, []string{"app.name"}},
		{"nothing matches", with(map[string]string{"tachyform.yaml": strings.Replace(good, "/*", "/asets/*", 1)}), "fit", 2,
			[]string{"/asets/*", "matches no file"}},
		{"over budget", with(map[string]string{"tachyform.yaml": strings.Replace(good, "[/*]", "[/*], budget: 10 B", 1)}),
			"fit", 1, []string{"budget", "heaviest"}},
		{"not UTF-8", with(map[string]string{"dist/old.html": "<html><body><p>K\xfcste</p></body></html>"}), "fit", 3,
			[]string{"old.html", "UTF-8", "0xfc"}},
		{"truncated", with(map[string]string{"dist/cut.html": "<html><head><title>Cut</title><link rel=\"styl"}), "fit", 3,
			[]string{"cut.html", "middle of a tag"}},
		{"UTF-16", with(map[string]string{"dist/wide.html": "\xff\xfe<\x00p\x00"}), "fit", 3,
			[]string{"wide.html", "UTF-16"}},
		{"no master", with(map[string]string{"tachyform.yaml": good + "icons: {master: none.png}\n"}), "fit", 3,
			[]string{"none.png", "icons.master"}},
		{"broken master", with(map[string]string{"tachyform.yaml": good +
			"icons: {master: m.png}\n", "m.png": pictureOf(600, 600)[:200]}), "fit", 3, []string{"m.png", "damaged"}},
		{"tiny master", with(map[string]string{"tachyform.yaml": good +
			"icons: {master: m.png}\n", "m.png": pictureOf(64, 64)}), "fit", 3, []string{"64 by 64", "512"}},
		{"giant master", with(map[string]string{"tachyform.yaml": good + "icons: {master: m.png}\n", "m.png": giantPNG()}),
			"fit", 3, []string{"too many", "1024"}},
		{"no picture", with(map[string]string{"tachyform.yaml": good + "icons: {master: m.png}\n", "m.png": "hello"}), "fit",
			3, []string{"not a picture"}},
		{"SVG with text", with(map[string]string{"tachyform.yaml": good +
			"icons: {master: m.svg}\n", "m.svg": "<svg viewBox=\"0 0 9 9\">\n<text>S</text></svg>"}), "fit", 3,
			[]string{"m.svg:2", "<text>", "outlines"}},
		{"stand-in not there", with(map[string]string{"tachyform.yaml": strings.Replace(good, "worker: {",
			"worker: {stand_ins: {page: /off.html}, ", 1)}), "fit", 2, []string{"/off.html"}},
		{"init twice", with(nil), "init dist", 2, []string{"already", "--replace"}},
		{"nothing to undo", with(nil), "undo", 2, []string{"nothing to undo"}},
		{"nothing listens", nil, "audit http://127.0.0.1:9/", 3, []string{"Nothing answers", "start the server"}},
		{"fit on a live site", nil, "fit http://127.0.0.1:9/", 2, []string{"folder"}},
		{"report of unknown kind", with(nil), "audit --report pdf=x.pdf", 2, []string{"pdf"}},
		{"report nowhere", with(nil), "audit --report html=/dev/null/x.html", 3, []string{"/dev/null/x.html"}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			dir := write(t, c.files)
			before := testsite.Tree(t, dir)
			r := run(t, dir, strings.Fields(c.args)...)
			assert.Equal(t, c.status, r.status, r.err)
			for _, s := range c.says {
				assert.Contains(t, strings.Join(strings.Fields(r.err), " "), s)
			}
			assert.Equal(t, before, testsite.Tree(t, dir), "something was written")
		})
	}
}

// giantPNG claims 60 000 by 60 000 pixels in a few bytes.
func giantPNG() string {
	data := []byte(pictureOf(600, 600))
	copy(data[16:24], []byte{0, 0, 0xea, 0x60, 0, 0, 0xea, 0x60})
	// The header's checksum has to fit, or the decoder stops there.
	copy(data[29:33], crc(data[12:29]))
	return string(data)
}

func crc(b []byte) []byte {
	c := ^uint32(0)
	for _, x := range b {
		c ^= uint32(x)
		for range 8 {
			c = c>>1 ^ 0xedb88320&-(c&1)
		}
	}
	c = ^c
	return []byte{byte(c >> 24), byte(c >> 16), byte(c >> 8), byte(c)}
}

// A worker that never ends or eats memory is a finding, not a hang.
func TestHostileWorkers(t *testing.T) {
	register := strings.Replace(pierPage, "</head>", "<script>navigator.serviceWorker.register('/w.js')</script></head>",
		1)
	for name, c := range map[string]struct{ code, says string }{
		"endless at start":   {"for (;;) {}", "without a pause"},
		"endless at install": {"addEventListener('install', () => { for (;;) {} })", "without a pause"},
		"endless promises": {"addEventListener('install', () => { const f = () => Promise.resolve().then(f); f(); })",
			"was stopped"},
		"memory": {"const a = []; for (;;) a.push(new Array(1e5).fill(7));", "was stopped"},
		"deep":   {"const f = () => f() + 1; f();", ""},
		"syntax": {"addEventListener('fetch', => {})", "w.js"},
		"throws": {"throw new Error('no tide')", "no tide"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := write(t, map[string]string{"dist/index.html": register, "dist/w.js": c.code})
			start := time.Now()
			r := run(t, dir, "audit", "dist")
			assert.Equal(t, 1, r.status, r.err)
			assert.Contains(t, r.out, "worker.failed")
			assert.Contains(t, strings.Join(strings.Fields(r.out), " "), c.says)
			assert.Less(t, time.Since(start), 30*time.Second)
		})
	}
}

// trace tells which rule answers, from where, after what time.
func TestTrace(t *testing.T) {
	dir, _ := demo.Fitted(t)
	for _, c := range []struct{ url, condition, source, rule, shown string }{
		{"/data/sailings.json", "stalled", "cache tachyform / kept /data/sailings.json #", "/data/sailings.json", ""},
		{"/data/sailings.json", "online", "network", "", ""},
		{"/crew/rota.html", "offline", "cache tachyform / pack", "pack", "/offline.html"},
		{"/pictures/none.png", "offline", "cache tachyform / pack", "pack", "/assets/no-picture.svg"},
		{"/nowhere.json", "offline", "", "", ""},
	} {
		r := run(t, dir, "trace", c.url, "--under", c.condition, "--format", "json")
		require.Equal(t, 0, r.status, r.err)
		var out struct{ Under []tracedJSON }
		require.NoError(t, json.Unmarshal([]byte(r.out), &out))
		require.Len(t, out.Under, 1)
		u := out.Under[0]
		u.Source = regexp.MustCompile(`#.{8}$`).ReplaceAllString(u.Source, "#")
		assert.Equal(t, []string{c.source, c.rule, c.shown}, []string{u.Source, u.Rule, u.Shown}, c.url)
		if c.condition == "stalled" {
			assert.InDelta(t, 2000, u.MS, 50, "two seconds of patience")
		}
	}
}

func TestDemo(t *testing.T) {
	r := run(t, t.TempDir(), "demo", "--into", "demo")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "NOT READY")
	assert.Contains(t, r.out, "audit.html")
	for n, line := range strings.Split(r.out, "\n") {
		assert.LessOrEqual(t, len([]rune(line)), 80, fmt.Sprintf("line %d: %s", n+1, line))
	}
}

// What fit would write can be had piece by piece, and looked at, without touching the site.
func TestParts(t *testing.T) {
	dir := write(t, map[string]string{"dist/index.html": pierPage, "dist/s.css": "p {}",
		"brand/mark.png": pictureOf(512, 512)})
	run(t, dir, "init", "dist", "--name", "Pier", "--master", "brand/mark.png", "--origin", "https://pier.example",
		"--no-questions")
	before := testsite.Tree(t, filepath.Join(dir, "dist"))
	r := run(t, dir, "head")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, `<link rel="manifest" href="/site.webmanifest">`)
	assert.Contains(t, r.out, `<script src="/register.js" defer></script>`)
	r = run(t, dir, "icons", "--into", "made")
	require.Equal(t, 0, r.status, r.err)
	assert.Len(t, testsite.Tree(t, filepath.Join(dir, "made")), 7, "six icons and the folder")
	r = run(t, dir, "worker", "--list", "--format", "json")
	require.Equal(t, 0, r.status, r.err)
	var pack struct {
		Bytes int
		Pack  []struct{ Path, Why string }
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &pack))
	require.NotEmpty(t, pack.Pack)
	assert.Positive(t, pack.Bytes)
	assert.NotEmpty(t, pack.Pack[0].Why)
	whole := len(run(t, dir, "worker").out)
	assert.Less(t, len(run(t, dir, "worker", "--minify").out), whole/2)
	r = run(t, dir, "sheet")
	assert.Equal(t, 3, r.status, "no icons are wired yet")
	assert.Contains(t, r.err, "tachyform fit")
	assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")))

	run(t, dir, "fit")
	r = run(t, dir, "sheet", "--out", filepath.Join("dist", "sheet.png"))
	assert.Equal(t, 2, r.status, "a sheet would be deployed")
	r = run(t, dir, "sheet")
	require.Equal(t, 0, r.status, r.err)
	f, err := os.Open(filepath.Join(dir, "sheet.png"))
	require.NoError(t, err)
	defer f.Close()
	_, err = png.Decode(f)
	assert.NoError(t, err)
}

// A worker that somebody left behind can be got rid of, and that is tried before it is deployed.
func TestRetire(t *testing.T) {
	const old = "addEventListener('install', (e) => e.waitUntil(caches.open('old').then((c) => c.add('/')))); " +
		"addEventListener('fetch', (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));"
	dir := write(t, map[string]string{"dist/index.html": strings.Replace(pierPage, "</head>",
		"<script>navigator.serviceWorker.register('/old/../sw.js')</script></head>", 1), "dist/sw.js": old})
	before := testsite.Tree(t, filepath.Join(dir, "dist"))
	r := run(t, dir, "retire", "dist", "--at", "/sw.js", "--out", "gone.js")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "1 file kept: nothing left")
	code, err := os.ReadFile(filepath.Join(dir, "gone.js"))
	require.NoError(t, err)
	assert.Contains(t, string(code), "unregister")
	assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")))
	r = run(t, dir, "retire", "dist", "--at", "/elsewhere.js", "--format", "json")
	var j struct{ Tried struct{ Had, Gone bool } }
	require.NoError(t, json.Unmarshal([]byte(r.out), &j))
	assert.True(t, j.Tried.Had)
	assert.False(t, j.Tried.Gone, "at another address it removes nothing")
	r = run(t, dir, "retire", "dist", "--at", "sw.js")
	assert.Equal(t, 2, r.status)
}

// Rehearsals of the project file decide the exit status, and can be played alone.
func TestNamedRehearsals(t *testing.T) {
	dir := write(t, map[string]string{"dist/index.html": pierPage,
		"next/index.html": strings.ReplaceAll(pierPage, "Pier", "Quay"), "tachyform.yaml": `site: dist
origin: https://pier.example
rehearsals:
  - {name: opens, steps: [{open: /}, {expect: {title: Pier, controlled: no}}]}
  - {name: the next release, steps: [{open: /}, {deploy: next}, {reload: normal}, {expect: {title: Quay, outcome: whole}}]}
  - {name: wrong, steps: [{open: /}, {network: offline}, {reload: normal}, {expect: {outcome: whole}}]}
`})
	r := run(t, dir, "rehearse", "--only", "opens", "--only", "the next release")
	assert.Equal(t, 0, r.status, r.out+r.err)
	r = run(t, dir, "rehearse")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "outcome: expected whole, got lost")
	r = run(t, dir, "rehearse", "--only", "wrong", "--format", "json")
	assert.Equal(t, 1, r.status)
	var j struct {
		Rehearsals []struct {
			Holds bool
			Steps []struct {
				Do, Outcome string
				Wrong       []string
				Account     []struct{ Kind, Text string }
			}
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &j))
	require.Len(t, j.Rehearsals, 1)
	assert.Equal(t, "whole", j.Rehearsals[0].Steps[0].Outcome)
	assert.Equal(t, "network", j.Rehearsals[0].Steps[0].Account[0].Kind)
	assert.Len(t, j.Rehearsals[0].Steps[3].Wrong, 1)
	r = run(t, dir, "rehearse", "--only", "open")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, `did you mean "opens"?`)
	r = run(t, dir, "rehearse", "--target", "netscape")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "firefox-android")
	r = run(t, dir, "rehearse", "--account", "--only", "opens")
	assert.Contains(t, r.out, "200 /")
}
