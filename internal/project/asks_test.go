package project

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Requests are added to the audit section; all other bytes stay the same.
func TestWithAsks(t *testing.T) {
	asks := []Asks{{Page: "/", For: []string{"/a.json"}}}
	for text, want := range map[string]string{
		"site: dist\n":                         "site: dist\naudit:\n  asks:\n    - {page: \"/\", for: [\"/a.json\"]}\n",
		"site: dist":                           "site: dist\naudit:\n  asks:\n    - {page: \"/\", for: [\"/a.json\"]}\n",
		"audit: # checks\n  entry: /\nsite: x": "audit: # checks\n  asks:\n    - {page: \"/\", for: [\"/a.json\"]}\n  entry: /\nsite: x",
	} {
		got, err := WithAsks([]byte(text), asks)
		assert.NoError(t, err)
		assert.Equal(t, want, string(got))
	}
	for _, text := range []string{"audit: {entry: /}\n", "audit:\n  asks: []\n", "nothing: known\n"} {
		_, err := WithAsks([]byte(text), asks)
		assert.Error(t, err, text)
	}
}
