package manifest

import (
	"strings"
	"unicode"
)

// asciiWhitespace says whether a character is ASCII whitespace (Infra, 4.6).
func asciiWhitespace(r rune) bool { return strings.ContainsRune("\t\n\f\r ", r) }

// scriptWhitespace says whether a character is white space or ends a line in ECMAScript (12.2, 12.3).
func scriptWhitespace(r rune) bool {
	return asciiWhitespace(r) || r == '\v' || r == '\ufeff' || r == '\u2028' || r == '\u2029' || unicode.Is(unicode.Zs, r)
}

// trim takes away what a browser counts as white space at both ends of a text. The standard strips ASCII whitespace,
// Chromium also the characters that Unicode's bidirectional algorithm calls white space, and Firefox what ECMAScript's
// trim() takes away.
func (p *processor) trim(text string) string {
	switch p.as {
	case Chromium:
		return strings.TrimFunc(text, func(r rune) bool {
			return asciiWhitespace(r) || r == '\v' || unicode.Is(unicode.Zs, r) && r != '\u00a0' && r != '\u202f' ||
				r == '\u2028'
		})
	case Firefox:
		return strings.TrimFunc(text, scriptWhitespace)
	}
	return strings.TrimFunc(text, asciiWhitespace)
}

// separates gives what stands between the parts of a list in a text.
func (p *processor) separates() func(rune) bool {
	if p.as == Firefox {
		return scriptWhitespace
	}
	return asciiWhitespace
}

// keywords splits a list of keywords. In Chromium only spaces stand between two, and each is trimmed.
func (p *processor) keywords(text string) []string {
	if p.as != Chromium {
		return strings.FieldsFunc(text, p.separates())
	}
	var out []string
	for _, word := range strings.Split(text, " ") {
		if word != "" {
			out = append(out, p.trim(word))
		}
	}
	return out
}

// discarding gives the value for which Chromium throws the manifest away that has it, nil if there is none: a
// permissions_policy that is not an object of lists of texts.
func discarding(root *Value) *Value {
	policy := root.Get("permissions_policy")
	if policy == nil || policy.Kind != Object {
		return policy
	}
	for _, feature := range policy.Members {
		if feature.Value.Kind != Array {
			return feature.Value
		}
		for _, origin := range feature.Value.Items {
			if origin.Kind != String {
				return origin
			}
		}
	}
	return nil
}
