package worker

import (
	"regexp"
	"testing"

	urlpattern "github.com/dunglas/go-urlpattern"
	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The regular expressions match what the URL patterns match.
func TestPatterns(t *testing.T) {
	const own = "https://line.example"
	patterns := []string{"/", "/*", "/data/*", "/tides/:pier", "/tides/:pier.json", "/a{/b}?", "/a/:b?", "/a/:b+",
		"/a/:b*", "/x/(\\d+)", "/x/:n(\\d+)/*", "/*.png", "/a?q=1", "/a?q=*",
		"https://*.tiles.example/*", "https://tiles.example:8443/:z/:x", "/{a,b}", "/é"}
	urls := []string{"/", "/data/", "/data/now.json", "/data/now.json?x=1", "/tides/skerra", "/tides/skerra/x",
		"/tides/skerra.json", "/a", "/a/b", "/a/b/c", "/x/12", "/x/1b", "/x/3/y/z", "/p/q.png", "/a:b", "/a?q=1", "/a?q=2",
		"/{a,b}", "/a,b", "/%C3%A9"}
	for _, text := range patterns {
		want, err := urlpattern.New(text, own, nil)
		require.NoError(t, err, text)
		got, err := compileMatcher(text, own)
		require.NoError(t, err, text)
		for _, base := range []string{own, "https://a.tiles.example", "https://tiles.example:8443", "https://tiles.example"} {
			for _, u := range urls {
				parsed, err := whatwg.Parse(base + u)
				require.NoError(t, err)
				matched := base == own
				if got.Origin != "" {
					matched = regexp.MustCompile(got.Origin).MatchString(base)
				}
				if got.Path != "" {
					matched = matched && regexp.MustCompile(got.Path).MatchString(parsed.Pathname())
				}
				if got.Search != "" {
					matched = matched && regexp.MustCompile(got.Search).MatchString(parsed.Query())
				}
				assert.Equal(t, want.Test(base+u, ""), matched, "%s against %s (%+v)", text, base+u, got)
			}
		}
	}
}

func FuzzPattern(f *testing.F) {
	for _, seed := range []string{"/a/:b?", "/x/(\\d+)", "https://*.tiles.example/*", "/{a,b}+", "/:a(.*)*", "\\", "/(?:)",
		"{", "/é?x=:y"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		m, err := compileMatcher(text, "https://line.example")
		if err != nil {
			return
		}
		// What the worker gets has to be an expression, at least where Go's syntax and a browser's are the same.
		for _, expr := range []string{m.Origin, m.Path, m.Search} {
			if expr != "" && !regexp.MustCompile(`[\\(]`).MatchString(text) {
				if _, err := regexp.Compile(expr); err != nil {
					t.Fatalf("%q became %q: %v", text, expr, err)
				}
			}
		}
	})
}
