package cli

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// blocked is a terminal that accepts no output until it is opened.
type blocked struct {
	strings.Builder
	open chan struct{}
}

func (b *blocked) Write(text []byte) (int, error) {
	<-b.open
	return b.Builder.Write(text)
}

// A terminal that does not accept output delays nobody; what does not fit is counted.
func TestPrinter(t *testing.T) {
	b := &blocked{open: make(chan struct{})}
	p := newPrinter(b)
	for range mostWaiting + 10 {
		p.print("line\n")
	}
	close(b.open)
	p.close()
	p.print("after the end\n")
	p.close()
	text := b.String()
	assert.Regexp(t, `\((8|9|10) lines left out\)`, text)
	assert.NotContains(t, text, "after the end")
	assert.GreaterOrEqual(t, strings.Count(text, "line\n"), mostWaiting)

	stuck := newPrinter(&blocked{open: make(chan struct{})})
	stuck.print("line\n")
	begin := time.Now()
	stuck.close()
	assert.Less(t, time.Since(begin), 5*flushTakes)
}
