package encoding

import (
	"bytes"
	"unicode/utf8"

	xencoding "golang.org/x/text/encoding"
	"golang.org/x/text/encoding/japanese"
)

// doubleByte decodes encodings of one and two bytes: the decoders of Big5, EUC-KR and Shift_JIS (Encoding, 11.1.1,
// 13.1.1 and 12.3.1), and most of those of EUC-JP and gb18030.
type doubleByte struct {
	// leads says whether a byte begins a pair, single what others stand for above ASCII, pair what a pair stands for, nil for
	// nothing.
	leads  func(b byte) bool
	single func(b byte) rune
	pair   func(lead, trail byte) []rune
}

func (d *doubleByte) next(src []byte, atEnd bool) ([]rune, int, bool) {
	b := src[0]
	switch {
	case b < utf8.RuneSelf:
		return []rune{rune(b)}, 1, true
	case !d.leads(b):
		return []rune{d.single(b)}, 1, true
	case len(src) == 1:
		return wrong, 1, atEnd
	}
	if text := d.pair(b, src[1]); text != nil {
		return text, 2, true
	}
	return wrong, until(src[1], 2), true
}

// until is how many bytes of a wrong sequence are passed over: one of ASCII at its end is read again, so that nothing hides
// it.
func until(last byte, all int) int {
	if last < utf8.RuneSelf {
		return all - 1
	}
	return all
}

func upper(b byte) bool { return b >= 0x81 && b <= 0xfe }

func none(byte) rune { return utf8.RuneError }

// pairOf looks pairs up in the tables of an encoding.
func pairOf(e xencoding.Encoding) func(lead, trail byte) []rune {
	return func(lead, trail byte) []rune { return lookUp(e, lead, trail) }
}

// lookUp gives what a sequence stands for in the tables of an encoding, nil for nothing.
func lookUp(e xencoding.Encoding, sequence ...byte) []rune {
	text, err := e.NewDecoder().Bytes(sequence)
	if err != nil || bytes.ContainsRune(text, utf8.RuneError) {
		return nil
	}
	return []rune(string(text))
}

func katakana(b byte) rune {
	switch {
	case b >= 0xa1 && b <= 0xdf:
		return 0xff61 - 0xa1 + rune(b)
	case b == 0x80:
		return 0x80
	}
	return utf8.RuneError
}

// shiftJISPair knows the characters of one's own too (Encoding, 12.3.1, step 3.5).
func shiftJISPair(lead, trail byte) []rune {
	if trail < 0x40 || trail == 0x7f || trail > 0xfc {
		return nil
	}
	offset, leadOffset := 0x41, 0xc1
	if trail < 0x7f {
		offset = 0x40
	}
	if lead < 0xa0 {
		leadOffset = 0x81
	}
	pointer := (int(lead)-leadOffset)*188 + int(trail) - offset
	if pointer >= 8836 && pointer <= 10715 {
		return []rune{rune(0xe000 - 8836 + pointer)}
	}
	return lookUp(japanese.ShiftJIS, lead, trail)
}

// eucJP is the "EUC-JP decoder" (Encoding, 12.1.1), which has sequences of three bytes too.
type eucJP struct{ doubleByte }

func (d *eucJP) next(src []byte, atEnd bool) ([]rune, int, bool) {
	if src[0] != 0x8f {
		return d.doubleByte.next(src, atEnd)
	}
	switch {
	case len(src) == 1:
		return wrong, 1, atEnd
	case src[1] < 0xa1 || src[1] == 0xff:
		return wrong, until(src[1], 2), true
	case len(src) == 2:
		return wrong, 2, atEnd
	}
	if src[2] >= 0xa1 && src[2] <= 0xfe {
		if text := lookUp(japanese.EUCJP, src[:3]...); text != nil {
			return text, 3, true
		}
	}
	return wrong, until(src[2], 3), true
}

func eucJPPair(lead, trail byte) []rune {
	switch {
	case trail < 0xa1 || trail > 0xfe:
		return nil
	case lead == 0x8e && trail > 0xdf:
		return nil
	}
	return lookUp(japanese.EUCJP, lead, trail)
}
