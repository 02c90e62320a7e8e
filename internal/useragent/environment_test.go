package useragent

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"context"

	"tachyform/internal/page"
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
			f := hosted(t, siteWith(t, string(harness)+string(code), "data.json", `{"tide": "low"}`), "{redirects: [{match: /moved, to: /data.json}]}")
			b := New(context.Background(), []site.Host{f}, &page.Reader{})
			defer b.Close()
			b.Open(home, nil)
			b.Settle()
			ran := false
			for _, n := range b.notes {
				assert.NotContains(t, n.Text, "FAILED")
				ran = ran || strings.HasPrefix(n.Text, "RAN ")
			}
			assert.True(t, ran, b.notes)
		})
	}
}
