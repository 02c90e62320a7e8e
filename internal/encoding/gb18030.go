package encoding

import (
	"unicode/utf8"

	"golang.org/x/text/encoding/simplifiedchinese"
)

// gb18030 is the "gb18030 decoder" (Encoding, 10.2.1), which GBK has as well: it knows sequences of four bytes.
type gb18030 struct{ doubleByte }

func (d *gb18030) next(src []byte, atEnd bool) ([]rune, int, bool) {
	if !upper(src[0]) || len(src) == 1 || !digit(src[1]) {
		return d.doubleByte.next(src, atEnd)
	}
	switch {
	case len(src) == 2:
		return wrong, 2, atEnd
	case !upper(src[2]):
		return wrong, 1, true
	case len(src) == 3:
		return wrong, 3, atEnd
	case !digit(src[3]):
		return wrong, 1, true
	}
	if text := lookUp(simplifiedchinese.GB18030, src[:4]...); text != nil {
		return text, 4, true
	}
	return wrong, 4, true
}

func digit(b byte) bool { return b >= '0' && b <= '9' }

func euro(b byte) rune {
	if b == 0x80 {
		return '€'
	}
	return utf8.RuneError
}

// gb18030Pair knows the characters of one's own too, in three areas.
func gb18030Pair(lead, trail byte) []rune {
	if trail < 0x40 || trail == 0x7f || trail == 0xff {
		return nil
	}
	if text := lookUp(simplifiedchinese.GB18030, lead, trail); text != nil {
		return text
	}
	l, t := rune(lead), rune(trail)
	switch {
	case l >= 0xaa && l <= 0xaf && t >= 0xa1:
		return []rune{0xe000 + (l-0xaa)*94 + t - 0xa1}
	case l >= 0xf8 && t >= 0xa1:
		return []rune{0xe234 + (l-0xf8)*94 + t - 0xa1}
	case l >= 0xa1 && l <= 0xa7 && t < 0xa1:
		if t > 0x7f {
			t--
		}
		return []rune{0xe4c6 + (l-0xa1)*96 + t - 0x40}
	}
	at := l<<8 | t
	for _, run := range gb18030Runs {
		if at >= run.from && at < run.from+run.length {
			return []rune{run.to + at - run.from}
		}
	}
	return nil
}

// gb18030Runs are characters of the standard's index that the library's table lacks, in runs of neighbours: those of
// private use, and what later editions of GB 18030 gave a place of its own.
var gb18030Runs = []struct{ from, length, to rune }{
	{0xa2ab, 6, 0xe766}, {0xa2e4, 1, 0xe76d}, {0xa2ef, 2, 0xe76e}, {0xa2fd, 2, 0xe770}, {0xa4f4, 11, 0xe772}, {0xa5f7, 8, 0xe77d},
	{0xa6b9, 8, 0xe785}, {0xa6d9, 1, 0xfe10}, {0xa6da, 1, 0xfe12}, {0xa6db, 1, 0xfe11}, {0xa6dc, 4, 0xfe13}, {0xa6ec, 2, 0xfe17},
	{0xa6f3, 1, 0xfe19}, {0xa6f6, 9, 0xe797}, {0xa7c2, 15, 0xe7a0}, {0xa7f2, 13, 0xe7af}, {0xa896, 11, 0xe7bc}, {0xa8bc, 1, 0x1e3f},
	{0xa8c1, 4, 0xe7c9}, {0xa8ea, 21, 0xe7cd}, {0xa958, 1, 0xe7e2}, {0xa95b, 1, 0xe7e3}, {0xa95d, 3, 0xe7e4}, {0xa997, 13, 0xe7f4},
	{0xa9f0, 15, 0xe801}, {0xd7fa, 5, 0xe810}, {0xfe51, 3, 0xe816}, {0xfe59, 1, 0x9fb4}, {0xfe61, 1, 0x9fb5}, {0xfe66, 2, 0x9fb6},
	{0xfe6c, 1, 0xe831}, {0xfe6d, 1, 0x9fb8}, {0xfe76, 1, 0xe83b}, {0xfe7e, 1, 0x9fb9}, {0xfe90, 1, 0x9fba}, {0xfe91, 1, 0xe855},
	{0xfea0, 1, 0x9fbb},
}
