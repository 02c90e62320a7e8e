package survey

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/site"
)

// A survey counts what is there, names what is broken, and proposes a pack in few patterns.
func TestSurvey(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		"index.html":     `<link rel=manifest href=/m.json><link rel=stylesheet href=/a/s.css><a href=far/>far</a><a href=/lost.html>x</a><script src=https://cdn.example/x.js></script>`,
		"far/index.html": `<img src=/a/p.png><img src=/a/gone.png><a href="../">home</a>`,
		"alone.html":     `<p>nobody links here</p>`,
		"a/s.css":        `p { background: var(--ground, white) url(p.png) } @media (max-width: 600px) { p::after { content: url(narrow.png) } } @media print { p { background: url(print.png) } }`,
		"a/narrow.png":   "picture", "a/print.png": "picture",
		"a/p.png":       "picture",
		"b/unused.webm": strings.Repeat("x", 5000),
		"m.json":        "{}",
	} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	folder, err := site.OpenFolder(dir, "https://line.example", "/", project.Default(dir).Host)
	require.NoError(t, err)
	g, err := BuildGraph(context.Background(), folder, &page.Reader{})
	require.NoError(t, err)
	s := g.Summarize()
	assert.Equal(t, 3, s.Pages)
	assert.Equal(t, []string{"/alone.html"}, s.Unlinked)
	assert.Equal(t, "/b/unused.webm", s.Heaviest[0].URL)
	assert.Equal(t, []OtherOrigin{{"https://cdn.example", 1, "https://cdn.example/x.js"}}, s.Others)
	var broken []string
	for _, b := range s.Broken {
		broken = append(broken, b.URL+" from "+b.From)
	}
	assert.Equal(t, []string{"/a/gone.png from /far/", "/lost.html from /"}, broken)
	assert.Equal(t, 1, s.Wired.Manifest)
	assert.Equal(t, []string{"/*"}, s.Keep.Pages)
	assert.Equal(t, []string{"/a/narrow.png", "/a/p.png", "/a/s.css"}, g.Needs("/"), "on phones as well, but not in print")
}
