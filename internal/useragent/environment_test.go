package useragent

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
)

// What scripts see, interface by interface: the files of testdata/environment run as workers.
func TestEnvironment(t *testing.T) {
	harness, err := os.ReadFile("testdata/environment/harness.js")
	require.NoError(t, err)
	files, err := filepath.Glob("testdata/environment/*.js")
	require.NoError(t, err)
	require.Greater(t, len(files), 5)
	for _, path := range files {
		name := strings.TrimSuffix(filepath.Base(path), ".js")
		if name == "harness" {
			continue
		}
		t.Run(name, func(t *testing.T) {
			code, err := os.ReadFile(path)
			require.NoError(t, err)
			f := hosted(t, siteWith(t, string(harness)+string(code), "data.json", `{"tide": "low"}`),
				"{redirects: [{match: /moved, to: /data.json}]}")
			b := New(context.Background(), []site.Host{f}, Options{})
			defer b.Close()
			b.Open(home, nil)
			b.Settle()
			ran := false
			for _, n := range b.Notes() {
				assert.NotContains(t, n.Text, "FAILED")
				ran = ran || strings.HasPrefix(n.Text, "RAN ")
			}
			assert.True(t, ran, b.Notes())
		})
	}
}

// Small questions come out as they did in a real browser; TestSnippetsInChromium in internal/conformance recorded them.
func TestSnippets(t *testing.T) {
	read := func(name string) string {
		text, err := os.ReadFile("testdata/" + name)
		require.NoError(t, err)
		return string(text)
	}
	code := "const HERE = location.origin;\n" + read("snippets.js") + read("snippets-asked.js")
	f := hosted(t, siteWith(t, code, "data.json", `{"tide": "low"}`), "{redirects: [{match: /moved, to: /data.json}]}")
	b := New(context.Background(), []site.Host{f}, Options{})
	defer b.Close()
	b.net.Refuses = func(url string) bool { return !strings.HasPrefix(url, home) }
	b.Open(home, nil)
	b.Settle()
	kept := b.store.Caches["what came of it"]
	require.NotNil(t, kept, "%v", b.Notes())
	var got, want [][2]string
	require.NoError(t, json.Unmarshal(kept.Entries[0].Response.Bytes(), &got))
	require.NoError(t, json.Unmarshal([]byte(read("snippets.json")), &want))
	here := map[string]string{}
	for _, one := range got {
		here[one[0]] = one[1]
	}
	// Where we stay with the standard, or a rehearsal needs it otherwise.
	otherwise := map[string]string{
		"c.error(new RangeError": "what a stream broke with reaches who reads it, as Streams has it",
		"new FetchEvent('fetch'": "only an event that is dispatched can be answered",
		"permissions.query":      "rehearsals deliver notifications, so they are allowed",
	}
	differ := 0
	for _, one := range want {
		if here[one[0]] == one[1] {
			continue
		}
		known := false
		for part := range otherwise {
			known = known || strings.Contains(one[0], part)
		}
		if differ++; !known {
			assert.Equal(t, one[1], here[one[0]], one[0])
		}
	}
	assert.Len(t, otherwise, differ)
	t.Logf("%d of %d answers are those of a real browser", len(want)-differ, len(want))
}
