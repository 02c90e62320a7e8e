package selector

import (
	"strings"
	"testing"

	"github.com/andybalholm/cascadia"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
)

func tree(t testing.TB, text string) (all []*html.Node) {
	root, err := html.Parse(strings.NewReader(text))
	require.NoError(t, err)
	for n := range root.Descendants() {
		if n.Type == html.ElementNode {
			all = append(all, n)
		}
	}
	return all
}

// Every selector matches what the library that matches its compounds says of it as a whole.
func TestMatch(t *testing.T) {
	all := tree(t, `<main id=pier class="a b"><ul><li class=a>1<b>x</b><li>2<ul><li class="a b"><b><i class=c>y</i></b></ul><li lang=en title="x y">3</ul><p>4<p class=a>5</main><p>6`)
	for _, text := range []string{
		"*", "li", "ul li", "ul > li", "ul ul li", "main ul > li b", "li + li", "li ~ li", "li ~ li b", "main * * * b", "* * * * *", "ul>li>ul>li", "ul  >  li +li", ".a .a", ".a > b, p",
		"li:not(.a)", "li:not(.a) b i", "main:has(i) > p ~ p", "[title='x y'] ", "li[title=\"x > y\"]", "[title~=x]", "ul li:nth-child(2n + 1)", "li:first-child + li > ul .a i", "#pier .b", "p\\:x b", "body > p",
	} {
		for _, one := range Split(text) {
			whole, err := cascadia.Parse(one)
			require.NoError(t, err, one)
			s, err := Parse(one)
			require.NoError(t, err, one)
			assert.Equal(t, whole.Specificity(), s.Specificity(), one)
			for _, n := range all {
				assert.Equal(t, whole.Match(n), s.Match(n), "%s at %s %v", one, n.Data, n.Attr)
			}
		}
	}
}

// What would try every way through a document ends at once.
func TestBounds(t *testing.T) {
	all := tree(t, strings.Repeat("<div>", 300)+"x")
	for _, text := range []string{strings.Repeat("* ", 40) + "b", strings.Repeat("div ", 60) + "#x div", strings.Repeat("* ~ ", 30) + "b > i", "#x " + strings.Repeat("* > * ", 30)} {
		s, err := Parse(text)
		require.NoError(t, err)
		for _, n := range all {
			assert.False(t, s.Match(n))
		}
	}
	for _, text := range []string{strings.Repeat("a ", 300), strings.Repeat("a", 20_000), ":not(* * * * * *)", ":has(:has(:has(:has(a))))"} {
		_, err := Parse(text)
		assert.ErrorIs(t, err, ErrTooComplex)
	}
}

func FuzzSelector(f *testing.F) {
	for _, s := range []string{"ul > li:nth-child(2)", "a[b='c d'] + *", ".x\\ y ~ :not(p q)", "> a", "a >"} {
		f.Add(s)
	}
	all := tree(f, "<ul><li class=a>1<li>2<p><b id=x>3</b></ul>")
	f.Fuzz(func(t *testing.T, text string) {
		for _, part := range Split(text) {
			s, err := Parse(part)
			if err != nil {
				continue
			}
			for _, n := range all {
				s.Match(n)
			}
		}
	})
}
