package page

import (
	"slices"
	"strings"
	"unicode"

	"golang.org/x/net/html"

	"tachyform/internal/markup"
)

// Sheet is one of a document's style sheets, in the order of the cascade: a style element, or a link to another file.
type Sheet struct {
	// URL is that of a linked style sheet, "" for a style element.
	URL   string
	Style *Style
	// Off tells that its media attribute does not fit the screen: it is asked for, but says nothing about the page.
	Off bool
}

// Applied gives the pictures and fonts that the style sheets make the document ask for: pictures of rules that win for
// some element that is shown (CSS Cascading, 6), and font faces that text is shown with (CSS Fonts, 5.2). sheets are
// in the order of the cascade.
func (d *Document) Applied(sheets []*Style) []Reference {
	c := &cascade{won: map[place]*candidate{}, hidden: map[*html.Node]bool{}, doc: d, seen: map[string]bool{}}
	if d.text == nil || !c.gather(sheets) {
		return nil
	}
	root := markup.Tree(d.text)
	if root == nil {
		return nil
	}
	c.walk(root)
	c.pictures()
	c.fonts(root, []string{"serif"}, face{weight: 400})
	return c.refs
}

// place is a property of an element or of one of its pseudo-elements.
type place struct {
	node              *html.Node
	element, property string
}

// candidate is a declaration that applies somewhere, with what decides between it and others.
type candidate struct {
	Declaration
	specificity [3]int
	order       int
	inline      bool
}

func (c *candidate) beats(o *candidate) bool {
	switch {
	case o == nil || c.Important != o.Important:
		return o == nil || c.Important
	case c.inline != o.inline:
		return c.inline
	}
	if n := slices.Compare(c.specificity[:], o.specificity[:]); n != 0 {
		return n > 0
	}
	return c.order >= o.order
}

// face is what of a font is asked for.
type face struct {
	weight int
	italic bool
}

// matched is one selector of a rule with the rule's declarations.
type matched struct {
	*pageSelector
	declared []Declaration
	order    int
}

type cascade struct {
	doc *Document
	// byKey holds the rules about pictures and fonts by the key of their selectors, display those about boxes.
	byKey, display map[string][]matched
	count          int
	faces          map[string][]FontFace
	vars           map[string]string
	won            map[place]*candidate
	order          []place // of places with pictures, as they stand in the document
	hidden         map[*html.Node]bool
	refs           []Reference
	seen           map[string]bool
}

// gather collects the rules that matter. False means that nothing in the style sheets can make this document ask for
// anything.
func (c *cascade) gather(sheets []*Style) bool {
	c.faces, c.vars = map[string][]FontFace{}, map[string]string{}
	c.byKey, c.display = map[string][]matched{}, map[string][]matched{}
	for _, s := range sheets {
		for _, f := range s.Faces {
			c.faces[f.Family] = append(c.faces[f.Family], f)
		}
		for name, value := range s.Variables {
			c.vars[name] = value
		}
	}
	type ruleOf struct {
		selectors []pageSelector
		declared  []Declaration
	}
	var rules []ruleOf
	wanted := map[string]bool{"content": true} // properties that some rule gives a picture to
	asks := false
	for _, s := range sheets {
		for _, r := range s.Rules {
			declared := r.Declared
			if slices.ContainsFunc(declared, func(d Declaration) bool { return d.variable != "" }) {
				declared = slices.Clone(declared)
				for i, d := range declared {
					if d.variable != "" {
						declared[i] = d.resolved(c.vars)
					}
				}
			}
			list := selectorsOf(r.Selector)
			rules = append(rules, ruleOf{list, declared})
			for _, d := range declared {
				if len(d.Pictures) == 0 && !(d.Property == "font-family" && c.names(d.Families)) {
					continue
				}
				if len(d.Pictures) > 0 {
					wanted[d.Property] = true
				}
				asks = asks || slices.ContainsFunc(list, func(s pageSelector) bool { return !s.never && c.occurs(s.key) })
			}
		}
	}
	if !asks {
		return false
	}
	if len(c.faces) > 0 {
		for _, p := range []string{"font-family", "font-weight", "font-style"} {
			wanted[p] = true
		}
	}
	for i, r := range rules {
		var about, display []Declaration
		for _, d := range r.declared {
			if d.Property == "display" {
				display = append(display, d)
			} else if wanted[d.Property] {
				about = append(about, d)
			}
		}
		for j := range r.selectors {
			s := &r.selectors[j]
			if s.never || !c.occurs(s.key) {
				continue
			}
			if len(about) > 0 {
				c.byKey[s.key] = append(c.byKey[s.key], matched{s, about, i})
			}
			if len(display) > 0 {
				c.display[s.key] = append(c.display[s.key], matched{s, display, i})
			}
		}
	}
	c.count = len(rules)
	return true
}

func (c *cascade) names(families []string) bool {
	return slices.ContainsFunc(families, func(f string) bool { return c.faces[f] != nil })
}

// occurs says whether anything in the document can have a key. Browsers add some elements of their own.
func (c *cascade) occurs(key string) bool {
	switch key {
	case "", "html", "head", "body", "tbody":
		return true
	}
	return c.doc.keys[key]
}

// walk finds for every element which declarations win.
func (c *cascade) walk(root *html.Node) {
	var visit func(n *html.Node)
	visit = func(n *html.Node) {
		if n.Type == html.ElementNode {
			if n.Data == "template" {
				return
			}
			c.element(n)
		}
		for k := n.FirstChild; k != nil; k = k.NextSibling {
			visit(k)
		}
	}
	visit(root)
}

func (c *cascade) element(n *html.Node) {
	c.match(n, c.byKey)
	for _, a := range n.Attr {
		if a.Key == "style" && a.Namespace == "" {
			for _, d := range parseDeclarations(c.doc.URL, c.doc.Base, []byte(a.Val)) {
				d.Pictures = nil // those are asked for by the document itself
				c.offer(place{n, "", d.Property}, &candidate{Declaration: d, inline: true, order: c.count})
			}
		}
	}
}

// match offers an element the declarations of the rules that match it.
func (c *cascade) match(n *html.Node, rules map[string][]matched) {
	try := func(key string) {
		for _, m := range rules[key] {
			if m.unknown && n.Data != "html" || !m.unknown && !m.pageSelector.match.Match(n) {
				continue
			}
			var specificity [3]int
			if m.pageSelector.match != nil {
				specificity = m.pageSelector.match.Specificity()
			}
			for _, d := range m.declared {
				c.offer(place{n, m.element, d.Property}, &candidate{Declaration: d, specificity: specificity, order: m.order})
			}
		}
	}
	try("")
	try(n.Data)
	for _, a := range n.Attr {
		switch a.Key {
		case "id":
			try("#" + a.Val)
		case "class":
			for _, class := range strings.Fields(a.Val) {
				try("." + class)
			}
		}
	}
}

func (c *cascade) offer(p place, d *candidate) {
	before := c.won[p]
	if before == nil && len(d.Pictures) > 0 {
		c.order = append(c.order, p)
	} else if before != nil && len(before.Pictures) == 0 && len(d.Pictures) > 0 {
		c.order = append(c.order, p)
	}
	if d.beats(before) {
		c.won[p] = d
	}
}

// shown says whether an element has a box: neither it nor what it stands in is taken away.
func (c *cascade) shown(n *html.Node) bool {
	if n == nil || n.Type == html.DocumentNode {
		return true
	}
	if gone, known := c.hidden[n]; known {
		return !gone
	}
	gone := false
	switch n.Data {
	case "head", "script", "style", "template", "noscript", "title", "meta", "link", "datalist":
		gone = true
	}
	for _, a := range n.Attr {
		gone = gone || a.Key == "hidden" && a.Val != "until-found"
	}
	c.match(n, c.display)
	if d := c.won[place{n, "", "display"}]; d != nil {
		gone = d.Hidden
	}
	gone = gone || !c.shown(n.Parent)
	c.hidden[n] = gone
	return !gone
}

func (c *cascade) ask(r Reference) {
	if r.URL != "" && !c.seen[r.URL+" "+string(r.Destination)] {
		c.seen[r.URL+" "+string(r.Destination)] = true
		c.refs = append(c.refs, r)
	}
}

func (c *cascade) pictures() {
	for _, p := range c.order {
		d := c.won[p]
		if len(d.Pictures) == 0 || !c.shown(p.node) {
			continue
		}
		if p.element != "" {
			// A pseudo-element is there only with content.
			if content := c.won[place{p.node, p.element, "content"}]; content == nil || content.Hidden {
				continue
			}
		} else if p.property == "content" {
			// Of elements themselves, only pictures have replaceable content.
			continue
		}
		for _, r := range d.Pictures {
			c.ask(r)
		}
	}
}

// userAgentFont is what browsers' own style sheets say about an element's font.
func userAgentFont(name string, families []string, f face) ([]string, face) {
	switch name {
	case "h1", "h2", "h3", "h4", "h5", "h6", "b", "strong", "th":
		f.weight = max(f.weight, 700)
	case "i", "em", "cite", "dfn", "var", "address":
		f.italic = true
	case "code", "kbd", "samp", "pre", "tt", "textarea":
		families = []string{"monospace"}
	case "input", "select", "button":
		return []string{"system-ui"}, face{weight: 400}
	}
	return families, f
}

// fonts asks for the faces that text is shown with. families and f are inherited.
func (c *cascade) fonts(n *html.Node, families []string, f face) {
	if len(c.faces) == 0 {
		return
	}
	if n.Type == html.ElementNode {
		if !c.shown(n) && n.Data != "html" {
			return
		}
		families, f = c.fontOf(n, "", families, f)
		for _, e := range []string{"before", "after"} {
			if content := c.won[place{n, e, "content"}]; content != nil && content.text != "" {
				list, inner := c.fontOf(n, e, families, f)
				c.text(content.text, list, inner)
			}
		}
	}
	for k := n.FirstChild; k != nil; k = k.NextSibling {
		if k.Type == html.TextNode && n.Type == html.ElementNode {
			c.text(k.Data, families, f)
		} else {
			c.fonts(k, families, f)
		}
	}
}

func (c *cascade) fontOf(n *html.Node, element string, families []string, f face) ([]string, face) {
	parent, parentFace := families, f
	if element == "" {
		families, f = userAgentFont(n.Data, families, f)
	}
	if d := c.won[place{n, element, "font-family"}]; d != nil {
		switch {
		case len(d.Families) == 1 && (d.Families[0] == "inherit" || d.Families[0] == "unset"):
			families = parent
		case len(d.Families) > 0:
			families = d.Families
		}
	}
	if d := c.won[place{n, element, "font-weight"}]; d != nil {
		switch d.weight {
		case bolder:
			f.weight = bolderThan(parentFace.weight)
		case lighter:
			f.weight = 400
		case 0:
			f.weight = parentFace.weight
		default:
			f.weight = d.weight
		}
	}
	if d := c.won[place{n, element, "font-style"}]; d != nil {
		f.italic = d.italic
	}
	return families, f
}

func bolderThan(weight int) int {
	switch {
	case weight < 350:
		return 400
	case weight < 550:
		return 700
	}
	return 900
}

// text asks for the faces that show a text: of each family in turn, until every character has one.
func (c *cascade) text(text string, families []string, f face) {
	var left []rune
	for _, r := range text {
		if !unicode.IsSpace(r) && !slices.Contains(left, r) {
			left = append(left, r)
		}
	}
	for _, family := range families {
		if len(left) == 0 || generic(family) {
			return
		}
		faces := bestFaces(c.faces[family], f)
		left = slices.DeleteFunc(left, func(r rune) bool {
			// Of faces for the same characters the one declared last counts.
			for i := len(faces) - 1; i >= 0; i-- {
				if faces[i].covers(r) {
					c.ask(faces[i].Source)
					return true
				}
			}
			return false
		})
	}
}

func generic(family string) bool {
	switch family {
	case "serif", "sans-serif", "monospace", "cursive", "fantasy", "system-ui", "math", "emoji", "ui-serif",
		"ui-sans-serif", "ui-monospace", "ui-rounded":
		return true
	}
	return false
}

func (f FontFace) covers(r rune) bool {
	if len(f.Ranges) == 0 {
		return true
	}
	for _, x := range f.Ranges {
		if r >= x[0] && r <= x[1] {
			return true
		}
	}
	return false
}

// bestFaces gives the faces of a family that come nearest in style and then in weight (CSS Fonts, 5.2).
func bestFaces(faces []FontFace, want face) (best []FontFace) {
	least := -1
	for _, f := range faces {
		d := f.distance(want)
		if least < 0 || d < least {
			least, best = d, nil
		}
		if d == least {
			best = append(best, f)
		}
	}
	return best
}

func (f FontFace) distance(want face) int {
	d := 0
	if f.Italic != want.italic {
		d = 100000
	}
	low, high := f.Weights[0], f.Weights[1]
	w := want.weight
	switch {
	case w >= low && w <= high:
		return d
	case w < 400: // lighter first, then heavier
		if high < w {
			return d + w - high
		}
		return d + 10000 + low - w
	case w > 500: // heavier first, then lighter
		if low > w {
			return d + low - w
		}
		return d + 10000 + w - high
	case low > w && low <= 500: // up to 500, then lighter, then heavier
		return d + low - w
	case high < w:
		return d + 10000 + w - high
	}
	return d + 20000 + low - w
}

// Order gives the style sheets of the document in the order of the cascade, of those that have come; imported ones
// come before the one that imports them.
func (d *Document) Order(come map[string]*Style) (list []*Style) {
	seen := map[string]bool{}
	var add func(s *Style)
	add = func(s *Style) {
		for _, i := range s.Imports {
			if inner := come[i.URL]; inner != nil && !seen[i.URL] && !i.Off {
				seen[i.URL] = true
				add(inner)
			}
		}
		list = append(list, s)
	}
	for _, s := range d.Sheets {
		style := s.Style
		if style == nil {
			style = come[strings.TrimSpace(s.URL)]
		}
		if style != nil && !s.Off {
			add(style)
		}
	}
	return list
}
