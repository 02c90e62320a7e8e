package conformance

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
	"tachyform/internal/project"
	"tachyform/internal/serve"
)

// What the tests of the embedded worker environment say of browsers is true of a real one: the same files run there as
// workers.
func TestEnvironmentInChromium(t *testing.T) {
	const from = "../useragent/testdata/environment/"
	harness, err := os.ReadFile(from + "harness.js")
	require.NoError(t, err)
	files, err := filepath.Glob(from + "*.js")
	require.NoError(t, err)
	c := sharedChromium(t)
	for _, path := range files {
		name := strings.TrimSuffix(filepath.Base(path), ".js")
		if name == "harness" {
			continue
		}
		t.Run(name, func(t *testing.T) {
			code, err := os.ReadFile(path)
			require.NoError(t, err)
			dir := t.TempDir()
			for file, text := range map[string]string{"index.html": "<!doctype html><title>Pier</title>",
				"w.js": string(harness) + string(code), "data.json": `{"tide": "low"}`} {
				require.NoError(t, os.WriteFile(filepath.Join(dir, file), []byte(text), 0o644))
			}
			var came struct {
				Ran    int
				Failed []string
			}
			// Timers of a browser on a busy machine may come late, and in another order: some questions are about that.
			for range 4 {
				came.Failed = nil
				require.NoError(t, json.Unmarshal([]byte(whatCameOfIt(t, c, dir)), &came))
				if came.Ran > 0 && len(came.Failed) == 0 {
					break
				}
			}
			assert.Positive(t, came.Ran, "the worker was not installed")
			assert.Empty(t, came.Failed)
		})
	}
}

// TestSnippetsInChromium asks a real browser small questions about the worker environment, and compares with what was
// recorded; the embedded environment is asked the same in internal/useragent.
func TestSnippetsInChromium(t *testing.T) {
	const from = "../useragent/testdata/"
	code := "const HERE = location.origin;\n"
	for _, file := range []string{"snippets.js", "snippets-asked.js"} {
		text, err := os.ReadFile(from + file)
		require.NoError(t, err)
		code += string(text)
	}
	dir := t.TempDir()
	for file, text := range map[string]string{"index.html": "<!doctype html><title>Pier</title>", "w.js": code,
		"data.json": `{"tide": "low"}`} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, file), []byte(text), 0o644))
	}
	c := sharedChromium(t)
	ask := func() string {
		var all [][2]string
		require.NoError(t, json.Unmarshal([]byte(whatCameOfIt(t, c, dir)), &all))
		var b strings.Builder
		for i, one := range all {
			line, err := json.Marshal(one)
			require.NoError(t, err)
			b.WriteString(map[bool]string{true: "[\n ", false: ",\n "}[i == 0] + string(line))
		}
		return b.String() + "\n]\n"
	}
	got := ask()
	if os.Getenv("TACHYFORM_RECORD") != "" {
		require.NoError(t, os.WriteFile(from+"snippets.json", []byte(got), 0o644))
	}
	want, err := os.ReadFile(from + "snippets.json")
	require.NoError(t, err)
	for range 3 { // on a busy machine things may happen in another order
		if got == string(want) {
			break
		}
		got = ask()
	}
	assert.Equal(t, string(want), got)
}

// whatCameOfIt serves a folder whose worker keeps an answer under /what-came-of-it, and gives that.
func whatCameOfIt(t *testing.T, c *chromium.Browser, dir string) string {
	p, err := project.Parse("f", []byte("hosting: {redirects: [{match: /moved, to: /data.json}]}"))
	require.NoError(t, err)
	server := httptest.NewUnstartedServer(nil)
	server.Config.Handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		serve.Handler(dir, server.URL, p).ServeHTTP(w, r)
	})
	server.Start()
	defer server.Close()
	text, err := c.Evaluate(server.URL+"/", `(async () => {
		navigator.serviceWorker.register('/w.js');
		for (let n = 0; n < 200; n++) {
			const said = await caches.match('/what-came-of-it');
			if (said) return said.text();
			await new Promise((ok) => setTimeout(ok, 100));
		}
		return '{}';
	})()`)
	require.NoError(t, err)
	return text
}
