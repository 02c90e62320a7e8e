package textpos

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

// Every place comes out as counting from the start of its line does.
func FuzzAt(f *testing.F) {
	f.Add("", 3)
	f.Add("a\nbé\n\nc", 4)
	f.Add(strings.Repeat("é", 3000)+"\n"+strings.Repeat("x", 5000), 7000)
	f.Fuzz(func(t *testing.T, text string, offset int) {
		if offset < 0 || !utf8.ValidString(text) {
			return
		}
		x := New([]byte(text))
		for _, at := range []int{offset, 0, len(text), offset / 2} {
			at = min(at, len(text))
			if at < len(text) && !utf8.RuneStart(text[at]) {
				continue
			}
			line, column := x.At(at)
			before := text[:at]
			assert.Equal(t, strings.Count(before, "\n")+1, line)
			assert.Equal(t, utf8.RuneCountInString(before[strings.LastIndex(before, "\n")+1:])+1, column)
		}
	})
}
