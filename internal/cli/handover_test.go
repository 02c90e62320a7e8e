package cli

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/testsite"
)

// releasedPier is a small site with its project file.
func releasedPier(t *testing.T, takeover string) string {
	return write(t, map[string]string{
		"tachyform.yaml": "site: dist\norigin: https://pier.example\napp: {name: Pier, theme_color: red}\nworker: {takeover: " + takeover +
			", pack: {include: [/*]}}\n",
		"dist/index.html": `<!doctype html><html lang="en"><head><title>One</title></head><body><h1>One</h1></body></html>`,
		"dist/pier.png":   "\x89PNG of a pier", "dist/quay.png": "\x89PNG of a quay",
	})
}

func change(t *testing.T, dir, name, text string) {
	t.Helper()
	require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
}

const pierTwo = `<!doctype html><html lang="en"><head><title>Two</title></head><body><h1>Two</h1></body></html>`

// The way through a release: fit records it, it is marked live, the next build is fitted and compared with it.
func TestHandoverOfRecordedReleases(t *testing.T) {
	dir := releasedPier(t, "when-closed")
	r := run(t, dir, "handover")
	assert.Equal(t, statusUsage, r.status)
	assert.Contains(t, r.err, "no earlier release")
	assert.Contains(t, strings.Join(strings.Fields(r.err), " "), "handover --mark-live", "it says how to make one")

	require.Equal(t, 0, run(t, dir, "fit").status)
	r = run(t, dir, "handover", "--mark-live")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "noted as the live release")
	before := testsite.Tree(t, filepath.Join(dir, "dist"))
	r = run(t, dir, "handover", "--save", "one.release")
	require.Equal(t, 0, r.status, r.err)
	assert.Equal(t, before, testsite.Tree(t, filepath.Join(dir, "dist")), "nothing is written into the site")

	// Of pictures the record has stamps alone; the worker of the old release is to be installed all the same.
	change(t, dir, "dist/index.html", pierTwo)
	change(t, dir, "dist/pier.png", "\x89PNG of another pier")
	require.Equal(t, 0, run(t, dir, "fit").status)
	for _, args := range [][]string{{}, {"--old", "one.release"}} {
		r = run(t, dir, append([]string{"handover", "--format", "json"}, args...)...)
		require.Equal(t, 0, r.status, r.err)
		var out struct {
			Schema    string
			Scenarios []struct {
				Name    string
				Arrival struct {
					Arrives bool
					Step    string
				}
				Steps []struct {
					Step, URL, Document, Text string
					Files                     map[string]string
				}
			}
		}
		require.NoError(t, json.Unmarshal([]byte(r.out), &out))
		assert.Equal(t, "tachyform.handover/1", out.Schema)
		first := out.Scenarios[0]
		assert.Equal(t, "returning", first.Name)
		assert.Equal(t, "reopen", first.Arrival.Step)
		var shown []string
		for _, s := range first.Steps {
			shown = append(shown, s.Step+" "+s.Document+" "+s.Text)
		}
		assert.Equal(t, []string{"old old One", "reload-1 old One", "reload-2 old One", "reopen new Two", "offline new Two"}, shown)
	}
	r = run(t, dir, "audit", "--with-handover", "--format", "json")
	assert.Contains(t, r.out, `"handover": {`)
	assert.Contains(t, run(t, dir, "audit", "--with-handover").out, "HANDOVER from the release of")
	assert.NotContains(t, run(t, dir, "audit", "--format", "json").out, `"handover"`)
}

// Two folders are compared as they are; what is wrong on the command line is told with what would be right.
func TestHandoverOfFolders(t *testing.T) {
	dir := releasedPier(t, "at-once")
	require.Equal(t, 0, run(t, dir, "fit").status)
	old := filepath.Join(dir, "before")
	require.NoError(t, os.CopyFS(old, os.DirFS(filepath.Join(dir, "dist"))))
	change(t, dir, "dist/index.html", pierTwo)
	require.Equal(t, 0, run(t, dir, "fit").status)
	r := run(t, dir, "handover", "before", "dist")
	require.Equal(t, 0, r.status, r.err)
	assert.Regexp(t, `returning +old +new +new +new +new +with the first reload`, r.out)
	for _, line := range strings.Split(r.out, "\n") {
		assert.LessOrEqual(t, len([]rune(line)), 80, line)
	}
	r = run(t, dir, "handover", "before", "dist", "--only", "two-tabs")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "other-closed")
	assert.NotContains(t, r.out, "returning")

	for _, c := range []struct {
		args   []string
		status int
		says   string
	}{
		{[]string{"handover", "none", "dist"}, statusFailed, "cannot be read"},
		{[]string{"handover", "before", "dist", "--only", "two-tab"}, statusUsage, "did you mean two-tabs"},
		{[]string{"handover", "before", "dist", "--fail-on", "much"}, statusUsage, "blocker, risk or polish"},
		{[]string{"handover", "before", "dist", "--old", "tachyform.yaml"}, statusFailed, "no release that can be read"},
		{[]string{"handover", "before", "dist", "--report", "html"}, statusUsage, "KIND=FILE"},
		{[]string{"handover", "before", "dist", "--target", "opera"}, statusUsage, "no target \"opera\""},
	} {
		r := run(t, dir, c.args...)
		assert.Equal(t, c.status, r.status, c.args)
		assert.Contains(t, strings.Join(strings.Fields(r.err), " "), c.says, c.args)
	}

	// A worker that never changes ends with status 1, in every form of report.
	change(t, dir, "before/worker.js", "oninstall = (e) => e.waitUntil(caches.open('a').then((c) => c.addAll(['/', '/register.js']))); onfetch = (e) => "+
		"e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)))")
	text, err := os.ReadFile(filepath.Join(dir, "before", "worker.js"))
	require.NoError(t, err)
	change(t, dir, "dist/worker.js", string(text))
	args := []string{"handover", "before", "dist"}
	for _, kind := range reportKinds {
		args = append(args, "--report", kind+"=r."+kind)
	}
	r = run(t, dir, args...)
	assert.Equal(t, statusFindings, r.status, r.out)
	assert.Contains(t, r.out, "release.stuck")
	for _, kind := range reportKinds {
		text, err := os.ReadFile(filepath.Join(dir, "r."+kind))
		require.NoError(t, err)
		assert.Contains(t, string(text), "release.stuck", kind)
	}
}

// What handover prints fits its schema, whose names are those of the scenarios that are played.
func TestHandoverSchema(t *testing.T) {
	dir := releasedPier(t, "ask")
	require.Equal(t, 0, run(t, dir, "fit").status)
	old := filepath.Join(dir, "before")
	require.NoError(t, os.CopyFS(old, os.DirFS(filepath.Join(dir, "dist"))))
	change(t, dir, "dist/index.html", pierTwo)
	require.Equal(t, 0, run(t, dir, "fit").status)
	schema := run(t, dir, "schema", "handover")
	require.Equal(t, 0, schema.status)
	out := run(t, dir, "handover", "before", "before", "dist", "--format", "json")
	require.Equal(t, 0, out.status, out.err)
	doc, err := jsonschema.UnmarshalJSON(strings.NewReader(schema.out))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("handover.json", doc))
	compiled, err := c.Compile("handover.json")
	require.NoError(t, err)
	value, err := jsonschema.UnmarshalJSON(strings.NewReader(out.out))
	require.NoError(t, err)
	require.NoError(t, compiled.Validate(value))
	assert.Contains(t, out.out, `"releases-skipped"`)
}

// The new release may be hosted otherwise: the second project file says how, all else stands in the first.
func TestHandoverOfOtherHosting(t *testing.T) {
	dir := releasedPier(t, "at-once")
	require.Equal(t, 0, run(t, dir, "fit").status)
	old := filepath.Join(dir, "before")
	require.NoError(t, os.CopyFS(old, os.DirFS(filepath.Join(dir, "dist"))))
	change(t, dir, "dist/index.html", pierTwo)
	require.Equal(t, 0, run(t, dir, "fit").status)
	change(t, dir, "next.yaml", "hosting: {statuses: [{match: /worker.js, status: 503}]}\n")
	r := run(t, dir, "handover", "before", "dist", "--project", "tachyform.yaml", "--new-project", "next.yaml", "--only", "returning")
	assert.Equal(t, statusFindings, r.status)
	assert.Regexp(t, `returning +old +old +old +old +old `, r.out, "its worker's script does not come")
	r = run(t, dir, "handover", "before", "dist", "--new-project", "none.yaml")
	assert.Equal(t, statusUsage, r.status, r.err)
}

// What is live is asked for each address once, and only what visitors would ask for, with nothing but GET and HEAD.
func TestHandoverFromLive(t *testing.T) {
	dir := releasedPier(t, "at-once")
	require.Equal(t, 0, run(t, dir, "fit").status)
	live := filepath.Join(dir, "live")
	require.NoError(t, os.CopyFS(live, os.DirFS(filepath.Join(dir, "dist"))))
	var mu sync.Mutex
	asked := map[string]int{}
	files := http.FileServer(http.Dir(live))
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		asked[r.Method+" "+r.URL.Path]++
		mu.Unlock()
		files.ServeHTTP(w, r)
	}))
	defer server.Close()
	change(t, dir, "dist/index.html", pierTwo)
	require.Equal(t, 0, run(t, dir, "fit").status)
	r := run(t, dir, "handover", server.URL+"/", "dist")
	require.Equal(t, 0, r.status, r.err+r.out)
	assert.Regexp(t, `returning +old +new`, r.out)
	assert.Positive(t, asked["GET /worker.js"])
	for what, n := range asked {
		assert.Regexp(t, "^(GET|HEAD) ", what)
		assert.LessOrEqual(t, n, 2, what) // once to see whether it redirects
	}
}
