package fetch

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Headers that ask for a preflight, by value.
func TestSafelistedHeaders(t *testing.T) {
	for header, want := range map[string]bool{"accept: text/html": true, "accept: a\"b": false,
		"accept-language: en-GB,de;q=0.5": true, "accept-language: en!": false, "content-type: text/plain": true,
		"content-type: text/html": false, "content-type: application/x-www-form-urlencoded": true, "range: bytes=0-": true,
		"range: bytes=-5": false, "range: items=0-5": false, "x-a: 1": false, "accept: " + strings.Repeat("a",
			129): false, "sec-purpose: x": true, "origin: x": true} {
		name, value, _ := strings.Cut(header, ": ")
		assert.Equal(t, want, len(corsUnsafe([][2]string{{name, value}})) == 0, header)
	}
}
