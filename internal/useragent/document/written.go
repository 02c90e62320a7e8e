package document

import (
	"slices"

	"tachyform/internal/markup"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/useragent/account"
)

// write puts what a script wrote before the rest of the document (HTML, 8.4.3).
func (s *scripting) write(e *scriptElement, text string) {
	c := s.window
	s.wrote = true
	c.loadMarkup(text)
	ahead := s.ahead
	s.ahead = false
	if s.insert(e, text) {
		return
	}
	s.text = nil // what follows no longer stands where it says
	if ahead {
		// Part of it is there already, and nobody knows any more where the rest goes.
		c.gap(account.Gap{What: "markup that a script wrote and that changes what stands before it"})
		return
	}
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

// Written takes what a script of the parser's has written so far, and hands over what it may find at once.
func (p *Page) Written(number int, text string) string {
	c := p.c
	if c.scripts == nil || c.Closed {
		return ""
	}
	nodes := c.scripts.writtenAhead(number, text)
	if len(nodes) == 0 {
		return ""
	}
	items := c.in.NodeItems(nodes, c.scripts.last)
	c.scripts.last += len(nodes)
	return items
}

// writtenAhead gives those nodes of what a script has written so far that it may find at once: up to the next script, and
// without a text that may go on. They count as handed over.
func (s *scripting) writtenAhead(number int, text string) []*markup.Node {
	end := s.endOf(number)
	if end == 0 || len(s.text)+len(text) > mostWritten {
		return nil
	}
	s.realm.ChargeText(3*len(s.text) + 2*len(text)) // parsed twice, and searched
	nodes, _ := markup.Nodes(slices.Concat(s.text[:end], []byte(text)))
	whole, _ := markup.Nodes(slices.Concat(s.text[:end], []byte(text), s.text[end:]))
	if len(nodes) <= s.at || !alike(s.nodes[:s.at], nodes) {
		return nil
	}
	n := s.at
	for n < len(nodes) && n < len(whole) && !(nodes[n].Kind == markup.ElementNode && nodes[n].Name == "script") && alike(nodes[n:n+1], whole[n:]) {
		n++
	}
	for n > s.at && nodes[n-1].Kind == markup.TextNode {
		n--
	}
	for i, old := range s.nodes[:s.at] {
		nodes[i].Number = old.Number
	}
	ahead := nodes[s.at:n:n]
	s.ahead = s.ahead || len(ahead) > 0
	s.nodes = slices.Concat(nodes[:n:n], s.nodes[s.at:])
	s.at = n
	return ahead
}

// alike says whether nodes begin as others do.
func alike(these, nodes []*markup.Node) bool {
	if len(nodes) < len(these) {
		return false
	}
	for i, n := range these {
		if nodes[i].Kind != n.Kind || nodes[i].Name != n.Name || nodes[i].Text != n.Text {
			return false
		}
	}
	return true
}

// mostWritten bounds the text of a document that scripts write into, in bytes.
const mostWritten = 4 << 20

// insert puts what a script wrote into the document's text, behind the script's element, and has the rest parsed anew;
// false where that would change what has been handed over already.
func (s *scripting) insert(e *scriptElement, text string) bool {
	end := s.endOf(e.parsed)
	if end == 0 || len(s.text)+len(text) > mostWritten {
		return false
	}
	s.realm.ChargeText(2*len(s.text) + len(text))
	written := slices.Concat(s.text[:end], []byte(text), s.text[end:])
	nodes, _ := markup.Nodes(written)
	if !alike(s.nodes[:s.at], nodes) {
		return false
	}
	for i, old := range s.nodes[:s.at] {
		nodes[i].Number = old.Number
	}
	s.text, s.nodes = written, nodes
	return true
}

// endOf is where the element of a script ends in the document's text, 0 where that is not known.
func (s *scripting) endOf(number int) int {
	if s.text == nil {
		return 0
	}
	scripts := 0
	for _, n := range s.nodes[:s.at] {
		if n.Kind == markup.ElementNode && n.Name == "script" {
			scripts++
		}
		if n.Number == number {
			break
		}
	}
	for token := range markup.Tokens(s.text) {
		if token.Kind == markup.EndTag && token.Name == "script" {
			if scripts--; scripts == 0 {
				return token.End
			}
		}
	}
	return 0
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
