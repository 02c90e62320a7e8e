package markup

import (
	"bytes"
	"strings"

	"golang.org/x/net/html"
)

// NodeKind is the kind of a node, by the number that the DOM gives it (DOM, 4.4).
type NodeKind int

// The kinds that documents have. Content is what a template holds.
const (
	ElementNode     NodeKind = 1
	TextNode        NodeKind = 3
	InstructionNode NodeKind = 7
	CommentNode     NodeKind = 8
	DoctypeNode     NodeKind = 10
	ContentNode     NodeKind = 11
)

// Node is one node of a tree, in a list in tree order.
type Node struct {
	Kind NodeKind
	// Parent is nil for what stands at the top.
	Parent *Node
	// Name is that of an element or a doctype, Namespace "", "svg" or "math"; in XML documents it may be another one.
	Name, Namespace string
	// Attr are an element's attributes, of a doctype its public and system identifier.
	Attr []html.Attribute
	// XML is what an element of an XML document has beside that, nil in HTML.
	XML *XMLName
	// Text is that of a text or a comment.
	Text string
	// Number is for whoever counts nodes.
	Number int
}

// Get gives an attribute, "" where there is none.
func (n *Node) Get(name string) string {
	value, _ := n.Lookup(name)
	return value
}

// Lookup gives an attribute and whether it is there.
func (n *Node) Lookup(name string) (string, bool) {
	for _, a := range n.Attr {
		if a.Key == name && a.Namespace == "" {
			return a.Val, true
		}
	}
	return "", false
}

// Nodes parses a document as a browser with scripts does (HTML, 13.2); quirks says whether it is in quirks mode.
func Nodes(text []byte) (nodes []*Node, quirks bool) {
	root, err := html.Parse(bytes.NewReader(text))
	if err != nil {
		return nil, true
	}
	nodes = flatten(root, nil)
	return nodes, isQuirky(nodes)
}

// Fragment parses text as the content of an element ("HTML fragment parsing algorithm").
func Fragment(text, context, namespace string) []*Node {
	list, err := html.ParseFragment(strings.NewReader(text), &html.Node{Type: html.ElementNode, Data: context,
		DataAtom: atomOf(context), Namespace: namespace})
	if err != nil {
		return nil
	}
	var nodes []*Node
	for _, n := range list {
		nodes = appendNode(nodes, n, nil)
	}
	return nodes
}

func flatten(root *html.Node, parent *Node) (nodes []*Node) {
	for c := root.FirstChild; c != nil; c = c.NextSibling {
		nodes = appendNode(nodes, c, parent)
	}
	return nodes
}

func appendNode(nodes []*Node, n *html.Node, parent *Node) []*Node {
	out := &Node{Parent: parent}
	switch n.Type {
	case html.ElementNode:
		out.Kind, out.Name, out.Namespace, out.Attr = ElementNode, n.Data, n.Namespace, n.Attr
	case html.TextNode:
		out.Kind, out.Text = TextNode, n.Data
	case html.CommentNode:
		out.Kind, out.Text = CommentNode, n.Data
	case html.DoctypeNode:
		out.Kind, out.Name, out.Attr = DoctypeNode, n.Data, n.Attr
	default:
		return nodes
	}
	nodes = append(nodes, out)
	if n.Type == html.ElementNode && n.Data == "template" && n.Namespace == "" {
		out = &Node{Kind: ContentNode, Parent: out}
		nodes = append(nodes, out)
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		nodes = appendNode(nodes, c, out)
	}
	return nodes
}

// quirky are the beginnings of public identifiers that stand for quirks mode (HTML, 13.2.6.4.1), the usual ones.
var quirky = []string{"-//w3c//dtd html 3", "-//w3c//dtd html 4.0 frameset//", "-//w3c//dtd html 4.0 transitional//",
	"-//ietf//dtd html", "-//netscape", "-//w3o//dtd", "-//softquad", "html"}

func isQuirky(nodes []*Node) bool {
	for _, n := range nodes {
		switch n.Kind {
		case DoctypeNode:
			public, system := strings.ToLower(n.Get("public")), n.Get("system")
			if !strings.EqualFold(n.Name, "html") {
				return true
			}
			for _, p := range quirky {
				if strings.HasPrefix(public, p) {
					return true
				}
			}
			return system == "" && (strings.HasPrefix(public, "-//w3c//dtd html 4.01 frameset//") ||
				strings.HasPrefix(public, "-//w3c//dtd html 4.01 transitional//"))
		case ElementNode:
			return true
		}
	}
	return true
}
