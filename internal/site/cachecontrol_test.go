package site

import (
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func headerOf(pairs ...string) http.Header {
	h := http.Header{}
	for i := 0; i < len(pairs); i += 2 {
		h.Add(pairs[i], pairs[i+1])
	}
	return h
}

// How long an answer may be used without asking again (RFC 9111, 4.2.1).
func TestFreshness(t *testing.T) {
	const made, later = "Fri, 06 Nov 2026 10:00:00 GMT", "Fri, 06 Nov 2026 11:00:00 GMT"
	at, err := http.ParseTime(made)
	require.NoError(t, err)
	for _, c := range []struct {
		header http.Header
		want   time.Duration
	}{
		{headerOf(), 0},
		{headerOf("Cache-Control", "max-age=60"), time.Minute},
		{headerOf("Cache-Control", "public, Max-Age=\"60\""), time.Minute},
		{headerOf("Cache-Control", "public", "Cache-Control", "max-age=60"), time.Minute},
		{headerOf("Cache-Control", "max-age=60", "Age", "50"), 10 * time.Second},
		{headerOf("Cache-Control", "max-age=60", "Age", "70"), 0},
		{headerOf("Cache-Control", "max-age=60", "Age", "old"), time.Minute},
		{headerOf("Cache-Control", "max-age=60, no-cache"), 0},
		{headerOf("Cache-Control", "no-store, max-age=60"), 0},
		{headerOf("Cache-Control", "max-age=soon"), 0},
		{headerOf("Expires", later), time.Hour},
		{headerOf("Expires", later, "Date", later), 0},
		{headerOf("Expires", made, "Date", later), 0},
		{headerOf("Expires", "0"), 0},
		{headerOf("Expires", later, "Cache-Control", "max-age=5"), 5 * time.Second},
	} {
		assert.Equal(t, c.want, Freshness(c.header, at), "%v", c.header)
	}
}

// What must not lie in a cache that others share.
func TestPersonal(t *testing.T) {
	for _, c := range []struct {
		header http.Header
		want   string
	}{
		{headerOf(), ""},
		{headerOf("Cache-Control", "public, max-age=1"), ""},
		{headerOf("Cache-Control", "Private"), "Cache-Control: private"},
		{headerOf("Cache-Control", "max-age=0, no-store"), "Cache-Control: no-store"},
		{headerOf("Set-Cookie", "a=b"), "Set-Cookie"},
		{headerOf("Set-Cookie", "a=b", "Cache-Control", "private=\"x\""), "Cache-Control: private"},
	} {
		assert.Equal(t, c.want, Personal(c.header), "%v", c.header)
	}
}
