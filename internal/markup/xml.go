package markup

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"golang.org/x/net/html"
)

// XMLName is what an element of an XML document has beside its name.
type XMLName struct {
	// Namespace is a whole one, Prefix as written.
	Namespace, Prefix string
	Attr              []XMLAttr
}

// XMLAttr is an attribute of an XML document.
type XMLAttr struct {
	Name, Value, Namespace, Prefix, Local string
}

// Namespaces that are always bound (Namespaces in XML, 3), and those that have short names in trees.
const (
	xmlNamespace   = "http://www.w3.org/XML/1998/namespace"
	xmlnsNamespace = "http://www.w3.org/2000/xmlns/"
)

var shortNamespaces = map[string]string{"http://www.w3.org/1999/xhtml": "", "http://www.w3.org/2000/svg": "svg",
	"http://www.w3.org/1998/Math/MathML": "math"}

// XMLNodes parses an XML document; the error says what is wrong with it.
func XMLNodes(text string) (nodes []*Node, err error) {
	d := xml.NewDecoder(strings.NewReader(text))
	d.Entity = xml.HTMLEntity
	d.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil } // it is decoded already
	stack := []*Node{nil}
	spaces := []map[string]string{{"xml": xmlNamespace, "xmlns": xmlnsNamespace}}
	seen := false
	add := func(n *Node) { nodes = append(nodes, n) }
	for {
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		at := stack[len(stack)-1]
		switch t := token.(type) {
		case xml.StartElement:
			if at == nil && seen {
				return nil, errors.New("there is more than one element")
			}
			seen = true
			known := bind(spaces[len(spaces)-1], t.Attr)
			n, err := xmlElement(t, known)
			if err != nil {
				return nil, err
			}
			n.Parent = at
			add(n)
			if n.Name == "template" && n.Namespace == "" {
				content := &Node{Kind: ContentNode, Parent: n}
				add(content)
				stack = append(stack, content)
			} else {
				stack = append(stack, n)
			}
			spaces = append(spaces, known)
		case xml.EndElement:
			open := at
			if open != nil && open.Kind == ContentNode {
				open = open.Parent
			}
			if open == nil || open.Name != t.Name.Local || open.XML.Prefix != t.Name.Space {
				return nil, fmt.Errorf("the tag </%s> closes nothing", t.Name.Local)
			}
			stack, spaces = stack[:len(stack)-1], spaces[:len(spaces)-1]
		case xml.CharData:
			if at != nil {
				add(&Node{Kind: TextNode, Parent: at, Text: string(t)})
			} else if strings.TrimSpace(string(t)) != "" {
				return nil, errors.New("there is text outside of the element")
			}
		case xml.Comment:
			add(&Node{Kind: CommentNode, Parent: at, Text: string(t)})
		case xml.ProcInst:
			if t.Target != "xml" {
				add(&Node{Kind: InstructionNode, Parent: at, Name: t.Target, Text: string(t.Inst)})
			}
		case xml.Directive:
			if name, ok := strings.CutPrefix(string(t), "DOCTYPE "); ok && at == nil && len(strings.Fields(name)) > 0 {
				add(&Node{Kind: DoctypeNode, Name: strings.Fields(name)[0]})
			}
		}
	}
	if len(stack) > 1 || !seen {
		return nil, errors.New("the element is not closed")
	}
	return nodes, nil
}

// bind gives the namespaces that are known inside an element.
func bind(outer map[string]string, attributes []xml.Attr) map[string]string {
	known := outer
	for _, a := range attributes {
		prefix := ""
		switch {
		case a.Name.Space == "xmlns":
			prefix = a.Name.Local
		case a.Name.Space != "" || a.Name.Local != "xmlns":
			continue
		}
		inner := map[string]string{}
		for k, v := range known {
			inner[k] = v
		}
		inner[prefix] = a.Value
		known = inner
	}
	return known
}

func xmlElement(t xml.StartElement, known map[string]string) (*Node, error) {
	space, bound := known[t.Name.Space]
	if t.Name.Space != "" && !bound {
		return nil, fmt.Errorf("the prefix %s stands for no namespace", t.Name.Space)
	}
	n := &Node{Kind: ElementNode, Name: t.Name.Local, XML: &XMLName{Namespace: space, Prefix: t.Name.Space}}
	if short, ok := shortNamespaces[space]; ok {
		n.Namespace = short
	} else {
		n.Namespace = space
		if space == "" {
			n.Namespace = "none"
		}
	}
	for _, a := range t.Attr {
		name, ns := a.Name.Local, ""
		if a.Name.Space != "" {
			name, ns = a.Name.Space+":"+name, known[a.Name.Space]
		} else if name == "xmlns" {
			ns = xmlnsNamespace
		}
		if slices.ContainsFunc(n.XML.Attr, func(o XMLAttr) bool { return o.Name == name }) {
			return nil, fmt.Errorf("%s has the attribute %s twice", t.Name.Local, name)
		}
		n.XML.Attr = append(n.XML.Attr, XMLAttr{name, a.Value, ns, a.Name.Space, a.Name.Local})
		n.Attr = append(n.Attr, html.Attribute{Namespace: a.Name.Space, Key: a.Name.Local, Val: a.Value})
	}
	return n, nil
}
