package document

import (
	"encoding/json"
	"slices"
	"strings"
	"unicode/utf16"

	"tachyform/internal/markup"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/useragent/account"
)

// write puts what a script wrote, behind the script with a number, before the rest of the document (HTML, 8.4.3).
func (s *scripting) write(after int, text string) {
	c := s.window
	s.wrote = true
	c.loadMarkup(text)
	ahead := s.ahead
	s.ahead = false
	if s.insert(after, text) {
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
		if n.Number == after {
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

// written is what the parser makes of a text that a script has written so far.
type written struct {
	// Nodes are those that scripts may find at once, as NodeItems writes them.
	Nodes string `json:"nodes,omitempty"`
	// Script is an inline script with which the text ends as far as it was taken, nil for none.
	Script *writtenScript `json:"script,omitempty"`
}

type writtenScript struct {
	Number int    `json:"number"`
	Text   string `json:"text"`
	URL    string `json:"url"`
	Run    bool   `json:"run"`
	// Taken is how much of the text was taken, in UTF-16 code units.
	Taken int `json:"taken"`
}

// Written takes what a script of the parser's has written so far, behind the script with a number, and hands over what it may find
// at once, up to the next script, or with it if that runs at once. It gives JSON, "" for nothing.
func (p *Page) Written(number int, text string) string {
	s := p.c.scripts
	if s == nil || p.c.Closed {
		return ""
	}
	out := written{}
	nodes, script := s.inlineWritten(number, text)
	if script == nil {
		nodes = s.writtenAhead(number, text)
	}
	if len(nodes) > 0 {
		out.Nodes = p.c.in.NodeItems(nodes, s.last)
		s.last += len(nodes)
	}
	if script != nil {
		for _, n := range nodes {
			if n.Kind == markup.ElementNode && n.Name == "script" {
				script.Number = n.Number
			}
		}
		out.Script = script
	}
	if out == (written{}) {
		return ""
	}
	answer, _ := json.Marshal(out)
	return string(answer)
}

// inlineWritten takes a written text up to the end of an inline script with which it begins, and puts it into the document; nil where
// none begins there, or where it does not run at once.
func (s *scripting) inlineWritten(number int, text string) ([]*markup.Node, *writtenScript) {
	c := s.window
	taken := inlineScriptEnd(text)
	if taken == 0 || s.endOf(number) == 0 || !s.insert(number, text[:taken]) {
		return nil, nil
	}
	s.wrote, s.ahead = true, false
	c.loadMarkup(text[:taken])
	from := s.at
	script := &writtenScript{URL: c.URL, Taken: len(utf16.Encode([]rune(text[:taken])))}
	var element *markup.Node
	for ; s.at < len(s.nodes); s.at++ {
		n := s.nodes[s.at]
		if element != nil && n.Parent != element {
			break
		}
		switch {
		case element != nil:
			script.Text += n.Text
		case n.Kind == markup.ElementNode && n.Name == "script":
			element = n
		}
	}
	if element == nil || inTemplate(element) {
		return s.nodes[from:s.at], script
	}
	nonce := element.Get("nonce")
	if script.Run = c.settings.Policy.AllowsInline(script.Text, nonce); script.Run {
		s.classic[c.URL] = fetchOptions{strings.ToLower(element.Get("referrerpolicy")), nonce, true}
		script.Text = transform(script.Text, c.URL)
	}
	return s.nodes[from:s.at], script
}

// inlineScriptEnd is where the first script in a text ends, if that is a classic one with its text in it; else 0.
func inlineScriptEnd(text string) int {
	inside := false
	for token := range markup.Tokens([]byte(text)) {
		switch {
		case token.Name != "script":
		case token.Kind == markup.EndTag:
			if inside {
				return token.End
			}
			return 0
		case token.Kind == markup.StartTag:
			attributes := token.Attributes()
			lookup := func(name string) (string, bool) { value, has := attributes[name]; return value, has }
			if _, external := lookup("src"); external || page.ScriptKind(lookup) != page.ClassicScript {
				return 0
			}
			inside = true
		}
	}
	return 0
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
	goesOn := !strings.HasSuffix(text, ">") // a text at the end may
	for goesOn && n > s.at && nodes[n-1].Kind == markup.TextNode {
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
func (s *scripting) insert(after int, text string) bool {
	end := s.endOf(after)
	if end == 0 || len(s.text)+len(text) > mostWritten {
		return false
	}
	s.realm.ChargeText(2*len(s.text) + len(text))
	source := slices.Concat(s.text[:end], []byte(text), s.text[end:])
	nodes, _ := markup.Nodes(source)
	if !alike(s.nodes[:s.at], nodes) {
		return false
	}
	for i, old := range s.nodes[:s.at] {
		nodes[i].Number = old.Number
	}
	s.text, s.nodes = source, nodes
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
