package page

import (
	"math/rand/v2"
	"regexp"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The rule as an expression, which takes some ten times as long.
var namedFile = regexp.MustCompile("[\"'`]((?:https?://|[\\w@.~/-])[\\w@%~+.,:/=-]*\\.[A-Za-z][A-Za-z0-9]{1,11}(?:\\?[^\"'`\\s]*)?)[\"'`]")

func TestNamedFiles(t *testing.T) {
	parts := []string{"\"", "'", "`", "/", ".", ".js", ".json", "a", "tide", "https://", "?", "?v=1", " ", "%", "é", "{", "9", ".webmanifest", ".averylongextension", "-", "\n", ":"}
	r := rand.New(rand.NewPCG(1, 2))
	found := 0
	for range 20_000 {
		var text []byte
		for range 1 + r.IntN(12) {
			text = append(text, parts[r.IntN(len(parts))]...)
		}
		var want, got []string
		for _, m := range namedFile.FindAllSubmatch(text, -1) {
			want = append(want, string(m[1]))
		}
		for name := range namedFiles(text) {
			got = append(got, string(name))
		}
		if !assert.Equal(t, want, got, "%q", text) {
			return
		}
		found += len(want)
	}
	assert.Greater(t, found, 100)
	for name := range namedFiles([]byte(`"a.js","b.js"`)) {
		assert.Equal(t, "a.js", string(name), "it stops when asked to")
		break
	}
	assert.Len(t, slices.Collect(namedFiles([]byte(`"a.js","b.js"`))), 2)
}
