package page

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestCovers(t *testing.T) {
	for _, c := range []struct{ script, scope, want string }{
		{"https://a.example/sw.js", "", "https://a.example/"},
		{"https://a.example/tides/sw.js", "https://a.example/", "https://a.example/"},
		{"https://a.example/tides/sw.js?from=/islands/skerra", "", "https://a.example/tides/"}, // a query has no folders
	} {
		assert.Equal(t, c.want, Registration{Script: c.script, Scope: c.scope}.Covers(), c.script)
	}
}
