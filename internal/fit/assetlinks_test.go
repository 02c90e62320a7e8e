package fit

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
	"tachyform/internal/site"
)

// The file that proves ownership is written, keeps what it says of others, and is left alone when it says it already.
func TestProof(t *testing.T) {
	for there, want := range map[string]string{
		"": `"package_name": "example.pier"`,
		`[{"relation":["delegate_permission/common.get_login_creds"],"target":{"namespace":"web","site":"https://x.example"}}]`: "get_login_creds",
		`[{"relation":["x"],"target":{"namespace":"android_app","package_name":"example.pier","sha256_cert_fingerprints":[]}}]`: "handle_all_urls",
	} {
		dir := t.TempDir()
		require.NoError(t, os.MkdirAll(filepath.Join(dir, ".well-known"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "index.html"), []byte("<!doctype html><title>x</title>"), 0o644))
		if there != "" {
			require.NoError(t, os.WriteFile(filepath.Join(dir, ".well-known/assetlinks.json"), []byte(there), 0o644))
		}
		p, err := project.Parse("tachyform.yaml", []byte("app: {name: x}\nshops: {android: {package: example.pier, "+
			"fingerprints: ['"+strings.Repeat("AB:", 31)+"AB']}}"))
		require.NoError(t, err)
		prepare := func() *Plan {
			f, err := site.OpenFolder(dir, "https://pier.example", "/", p.Host)
			require.NoError(t, err)
			plan, err := Prepare(context.Background(), p, f, nil)
			require.NoError(t, err)
			return plan
		}
		plan := prepare()
		var text []byte
		for _, c := range plan.Changes {
			if c.What == "proof" {
				text = c.New
				require.NoError(t, os.WriteFile(filepath.Join(dir, c.Path), c.New, 0o644))
			}
		}
		assert.Contains(t, string(text), want)
		assert.Contains(t, string(text), "handle_all_urls")
		for _, c := range prepare().Changes {
			assert.NotEqual(t, "proof", c.What, "a second fit leaves it alone")
		}
	}
}
