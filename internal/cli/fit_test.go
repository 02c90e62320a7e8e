package cli

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/testsite"
)

const pierProject = `site: dist
origin: https://pier.example
app: {name: Pier, theme_color: "#0b4f6c", background_color: "#ffffff"}
`

// edit changes a file of a test's folder.
func edit(t *testing.T, path, old, new string) {
	t.Helper()
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	require.Contains(t, string(text), old)
	require.NoError(t, os.WriteFile(path, []byte(strings.ReplaceAll(string(text), old, new)), 0o644))
}

func read(t *testing.T, path ...string) string {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(path...))
	require.NoError(t, err)
	return string(text)
}

// A manifest that the site has keeps its place and all that nobody asks to change; one that fit made follows the
// project file.
func TestFitManifest(t *testing.T) {
	own := strings.Replace(pierPage, "  <title>", "  <link rel=\"manifest\" href=\"app/own.json\">\n  <title>", 1)
	dir := write(t, map[string]string{"tachyform.yaml": pierProject, "dist/index.html": own, "dist/far.html": pierPage,
		"dist/app/own.json": "{\n    \"odd\": [1, 2],\n    \"name\": \"Old\",\n    \"start_url\": \"../?x\"\n}\n"})
	before := testsite.Tree(t, filepath.Join(dir, "dist"))
	require.Equal(t, 0, run(t, dir, "fit").status)
	assert.Equal(t, "{\n    \"odd\": [1, 2],\n    \"name\": \"Pier\",\n    \"start_url\": \"../?x\",\n    "+
		"\"theme_color\": \"#0b4f6c\",\n    \"background_color\": \"#ffffff\"\n}\n", read(t, dir, "dist/app/own.json"))
	assert.Contains(t, read(t, dir, "dist/far.html"), `href="/app/own.json"`)
	assert.NoFileExists(t, filepath.Join(dir, "dist/site.webmanifest"))
	assert.Contains(t, run(t, dir, "fit").out, "Nothing to do")
	require.Equal(t, 0, run(t, dir, "undo").status)
	assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")))

	edit(t, filepath.Join(dir, "dist/app/own.json"), "[1, 2],", "[1, 2")
	r := run(t, dir, "fit")
	assert.Equal(t, 3, r.status)
	assert.Contains(t, r.err, "own.json:3")

	dir = write(t, map[string]string{"tachyform.yaml": strings.Replace(pierProject, "name: Pier,",
		"name: Pier, orientation: portrait,", 1), "dist/index.html": pierPage})
	require.Equal(t, 0, run(t, dir, "fit").status)
	assert.Contains(t, read(t, dir, "dist/site.webmanifest"), "portrait")
	edit(t, filepath.Join(dir, "tachyform.yaml"), "orientation: portrait, ", "")
	edit(t, filepath.Join(dir, "tachyform.yaml"), "#0b4f6c", "#123456")
	require.Equal(t, 0, run(t, dir, "fit").status)
	assert.NotContains(t, read(t, dir, "dist/site.webmanifest"), "portrait")
	page := read(t, dir, "dist/index.html")
	assert.Contains(t, page, `content="#123456"`)
	assert.NotContains(t, page, "#0b4f6c", "what an earlier fit wrote")
	require.Equal(t, 0, run(t, dir, "undo").status)
	assert.Equal(t, pierPage, read(t, dir, "dist/index.html"))

	r = run(t, dir, "manifest", "--into", "alone.json")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, read(t, dir, "alone.json"), "#123456")
	assert.Contains(t, run(t, dir, "manifest", "--into", "alone.json").out, "as it should be")
}

func TestFitInto(t *testing.T) {
	dir := write(t, map[string]string{"tachyform.yaml": pierProject + "head: {leave_out: [/far.html], dark: black}\n",
		"dist/index.html": pierPage, "dist/far.html": pierPage, "dist/deep/data.bin": "\x00\x01"})
	before := testsite.Tree(t, filepath.Join(dir, "dist"))
	r := run(t, dir, "fit", "--into", "out/site")
	require.Equal(t, 0, r.status, r.err)
	assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")))
	assert.NoDirExists(t, filepath.Join(dir, ".tachyform"))
	assert.Equal(t, "\x00\x01", read(t, dir, "out/site/deep/data.bin"))
	assert.Contains(t, read(t, dir, "out/site/index.html"), "prefers-color-scheme: dark")
	assert.Equal(t, pierPage, read(t, dir, "out/site/far.html"))
	for into, says := range map[string]string{"out/site": "not empty", "dist/new": "in one another"} {
		r = run(t, dir, "fit", "--into", into)
		assert.Equal(t, 3, r.status)
		assert.Contains(t, r.err, says)
	}
	r = run(t, dir, "head")
	assert.Contains(t, r.out, "0 of 1 page lack")
	assert.Contains(t, r.out, "left out")
	assert.Equal(t, `<link rel="manifest" href="/site.webmanifest">`,
		strings.SplitN(run(t, dir, "head", "--print").out, "\n", 2)[0])
}

// Nothing is written outside the site, and links stay links.
func TestFitStaysInside(t *testing.T) {
	dir := write(t, map[string]string{"tachyform.yaml": pierProject, "dist/index.html": pierPage,
		"mark.png": pictureOf(512, 512)})
	require.NoError(t, os.Symlink("index.html", filepath.Join(dir, "dist/same.html")))
	require.Equal(t, 0, run(t, dir, "fit").status)
	to, err := os.Readlink(filepath.Join(dir, "dist/same.html"))
	require.NoError(t, err)
	assert.Equal(t, "index.html", to)
	require.Equal(t, 0, run(t, dir, "undo").status)
	for key, says := range map[string]string{"icons: {master: mark.png, folder: /../out/}": "leads out",
		"worker: {file: /../w.js, pack: {include: [/]}}":   "leads out",
		"worker: {file: /same.html, pack: {include: [/]}}": "symbolic link"} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, "tachyform.yaml"), []byte(pierProject+key), 0o644))
		r := run(t, dir, "fit")
		assert.NotEqual(t, 0, r.status)
		assert.Contains(t, r.err, says)
		assert.Equal(t, pierPage, read(t, dir, "dist/index.html"))
	}
}

// When there is no room for what is written, one message says so, and the site is as it was.
func TestFullDisk(t *testing.T) {
	dir := write(t, map[string]string{"tachyform.yaml": pierProject, "dist/index.html": pierPage +
		strings.Repeat("<p>tide table\n", 2000)})
	before := testsite.Tree(t, filepath.Join(dir, "dist"))
	for _, blocks := range []string{"1", "16", "40"} {
		c := exec.Command("sh", "-c", "trap '' XFSZ; ulimit -f "+blocks+"; exec "+program+" fit")
		c.Dir = dir
		out, _ := c.CombinedOutput()
		assert.Equal(t, 3, c.ProcessState.ExitCode(), string(out))
		assert.Contains(t, string(out), "site is untouched")
		assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")))
	}
	require.Equal(t, 0, run(t, dir, "fit").status)
}

// What lies in a site or beside it is never written through, removed or replaced, whatever its name.
func TestFitTouchesNothingElse(t *testing.T) {
	long := "dist/" + strings.Repeat("n", 250) + ".html"
	dir := write(t, map[string]string{"tachyform.yaml": pierProject + "worker: {pack: {include: [/*]}}\n",
		"dist/index.html": pierPage, long: pierPage,
		"mark.svg":      `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 512 512"><rect width="512" height="512" fill="#264"/></svg>`,
		"out.part/mine": "mine", "dist/index.html.tachyform-new": "mine", "outside/mine": "mine"})
	before := testsite.Tree(t, filepath.Join(dir, "dist"))
	require.Equal(t, 0, run(t, dir, "fit").status)
	assert.Contains(t, read(t, dir, long), "manifest")
	require.Equal(t, 0, run(t, dir, "fit", "--into", "out").status)
	assert.FileExists(t, filepath.Join(dir, "out/worker.js"))
	assert.Equal(t, "mine", read(t, dir, "out.part/mine"))
	require.Equal(t, 0, run(t, dir, "undo").status)
	assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")))

	edit(t, filepath.Join(dir, "tachyform.yaml"), "app:", "icons: {master: mark.svg}\napp:")
	for _, at := range []struct{ link, to string }{{"icons", "../outside"}, {"worker.js", "../outside/mine"},
		{"worker.js", "nowhere"}, {"site.webmanifest", "index.html"}} {
		link := filepath.Join(dir, "dist", at.link)
		require.NoError(t, os.Symlink(at.to, link))
		r := run(t, dir, "fit")
		assert.Equal(t, 3, r.status, at.link)
		assert.Contains(t, r.err, "link", at.link)
		require.NoError(t, os.Remove(link))
		assert.Equal(t, map[string]string{"./": "", "mine": "mine"}, testsite.Tree(t, filepath.Join(dir, "outside")))
		assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")), at.link)
	}
}

// A build that writes only some files between two fits does not make the rest its own: undo takes all of ours away, even a
// while after the first fit.
func TestUndoAfterPartOfABuild(t *testing.T) {
	dir := write(t, map[string]string{"tachyform.yaml": pierProject + "worker: {pack: {include: [/*]}}\n",
		"dist/index.html": pierPage, "dist/far.html": pierPage})
	require.Equal(t, 0, run(t, dir, "fit").status)
	time.Sleep(1200 * time.Millisecond) // after this a file counts as younger than the fit
	built := strings.ReplaceAll(pierPage, "Pier", "Quay")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "dist", "far.html"), []byte(built), 0o644))
	require.Equal(t, 0, run(t, dir, "fit").status)
	r := run(t, dir, "undo")
	require.Equal(t, 0, r.status, r.err)
	assert.Equal(t, map[string]string{"./": "", "index.html": pierPage, "far.html": built}, testsite.Tree(t, filepath.Join(dir, "dist")), r.out)
}

// The page that stands in leads to what the device keeps when it is shown: pages of the release that are in the pack, and pages that
// were visited; not those that were left out.
func TestStandInListsWhatIsKept(t *testing.T) {
	page := func(title string, weight int) string {
		return "<!doctype html><html lang=en><title>" + title + "</title><p>" + strings.Repeat("x", weight) + "</p>"
	}
	dir := write(t, map[string]string{
		"dist/index.html": page("Harbour", 1) + "<a href=/tides.html>t</a><a href=/wrecks.html>w</a><a href=/far.html>f</a>",
		"dist/tides.html": page("Tides", 1), "dist/wrecks.html": page("Wrecks", 60_000), "dist/far.html": page("Far away", 60_000),
		"tachyform.yaml": `site: dist
app: {name: Pier}
worker:
  pack: {pages: ["/*"], budget: 100 kB, over_budget: leave-out}
  rules: [{match: "/*", destination: document, answer: network-first}]
  stand_ins: {page: make}
rehearsals:
  - name: kept
    steps:
      - open: /
      - open: /wrecks.html
      - network: offline
      - open: /far.html
      - expect: {outcome: stand-in, shows: "Kept on this device Harbour Tides Wrecks"}
      - open: /nowhere.html
      - expect: {outcome: stand-in, shows: "Kept on this device Harbour Tides Wrecks"}
`})
	require.Equal(t, 0, run(t, dir, "fit").status)
	r := run(t, dir, "rehearse", "--only", "kept")
	assert.Equal(t, 0, r.status, r.out)
}

// fit --check writes nothing and tells by its status whether the site is fitted to its project file.
func TestFitCheck(t *testing.T) {
	dir := write(t, map[string]string{"tachyform.yaml": pierProject, "dist/index.html": pierPage, "dist/far.html": pierPage})
	before := testsite.Tree(t, dir)
	r := run(t, dir, "fit", "--check")
	assert.Equal(t, 1, r.status, r.err)
	assert.Contains(t, r.out, "is not fitted to its project file: 3 files differ")
	assert.Contains(t, r.out, "far.html")
	assert.Equal(t, before, testsite.Tree(t, dir))
	require.Equal(t, 0, run(t, dir, "fit").status)
	r = run(t, dir, "fit", "--check")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "is fitted to its project file")
	edit(t, filepath.Join(dir, "tachyform.yaml"), "name: Pier", "name: Quay")
	assert.Equal(t, 1, run(t, dir, "fit", "--check").status)
	assert.Equal(t, 2, run(t, dir, "fit", "--check", "--dry-run").status)
}
