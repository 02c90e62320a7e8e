package page

import "maps"

// PlacedBy gives a document that scripts have changed with the places of the text that it came from: what stands in that
// text alike has its place there, what scripts have made has none.
func (d *Document) PlacedBy(source *Document) *Document {
	if source == nil {
		return d
	}
	out := *d
	out.styled = &styled{}
	out.Metas, out.LinkTags = placedTags(d.Metas, source.Metas), placedTags(d.LinkTags, source.LinkTags)
	type at struct{ line, column int }
	links := map[string]at{}
	for _, l := range source.Links {
		if _, there := links[l.URL]; !there {
			links[l.URL] = at{l.Line, l.Column}
		}
	}
	out.Links = append([]Link(nil), d.Links...)
	for i := range out.Links {
		place := links[out.Links[i].URL]
		out.Links[i].Line, out.Links[i].Column = place.line, place.column
	}
	references := map[string]at{}
	for _, r := range source.References {
		references[r.URL] = at{r.Line, r.Column}
	}
	out.References = append([]Reference(nil), d.References...)
	for i := range out.References {
		place := references[out.References[i].URL]
		out.References[i].Line, out.References[i].Column = place.line, place.column
	}
	out.Registrations, out.Scripts, out.Valid, out.Charset = source.Registrations, source.Scripts, source.Valid, source.Charset
	return &out
}

func placedTags(tags, source []Tag) []Tag {
	out := append([]Tag(nil), tags...)
	for i := range out {
		out[i].Line, out[i].Column = 0, 0
		for _, s := range source {
			if s.Name == out[i].Name && maps.Equal(s.Attr, out[i].Attr) {
				out[i].Line, out[i].Column = s.Line, s.Column
				break
			}
		}
	}
	return out
}
