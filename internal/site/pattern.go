package site

import (
	"strings"

	urlpattern "github.com/dunglas/go-urlpattern"
)

// Pattern is a URL Pattern (WHATWG URL Pattern) with the base it was written against.
type Pattern struct {
	Text     string
	compiled *urlpattern.URLPattern
	// prefix answers the commonest form, a plain path with at most one star at its end, without regular expressions.
	prefix       string
	plain, whole bool
}

// NewPattern compiles text, a path pattern or a whole URL pattern; base is an origin such as https://skerry-line.example.
func NewPattern(text, base string) (*Pattern, error) {
	c, err := urlpattern.New(text, base, nil)
	if err != nil {
		return nil, err
	}
	p := &Pattern{Text: text, compiled: c}
	rest := strings.TrimSuffix(text, "*")
	if strings.HasPrefix(text, "/") && !strings.ContainsAny(rest, `*:(){}?\#%+ `) {
		p.plain, p.prefix, p.whole = true, base+rest, rest == text
	}
	return p, nil
}

// Match says whether the pattern matches an absolute URL.
func (p *Pattern) Match(url string) bool {
	if p.plain {
		url, _, _ = strings.Cut(url, "#")
		if path, _, _ := strings.Cut(url, "?"); p.whole {
			return path == p.prefix
		} else {
			return strings.HasPrefix(path, p.prefix)
		}
	}
	return p.compiled.Test(url, "")
}

// Captures gives what the groups of the pathname took, or nil when the pattern does not match.
func (p *Pattern) Captures(url string) map[string]string {
	r := p.compiled.Exec(url, "")
	if r == nil {
		return nil
	}
	return r.Pathname.Groups
}

// Components gives the pattern's protocol, hostname, port, pathname and search in canonical pattern syntax.
func (p *Pattern) Components() (protocol, hostname, port, pathname, search string) {
	c := p.compiled
	return c.Protocol(), c.Hostname(), c.Port(), c.Pathname(), c.Search()
}
