package page

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The text of a page is what its innerText would be, white space aside.
func TestText(t *testing.T) {
	for name, c := range map[string]struct{ html, css, want string }{
		"words":                          {`<p>Ebb <b>and</b> flow`, "", "Ebb and flow"},
		"blocks part words":              {`<p>a</p><p>b</p>c<div>d</div>`, "", "a b c d"},
		"inline ones do not":             {`a<b>b</b><span>c</span>`, "", "abc"},
		"a line break does":              {`a<br>b`, "", "a b"},
		"cells":                          {`<table><tr><td>a<td>b<tr><td>c</table>`, "", "a b c"},
		"the head":                       {`<title>T</title><style>p{}</style><script>x</script><p>a`, "", "a"},
		"hidden":                         {`<p hidden>a</p><p>b`, "", "b"},
		"hidden, and shown by a rule":    {`<p hidden>a</p><p>b`, `p { display: block }`, "a b"},
		"by a rule":                      {`<p class=x>a</p><p>b`, `.x { display: none }`, "b"},
		"by the heavier rule":            {`<p class=x id=y>a</p><p>b`, `#y { display: block } .x { display: none }`, "a b"},
		"by an important one":            {`<p class=x id=y>a</p><p>b`, `#y { display: block } .x { display: none !important }`, "b"},
		"by its own style":               {`<p style="display: none">a</p><p>b`, `p { display: block }`, "b"},
		"what is in it":                  {`<div class=x><p>a</p></div><p>b`, `.x { display: none }`, "b"},
		"invisible":                      {`<p class=x>a <b>c</b></p><p>b`, `.x { visibility: hidden } .x b { visibility: visible }`, "c b"},
		"out of the way":                 {`<p class=x>a</p><p>b`, `.x { position: absolute; left: -999px }`, "a b"},
		"inline blocks":                  {`<b class=x>a</b><b>b`, `.x { display: inline-block }`, "ab"},
		"made into blocks":               {`<b class=x>a</b><b>b`, `.x { display: flex }`, "a b"},
		"made inline":                    {`<p class=x>a</p><p class=x>b</p>`, `.x { display: inline }`, "ab"},
		"capitals":                       {`<p class=x>ebb Tide`, `.x { text-transform: uppercase }`, "EBB TIDE"},
		"capitals of words":              {`<p class=x>ebb tide`, `.x { text-transform: capitalize }`, "Ebb Tide"},
		"a variable":                     {`<p class=x>a</p><p>b`, `:root { --d: none } .x { display: var(--d) }`, "b"},
		"pseudo-elements":                {`<p class=x>a`, `.x::before { content: "b" }`, "a"},
		"a medium that is not this":      {`<p class=x>a`, `@media print { .x { display: none } }`, "a"},
		"details that are shut":          {`<details><summary>a</summary>b</details>`, "", "a"},
		"details that are open":          {`<details open><summary>a</summary>b</details>`, "", "a b"},
		"a dialog that is shut":          {`<dialog>a</dialog>b`, "", "b"},
		"a dialog that is open":          {`<dialog open>a</dialog>b`, "", "a b"},
		"options":                        {`<select><option>a<option>b</select>`, "", "a b"},
		"fields":                         {`<input value=a><textarea>b</textarea><button>c</button>`, "", "c"},
		"lists for fields":               {`<datalist><option>a</datalist>b`, "", "b"},
		"drawings":                       {`<svg><title>t</title><text>a</text><desc>d</desc></svg>b`, "", "ab"},
		"templates and frames":           {`<template>a</template><iframe>b</iframe><noscript>c</noscript>d`, "", "d"},
		"preformatted":                   {"<pre>a\n  b</pre>", "", "a b"},
		"white space":                    {"  a\n\t b&nbsp;c  ", "", "a b c"},
		"content that is skipped":        {`<div class=x>a</div>b`, `.x { content-visibility: hidden }`, "b"},
		"a display that is taken back":   {`<p class=x>a</p><p>b`, `.x { display: none } .x { display: revert }`, "a b"},
		"elements nobody knows":          {`<x-a>a</x-a><x-a>b</x-a>`, "", "ab"},
		"an attribute in a selector":     {`<p data-x="1">a</p><p>b`, `[data-x="1"] { display: none }`, "b"},
		"the state of a box":             {`<input type=checkbox checked><p>a`, `:checked + p { display: none }`, ""},
		"what nobody points at":          {`<p class=x>a`, `.x:hover { display: none }`, "a"},
		"all but one":                    {`<p>a</p><p class=x>b`, `p:not(.x) { display: none }`, "b"},
		"with something in it":           {`<p>a<i></i></p><p>b`, `p:has(i) { display: none }`, "b"},
		"the third":                      {`<p>a</p><p>b</p><p>c</p>`, `p:nth-child(2n) { display: none }`, "a c"},
		"no body at all":                 {``, "", ""},
		"an item of a list":              {`<ul><li>a<li>b</ul>`, `li::marker { content: "x" }`, "a b"},
		"contents without a box":         {`<div class=x><p>a</p></div>b`, `.x { display: contents }`, "a b"},
		"a rule on an attribute by case": {`<p TYPE=a>a</p><p>b`, `[type=A i] { display: none }`, "b"},
	} {
		t.Run(name, func(t *testing.T) {
			d := ParseDocument("https://line.example/", "text/html", []byte("<!doctype html><body>"+c.html))
			assert.Equal(t, c.want, d.Text([]*Style{ParseStyle("https://line.example/s.css", "text/css", []byte(c.css))}))
		})
	}
}

// A picture, a field or a rule is something to look at, too.
func TestPictured(t *testing.T) {
	for html, want := range map[string]bool{`<p>x`: false, `<div id=app></div>`: false, `<img src=a.png>`: true, `<svg></svg>`: true, `<button></button>`: true,
		`<hr>`: true, `<template><x-y></x-y></template>`: false, `<script>"<img>"</script>`: false, `<!--<img>-->`: false, `<select></select>`: true} {
		d := ParseDocument("https://line.example/", "text/html", []byte(html))
		assert.Equal(t, want, d.Pictured(), html)
	}
}

// What scripts left as it was has the place where it was written; what they made has none.
func TestPlacedBy(t *testing.T) {
	const home = "https://line.example/"
	source := ParseDocument(home, "text/html", []byte("<!doctype html>\n<link rel=stylesheet href=/s.css>\n<meta name=theme-color content=#123>\n<a href=/a>A</a>\n<img src=/i.png>"))
	drawn := ParseDocument(home, "text/html", []byte(`<meta name=theme-color content=#123><meta name=theme-color content=#456><link rel=stylesheet href=/s.css><link rel=manifest href=/m><a href=/b>B</a><a href=/a>A</a><img src=/i.png><img src=/j.png>`)).PlacedBy(source)
	lines := map[string]int{}
	for _, l := range drawn.Links {
		lines[l.URL] = l.Line
	}
	for _, r := range drawn.References {
		lines[r.URL] = r.Line
	}
	for url, line := range map[string]int{home + "a": 4, home + "b": 0, home + "i.png": 5, home + "j.png": 0, home + "s.css": 2, home + "m": 0} {
		got, there := lines[url]
		require.True(t, there, url)
		assert.Equal(t, line, got, url)
	}
	require.Len(t, drawn.Metas, 2)
	assert.Equal(t, []int{3, 0}, []int{drawn.Metas[0].Line, drawn.Metas[1].Line})
	assert.Same(t, source, source.PlacedBy(nil))
}
