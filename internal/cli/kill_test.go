package cli

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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

// Wherever fit, undo or the recovery is killed, the next run brings the site to one of its two whole states, and undo gives back every
// byte. TACHYFORM_KILLS sets how often it is tried.
func TestKilled(t *testing.T) {
	tries := 25
	if n, err := strconv.Atoi(os.Getenv("TACHYFORM_KILLS")); err == nil {
		tries = n
	}
	files := map[string]string{"tachyform.yaml": "site: dist\norigin: https://pier.example\napp: {name: Pier, theme_color: red}\nworker: {pack: {include: [/*]}}\n"}
	for i := range 40 {
		files[fmt.Sprintf("dist/p%d/index.html", i)] = pierPage
	}
	files["dist/index.html"] = pierPage
	dir := write(t, files)
	site := filepath.Join(dir, "dist")
	plain := tree(t, site)
	require.Equal(t, 0, run(t, dir, "fit").status)
	fitted := tree(t, site)
	require.Equal(t, 0, run(t, dir, "undo").status)
	require.Equal(t, plain, tree(t, site))
	hits := 0
	for range tries {
		for range 2 { // the second kill meets the recovery of the first
			if killed(t, dir, 120*time.Millisecond, "fit") {
				hits++
			}
		}
		r := run(t, dir, "fit")
		require.Equal(t, 0, r.status, r.err)
		require.Equal(t, fitted, tree(t, site))
		if killed(t, dir, 60*time.Millisecond, "undo") {
			hits++
		}
		r = run(t, dir, "fit") // finishes the undo, then fits again
		require.Equal(t, 0, r.status, r.err)
		require.Equal(t, fitted, tree(t, site))
		r = run(t, dir, "undo")
		require.Equal(t, 0, r.status, r.err)
		require.Equal(t, plain, tree(t, site))
	}
	assert.Positive(t, hits, "nothing was killed in time")
	t.Logf("killed %d times", hits)
}

func TestDryRun(t *testing.T) {
	dir := write(t, map[string]string{"dist/proof.html": "owner-proof: 1234\n", "tachyform.yaml": "site: dist\napp: {name: Pier}\nworker: {pack: {include: [/*]}}\n", "dist/index.html": pierPage})
	before := tree(t, dir)
	r := run(t, dir, "fit", "--dry-run")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "+  <link rel=\"manifest\" href=\"/site.webmanifest\">")
	assert.Contains(t, r.out, "+++ worker.js")
	assert.NotContains(t, r.out, "proof.html\n+", "a text with the extension of a page is none")
	assert.NotContains(t, r.out, "owner-proof")
	assert.Equal(t, before, tree(t, dir))
}

// What manifest --process prints is the form that other programs rely on.
func TestManifestContract(t *testing.T) {
	dir := write(t, map[string]string{"m.json": `{"name":"Pier","start_url":"./?a=1","icons":[{"src":"i.png","sizes":"1x1 2x2"}],"display":"standalon"}`,
		"many.jsonl": `{"id":"one","manifestText":"{}","manifestURL":"https://a.example/m","documentURL":"https://a.example/x/"}` + "\n"})
	r := run(t, dir, "manifest", "--process", "m.json", "--manifest-url", "https://a.example/app/m.json", "--document-url", "https://a.example/app/", "--format", "json")
	require.Equal(t, 0, r.status, r.err)
	for _, s := range []string{`"start_url": "https://a.example/app/?a=1"`, `"scope": "https://a.example/app/"`, `"id": "https://a.example/app/?a=1"`, `"display": "browser"`, `"src": "https://a.example/app/i.png"`, `"findings": [`, `did you mean standalone?`} {
		assert.Contains(t, r.out, s)
	}
	r = run(t, dir, "manifest", "--process", "many.jsonl", "--jsonl")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, `"id":"one"`)
	assert.Contains(t, r.out, `"start_url":"https://a.example/x/"`)
	r = run(t, dir, "schema")
	assert.Contains(t, r.out, "json-schema.org")
}
