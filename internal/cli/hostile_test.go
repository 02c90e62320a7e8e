package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/crash"
	"tachyform/internal/driver/chromium"
)

// The stacks of internal errors go to a file of the project, else to one of the system's for such; never through a link.
func TestCrashFile(t *testing.T) {
	dir, temporary := t.TempDir(), t.TempDir()
	t.Setenv("TMPDIR", temporary)
	list := []*crash.Crash{{What: "index out of range", Stack: []byte("goroutine 1\n")}}
	state := filepath.Join(dir, ".tachyform")
	file, err := writeCrashes(state, list)
	require.NoError(t, err)
	assert.Equal(t, state, filepath.Dir(file))
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Regexp(t, `(?s)^tachyform .*index out of range\ngoroutine 1`, string(text))
	second, err := writeCrashes(state, list)
	require.NoError(t, err)
	assert.NotEqual(t, file, second)
	outside := t.TempDir()
	require.NoError(t, os.Symlink(outside, filepath.Join(dir, "link")))
	for _, at := range []string{"", filepath.Join(dir, "link")} {
		file, err := writeCrashes(at, list)
		require.NoError(t, err)
		assert.Equal(t, temporary, filepath.Dir(file))
	}
	entries, err := os.ReadDir(outside)
	require.NoError(t, err)
	assert.Empty(t, entries)
	var said strings.Builder
	(&app{err: &said, width: 80, stateDir: state}).reportCrashes(list)
	assert.Contains(t, said.String(), "internal error")
	assert.Contains(t, said.String(), filepath.Join(".tachyform", "crash-"))
	said.Reset()
	(&app{err: &said}).reportCrashes(nil)
	assert.Empty(t, said.String())
	var c *crash.Crash
	assert.True(t, errors.As(func() (err error) { defer crash.Catch(&err); panic("x") }(), &c))
}

// Two runs that record the live release wait for each other.
func TestTwoMarksAtOnce(t *testing.T) {
	dir := releasedPier(t, "ask")
	for i := range 30 {
		change(t, dir, fmt.Sprintf("dist/%d.html", i), pierTwo)
	}
	var wait sync.WaitGroup
	results := make([]outcome, 4)
	for i := range results {
		wait.Go(func() { results[i] = run(t, dir, "handover", "--mark-live") })
	}
	wait.Wait()
	for _, r := range results {
		assert.Equal(t, 0, r.status, r.err)
	}
}

// Answers whose addresses differ by what names of files do not tell apart have separate files.
func TestRecordedAnswersDoNotCollide(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprintf(w, "%q", r.URL.String())
	}))
	defer server.Close()
	long := "/api/" + strings.Repeat("berth", 80)
	paths := []string{"/api/a-b", "/api/a/b", "/api/A/b", "/api/a?b", "/api/a?c", long, long + "s"}
	dir := write(t, map[string]string{"site/index.html": "<!doctype html><title>Berths</title><p>Berths of the day</p><script>for (const p of ['" +
		strings.Join(paths, "', '") + "']) fetch(p)</script>", "tachyform.yaml": "site: site\napp: {name: Berths}\nhosting: {backend: " + server.URL + "}\n"})
	r := run(t, dir, "rehearse", "--record-answers", "answers")
	require.Equal(t, 0, r.status, r.err)
	files, err := os.ReadDir(filepath.Join(dir, "answers"))
	require.NoError(t, err)
	assert.Len(t, files, len(paths)-1, "queries do not count")
	lower := map[string]bool{}
	for _, f := range files {
		assert.Less(t, len(f.Name()), 100)
		lower[strings.ToLower(f.Name())] = true
	}
	assert.Len(t, lower, len(paths)-1, "disks that do not tell letters apart have them all")
	assert.Equal(t, 0, run(t, dir, "rehearse", "--record-answers", "answers").status, "the same answers again")
}

// A server elsewhere is asked when the command line names it, never because a project file does.
func TestBackendFlag(t *testing.T) {
	dir := write(t, map[string]string{"site/index.html": "<!doctype html><title>Berths</title><p>Berths<script>fetch('/api/berths')</script>",
		"tachyform.yaml": "site: site\napp: {name: Berths}\nhosting: {backend: 'http://192.0.2.1:9'}\n"})
	r := run(t, dir, "rehearse", "--record-answers", "answers")
	assert.Equal(t, statusUsage, r.status)
	assert.Contains(t, r.err, "--backend")
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "7") }))
	defer server.Close()
	r = run(t, dir, "rehearse", "--backend", server.URL, "--record-answers", "answers")
	assert.Equal(t, 0, r.status, r.err)
	assert.Equal(t, statusUsage, run(t, dir, "rehearse", "--backend", "192.0.2.1").status)
}

// What a terminal or an editor would obey is escaped in JSON and taken out of everything else, also on its way to a pipe.
func TestTextsOfASiteInPipes(t *testing.T) {
	const evil = "low\u009b31m\u202etide\u2066\u200e\x1b[2J"
	dir := write(t, map[string]string{"site/index.html": "<!doctype html><html lang=en><head><title>" + evil + "</title></head><body><p>" + evil + "</p></body></html>",
		"tachyform.yaml": "site: site\norigin: https://pier.example\napp: {name: \"low\\u009b31m\\u202etide\", theme_color: red}\n"})
	raw := regexp.MustCompile("[\x00-\x08\x0b-\x1f\u007f-\u009f\u202a-\u202e\u2066-\u2069\u200e]")
	for _, args := range [][]string{{"survey"}, {"survey", "--format", "json"}, {"rehearse", "--format", "json"}, {"audit"}, {"audit", "--format", "json"}, {"fit", "--dry-run"}, {"head"}} {
		r := run(t, dir, args...)
		assert.NotRegexp(t, raw, r.out, args)
		if strings.Contains(strings.Join(args, " "), "json") && args[0] != "survey" {
			assert.Contains(t, r.out, `\u202etide`, args)
		}
	}
}

// Reports that a browser shows run nothing and request nothing, even if the site's texts are markup.
func TestReportsInChromium(t *testing.T) {
	c, err := chromium.Start(context.Background())
	if err != nil {
		t.Skip("SKIPPED: no Chromium")
	}
	defer c.Close()
	evil := `</title></style><script>window.PWN=1</script><img src=x onerror="window.PWN=2"><svg onload=window.PWN=3><a href="javascript:window.PWN=4">x</a><base href=http://192.0.2.1/><form action=http://192.0.2.1/>" onclick=window.PWN=5 ' ]]>{{.}}`
	escaped := strings.NewReplacer("&", "&amp;", "<", "&lt;", `"`, "&quot;").Replace(evil)
	text, err := json.Marshal(evil)
	require.NoError(t, err)
	script := strings.NewReplacer("</", `<\/`, "<!", `<\!`).Replace(string(text))
	page := func(title string) string {
		return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>` + title + escaped + `</title><meta name="description" content="` + escaped + `"><link rel="manifest" href="/m.webmanifest"></head><body><p>` +
			escaped + `<a href="/` + escaped + `">x</a></p><script>const P = ` + script + `; console.error(P); fetch('/' + P).catch(() => 0); navigator.serviceWorker.register('/sw.js'); throw new Error(P)</script></body></html>`
	}
	dir := write(t, map[string]string{"dist/index.html": page("One "), "dist/sw.js": "throw new Error(" + string(text) + ")", "old/index.html": page("Two "), "old/sw.js": "",
		"dist/m.webmanifest": `{"name": ` + string(text) + `, "start_url": ` + string(text) + `, "icons": [{"src": ` + string(text) + `}]}`})
	r := run(t, dir, "audit", "dist", "--report", "html=audit.html")
	require.Equal(t, 1, r.status, r.err)
	r = run(t, dir, "handover", "old", "dist", "--report", "html=handover.html")
	require.LessOrEqual(t, r.status, 1, r.err)
	var asked atomic.Int32
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if name := filepath.Base(r.URL.Path); name == "audit.html" || name == "handover.html" {
			http.ServeFile(w, r, filepath.Join(dir, name))
			return
		}
		if r.URL.Path != "/favicon.ico" {
			asked.Add(1)
		}
		http.NotFound(w, r)
	}))
	defer server.Close()
	for _, name := range []string{"audit.html", "handover.html"} {
		said, err := c.Evaluate(server.URL+"/"+name, `(async () => { for (const a of document.querySelectorAll('a, [onclick], summary')) a.click(); await new Promise((r) => setTimeout(r, 200));
 return JSON.stringify([window.PWN ?? null, document.scripts.length, document.forms.length, document.querySelectorAll('base').length, document.body.innerText.includes('window.PWN=1'), location.pathname]); })()`)
		require.NoError(t, err)
		assert.JSONEq(t, `[null, 0, 0, 0, true, "/`+name+`"]`, said)
	}
	assert.Zero(t, asked.Load(), "nothing is asked for")
}
