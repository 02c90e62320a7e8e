package markup

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
)

// Tokens come in order, each with its place.
func TestTokens(t *testing.T) {
	for text, want := range map[string]string{
		"":                                 "",
		"<!DOCTYPE html>\n<P CLASS=a>x":    `!"<!DOCTYPE html>" text"\n" <p class=a> text"x"`,
		"<img src=a SRC=b alt='c&amp;d'/>": "<img alt=c&d src=a>/",
		"a&amp;b":                          `text"a&b"`,
		"<!-- <p> --><br/></br>":           `comment <br>/ </br>`,
		"<script>'<p>'</script >":          `<script> text"'<p>'" </script>`,
		"<title>a<b></title>":              `<title> text"a<b>" </title>`,
		"x<p class='":                      `text"x" unfinished"<p class='"`,
		"x<!-- a":                          `text"x" comment`, // the end closes it, and Raw tells that nobody did
		"<p":                               `unfinished"<p"`,
		"a < b":                            `text"a < b"`,
	} {
		var got []string
		at := 0
		for tok := range Tokens([]byte(text)) {
			assert.Equal(t, at, tok.Start, text)
			assert.Equal(t, text[tok.Start:tok.End], string(tok.Raw()), text)
			at = tok.End
			switch tok.Kind {
			case Text:
				got = append(got, fmt.Sprintf("text%q", tok.Text()))
			case StartTag, SelfClosingTag:
				one := "<" + tok.Name
				attr := tok.Attributes()
				for _, name := range []string{"alt", "class", "src"} {
					if v, ok := attr[name]; ok {
						one += " " + name + "=" + v
					}
				}
				if one += ">"; tok.Kind == SelfClosingTag {
					one += "/"
				}
				got = append(got, one)
				assert.Equal(t, attr, tok.Attributes(), "asked for twice")
				assert.True(t, tok.Opens())
			case EndTag:
				got = append(got, "</"+tok.Name+">")
				assert.False(t, tok.Opens())
			case Comment:
				got = append(got, "comment")
			case Doctype:
				got = append(got, fmt.Sprintf("!%q", tok.Raw()))
			case Unfinished:
				got = append(got, fmt.Sprintf("unfinished%q", tok.Raw()))
			}
		}
		assert.Equal(t, want, strings.Join(got, " "), text)
		assert.Equal(t, len(text), at, text)
	}
	for range Tokens([]byte("<a><b><c>")) {
		break // whoever has seen enough stops
	}
}

func TestTree(t *testing.T) {
	root := Tree([]byte("<title>Pier</title><p>low"))
	require.NotNil(t, root)
	var names []string
	for n := range root.Descendants() {
		if n.Type == html.ElementNode {
			names = append(names, n.Data)
		}
	}
	assert.Equal(t, "html head title body p", strings.Join(names, " "))
}

// Whatever the text, tokens cover it without a gap.
func FuzzTokens(f *testing.F) {
	for _, text := range []string{"<p a=b>x</p>", "<!--", "<script><!--<script></script>", "<a b='", "<title>",
		"\x00<\x00>", "</p x=y>", "<![CDATA[x]]>"} {
		f.Add([]byte(text))
	}
	f.Fuzz(func(t *testing.T, text []byte) {
		at := 0
		for tok := range Tokens(text) {
			if tok.Start != at || tok.End < at {
				t.Fatalf("a token at %d to %d follows %d in %q", tok.Start, tok.End, at, text)
			}
			tok.Attributes()
			at = tok.End
		}
		if at != len(text) {
			t.Fatalf("%d bytes of %q are in no token", len(text)-at, text)
		}
	})
}
