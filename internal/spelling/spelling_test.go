package spelling

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNearest(t *testing.T) {
	words := []string{"online", "offline", "stalled", "slow", "network-first", "cache-first", "theme_color"}
	for word, want := range map[string]string{"ofline": "offline", "onlin": "online", "staled": "stalled", "solw": "slow",
		"network_frist": "network-first", "theme-colour": "theme_color", "Slow": "slow", "x": "", "entirely": "", "": ""} {
		assert.Equal(t, want, Nearest(word, words), word)
	}
}

// Within keeps to the number of letters that may differ; of two as near the one that begins alike wins, and a swap of
// neighbours is one.
func TestWithin(t *testing.T) {
	for _, c := range []struct {
		word       string
		candidates []string
		most       int
		want       string
	}{
		{"manifets", []string{"manifest"}, 1, "manifest"}, {"manfets", []string{"manifest"}, 1, ""}, {"manfets",
			[]string{"manifest"}, 2, "manifest"},
		{"pagse", []string{"pages", "pager"}, 2, "pages"}, {"tids", []string{"tide", "tips"}, 3, "tide"}, {"a", []string{"b"},
			3, ""}, {"ab", []string{"ac"}, 0, ""},
		{"größe", []string{"grösse", "größen"}, 3, "größen"}, {"offline", nil, 3, ""}, {"offline", []string{"offline"}, 0,
			"offline"},
	} {
		assert.Equal(t, c.want, Within(c.word, c.candidates, c.most), "%s, at most %d", c.word, c.most)
	}
}
