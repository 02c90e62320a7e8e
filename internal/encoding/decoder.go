// Package encoding decodes texts as the Encoding standard has it. The tables are those of golang.org/x/text, whose own
// decoders treat what is wrong in a text in other ways than browsers do.
package encoding

import (
	"bytes"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/traditionalchinese"
	"golang.org/x/text/transform"
)

// Name gives the name of an encoding by one of its labels, in lower case (Encoding, 4.2, "get an encoding").
func Name(label string) (name string, ok bool) {
	e, err := htmlindex.Get(label)
	if err != nil {
		return "", false
	}
	name, err = htmlindex.Name(e)
	return name, err == nil
}

// NewDecoder gives a decoder of the encoding with a name that Name gave, nil for another name. A byte order mark is
// decoded like the rest.
func NewDecoder(name string) transform.Transformer {
	switch name {
	case "iso-2022-jp":
		return &decoder{steps: &iso2022JP{}}
	case "shift_jis":
		return &decoder{steps: &doubleByte{single: katakana, pair: shiftJISPair, leads: func(b byte) bool { return b >= 0x81 && b <= 0x9f || b >= 0xe0 && b <= 0xfc }}}
	case "euc-jp":
		return &decoder{steps: &eucJP{doubleByte{single: none, pair: eucJPPair, leads: func(b byte) bool { return b == 0x8e || b >= 0xa1 && b <= 0xfe }}}}
	case "euc-kr":
		return &decoder{steps: &doubleByte{single: none, pair: pairOf(korean.EUCKR), leads: upper}}
	case "big5":
		return &decoder{steps: &doubleByte{single: none, pair: pairOf(traditionalchinese.Big5), leads: upper}}
	case "gbk", "gb18030":
		return &decoder{steps: &gb18030{doubleByte{single: euro, pair: gb18030Pair, leads: upper}}}
	case "utf-16le":
		return &decoder{steps: &utf16{low: 0}}
	case "utf-16be":
		return &decoder{steps: &utf16{low: 1}}
	}
	if name == "iso-8859-8-i" {
		name = "iso-8859-8" // which differs in the direction of its text alone
	}
	e, err := htmlindex.Get(name)
	if err != nil {
		return nil
	}
	if table, ok := e.(*charmap.Charmap); ok {
		return &decoder{steps: singleByte{table}}
	}
	return e.NewDecoder().Transformer
}

// Decode decodes a whole text.
func Decode(name string, data []byte) (string, bool) {
	d := NewDecoder(name)
	if d == nil {
		return "", false
	}
	// Where nothing is wrong the library's decoders agree with ours, all but one, and take a fraction of the time.
	if e, err := htmlindex.Get(name); err == nil && name != "iso-2022-jp" {
		if out, err := e.NewDecoder().Bytes(data); err == nil && utf8.Valid(out) && !bytes.ContainsRune(out, utf8.RuneError) {
			return string(out), true
		}
	}
	out, _, err := transform.Bytes(d, data)
	return string(out), err == nil
}

// steps decodes one byte or sequence after the other.
type steps interface {
	// next handles what src begins with: it gives the characters that come of it, which may be none, and how many bytes it
	// took. ok is false where more has to come first; it never is at the end.
	next(src []byte, atEnd bool) (text []rune, used int, ok bool)
}

// decoder makes a transformer of steps.
type decoder struct {
	transform.NopResetter
	steps
}

// Transform decodes as much as there is of src, and leaves a sequence that breaks off for later unless this is the end.
func (d *decoder) Transform(dst, src []byte, atEOF bool) (nDst, nSrc int, err error) {
	for nSrc < len(src) {
		if nDst+2*utf8.UTFMax > len(dst) {
			return nDst, nSrc, transform.ErrShortDst
		}
		text, used, ok := d.next(src[nSrc:], atEOF)
		if !ok {
			return nDst, nSrc, transform.ErrShortSrc
		}
		nSrc += used
		for _, r := range text {
			nDst += utf8.EncodeRune(dst[nDst:], r)
		}
	}
	return nDst, nSrc, nil
}

// wrong is what stands for bytes that are no text.
var wrong = []rune{utf8.RuneError}

// singleByte is the "single-byte decoder" (Encoding, 9.1). The standard's tables have the controls of ISO 8859 where
// others have nothing.
type singleByte struct{ *charmap.Charmap }

func (s singleByte) next(src []byte, _ bool) ([]rune, int, bool) {
	r := s.DecodeByte(src[0])
	if r == utf8.RuneError && src[0] < 0xa0 {
		r = rune(src[0])
	}
	return []rune{r}, 1, true
}

// utf16 is the "shared UTF-16 decoder" (Encoding, 14.2.1); low is where the low byte of a unit lies.
type utf16 struct{ low int }

func (u *utf16) next(src []byte, atEnd bool) ([]rune, int, bool) {
	if len(src) < 2 {
		return wrong, 1, atEnd
	}
	unit := u.unit(src)
	switch {
	case unit < 0xd800 || unit > 0xdfff:
		return []rune{unit}, 2, true
	case unit > 0xdbff:
		return wrong, 2, true
	case len(src) < 4:
		return wrong, len(src), atEnd
	}
	if trail := u.unit(src[2:]); trail >= 0xdc00 && trail <= 0xdfff {
		return []rune{0x10000 + (unit-0xd800)<<10 + trail - 0xdc00}, 4, true
	}
	return wrong, 2, true
}

func (u *utf16) unit(src []byte) rune { return rune(src[u.low]) | rune(src[1-u.low])<<8 }
