// Package selector matches CSS selectors against parsed documents in bounded time for any selector.
package selector

import (
	"errors"
	"strings"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"
)

// Selector is a complex selector (Selectors 4, 3.1).
type Selector struct {
	// parts are its compound selectors, the last one first.
	parts       []part
	specificity cascadia.Specificity
	// remembers says that a match has to remember what it has tried: without that the time could grow with every part.
	remembers bool
}

// part is a compound selector with the combinator before it: ' ', '>', '+', '~', or 0 for the first one.
type part struct {
	compound   cascadia.Sel
	combinator byte
}

// Limits of one selector. Browsers have none that sites reach.
const (
	mostBytes = 16 << 10
	mostParts = 256
	// mostInner is how many combinators may stand within the brackets of one compound, which are matched by trying.
	mostInner = 3
)

// ErrTooComplex is returned for selectors beyond these limits.
var ErrTooComplex = errors.New("the selector is too complex")

// Parse reads one complex selector without a pseudo-element.
func Parse(text string) (*Selector, error) {
	if len(text) > mostBytes {
		return nil, ErrTooComplex
	}
	pieces, combinators, inner := divide(text)
	inner += strings.Count(text, ":has(") // each looks at all that stands in an element
	if len(pieces) > mostParts || inner > mostInner {
		return nil, ErrTooComplex
	}
	s := &Selector{parts: make([]part, len(pieces))}
	for i, piece := range pieces {
		compound, err := cascadia.Parse(piece)
		if err != nil {
			return nil, err
		}
		p := part{compound: compound}
		if i > 0 {
			p.combinator = combinators[i-1]
		}
		s.parts[len(pieces)-1-i] = p
		s.specificity = s.specificity.Add(compound.Specificity())
		s.remembers = s.remembers || i > 1
	}
	return s, nil
}

const space = " \t\n\r\f"

// divide splits a complex selector into its compounds and the combinators between them, and counts the combinators within
// the brackets of its compounds.
func divide(text string) (pieces []string, combinators []byte, inner int) {
	text = strings.Trim(text, space)
	depth, from := 0, 0
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c == '\\':
			i++
		case c == '(' || c == '[':
			depth++
		case c == ')' || c == ']':
			depth--
		case c == '"' || c == '\'':
			if end := strings.IndexByte(text[i+1:], c); end >= 0 {
				i += end + 1
			}
		case strings.IndexByte(space+">+~", c) < 0:
		case depth > 0:
			if !strings.ContainsRune("=,()", rune(before(text, i))) { // neither ~= nor the space after a comma
				inner++
			}
		default:
			end, combinator := i, byte(' ')
			for ; i < len(text) && strings.IndexByte(space+">+~", text[i]) >= 0; i++ {
				if strings.IndexByte(space, text[i]) < 0 {
					combinator = text[i]
				}
			}
			pieces, combinators = append(pieces, text[from:end]), append(combinators, combinator)
			from = i
			i--
		}
	}
	return append(pieces, text[from:]), combinators, inner
}

func before(text string, i int) byte {
	if i == 0 {
		return ','
	}
	return text[i-1]
}

// Specificity is how much the selector counts in the cascade (Selectors 4, 15).
func (s *Selector) Specificity() cascadia.Specificity { return s.specificity }

// tried is an element and the number of a part that is known not to match there.
type tried struct {
	node *html.Node
	part int
}

// Match is "match a complex selector against an element" (Selectors 4, 16.1), from the right. Its time is bounded by the
// number of parts times the square of the number of elements around.
func (s *Selector) Match(n *html.Node) bool {
	if !s.remembers {
		return s.matchFrom(n, 0, nil)
	}
	if !s.parts[0].compound.Match(n) { // most elements
		return false
	}
	return s.matchFrom(n, 0, map[tried]bool{})
}

func (s *Selector) matchFrom(n *html.Node, i int, failed map[tried]bool) bool {
	if failed[tried{n, i}] {
		return false
	}
	if s.parts[i].compound.Match(n) && s.matchBefore(n, i, failed) {
		return true
	}
	if failed != nil {
		failed[tried{n, i}] = true
	}
	return false
}

// matchBefore matches what stands before a part that matches an element.
func (s *Selector) matchBefore(n *html.Node, i int, failed map[tried]bool) bool {
	switch s.parts[i].combinator {
	case 0:
		return true
	case ' ':
		for p := n.Parent; p != nil && p.Type == html.ElementNode; p = p.Parent {
			if s.matchFrom(p, i+1, failed) {
				return true
			}
		}
	case '>':
		return n.Parent != nil && n.Parent.Type == html.ElementNode && s.matchFrom(n.Parent, i+1, failed)
	default:
		for p := n.PrevSibling; p != nil; p = p.PrevSibling {
			if p.Type != html.ElementNode {
				continue
			}
			if s.matchFrom(p, i+1, failed) {
				return true
			}
			if s.parts[i].combinator == '+' {
				return false
			}
		}
	}
	return false
}

// Split splits a selector list at its commas.
func Split(list string) (parts []string) {
	depth, from := 0, 0
	for i := 0; i < len(list); i++ {
		switch list[i] {
		case '(', '[':
			depth++
		case ')', ']':
			depth--
		case '\\':
			i++
		case '"', '\'':
			if end := strings.IndexByte(list[i+1:], list[i]); end >= 0 {
				i += end + 1
			}
		case ',':
			if depth == 0 {
				parts = append(parts, list[from:i])
				from = i + 1
			}
		}
	}
	return append(parts, list[from:])
}
