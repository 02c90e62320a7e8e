package weburl

import (
	"testing"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOrigins(t *testing.T) {
	for url, want := range map[string]string{
		"https://line.example/a/b?c#d": "https://line.example", "https://line.example": "https://line.example",
		"http://line.example:8080/": "http://line.example:8080",
		"http://line.example:80/":   "http://line.example", "http://[::1]:5000/x": "http://[::1]:5000",
		"https://LINE.example?x": "https://line.example", "data:text/plain,a": "data://",
	} {
		u, err := whatwg.Parse(url)
		require.NoError(t, err)
		assert.Equal(t, want, Origin(u), url)
		if u.Host() != "" {
			assert.Equal(t, want, OriginOf(u.Href(false)), url)
		}
	}
	assert.Equal(t, "null", OriginOf("null"))
	for origin, want := range map[string]string{"https://line.example": "line.example",
		"http://line.example:8080": "line.example", "http://[::1]:5000": "[::1]", "http://[::1]": "[::1]"} {
		assert.Equal(t, want, HostName(origin))
	}
}

func TestParts(t *testing.T) {
	for url, want := range map[string][2]string{
		"https://line.example/a?b#c": {"https://line.example/a", "https://line.example/a?b"}, "/a#b?c": {"/a",
			"/a"}, "/a": {"/a", "/a"}, "?a": {"", "?a"}, "": {"", ""},
	} {
		assert.Equal(t, want, [2]string{WithoutQuery(url), WithoutFragment(url)}, url)
	}
	for url, want := range map[string]string{
		"https://line.example/a?b#c": "/a?b#c", "https://line.example": "/", "https://line.example?a": "?a",
		"https://line.example.evil/": "https://line.example.evil/",
		"https://line.example:8443/": "https://line.example:8443/", "/a": "/a",
	} {
		assert.Equal(t, want, Local(url, "https://line.example"), url)
	}
}

// Which origins count as secure (Secure Contexts, 3.1).
func TestOriginOfBlob(t *testing.T) {
	assert.Equal(t, "https://a.example:8443", OriginOf("blob:https://a.example:8443/1-2"))
}

func TestHostless(t *testing.T) {
	for url, want := range map[string]bool{"data:,x": true, "DATA:,x": true, "blob:https://a.example/1": true, "about:blank": false,
		"https://a.example/data:": false, "data:": false, "": false} {
		assert.Equal(t, want, Hostless(url), url)
	}
}

func TestTrustworthy(t *testing.T) {
	for url, want := range map[string]bool{
		"https://line.example/": true, "http://line.example/": false, "http://localhost:8080/": true,
		"http://app.localhost/": true,
		"http://127.0.0.1/":     true, "http://127.8.9.1/": true, "http://[::1]:5000/": true, "http://10.0.0.1/": false,
		"http://localhost.example/": false,
		"http://notlocalhost/":      false, "http://2130706433/": true,
	} {
		u, err := whatwg.Parse(url)
		require.NoError(t, err)
		assert.Equal(t, want, Trustworthy(u), url)
	}
}
