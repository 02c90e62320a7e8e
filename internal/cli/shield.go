package cli

import (
	"bytes"
	"io"
	"regexp"
	"unicode/utf8"
)

// shield keeps from a terminal what would be commands to it, wherever it comes from: of control characters and escape sequences only
// styles, line ends and those of our own progress line get through. Texts of a site are cleaned where they are laid out, too; this is for
// what was forgotten.
type shield struct{ io.Writer }

var (
	styles   = regexp.MustCompile(`^\x1b\[[0-9;:]*m`)
	progress = []byte("\r\x1b[K")
)

func (s shield) Write(p []byte) (int, error) {
	var out bytes.Buffer
	for rest := p; len(rest) > 0; {
		if m := styles.Find(rest); m != nil {
			out.Write(m)
			rest = rest[len(m):]
			continue
		}
		if bytes.HasPrefix(rest, progress) {
			out.Write(progress)
			rest = rest[len(progress):]
			continue
		}
		r, n := utf8.DecodeRune(rest)
		if harmless(r) || r == '\n' || r == '\t' {
			out.WriteRune(r)
		} else {
			out.WriteByte(' ')
		}
		rest = rest[n:]
	}
	_, err := s.Writer.Write(out.Bytes())
	return len(p), err
}

// harmless says whether a character is neither a control nor one that changes the direction of what stands around it.
func harmless(r rune) bool {
	switch {
	case r < 0x20, r >= 0x7f && r < 0xa0, r == 0x061c, r == 0x200e, r == 0x200f, r >= 0x2028 && r <= 0x202e, r >= 0x2066 && r <= 0x2069, r >= 0xe0000 && r <= 0xe007f:
		return false
	}
	return true
}
