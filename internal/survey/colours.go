package survey

import (
	"tachyform/internal/manifest"
	"tachyform/internal/page"
)

// Looks are colours of a page, as #rrggbb: behind all of it, and of what stands at its top. "" is not known.
type Looks struct{ Background, Bar string }

// Colours gives the colours of a page as it is drawn, by its own styles.
func (g *Graph) Colours(path string) (looks Looks) {
	d := g.Drawn[path]
	if d == nil {
		if d = g.Pages[path]; d == nil {
			return looks
		}
	}
	come := map[string]*page.Style{}
	for _, need := range append([]string{path}, g.Needs(path)...) {
		if s := g.Styles[need]; s != nil {
			come[g.Folder.Origin()+need] = s
		}
	}
	sheets := d.Order(come)
	opaque := func(texts ...string) string {
		for _, text := range texts {
			if c, ok := manifest.ParseColour(text); ok && c.A == 255 {
				return manifest.ColourText(c)
			}
		}
		return ""
	}
	looks.Background = opaque(d.CanvasBackground(sheets))
	looks.Bar = opaque(d.BarBackground(sheets), page.Accent(sheets))
	return looks
}
