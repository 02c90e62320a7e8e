// Package textpos tells line and column of places in a text.
package textpos

import (
	"bytes"
	"sort"
	"unicode/utf8"
)

// Index finds places in one text. It is made ready at the first question and is for one goroutine at a time.
type Index struct {
	text   []byte
	starts []int // of lines
	// counts are the characters before every stride bytes, and in the end all: texts without line ends are common, and places in
	// them many.
	counts []int
}

const stride = 1 << 10

// New gives an index of a text, which may not change from then on.
func New(text []byte) *Index { return &Index{text: text} }

// At gives line and column of a byte offset, both counted from 1, columns in characters. An offset beyond the text
// counts as its end.
func (x *Index) At(offset int) (line, column int) {
	offset = min(offset, len(x.text))
	if x.starts == nil {
		x.read()
	}
	line = sort.SearchInts(x.starts, offset+1)
	return line, x.before(offset) - x.before(x.starts[line-1]) + 1
}

func (x *Index) read() {
	x.starts, x.counts = []int{0}, []int{0}
	for i := 0; i < len(x.text); {
		j := bytes.IndexByte(x.text[i:], '\n')
		if j < 0 {
			break
		}
		i += j + 1
		x.starts = append(x.starts, i)
	}
	for i := 0; i < len(x.text); i += stride {
		x.counts = append(x.counts, x.counts[len(x.counts)-1]+starting(x.text[i:min(i+stride, len(x.text))]))
	}
}

// before counts the characters that begin before an offset.
func (x *Index) before(offset int) int {
	k := offset / stride
	from := k * stride
	if k+1 < len(x.counts) && x.counts[k+1]-x.counts[k] == min(stride, len(x.text)-from) {
		return x.counts[k] + offset - from // characters of one byte alone
	}
	return x.counts[k] + starting(x.text[from:offset])
}

// starting counts the bytes at which characters begin.
func starting(text []byte) (n int) {
	n = len(text)
	for _, b := range text {
		if b >= utf8.RuneSelf && !utf8.RuneStart(b) {
			n--
		}
	}
	return n
}
