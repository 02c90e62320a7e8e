package manifest

import (
	"slices"
	"sort"
	"strings"

	"golang.org/x/text/language"
)

// canonicalLanguage gives a language tag its canonical form (ECMA-402, 6.2: structurally valid, then canonicalised); ok is false for
// what has not the form of one. Whether the subtags are registered does not matter.
func canonicalLanguage(text string) (tag string, ok bool) {
	parts := strings.Split(strings.ToLower(text), "-")
	alpha := func(s string, low, high int) bool {
		return len(s) >= low && len(s) <= high && strings.Trim(s, "abcdefghijklmnopqrstuvwxyz") == ""
	}
	alnum := func(s string, low, high int) bool {
		return len(s) >= low && len(s) <= high && strings.Trim(s, "abcdefghijklmnopqrstuvwxyz0123456789") == ""
	}
	base := parts[0]
	if !alpha(base, 2, 3) && !alpha(base, 5, 8) {
		return "", false
	}
	rest := parts[1:]
	out := []string{canonicalBase(base)}
	if len(rest) > 0 && alpha(rest[0], 4, 4) {
		out = append(out, strings.ToUpper(rest[0][:1])+rest[0][1:])
		rest = rest[1:]
	}
	if len(rest) > 0 && (alpha(rest[0], 2, 2) || len(rest[0]) == 3 && strings.Trim(rest[0], "0123456789") == "") {
		out = append(out, strings.ToUpper(rest[0]))
		rest = rest[1:]
	}
	var variants []string
	for len(rest) > 0 && (alnum(rest[0], 5, 8) || alnum(rest[0], 4, 4) && rest[0][0] >= '0' && rest[0][0] <= '9') {
		if slices.Contains(variants, rest[0]) {
			return "", false
		}
		variants = append(variants, rest[0])
		rest = rest[1:]
	}
	sort.Strings(variants)
	out = append(out, variants...)
	var extensions []string
	for len(rest) > 0 && rest[0] != "x" {
		if !alnum(rest[0], 1, 1) || slices.ContainsFunc(extensions, func(e string) bool { return e[:1] == rest[0] }) {
			return "", false
		}
		n := 1
		for n < len(rest) && alnum(rest[n], 2, 8) {
			n++
		}
		if n == 1 {
			return "", false
		}
		extensions = append(extensions, strings.Join(rest[:n], "-"))
		rest = rest[n:]
	}
	sort.Strings(extensions)
	out = append(out, extensions...)
	if len(rest) > 0 {
		if len(rest) == 1 {
			return "", false
		}
		for _, s := range rest[1:] {
			if !alnum(s, 1, 8) {
				return "", false
			}
		}
		out = append(out, rest...)
	}
	return strings.Join(out, "-"), true
}

// canonicalBase replaces deprecated language subtags.
func canonicalBase(base string) string {
	// Where the library would add a region, or keeps to an older list.
	switch base {
	case "mo":
		return "ro"
	case "tl":
		return "fil"
	}
	if tag, err := language.DeprecatedBase.Parse(base); err == nil {
		if b, confidence := tag.Base(); confidence == language.Exact {
			return b.String()
		}
	}
	return base
}
