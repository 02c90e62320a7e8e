package cli

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/testsite"
)

// killed runs the program and kills it after a random time; it reports whether it was killed before it ended by itself.
func killed(t *testing.T, dir string, within time.Duration, args ...string) bool {
	t.Helper()
	c := exec.Command(program, args...)
	c.Dir = dir
	require.NoError(t, c.Start())
	time.Sleep(time.Duration(rand.Int64N(int64(within))))
	c.Process.Kill()
	return c.Wait() != nil
}

// killSite is a site whose pages say which build made them.
func killSite(build string) map[string]string {
	files := map[string]string{"index.html": strings.ReplaceAll(pierPage, "Pier", build)}
	for i := range 40 {
		files[fmt.Sprintf("p%d/index.html", i)] = strings.ReplaceAll(pierPage, "Pier", fmt.Sprint(build, " ", i))
	}
	return files
}

// rebuild does what builds do: it empties the folder and makes it anew, or writes only some of the files over what is
// there.
func rebuild(t *testing.T, site, build string, whole bool) {
	t.Helper()
	if whole {
		require.NoError(t, os.RemoveAll(site))
	}
	for name, text := range killSite(build) {
		if whole || rand.IntN(2) == 0 {
			require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(site, name)), 0o755))
			require.NoError(t, os.WriteFile(filepath.Join(site, name), []byte(text), 0o644))
		}
	}
}

// Wherever fit, undo or the recovery is killed, the next run brings the site to one of its two whole states, and undo
// gives back every byte: those of a build that was made in between too, and those of the first where the second did
// not write. TACHYFORM_KILLS sets how often it is tried.
func TestKilled(t *testing.T) {
	tries := 12
	if n, err := strconv.Atoi(os.Getenv("TACHYFORM_KILLS")); err == nil {
		tries = n
	}
	dir := write(t, map[string]string{"tachyform.yaml": "site: dist\norigin: https://pier.example\napp: {name: Pier, " +
		"theme_color: red}\nworker: {pack: {include: [/*]}}\n"})
	site := filepath.Join(dir, "dist")
	fit := func() outcome {
		r := run(t, dir, "fit")
		require.Equal(t, 0, r.status, r.err)
		return r
	}
	hits, builds := 0, 0
	kill := func(within time.Duration, args ...string) {
		if killed(t, dir, within, args...) {
			hits++
		}
	}
	for try := range tries {
		builds++
		rebuild(t, site, fmt.Sprint("Build", builds), true)
		plain := testsite.Tree(t, site)
		fit()
		fitted := testsite.Tree(t, site)
		require.Equal(t, 0, run(t, dir, "undo").status)
		require.Equal(t, plain, testsite.Tree(t, site))

		for range 2 { // the second kill meets the recovery of the first
			kill(120*time.Millisecond, "fit")
		}
		fit()
		require.Equal(t, fitted, testsite.Tree(t, site))
		kill(60*time.Millisecond, "undo")
		fit() // finishes the undo, then fits again
		require.Equal(t, fitted, testsite.Tree(t, site))
		require.Equal(t, 0, run(t, dir, "undo").status)
		require.Equal(t, plain, testsite.Tree(t, site))

		// The same with a build in between, and with two fits at once at the end.
		undo := try%2 == 1
		if undo {
			fit()
			kill(60*time.Millisecond, "undo")
		} else {
			kill(120*time.Millisecond, "fit")
		}
		builds++
		build := fmt.Sprint("Build", builds)
		rebuild(t, site, build, try%4 < 2)
		want := map[string]string{}
		for name, text := range killSite(build) {
			old := plain[name]
			if now := read(t, site, name); now == text {
				old = text
			}
			want[name] = old
		}
		if try%3 == 0 {
			kill(120*time.Millisecond, "fit")
		}
		both := make(chan outcome, 2)
		for range 2 {
			go func() { both <- run(t, dir, "fit") }()
		}
		for range 2 {
			r := <-both
			assert.Equal(t, 0, r.status, r.err)
		}
		for name, text := range want {
			title := text[strings.Index(text, "<title>"):strings.Index(text, "</title>")]
			require.Contains(t, read(t, site, name), title, name)
		}
		r := run(t, dir, "undo")
		require.Equal(t, 0, r.status, r.err)
		got := testsite.Tree(t, site)
		for name, text := range want {
			require.Equal(t, text, got[name], name)
		}
		require.Equal(t, len(want), filesIn(got), "nothing of ours is left: %v", slices.Sorted(maps.Keys(got)))
	}
	assert.Positive(t, hits, "nothing was killed in time")
	t.Logf("killed %d times", hits)
}

func filesIn(tree map[string]string) (n int) {
	for name := range tree {
		if !strings.HasSuffix(name, "/") {
			n++
		}
	}
	return n
}

func TestDryRun(t *testing.T) {
	dir := write(t, map[string]string{"dist/proof.html": "owner-proof: 1234\n",
		"tachyform.yaml": "site: dist\napp: {name: Pier}\nworker: {pack: {include: [/*]}}\n", "dist/index.html": pierPage})
	before := testsite.Tree(t, dir)
	r := run(t, dir, "fit", "--dry-run")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "+  <link rel=\"manifest\" href=\"/site.webmanifest\">")
	assert.Contains(t, r.out, "+++ worker.js")
	assert.NotContains(t, r.out, "proof.html\n+", "a text with the extension of a page is none")
	assert.NotContains(t, r.out, "owner-proof")
	assert.Equal(t, before, testsite.Tree(t, dir))
}

// What manifest --process prints is the form that other programs rely on.
func TestManifestContract(t *testing.T) {
	dir := write(t,
		map[string]string{"m.json": `{"name":"Pier","start_url":"./?a=1","icons":[{"src":"i.png","sizes":"1x1 2x2"}],"display":"standalon"}`,
			"many.jsonl": `{"id":"one","manifestText":"{}","manifestURL":"https://a.example/m","documentURL":"https://a.example/x/"}` + "\n"})
	r := run(t, dir, "manifest", "--process", "m.json", "--manifest-url", "https://a.example/app/m.json", "--document-url",
		"https://a.example/app/", "--format", "json")
	require.Equal(t, 0, r.status, r.err)
	for _, s := range []string{`"start_url": "https://a.example/app/?a=1"`, `"scope": "https://a.example/app/"`,
		`"id": "https://a.example/app/?a=1"`, `"display": "browser"`, `"src": "https://a.example/app/i.png"`, `"findings": [`,
		`did you mean standalone?`} {
		assert.Contains(t, r.out, s)
	}
	r = run(t, dir, "manifest", "--process", "many.jsonl", "--jsonl")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, `"id":"one"`)
	assert.Contains(t, r.out, `"start_url":"https://a.example/x/"`)
	r = run(t, dir, "schema")
	assert.Contains(t, r.out, "json-schema.org")
}
