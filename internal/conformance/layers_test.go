package conformance

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// layers reads the picture in docs/architecture.md: packages by the number of their line.
func layers(t *testing.T) map[string]int {
	text, err := os.ReadFile("../../docs/architecture.md")
	require.NoError(t, err)
	_, rest, _ := strings.Cut(string(text), "```\n")
	picture, _, _ := strings.Cut(rest, "```")
	at := map[string]int{}
	for n, line := range strings.Split(picture, "\n") {
		names, _, _ := strings.Cut(line, "  ") // what it is for comes after
		for _, word := range strings.Fields(names) {
			if info, err := os.Stat("../" + word); err != nil || !info.IsDir() {
				continue
			}
			if _, twice := at[word]; !twice && strings.Trim(word, "/") == word {
				at[word] = n
			}
		}
	}
	return at
}

// Packages import what stands below them in docs/architecture.md, and nothing else of ours.
func TestLayers(t *testing.T) {
	at := layers(t)
	require.Greater(t, len(at), 30)
	apart := map[string]bool{"conformance": true, "recorded": true, "testsite": true, "testsite/demo": true,
		"useragent/environment/bundle": true, "useragent/environment/bundle/generate": true,
		"profile": true, "profile/run": true}
	require.NoError(t, filepath.WalkDir("..", func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		name := filepath.ToSlash(filepath.Dir(strings.TrimPrefix(path, "../")))
		if apart[name] {
			return nil
		}
		here, known := at[name]
		assert.True(t, known, "%s is not in the picture", name)
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, i := range file.Imports {
			target, _ := strconv.Unquote(i.Path.Value)
			if own, ok := strings.CutPrefix(target, "tachyform/internal/"); ok {
				assert.GreaterOrEqual(t, at[own], here, "%s imports %s, which stands above it", path, own)
				assert.False(t, own == "useragent/network" && name != "useragent/fetch", "%s imports %s past fetch", path, own)
				assert.False(t, apart[own], "%s imports %s, which is for tests", path, own)
			}
		}
		return nil
	}))
}
