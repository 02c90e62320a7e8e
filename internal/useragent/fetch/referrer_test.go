package fetch

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// What a request tells of who asks, by policy: to the same origin, to another one, and from https to http.
func TestDetermineReferrer(t *testing.T) {
	const from, same, other, plain = "https://u:p@skerry.example/a?b#c", "https://skerry.example/x", "https://tiles.example/", "http://skerry.example/"
	const whole, origin, none = "https://skerry.example/a?b", "https://skerry.example/", NoReferrer
	for policy, want := range map[string][3]string{
		"":                                {whole, origin, none},
		"strict-origin-when-cross-origin": {whole, origin, none},
		"no-referrer":                     {none, none, none},
		"no-referrer-when-downgrade":      {whole, whole, none},
		"same-origin":                     {whole, none, none},
		"origin":                          {origin, origin, origin},
		"strict-origin":                   {origin, origin, none},
		"origin-when-cross-origin":        {whole, origin, origin},
		"unsafe-url":                      {whole, whole, whole},
	} {
		assert.Equal(t, want, [3]string{DetermineReferrer(policy, from, same), DetermineReferrer(policy, from, other),
			DetermineReferrer(policy, from, plain)}, policy)
	}
	assert.Equal(t, none, DetermineReferrer("unsafe-url", "about:blank", same))
	assert.Equal(t, "origin", ParseReferrerPolicy("unsafe-url, Origin, sometimes"))
}
