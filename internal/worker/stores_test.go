package worker

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// The caches of a generated worker are known by their names, and those of others are not.
func TestParseStore(t *testing.T) {
	for name, want := range map[string]Store{
		"tachyform / pack":                              {"/", PackStore, ""},
		"tachyform /app/ book":                          {"/app/", ReleasesStore, ""},
		"tachyform / kept /d/*":                         {"/", RuleStore, "/d/*"},
		"tachyform / kept /d/* image":                   {"/", RuleStore, "/d/* image"},
		"tachyform / kept /d/* #4Y7Fn+Fo":               {"/", RuleStore, "/d/*"},
		"tachyform /a/ kept https://tiles.example/*":    {"/a/", RuleStore, "https://tiles.example/*"},
		ruleStore("/app/", "/kept pack") + " #AAAAAAAA": {"/app/", RuleStore, "/kept pack"},
	} {
		got, ok := ParseStore(name)
		assert.True(t, ok, name)
		assert.Equal(t, want, got, name)
	}
	for _, name := range []string{"", "pack", "tachyform", "tachyform ", "tachyform / ", "tachyform / packs",
		"tachyform-cache", "my tachyform / pack", "tachyform /"} {
		_, ok := ParseStore(name)
		assert.False(t, ok, name)
	}
}
