// Package pattern matches URLs against patterns of the project file (WHATWG URL Pattern).
package pattern

import (
	"errors"
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

// New compiles text, a path pattern or a whole URL pattern; base is an origin such as https://skerry-line.example.
func New(text, base string) (*Pattern, error) {
	c, err := compile(text, base)
	if err != nil {
		return nil, &Error{text, reason(text), err}
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

// Error says that a text is no URL pattern.
type Error struct {
	Text string
	// Reason says what is wrong with it, in a few words.
	Reason string
	Cause  error
}

func (e *Error) Error() string { return e.Reason }

// Unwrap gives the error of the library.
func (e *Error) Unwrap() error { return e.Cause }

// compile keeps a panic of the library from those who only wrote a wrong pattern.
func compile(text, base string) (c *urlpattern.URLPattern, err error) {
	defer func() {
		if recover() != nil {
			err = errors.New("the pattern is too odd to be read")
		}
	}()
	return urlpattern.New(text, base, nil)
}

// reason finds what is wrong with a pattern that does not compile: the library tells of its own insides.
func reason(text string) string {
	var open []rune
	closing := map[rune]rune{')': '(', '}': '{'}
	escaped := false
	for _, r := range text {
		switch {
		case escaped:
			escaped = false
		case r == '\\':
			escaped = true
		case r == '(' || r == '{':
			if len(open) > 0 && r == open[len(open)-1] && r == '{' {
				return "a { stands inside another"
			}
			open = append(open, r)
		case closing[r] != 0:
			if len(open) == 0 || open[len(open)-1] != closing[r] {
				return "a " + string(r) + " closes what was never opened"
			}
			open = open[:len(open)-1]
		}
	}
	switch {
	case escaped:
		return "it ends with a backslash"
	case len(open) > 0:
		return "a " + string(open[len(open)-1]) + " is never closed"
	case strings.Contains(text, "(?=") || strings.Contains(text, "(?!") || strings.Contains(text, "(?<"):
		return "what stands in ( ) looks ahead or behind, and a pattern here cannot; write two rules, the first of which wins"
	case strings.Contains(text, ":"):
		return "a name after : is missing, stands twice, or begins with a digit; a plain colon is written \\:"
	}
	return "what stands in ( ) is no regular expression, or a modifier stands where none may"
}
