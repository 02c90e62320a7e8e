package page

import (
	"slices"
	"strings"

	"golang.org/x/net/html"

	"tachyform/internal/markup"
)

// backgrounds is the cascade of the backgrounds of a document's elements.
type backgrounds struct {
	*cascade
	root *html.Node
}

func (d *Document) backgrounds(sheets []*Style) *backgrounds {
	if d.text == nil {
		return nil
	}
	c := &cascade{won: map[place]*candidate{}, hidden: map[*html.Node]bool{}, doc: d, seen: map[string]bool{},
		byKey: map[string][]matched{}, vars: map[string]string{}}
	for _, s := range sheets {
		for name, value := range s.Variables {
			c.vars[name] = value
		}
	}
	for _, s := range sheets {
		for _, r := range s.Rules {
			var about []Declaration
			for _, decl := range r.Declared {
				if decl.Property == "background-color" || decl.Property == "background-image" {
					if decl.variable != "" {
						decl = decl.resolved(c.vars)
					}
					about = append(about, decl)
				}
			}
			c.count++
			if len(about) == 0 {
				continue
			}
			list := selectorsOf(r.Selector)
			for i := range list {
				if !list[i].never && list[i].element == "" {
					c.byKey[list[i].key] = append(c.byKey[list[i].key], matched{&list[i], about, c.count})
				}
			}
		}
	}
	root := markup.Tree(d.text)
	if root == nil {
		return nil
	}
	return &backgrounds{c, root}
}

// of gives the background colour of an element as written, "" where none is set, "?" where a picture or a gradient
// lies over it.
func (b *backgrounds) of(n *html.Node) string {
	b.element(n)
	if p := b.won[place{n, "", "background-image"}]; p != nil && (len(p.Pictures) > 0 || p.Colour == "?") {
		return "?"
	}
	return b.colourOf(n)
}

// colourOf gives the background colour of an element as written, whatever lies over it, "" where none is set.
func (b *backgrounds) colourOf(n *html.Node) string {
	if g := b.won[place{n, "", "background-color"}]; g != nil {
		switch g.Colour {
		case "", "transparent", "none", "initial", "unset", "revert", "inherit":
		default:
			return g.Colour
		}
	}
	return ""
}

// CanvasBackground gives the colour, as written, that lies behind the whole document: that of the root element, or
// else of the body (CSS Backgrounds, 2.11.2). It is "" where none is set, and "?" where a picture or a gradient lies
// over it. sheets are in the order of the cascade.
func (d *Document) CanvasBackground(sheets []*Style) string {
	b := d.backgrounds(sheets)
	if b == nil {
		return ""
	}
	for n := range b.root.Descendants() {
		if n.Type != html.ElementNode || n.Data != "html" && n.Data != "body" {
			continue
		}
		if colour := b.of(n); colour != "" {
			return colour
		}
		if n.Data == "body" {
			break
		}
	}
	return ""
}

// barNames are words in ids and classes of what stands at the top of pages.
var barNames = []string{"header", "navbar", "topbar", "masthead", "appbar", "app-bar", "toolbar"}

// BarBackground gives the background colour, as written, of what stands at the top of the page: the first header,
// navigation or element that is called so and has one. "" is none.
func (d *Document) BarBackground(sheets []*Style) string {
	b := d.backgrounds(sheets)
	if b == nil {
		return ""
	}
	for n := range b.root.Descendants() {
		if n.Type != html.ElementNode {
			continue
		}
		bar := n.Data == "header" || n.Data == "nav"
		for _, a := range n.Attr {
			if (a.Key == "id" || a.Key == "class") && n.Data != "html" && n.Data != "body" && slices.ContainsFunc(barNames,
				func(name string) bool { return strings.Contains(strings.ToLower(a.Val), name) }) {
				bar = true
			}
		}
		if !bar {
			continue
		}
		b.element(n)
		if colour := b.colourOf(n); colour != "" && colour != "?" {
			return colour
		}
	}
	return ""
}

// accentNames are parts of the names of custom properties that hold a site's leading colour, the likeliest first.
var accentNames = []string{"theme-color", "brand", "primary", "accent", "theme"}

// Accent gives the value of a custom property that is called as those are which hold a site's leading colour, "" for
// none.
func Accent(sheets []*Style) string {
	for _, word := range accentNames {
		for _, s := range sheets {
			names := make([]string, 0, len(s.Variables))
			for name := range s.Variables {
				names = append(names, name)
			}
			slices.Sort(names)
			for _, name := range names {
				if value := s.Variables[name]; strings.Contains(name, word) && !strings.Contains(value, "var(") {
					return value
				}
			}
		}
	}
	return ""
}
