package page

import (
	"slices"
	"strings"
	"unicode"

	"golang.org/x/net/html"

	"tachyform/internal/markup"
)

// Text is what the document shows as text under style sheets that are in the order of the cascade: what innerText of
// its body gives (HTML, 3.2.7), with white space collapsed. Parts that stand in shadow roots are not in it.
func (d *Document) Text(sheets []*Style) string {
	c := &cascade{won: map[place]*candidate{}, hidden: map[*html.Node]bool{}, doc: d, seen: map[string]bool{}}
	c.gatherWords(sheets)
	body := bodyOf(markup.Tree(d.text))
	if body == nil {
		return ""
	}
	t := &textCollector{cascade: c}
	t.element(body, "visible", "none")
	return strings.Join(strings.Fields(t.out.String()), " ")
}

func bodyOf(n *html.Node) *html.Node {
	if n == nil || n.Type == html.ElementNode && n.Data == "body" {
		return n
	}
	for k := n.FirstChild; k != nil; k = k.NextSibling {
		if n.Type == html.DocumentNode || n.Data == "html" {
			if b := bodyOf(k); b != nil {
				return b
			}
		}
	}
	return nil
}

// wordProperties are those that decide what of a document is text that is seen.
var wordProperties = []string{"display", "visibility", "text-transform", "content-visibility"}

// gatherWords collects the rules about what is seen.
func (c *cascade) gatherWords(sheets []*Style) {
	c.byKey, c.vars = map[string][]matched{}, map[string]string{}
	for _, s := range sheets {
		for name, value := range s.Variables {
			c.vars[name] = value
		}
	}
	for _, s := range sheets {
		for _, r := range s.Rules {
			c.count++
			var about []Declaration
			for _, d := range r.Declared {
				if !slices.Contains(wordProperties, d.Property) {
					continue
				}
				if d.variable != "" {
					d = d.resolved(c.vars)
				}
				about = append(about, d)
			}
			if len(about) == 0 {
				continue
			}
			list := selectorsOf(r.Selector)
			for i := range list {
				if m := &list[i]; !m.never && !m.unknown && m.element == "" && c.occurs(m.key) {
					c.byKey[m.key] = append(c.byKey[m.key], matched{m, about, c.count})
				}
			}
		}
	}
}

// textCollector carries out the rendered text collection steps, as far as white space does not matter.
type textCollector struct {
	*cascade
	out strings.Builder
}

// unseenElements are never shown as text, whatever style sheets say; replaced ones show something else.
var unseenElements = map[string]bool{"script": true, "style": true, "template": true, "noscript": true, "iframe": true,
	"video": true, "audio": true, "canvas": true, "object": true, "textarea": true, "input": true, "img": true,
	"embed": true, "frameset": true, "datalist": true, "title": true, "head": true, "rp": true, "noframes": true,
	"noembed": true, "param": true, "meter": true, "progress": true}

// blockElements begin a line of their own unless style sheets say otherwise.
var blockElements = map[string]bool{}

func init() {
	for _, name := range strings.Fields(`address article aside blockquote body caption center dd details dialog dir div
		dl dt fieldset figcaption figure footer form h1 h2 h3 h4 h5 h6 header hgroup hr html legend li listing main menu
		nav ol optgroup option p plaintext pre search section select summary table tbody td tfoot th thead tr ul xmp`) {
		blockElements[name] = true
	}
}

// word is the value of a property of an element that wins, "" where none does.
func (c *cascade) word(n *html.Node, property string) string {
	if d := c.won[place{n, "", property}]; d != nil {
		return d.word
	}
	return ""
}

// element adds the text of an element; visibility and transform are inherited.
func (t *textCollector) element(n *html.Node, visibility, transform string) {
	foreign := n.Namespace != ""
	if !foreign && unseenElements[n.Data] || n.Namespace == "svg" && !drawnInSVG[n.Data] {
		return
	}
	t.cascade.element(n)
	display := t.word(n, "display")
	if display == "" || display == "revert" {
		display = defaultDisplay(n)
	}
	if display == "none" || t.word(n, "content-visibility") == "hidden" {
		return
	}
	visibility, transform = inherited(t.word(n, "visibility"), visibility), inherited(t.word(n, "text-transform"), transform)
	own := visibility == "visible" && !(n.Namespace == "svg" && (n.Data == "svg" || n.Data == "g"))
	line := display != "inline" && display != "contents" && !strings.HasPrefix(display, "inline")
	if line || n.Data == "br" {
		t.out.WriteByte('\n')
	}
	closed := !foreign && n.Data == "details" && !hasAttribute(n, "open")
	summary := false
	for k := n.FirstChild; k != nil; k = k.NextSibling {
		switch {
		case k.Type == html.TextNode && own && !closed && (n.Data != "select" && n.Data != "optgroup"):
			t.out.WriteString(transformed(k.Data, transform))
		case k.Type == html.ElementNode && (!closed || k.Data == "summary" && !summary):
			summary = summary || k.Data == "summary"
			t.element(k, visibility, transform)
		}
	}
	if line {
		t.out.WriteByte('\n')
	}
}

// drawnInSVG are the elements of SVG whose text is drawn, or that may hold such.
var drawnInSVG = map[string]bool{"svg": true, "g": true, "a": true, "text": true, "tspan": true, "textPath": true,
	"switch": true, "foreignObject": true}

func inherited(own, parents string) string {
	switch own {
	case "", "inherit", "unset", "revert":
		return parents
	case "initial":
		if parents == "visible" || parents == "hidden" || parents == "collapse" {
			return "visible"
		}
		return "none"
	}
	return own
}

// defaultDisplay is what browsers' own style sheets say (HTML, 15.3).
func defaultDisplay(n *html.Node) string {
	switch {
	case hasAttribute(n, "hidden"), n.Data == "dialog" && !hasAttribute(n, "open"), hasAttribute(n, "popover"),
		n.Data == "area", n.Data == "base", n.Data == "link", n.Data == "meta":
		return "none"
	case blockElements[n.Data]:
		return "block"
	}
	return "inline"
}

func hasAttribute(n *html.Node, name string) bool {
	return slices.ContainsFunc(n.Attr, func(a html.Attribute) bool { return a.Key == name && a.Namespace == "" })
}

func transformed(text, transform string) string {
	switch transform {
	case "uppercase":
		return strings.ToUpper(text)
	case "lowercase":
		return strings.ToLower(text)
	case "capitalize":
		letters := []rune(text)
		for i, r := range letters {
			if i == 0 || unicode.IsSpace(letters[i-1]) || strings.ContainsRune("-/([\"", letters[i-1]) {
				letters[i] = unicode.ToTitle(r)
			}
		}
		return string(letters)
	}
	return text
}

// Pictured says whether the document has a picture, a control or something else to look at or to use beside text.
func (d *Document) Pictured() bool {
	for token := range markup.Tokens(d.text) {
		if token.Kind != markup.StartTag && token.Kind != markup.SelfClosingTag {
			continue
		}
		switch token.Name {
		case "img", "svg", "canvas", "video", "audio", "iframe", "frame", "object", "embed", "input", "textarea", "select",
			"button", "meter", "progress", "hr":
			return true
		}
	}
	return false
}
