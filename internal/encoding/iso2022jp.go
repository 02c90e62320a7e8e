package encoding

import (
	"unicode/utf8"

	"golang.org/x/text/encoding/japanese"
)

// iso2022JP is the "ISO-2022-JP decoder" (Encoding, 12.2.1). The text library's own takes more than the standard lets
// through, which is what hides text from filters.
type iso2022JP struct {
	state jpState
	// told is the standard's output flag: nothing has come since the last escape sequence.
	told bool
}

// jpState is what bytes stand for: the standard's decoder output state.
type jpState int

const (
	jpASCII jpState = iota
	jpRoman
	jpKatakana
	jpDouble // its lead byte state
)

// escapes are the sequences behind ESC (Encoding, 12.2.1, "escape state").
var escapes = map[string]jpState{"(B": jpASCII, "(J": jpRoman, "(I": jpKatakana, "$@": jpDouble, "$B": jpDouble}

const esc = 0x1b

func (d *iso2022JP) next(src []byte, atEnd bool) ([]rune, int, bool) {
	b := src[0]
	if b == esc {
		if len(src) < 3 && !atEnd {
			return nil, 0, false
		}
		return d.escape(src)
	}
	d.told = false
	switch {
	case d.state == jpDouble && b >= 0x21 && b <= 0x7e:
		switch {
		case len(src) == 1 && !atEnd:
			return nil, 0, false
		case len(src) == 1 || src[1] == esc:
			return wrong, 1, true
		}
		return []rune{jis0208(b, src[1])}, 2, true
	case d.state == jpKatakana && b >= 0x21 && b <= 0x5f:
		return []rune{0xff61 - 0x21 + rune(b)}, 1, true
	case d.state == jpDouble || d.state == jpKatakana || b >= 0x80 || b == 0x0e || b == 0x0f:
		return wrong, 1, true
	case d.state == jpRoman && b == '\\':
		return []rune{'¥'}, 1, true
	case d.state == jpRoman && b == '~':
		return []rune{'‾'}, 1, true
	}
	return []rune{rune(b)}, 1, true
}

// escape handles what begins with ESC: one that changes the state right after another one is an error.
func (d *iso2022JP) escape(src []byte) ([]rune, int, bool) {
	state, known := escapes[string(src[1:min(3, len(src))])]
	if !known {
		d.told = false
		return wrong, 1, true // what follows is read once more, in the state there was
	}
	d.state = state
	if d.told {
		return wrong, 3, true
	}
	d.told = true
	return nil, 3, true
}

// jis0208 is the character of a pair of bytes, U+FFFD for none (Encoding, 5: index jis0208).
func jis0208(lead, trail byte) rune {
	if trail < 0x21 || trail > 0x7e {
		return utf8.RuneError
	}
	if text := lookUp(japanese.EUCJP, lead|0x80, trail|0x80); text != nil {
		return text[0]
	}
	return utf8.RuneError
}
