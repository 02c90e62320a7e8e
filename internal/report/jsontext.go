package report

import (
	"bytes"
	"encoding/json"
	"fmt"
	"unicode/utf16"
	"unicode/utf8"
)

// JSON encodes a value, indented with two spaces, or on one line if indent is false. Characters that a terminal or an editor
// would obey are escaped, as JSON allows anywhere in a string: control characters and those that change the direction of
// text.
func JSON(v any, indent bool) ([]byte, error) {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	if indent {
		enc.SetIndent("", "  ")
	}
	if err := enc.Encode(v); err != nil {
		return nil, err
	}
	return EscapeJSON(b.Bytes()), nil
}

// EscapeJSON escapes these characters in a JSON text.
func EscapeJSON(text []byte) []byte {
	if !bytes.ContainsFunc(text, mustEscape) {
		return text
	}
	out := make([]byte, 0, len(text)+64)
	for len(text) > 0 {
		r, n := utf8.DecodeRune(text)
		switch {
		case !mustEscape(r):
			out = append(out, text[:n]...)
		case r > 0xffff:
			high, low := utf16.EncodeRune(r)
			out = fmt.Appendf(out, "\\u%04x\\u%04x", high, low)
		default:
			out = fmt.Appendf(out, "\\u%04x", r)
		}
		text = text[n:]
	}
	return out
}

func mustEscape(r rune) bool { return r >= 0x7f && !Harmless(r) }
