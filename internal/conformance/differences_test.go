package conformance

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// differences are the cases in which this program is known to differ from what was recorded in a real browser: a line
// each in testdata/differences.txt, with the test, the case and, for browser tests, how many of its parts fail. The list
// may only shrink: a case that differs and is not listed fails its test, and so does a listed one that agrees.
type differences struct {
	t     *testing.T
	known map[string]bool
	seen  map[string]bool
}

func readDifferences(t *testing.T, test string) *differences {
	text, err := os.ReadFile("testdata/differences.txt")
	require.NoError(t, err)
	d := &differences{t: t, known: map[string]bool{}, seen: map[string]bool{}}
	for line := range strings.Lines(string(text)) {
		if rest, is := strings.CutPrefix(strings.TrimSpace(line), test+" "); is {
			d.known[rest] = true
		}
	}
	return d
}

// note notes a case that differs.
func (d *differences) note(name string) {
	d.seen[name] = true
	if !d.known[name] {
		d.t.Errorf("NEW DIFFERENCE %s", name)
	}
}

// end fails the test for listed cases that agree, of those that were tried.
func (d *differences) end(tried func(name string) bool) {
	for name := range d.known {
		if !d.seen[name] && tried(name) {
			d.t.Errorf("NO DIFFERENCE ANY MORE: take %q out of testdata/differences.txt", name)
		}
	}
}
