package page

import (
	"golang.org/x/net/html"

	"tachyform/internal/markup"
)

// CanvasBackground gives the colour, as written, that lies behind the whole document: that of the root element, or
// else of the body (CSS Backgrounds, 2.11.2). It is "" where none is set, and "?" where a picture or a gradient lies
// over it. sheets are in the order of the cascade.
func (d *Document) CanvasBackground(sheets []*Style) string {
	if d.text == nil {
		return ""
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
		return ""
	}
	for n := range root.Descendants() {
		if n.Type != html.ElementNode || n.Data != "html" && n.Data != "body" {
			continue
		}
		c.element(n)
		if p := c.won[place{n, "", "background-image"}]; p != nil && (len(p.Pictures) > 0 || p.Colour == "?") {
			return "?"
		}
		if g := c.won[place{n, "", "background-color"}]; g != nil {
			switch g.Colour {
			case "", "transparent", "none", "initial", "unset", "revert", "inherit":
			default:
				return g.Colour
			}
		}
		if n.Data == "body" {
			break
		}
	}
	return ""
}
