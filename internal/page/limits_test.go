package page

import (
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"golang.org/x/net/html"
)

// Style sheets and media queries that would take all memory, or years, are read within limits; what is within them is read
// as before.
func TestStyleLimits(t *testing.T) {
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	for name, c := range map[string]struct {
		style string
		rules int
	}{
		"doubling":           {"a{" + strings.Repeat("& &{", 40) + "background: url(/x.png)" + strings.Repeat("}", 41), 1},
		"open blocks":        {strings.Repeat("a{", 70_000), 0},
		"open groups":        {strings.Repeat("@media all{", 20_000) + "p{background: url(/x.png)}", 0},
		"deep, then shallow": {strings.Repeat("a{", 100) + strings.Repeat("}", 100) + "p{background: url(/x.png)}", 1},
		"nested":             {"a{ b{ c{ background: url(/x.png) } } }", 1},
		"a long selector":    {strings.Repeat("a ", 100_000) + "{background: url(/x.png)}", 1},
		"a long list":        {strings.Repeat("a,", 100_000) + "b{background: url(/x.png)}", 1},
		"many alternatives":  {strings.Repeat(":is(a,b,c,d,e,f,g,h) ", 12) + "{background: url(/x.png)}", 1},
		"every way":          {strings.Repeat("* ", 30) + "b{background: url(/x.png)}", 1},
	} {
		s := ParseStyle("https://line.example/s.css", "https://line.example/", []byte(c.style))
		assert.Len(t, s.Rules, c.rules, name)
		d := (&Reader{}).Document("https://line.example/", "text/html", []byte("<!doctype html><body>"+strings.Repeat("<div>", 300)+"<p><b>x"))
		d.Applied([]*Style{s})
		for _, r := range s.Rules {
			for _, one := range selectorsOf(r.Selector) {
				if one.match != nil {
					one.match.Match(&html.Node{Type: html.ElementNode, Data: "b"})
				}
			}
			assert.LessOrEqual(t, len(selectorsOf(r.Selector)), mostOfList+1, name)
		}
	}
	for query, want := range map[string]bool{
		strings.Repeat("(", 300_000): false, strings.Repeat("(", 20_000) + "width" + strings.Repeat(")", 20_000): false,
		"((((min-width: 1px))))": true, "not ((not (min-width: 1px)))": true, "screen and " + strings.Repeat("(", 10) + "color" + strings.Repeat(")", 10): true,
	} {
		assert.Equal(t, want, Desktop.matches(query), "%.40s", query)
	}
	runtime.ReadMemStats(&after)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(2<<30))
}
