package pattern

import (
	"errors"
	"strings"
	"testing"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is wrong with a pattern is told in words of people who write one.
func TestReasons(t *testing.T) {
	for text, want := range map[string]string{"((((": "a ( is never closed", "/a{b": "a { is never closed",
		"/a}": "a } closes what was never opened", "/{a{b}}": "inside another", `/a\\`[:3]: "backslash",
		"/:1": "a name after :", "/:a:a": "stands twice", "/(?<x>a)": "looks ahead",
		"/((?!api).*)": "the first of which wins", "/([)": "regular expression", "/(*)": "regular expression"} {
		_, err := New(text, "https://line.example")
		var wrong *Error
		if assert.True(t, errors.As(err, &wrong), text) {
			assert.Contains(t, err.Error(), want, text)
			assert.NotContains(t, err.Error(), "tokenizer", text)
		}
	}
	_, err := New("/old/:page{.html}?", "https://line.example")
	require.NoError(t, err)
}

// The short way for plain paths comes out as the whole standard does.
func FuzzPattern(f *testing.F) {
	for _, seed := range []string{"/a/*", "/a", "/", "/*", "/a.b-c/*", "/a/:b", "https://x.example/*", "/é"} {
		f.Add(seed, "/a/b?c#d")
	}
	f.Fuzz(func(t *testing.T, text, at string) {
		stuck := time.AfterFunc(5*time.Second, func() { panic("no end with the pattern " + text) })
		defer stuck.Stop()
		p, err := New(text, "https://line.example")
		if err != nil || !strings.HasPrefix(at, "/") {
			return
		}
		u, err := whatwg.Parse("https://line.example" + at)
		if err != nil {
			return
		}
		if url := u.Href(false); p.plain && p.Match(url) != p.compiled.Test(url, "") {
			t.Fatalf("%q against %q: %v in short", text, url, p.Match(url))
		}
	})
}
