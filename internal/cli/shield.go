package cli

import (
	"bytes"
	"io"
	"regexp"
	"unicode/utf8"

	"tachyform/internal/report"
)

// shield keeps from a terminal what would be commands to it, wherever it comes from: of control characters and escape
// sequences only styles, line ends and those of our own progress line get through. Texts of a site are cleaned where
// they are laid out, too; this is for what was forgotten.
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
		if report.Harmless(r) || r == '\n' || r == '\t' {
			out.WriteRune(r)
		} else {
			out.WriteByte(' ')
		}
		rest = rest[n:]
	}
	_, err := s.Writer.Write(out.Bytes())
	return len(p), err
}
