package storage

import (
	"net/http"
	"testing"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/useragent/fetch"
)

// Which cookies are kept, and to which requests they go.
func TestCookies(t *testing.T) {
	for _, c := range []struct {
		set, from, to string
		crosses       fetch.Crossing
		later         time.Duration
		want          string
	}{
		{"a=1", "https://pier.example/x", "https://pier.example/y", fetch.Crossing{}, 0, "a=1"},
		{"a=1", "https://pier.example/x", "https://other.example/y", fetch.Crossing{}, 0, ""},
		{"a=1", "https://pier.example/x", "https://sub.pier.example/", fetch.Crossing{}, 0, ""},
		{"a=1; Domain=pier.example", "https://www.pier.example/x", "https://sub.pier.example/", fetch.Crossing{}, 0, "a=1"},
		{"a=1; Domain=other.example", "https://pier.example/x", "https://other.example/", fetch.Crossing{}, 0, ""},
		{"a=1; Domain=example", "https://pier.example/x", "https://pier.example/", fetch.Crossing{}, 0, ""},
		{"a=1", "https://pier.example/members/in", "https://pier.example/", fetch.Crossing{}, 0, ""},
		{"a=1", "https://pier.example/members/in", "https://pier.example/members/x", fetch.Crossing{}, 0, "a=1"},
		{"a=1; Path=/members", "https://pier.example/", "https://pier.example/membership", fetch.Crossing{}, 0, ""},
		{"a=1; Path=/", "https://pier.example/members/in", "https://pier.example/", fetch.Crossing{}, 0, "a=1"},
		{"a=1; Secure", "http://pier.example/", "https://pier.example/", fetch.Crossing{}, 0, ""},
		{"a=1; Secure", "http://localhost/", "http://localhost/", fetch.Crossing{}, 0, "a=1"},
		{"a=1; Expires=Mon, 05 Jan 2025 09:00:00 GMT", "https://pier.example/", "https://pier.example/", fetch.Crossing{}, 0,
			""},
		{"a=1; Expires=Thu, 01 Jan 2032 09:00:00 GMT", "https://pier.example/", "https://pier.example/", fetch.Crossing{},
			time.Hour, "a=1"},
		{"a=1; Max-Age=60", "https://pier.example/", "https://pier.example/", fetch.Crossing{}, 30 * time.Second, "a=1"},
		{"a=1; Max-Age=60", "https://pier.example/", "https://pier.example/", fetch.Crossing{}, 61 * time.Second, ""},
		{"a=1; Max-Age=0", "https://pier.example/", "https://pier.example/", fetch.Crossing{}, 0, ""},
		{"a=1", "https://pier.example/", "https://pier.example/", fetch.Crossing{Site: true}, 0, ""},
		{"a=1; SameSite=Lax", "https://pier.example/", "https://pier.example/", fetch.Crossing{Site: true, Navigation: true},
			0, "a=1"},
		{"a=1; SameSite=Strict", "https://pier.example/", "https://pier.example/",
			fetch.Crossing{Site: true, Navigation: true}, 0, ""},
		{"a=1; SameSite=None; Secure", "https://pier.example/", "https://pier.example/", fetch.Crossing{Site: true}, 0,
			"a=1"},
		{"a=1; SameSite=None", "https://pier.example/", "https://pier.example/", fetch.Crossing{}, 0, ""},
		{"__Host-a=1; Secure; Path=/", "https://pier.example/", "https://pier.example/", fetch.Crossing{}, 0, "__Host-a=1"},
		{"__Host-a=1; Secure; Path=/; Domain=pier.example", "https://pier.example/", "https://pier.example/",
			fetch.Crossing{}, 0, ""},
	} {
		from, err := whatwg.Parse(c.from)
		require.NoError(t, err)
		to, err := whatwg.Parse(c.to)
		require.NoError(t, err)
		s := New()
		s.SetCookies(from, http.Header{"Set-Cookie": {c.set}}, 0)
		assert.Equal(t, c.want, s.Retrieve(to, c.crosses, c.later), c.set+" from "+c.from+" to "+c.to)
	}
	s := New()
	u, _ := whatwg.Parse("https://pier.example/a/b")
	s.SetCookies(u, http.Header{"Set-Cookie": {"x=1; Path=/", "x=2; Path=/a", "y=3; Path=/", "y=; Path=/; Max-Age=0"}}, 0)
	assert.Equal(t, "x=2; x=1", s.Retrieve(u, fetch.Crossing{}, 0), "longer paths first")
	branch := s.Branch()
	branch.SetCookie("pier.example", "x", "9")
	assert.Equal(t, "x=2; x=1", s.Retrieve(u, fetch.Crossing{}, 0), "a branch changes its own")
}
