package page

import (
	"regexp"
	"strings"
	"sync"

	"tachyform/internal/selector"
)

// pageSelector is one complex selector, made ready for matching a page as it is just after loading.
type pageSelector struct {
	match *selector.Selector
	// element is the pseudo-element it ends in: before, after, or "" for the element itself.
	element string
	// never holds for what nothing is when a page has just loaded, such as :hover; unknown for what cannot be told.
	never, unknown bool
	// key is an id (#x), class (.x) or element name that whatever matches has, "" when none is plain.
	key string
}

var (
	pseudoElement = regexp.MustCompile(`::?(before|after|first-line|first-letter|marker)$|::[a-z-]+(\([^()]*\))?$`)
	notDynamic    = regexp.MustCompile(`:not\(\s*:(hover|focus|active|focus-within|focus-visible|visited|target|fullscreen|popover-open|open|placeholder-shown|user-invalid|user-valid|autofill|-webkit-autofill|defined)\s*\)`)
	dynamic       = regexp.MustCompile(`:(hover|focus|active|focus-within|focus-visible|visited|target|fullscreen|popover-open|user-invalid|user-valid|autofill|-webkit-[a-z-]+|-moz-[a-z-]+|modal|playing|paused)\b`)
	alternatives  = regexp.MustCompile(`:(?:is|where|matches|-webkit-any|-moz-any)\(([^()]*(?:\([^()]*\)[^()]*)*)\)`)
	plainPseudo   = strings.NewReplacer(":any-link", "[href]", ":link", "[href]", ":defined", "", ":host", ":not(*)",
		":-webkit-any-link", "[href]")
)

// selectors remembers lists that were compiled: the same style sheets are applied to every page of a site. It begins
// anew when it is full.
var selectors struct {
	sync.RWMutex
	known map[string][]pageSelector
}

const maxSelectors = 20_000

// Limits of one list: how many selectors it holds, and how many one of them stands for when its alternatives are written
// out. What is beyond is unknown.
const (
	mostOfList       = 2000
	mostAlternatives = 200
	mostText         = 16 << 10 // bytes of one
)

// selectorsOf compiles a selector list; each selector by itself, since browsers differ from our matcher in what they
// know.
func selectorsOf(list string) []pageSelector {
	selectors.RLock()
	known, ok := selectors.known[list]
	selectors.RUnlock()
	if ok {
		return known
	}
	var out []pageSelector
	for _, text := range selector.Split(list) {
		left := mostAlternatives
		if out = append(out, compileSelector(text, 0, &left)...); len(out) > mostOfList {
			out = append(out[:mostOfList], pageSelector{unknown: true})
			break
		}
	}
	selectors.Lock()
	defer selectors.Unlock()
	if selectors.known == nil || len(selectors.known) >= maxSelectors {
		selectors.known = map[string][]pageSelector{}
	}
	selectors.known[list] = out
	return out
}

func compileSelector(text string, depth int, left *int) []pageSelector {
	text = strings.TrimSpace(text)
	if *left--; *left < 0 || len(text) > mostText {
		return []pageSelector{{unknown: true}}
	}
	if m := alternatives.FindStringSubmatchIndex(text); m != nil && depth < 6 {
		var out []pageSelector
		for _, part := range selector.Split(text[m[2]:m[3]]) {
			before := text[:m[0]]
			// A type selector cannot follow another compound, so the alternative is put where it may stand.
			if cut := strings.LastIndexAny(before, " >+~"); startsWithName(part) && cut+1 < len(before) {
				before = before[:cut+1] + part + before[cut+1:]
				part = ""
			}
			out = append(out, compileSelector(before+part+text[m[1]:], depth+1, left)...)
		}
		return out
	}
	s := pageSelector{}
	lower := strings.ToLower(text)
	if m := pseudoElement.FindStringSubmatchIndex(lower); m != nil {
		if name := strings.TrimLeft(lower[m[0]:], ":"); name == "before" || name == "after" {
			s.element = name
		} else if !strings.HasPrefix(name, "first-") && name != "marker" {
			s.never = true
		}
		if text = strings.TrimSpace(text[:m[0]]); text == "" || strings.ContainsAny(text[len(text)-1:], ">+~") {
			text += "*"
		}
	}
	text = plainPseudo.Replace(notDynamic.ReplaceAllString(text, ""))
	if text == "" {
		text = "*"
	}
	if dynamic.MatchString(text) {
		s.never = true
		return []pageSelector{s}
	}
	compiled, err := selector.Parse(text)
	if err != nil {
		s.unknown = true
	}
	s.match, s.key = compiled, keyOf(text)
	return []pageSelector{s}
}

var keyPart = regexp.MustCompile(`^(?:([a-zA-Z][\w-]*)|\*)?((?:[.#][a-zA-Z_][\w-]*)*)(?:[:\[].*)?$`)

// keyOf finds the key of a selector in its last compound.
func keyOf(text string) string {
	depth, from := 0, 0
	for i := 0; i < len(text); i++ {
		switch text[i] {
		case '(', '[':
			depth++
		case ')', ']':
			depth--
		case '\\', '"', '\'':
			return ""
		case ' ', '>', '+', '~', '\n', '\t', '\r':
			if depth == 0 {
				from = i + 1
			}
		}
	}
	m := keyPart.FindStringSubmatch(text[from:])
	if m == nil {
		return ""
	}
	if m[2] != "" {
		rest := m[2][1:]
		if end := strings.IndexAny(rest, ".#"); end >= 0 {
			rest = rest[:end]
		}
		return m[2][:1] + rest
	}
	return strings.ToLower(m[1])
}

func startsWithName(s string) bool {
	s = strings.TrimSpace(s)
	return s != "" && (s[0] >= 'a' && s[0] <= 'z' || s[0] >= 'A' && s[0] <= 'Z')
}
