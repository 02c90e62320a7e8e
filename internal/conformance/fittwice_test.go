package conformance

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/cli"
	"tachyform/internal/project"
	"tachyform/internal/testsite"
)

// A second fit of a site that nobody changed changes nothing, whatever the site is.
func TestFitTwice(t *testing.T) {
	folders := map[string]map[string]string{
		"a start page that leads on": {
			"index.html":    `<!doctype html><title>Go</title><meta http-equiv=refresh content="0; url=/en/">`,
			"en/index.html": `<!doctype html><title>Tides</title><div id=root></div><script src=/app.js></script>`,
			"app.js":        "document.getElementById('root').textContent = 'Tides';//" + strings.Repeat("x", 5_600_000),
		},
		"a script that leads on": {
			"index.html":    `<!doctype html><title>Go</title><script>location.replace('/en/')</script>`,
			"en/index.html": `<!doctype html><title>Tides</title><p>low<script>fetch('/tides.json').then((r) => r.json()).then((t) => document.body.append(t.low))</script>`,
			"tides.json":    `{"low": "6:10"}`,
		},
	}
	dir := sitesDir(t)
	sites, err := filepath.Glob(filepath.Join(dir, "*", "site"))
	require.NoError(t, err)
	apps, err := filepath.Glob(filepath.Join(appsDir(), "*", "site"))
	require.NoError(t, err)
	for i, folder := range append(sites, apps...) {
		if sampled(i, 6) {
			folders[folder] = nil
		}
	}
	fitted := 0
	for name, files := range folders {
		t.Run(filepath.Base(filepath.Dir(name))+filepath.Base(name), func(t *testing.T) {
			work := t.TempDir()
			if files != nil {
				testsite.Add(t, filepath.Join(work, "site"), files)
			} else {
				require.NoError(t, os.CopyFS(filepath.Join(work, "site"), os.DirFS(name)))
			}
			tachyform := func(args ...string) (int, string) {
				var out, errOut bytes.Buffer
				status := cli.Main(args, strings.NewReader(""), &out, &errOut)
				return status, out.String() + errOut.String()
			}
			if status, said := tachyform("init", filepath.Join(work, "site"), "--name", "Orrin"); status != 0 {
				t.Skip(said)
			}
			file := filepath.Join(work, project.FileName)
			if status, said := tachyform("fit", "--project", file); status != 0 {
				t.Skip(said) // a worker of its own, in most cases
			}
			fitted++
			before := testsite.Tree(t, filepath.Join(work, "site"))
			status, said := tachyform("fit", "--project", file)
			assert.Equal(t, 0, status)
			assert.Contains(t, said, "Nothing to do")
			assert.Equal(t, before, testsite.Tree(t, filepath.Join(work, "site")))
		})
	}
	t.Logf("%d of %d sites were fitted", fitted, len(folders))
	require.Greater(t, fitted, 2)
}
