package icon

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"sort"
	"strings"

	"tachyform/internal/selector"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
	"golang.org/x/net/html"
)

// svgTree is an SVG as elements that selectors can be matched against.
type svgTree struct {
	root   *html.Node
	lines  map[*html.Node]int
	styles []string
	byID   map[string]*html.Node
	w, h   float64 // of the view box
}

// svgFault is what an SVG can't be drawn for, with its line.
type svgFault struct {
	line       int
	what, mend string
}

func (f *svgFault) Error() string { return f.what }

// Bounds of an SVG: what references may grow it to, how deep it is nested, and how many selectors are tried on
// elements.
const (
	mostElements = 50_000
	mostDeep     = 400
	mostMatches  = 20_000_000
)

// readSVG reads an SVG into a tree; names lose their namespace, attributes keep their prefix.
func readSVG(data []byte) (*svgTree, error) {
	dec := xml.NewDecoder(bytes.NewReader(data))
	dec.CharsetReader = func(string, io.Reader) (io.Reader, error) { return nil, errors.New("it is not UTF-8") }
	t := &svgTree{root: &html.Node{Type: html.DocumentNode}, lines: map[*html.Node]int{}, byID: map[string]*html.Node{}}
	at := t.root
	depth := 0
	for n := 0; ; {
		token, err := dec.RawToken()
		line, _ := dec.InputPos()
		if err == io.EOF {
			if at != t.root {
				return nil, &svgFault{line, "the SVG ends inside <" + at.Data + ">", "export it again"}
			}
			return t, nil
		}
		if err != nil {
			return nil, &svgFault{line, "the SVG is not well-formed: " + err.Error(), "export it again"}
		}
		switch x := token.(type) {
		case xml.StartElement:
			if n++; n > mostElements {
				return nil, &svgFault{line, "the SVG has more than 50 000 elements", "simplify it, or export a PNG"}
			}
			if depth++; depth > mostDeep {
				return nil, &svgFault{line, fmt.Sprintf("the SVG nests more than %d elements in one another", mostDeep),
					"take groups out that hold only one other, or export a PNG"}
			}
			e := &html.Node{Type: html.ElementNode, Data: x.Name.Local}
			for _, a := range x.Attr {
				key := a.Name.Local
				if a.Name.Space != "" {
					key = a.Name.Space + ":" + key
				}
				e.Attr = append(e.Attr, html.Attribute{Key: key, Val: a.Value})
				if key == "id" && t.byID[a.Value] == nil {
					t.byID[a.Value] = e
				}
			}
			t.lines[e] = line
			at.AppendChild(e)
			at = e
		case xml.EndElement:
			if at == t.root || at.Data != x.Name.Local {
				return nil, &svgFault{line, "the SVG is not well-formed: </" + x.Name.Local + "> closes nothing", "export it again"}
			}
			at = at.Parent
			depth--
		case xml.CharData:
			if at.Data == "style" {
				t.styles = append(t.styles, string(x))
			}
		}
	}
}

func attr(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

func setAttr(n *html.Node, key, value string) {
	for i := range n.Attr {
		if n.Attr[i].Key == key {
			n.Attr[i].Val = value
			return
		}
	}
	n.Attr = append(n.Attr, html.Attribute{Key: key, Val: value})
}

// flatten makes the tree one that needs no style sheets and no references: rules become style attributes, used
// elements are copied.
func (t *svgTree) flatten() error {
	if err := t.use(t.root, 0, new(int)); err != nil {
		return err
	}
	if err := t.style(); err != nil {
		return err
	}
	var drop []*html.Node
	var visit func(n *html.Node)
	visit = func(n *html.Node) {
		if n.Data == "style" || n.Data == "symbol" || n.Data == "clipPath" {
			drop = append(drop, n)
			return
		}
		for k := n.FirstChild; k != nil; k = k.NextSibling {
			visit(k)
		}
	}
	visit(t.root)
	for _, n := range drop {
		n.Parent.RemoveChild(n)
	}
	return nil
}

// use replaces use elements by copies of what they refer to (SVG 2, 5.5).
func (t *svgTree) use(n *html.Node, depth int, copies *int) error {
	for k := n.FirstChild; k != nil; k = k.NextSibling {
		if k.Data != "use" {
			if err := t.use(k, depth, copies); err != nil {
				return err
			}
			continue
		}
		ref := attr(k, "href")
		if ref == "" {
			ref = attr(k, "xlink:href")
		}
		id, local := strings.CutPrefix(ref, "#")
		if !local {
			return &svgFault{t.lines[k], fmt.Sprintf("<use> refers to another file, %q", ref),
				"put what it refers to into this file, or export a PNG"}
		}
		target := t.byID[id]
		if target == nil {
			return &svgFault{t.lines[k], fmt.Sprintf("<use> refers to %q, which is not there", ref),
				"mend the reference, or export the SVG again"}
		}
		if depth > 12 {
			return &svgFault{t.lines[k], fmt.Sprintf("<use> refers to %q in a circle", ref),
				"mend the references, or export a PNG"}
		}
		if target.Data == "symbol" && attr(target, "viewBox") != "" && attr(k, "width") != "" {
			return &svgFault{t.lines[k], "<use> scales a symbol with a view box, which is not drawn here", "export a PNG"}
		}
		group := &html.Node{Type: html.ElementNode, Data: "g"}
		move := ""
		if x, y := attr(k, "x"), attr(k, "y"); x != "" || y != "" {
			move = " translate(" + zero(x) + "," + zero(y) + ")"
		}
		for _, a := range k.Attr {
			switch a.Key {
			case "x", "y", "width", "height", "href", "xlink:href", "id":
			default:
				group.Attr = append(group.Attr, a)
			}
		}
		if transform := strings.TrimSpace(attr(k, "transform") + move); transform != "" {
			setAttr(group, "transform", transform)
		}
		inner := t.copy(target, copies)
		if *copies > mostElements {
			return &svgFault{t.lines[k], "the SVG's references grow it to more than 50 000 elements",
				"simplify it, or export a PNG"}
		}
		if inner.Data == "symbol" {
			inner.Data = "g"
		}
		group.AppendChild(inner)
		t.lines[group] = t.lines[k]
		n.InsertBefore(group, k)
		n.RemoveChild(k)
		if err := t.use(group, depth+1, copies); err != nil {
			return err
		}
		k = group
	}
	return nil
}

func zero(s string) string {
	if s == "" {
		return "0"
	}
	return s
}

func (t *svgTree) copy(n *html.Node, copies *int) *html.Node {
	*copies++
	out := &html.Node{Type: n.Type, Data: n.Data}
	for _, a := range n.Attr {
		if a.Key != "id" {
			out.Attr = append(out.Attr, a)
		}
	}
	t.lines[out] = t.lines[n]
	for k := n.FirstChild; k != nil && *copies <= mostElements; k = k.NextSibling {
		out.AppendChild(t.copy(k, copies))
	}
	return out
}

type svgRule struct {
	selector     *selector.Selector
	order        int
	declarations string
}

// style turns the rules of style elements into style attributes; those that are there already come last and win.
func (t *svgTree) style() error {
	var rules []svgRule
	for _, text := range t.styles {
		p := css.NewParser(parse.NewInputBytes([]byte(text)), false)
		var selectors []string
		var declarations strings.Builder
		depth := 0
		for {
			kind, _, data := p.Next()
			if kind == css.ErrorGrammar {
				break
			}
			switch kind {
			case css.BeginAtRuleGrammar:
				depth++
			case css.EndAtRuleGrammar:
				depth--
			case css.QualifiedRuleGrammar, css.BeginRulesetGrammar:
				selectors = append(selectors, strings.Split(joined(p.Values()), ",")...)
			case css.DeclarationGrammar:
				declarations.WriteString(string(data) + ":" + joined(p.Values()) + ";")
			case css.EndRulesetGrammar:
				for _, s := range selectors {
					if compiled, err := selector.Parse(s); err == nil && depth == 0 {
						rules = append(rules, svgRule{compiled, len(rules), declarations.String()})
					}
				}
				selectors = nil
				declarations.Reset()
			}
		}
	}
	if len(rules) == 0 {
		return nil
	}
	if len(rules)*len(t.lines) > mostMatches {
		return &svgFault{1, fmt.Sprintf("the SVG's style sheets have %d selectors for %d elements, too many to try",
			len(rules), len(t.lines)), "take out those that match nothing, or export a PNG"}
	}
	sort.SliceStable(rules, func(i, j int) bool { return rules[i].selector.Specificity().Less(rules[j].selector.Specificity()) })
	var visit func(n *html.Node)
	visit = func(n *html.Node) {
		if n.Type == html.ElementNode {
			var b strings.Builder
			for _, r := range rules {
				if r.selector.Match(n) {
					b.WriteString(r.declarations)
				}
			}
			if b.Len() > 0 {
				setAttr(n, "style", b.String()+attr(n, "style"))
			}
		}
		for k := n.FirstChild; k != nil; k = k.NextSibling {
			visit(k)
		}
	}
	visit(t.root)
	return nil
}

func joined(tokens []css.Token) string {
	var b strings.Builder
	for _, t := range tokens {
		b.Write(t.Data)
	}
	return strings.TrimSpace(b.String())
}

// text writes the tree as an SVG again.
func (t *svgTree) text() []byte {
	var b bytes.Buffer
	writeSVG(&b, t.root)
	return b.Bytes()
}

func writeSVG(b *bytes.Buffer, n *html.Node) {
	if n.Type == html.ElementNode {
		b.WriteString("<" + n.Data)
		for _, a := range n.Attr {
			b.WriteString(" " + a.Key + `="`)
			_ = xml.EscapeText(b, []byte(a.Val))
			b.WriteByte('"')
		}
		b.WriteByte('>')
	}
	for k := n.FirstChild; k != nil; k = k.NextSibling {
		writeSVG(b, k)
	}
	if n.Type == html.ElementNode {
		b.WriteString("</" + n.Data + ">\n")
	}
}
