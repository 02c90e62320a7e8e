package site

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The examples of RFC 9309, 5.1 and 5.2, and its rules for groups and for what can't be had.
func TestRobots(t *testing.T) {
	for _, c := range []struct {
		text, path string
		allowed    bool
	}{
		{"user-agent: *\ndisallow: *.gif$\ndisallow: /example/\nallow: /publications/\n", "/a.gif", false},
		{"user-agent: *\ndisallow: *.gif$\n", "/a.gif?x", true},
		{"user-agent: *\ndisallow: /example/\n", "/example/page", false},
		{"user-agent: *\nallow: /example/page/\ndisallow: /example/page/disallowed.gif\n", "/example/page/disallowed.gif",
			false},
		{"user-agent: *\nallow: /example/page/\ndisallow: /example/page/disallowed.gif\n", "/example/page/", true},
		{"user-agent: *\ndisallow: /a\nallow: /a\n", "/a", true},
		{"user-agent: other\nuser-agent: Tachyform\ndisallow: /x\n\nuser-agent: *\ndisallow: /\n", "/y", true},
		{"user-agent: other\nuser-agent: Tachyform\ndisallow: /x\n\nuser-agent: *\ndisallow: /\n", "/x/1", false},
		{"user-agent: other\ndisallow: /\n", "/", true},
		{"user-agent: *\ndisallow:\n", "/", true},
		{"user-agent: *\ndisallow: / # all of it\r\n", "/a", false},
		{"user-agent: *\ndisallow: /*/b*c$\n", "/a/b/c", false},
		{"<!doctype html><title>lost</title>", "/", true},
	} {
		assert.Equal(t, c.allowed, ParseRobots([]byte(c.text)).Allows(c.path), "%q %s", c.text, c.path)
	}
}

// elsewhere is a host that is not on this machine, and what it answers by path: a text, or where it leads.
type elsewhere map[string]string

func (elsewhere) Origin() string { return "https://line.example" }

func (h elsewhere) Answer(_ context.Context, r *Request) (*Response, error) {
	text, there := h[r.URL.Pathname()]
	resp := &Response{Status: 200, Header: http.Header{}, Body: Bytes(text)}
	switch {
	case !there:
		resp.Status = 404
	case text == "fails":
		resp.Status = 503
	case strings.HasPrefix(text, "to "):
		resp.Status = 301
		resp.Header.Set("Location", text[3:])
	}
	return resp, nil
}

// A robots.txt counts wherever redirects lead to it; one that cannot be read allows nothing (RFC 9309, 2.3.1).
func TestAskRobots(t *testing.T) {
	for name, c := range map[string]struct {
		host    elsewhere
		allowed bool
	}{
		"none":                    {elsewhere{}, true},
		"it forbids":              {elsewhere{"/robots.txt": "user-agent: *\ndisallow: /"}, false},
		"it fails":                {elsewhere{"/robots.txt": "fails"}, false},
		"moved":                   {elsewhere{"/robots.txt": "to /r.txt", "/r.txt": "user-agent: *\ndisallow: /"}, false},
		"moved to where none is":  {elsewhere{"/robots.txt": "to /r.txt"}, true},
		"moved to another origin": {elsewhere{"/robots.txt": "to https://other.example/robots.txt"}, false},
		"moved without end":       {elsewhere{"/robots.txt": "to /robots.txt"}, true},
	} {
		assert.Equal(t, c.allowed, AskRobots(context.Background(), c.host).Allows("/far"), name)
	}
}

func FuzzRobots(f *testing.F) {
	f.Add("user-agent: *\ndisallow: /*a*b$\nallow: *", "/aab")
	f.Fuzz(func(t *testing.T, text, path string) {
		ParseRobots([]byte(text)).Allows(path)
	})
}

// A live host is asked once for what it gave already, is told what the command line says, and is sent nothing but GET
// and HEAD.
func TestLive(t *testing.T) {
	var asked atomic.Int64
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		assert.Equal(t, "GET", r.Method)
		if r.URL.Path == "/heavy" {
			w.Write(make([]byte, 1000))
		}
		fmt.Fprint(w, r.Header.Get("X-Team"), " ", r.Header.Get("Cookie"), " ", r.Header.Get("Range"))
	}))
	defer server.Close()
	l := NewLive(server.URL, 0)
	l.Header = http.Header{"X-Team": {"harbour"}, "Cookie": {"session=1"}}
	get := func(path string, header http.Header) string {
		u, err := whatwg.Parse(server.URL + path)
		require.NoError(t, err)
		resp, err := l.Answer(context.Background(), &Request{Method: "GET", URL: u, Header: header})
		require.NoError(t, err)
		text, err := resp.Body.Bytes()
		require.NoError(t, err)
		resp.Header.Set("X-Changed", "by who got it")
		return strings.TrimSpace(string(text))
	}
	assert.Equal(t, "harbour session=1", get("/", nil))
	assert.Equal(t, "harbour session=1", get("/", nil))
	assert.EqualValues(t, 1, asked.Load())
	assert.Equal(t, "harbour session=1; seen=1", get("/", http.Header{"Cookie": {"seen=1"}}))
	assert.Equal(t, "harbour session=1 bytes=0-1", get("/", http.Header{"Range": {"bytes=0-1"}}))
	assert.EqualValues(t, 3, asked.Load())
	u, _ := whatwg.Parse(server.URL + "/")
	_, err := l.Answer(context.Background(), &Request{Method: "POST", URL: u})
	require.ErrorIs(t, err, ErrNotSent)
	assert.True(t, AskRobots(context.Background(), l).Allows("/"), "a host on this machine")
}
