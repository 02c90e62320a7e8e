package encoding

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/transform"
)

var names = []string{"utf-8", "windows-1252", "iso-8859-8-i", "gbk", "gb18030", "big5", "euc-jp", "euc-kr", "shift_jis", "iso-2022-jp", "utf-16le",
	"utf-16be", "x-user-defined", "macintosh", "replacement"}

func TestDecode(t *testing.T) {
	for name, c := range map[string]struct{ encoding, bytes, want string }{
		"a control":                   {"windows-1252", "\x81\x80", "\u0081€"},
		"nothing in a table":          {"windows-1253", "\xd2", "\ufffd"},
		"a character of one's own":    {"gb18030", "\xae\xbe\xa7\x76\xfe\xfe", "\ue195\ue73c\ue4c5"},
		"of a later edition":          {"gbk", "\xa6\xd9\xfe\x66", "\ufe10\u9fb6"},
		"four bytes":                  {"gbk", "\x90\x30\x81\x30", "\U00010000"},
		"four bytes that break off":   {"gb18030", "\x81\x30\x81", "\ufffd"},
		"ASCII in four bytes":         {"gb18030", "\x81\x30\x81A", "\ufffd0\u4e04"},
		"ASCII behind a lead":         {"big5", "\x81A", "\ufffdA"},
		"two characters":              {"big5", "\x88\x62", "Ê\u0304"},
		"Shift_JIS of one's own":      {"shift_jis", "\xf0\x40\xf9\xfc", "\ue000\ue757"},
		"three bytes":                 {"euc-jp", "\x8f\xa2\xb7", "～"},
		"three bytes with ASCII":      {"euc-jp", "\x8f\xa2A", "\ufffdA"},
		"two escapes":                 {"iso-2022-jp", "\x1b(B\x1b(BP", "\ufffdP"},
		"half a surrogate":            {"utf-16le", "\x3d\xd8A\x00", "\ufffdA"},
		"half a surrogate at the end": {"utf-16be", "\xd8\x3d\xde", "\ufffd"},
	} {
		got, ok := Decode(c.encoding, []byte(c.bytes))
		assert.True(t, ok, name)
		assert.Equal(t, c.want, got, name)
	}
	_, ok := Decode("utf-99", nil)
	assert.False(t, ok)
	for label, want := range map[string]string{" Latin1": "windows-1252", "x-sjis": "shift_jis", "utf-7": ""} {
		got, _ := Name(label)
		assert.Equal(t, want, got, label)
	}
}

// Bytes stand for the same whether they come at once or one by one, and always for text.
func FuzzDecode(f *testing.F) {
	for i := range names {
		f.Add(uint8(i), []byte("a\x81\x30\x81\x30\x8f\xa2\xb7\x1b$B0!\x3d\xd8\x00\xde\x1b"))
	}
	f.Fuzz(func(t *testing.T, which uint8, data []byte) {
		name := names[int(which)%len(names)]
		whole, ok := Decode(name, data)
		require.True(t, ok)
		require.True(t, utf8.ValidString(whole))
		d := NewDecoder(name)
		var parts strings.Builder
		var rest []byte
		dst := make([]byte, 64)
		for i := 0; i <= len(data); i++ {
			end := i == len(data)
			if !end {
				rest = append(rest, data[i])
			}
			for {
				n, used, err := d.Transform(dst, rest, end)
				parts.Write(dst[:n])
				rest = rest[used:]
				if err != transform.ErrShortDst {
					break
				}
			}
		}
		require.Equal(t, whole, parts.String(), name)
	})
}
