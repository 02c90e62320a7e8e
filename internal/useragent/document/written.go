package document

import (
	"slices"

	"tachyform/internal/markup"
	"tachyform/internal/page"
	"tachyform/internal/request"
)

// write puts what a script wrote before the rest of the document (HTML, 8.4.3).
func (c *window) write(e *scriptElement, text string) {
	s := c.scripts
	s.wrote = true
	c.loadMarkup(text)
	if s.insert(e, text) {
		return
	}
	s.text = nil // what follows no longer stands where it says
	var parent *markup.Node
	for _, n := range s.nodes[:s.at] {
		if n.Number == e.parsed {
			parent = n.Parent
		}
	}
	context := "body"
	if parent != nil {
		context = parent.Name
	}
	more := markup.Fragment(text, context, "")
	for _, n := range more {
		if n.Parent == nil {
			n.Parent = parent
		}
	}
	s.nodes = append(s.nodes[:s.at:s.at], append(more, s.nodes[s.at:]...)...)
}

// mostWritten bounds the text of a document that scripts write into, in bytes.
const mostWritten = 4 << 20

// insert puts what a script wrote into the document's text, behind the script's element, and has the rest parsed anew;
// false where that would change what has been handed over already.
func (s *scripting) insert(e *scriptElement, text string) bool {
	if s.text == nil || len(s.text)+len(text) > mostWritten {
		return false
	}
	scripts := 0
	for _, n := range s.nodes[:s.at] {
		if n.Kind == markup.ElementNode && n.Name == "script" {
			scripts++
		}
		if n.Number == e.parsed {
			break
		}
	}
	end := 0
	for token := range markup.Tokens(s.text) {
		if token.Kind == markup.EndTag && token.Name == "script" {
			if scripts--; scripts == 0 {
				end = token.End
				break
			}
		}
	}
	if end == 0 {
		return false
	}
	written := slices.Concat(s.text[:end], []byte(text), s.text[end:])
	nodes, _ := markup.Nodes(written)
	if len(nodes) < s.at {
		return false
	}
	for i, old := range s.nodes[:s.at] {
		if nodes[i].Kind != old.Kind || nodes[i].Name != old.Name || nodes[i].Text != old.Text {
			return false
		}
	}
	for i, old := range s.nodes[:s.at] {
		nodes[i].Number = old.Number
	}
	s.text, s.nodes = written, nodes
	return true
}

// loadMarkup loads what elements in a text ask for, all but scripts and frames.
func (c *window) loadMarkup(text string) {
	d := page.ParseDocument(c.base(), "text/html;charset=utf-8", []byte(text))
	for _, r := range d.References {
		if r.Destination != request.Frame && (r.Destination != request.Script || r.Preload) {
			c.in.load(c, r, 1)
		}
	}
}
