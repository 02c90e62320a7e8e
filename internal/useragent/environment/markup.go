package environment

import (
	"encoding/json"
	"strconv"
	"unicode/utf8"

	"tachyform/internal/markup"
)

// markupOperations parse markup for scripts.
var markupOperations = operations{
	"html.fragment": plain(func(_ *Realm, args arguments) (any, error) {
		return NodeItems(markup.Fragment(args.text(0), args.text(1), args.text(2)), 0), nil
	}),
	"html.document": plain(func(_ *Realm, args arguments) (any, error) {
		nodes, quirks := markup.Nodes([]byte(args.text(0)))
		return toJSON(map[string]any{"list": json.RawMessage(NodeItems(nodes, 0)), "quirks": quirks}), nil
	}),
	"xml.document": plain(func(_ *Realm, args arguments) (any, error) {
		nodes, err := markup.XMLNodes(args.text(0))
		if err != nil {
			return toJSON(map[string]any{"failed": err.Error()}), nil
		}
		return toJSON(map[string]any{"list": json.RawMessage(NodeItems(nodes, 0)), "failed": ""}), nil
	}),
}

var namespaces = map[string]string{"svg": "http://www.w3.org/2000/svg", "math": "http://www.w3.org/1998/Math/MathML"}

var attributeNamespaces = map[string]string{"xlink": "http://www.w3.org/1999/xlink",
	"xml": "http://www.w3.org/XML/1998/namespace", "xmlns": "http://www.w3.org/2000/xmlns/"}

// Kinds of items, beside those of nodes: an element of HTML, whose attributes have no namespaces, and any other.
const (
	plainElement = 1
	otherElement = 2
)

// NodeItems writes nodes as window/parsing.js takes them: one flat list as JSON, since every list in a list costs the
// engine as much as a node. Each node has its kind, the number of its parent, and what itemEnd there tells. last is the
// number of the node that was handed over last; the numbers are kept in the nodes.
func NodeItems(nodes []*markup.Node, last int) string {
	w := itemWriter{make([]byte, 0, 64*len(nodes))}
	for _, n := range nodes {
		last++
		n.Number = last
		parent := 0
		if n.Parent != nil {
			parent = n.Parent.Number
		}
		switch n.Kind {
		case markup.ElementNode:
			w.element(n, parent)
		case markup.TextNode, markup.CommentNode:
			w.start(int(n.Kind), parent)
			w.text(n.Text)
		case markup.InstructionNode:
			w.start(int(n.Kind), parent)
			w.text(n.Name)
			w.text(n.Text)
		case markup.DoctypeNode:
			w.start(int(n.Kind), parent)
			w.text(n.Name)
			w.text(n.Get("public"))
			w.text(n.Get("system"))
		default:
			w.start(int(n.Kind), parent)
		}
	}
	if len(w.out) == 0 {
		return "[]"
	}
	w.out[0] = '['
	return string(append(w.out, ']'))
}

// itemWriter writes items, each with a comma before it.
type itemWriter struct{ out []byte }

func (w *itemWriter) start(kind, parent int) {
	w.number(kind)
	w.number(parent)
}

func (w *itemWriter) number(n int) { w.out = strconv.AppendInt(append(w.out, ','), int64(n), 10) }

// name writes a text that may be missing.
func (w *itemWriter) name(text string) {
	if text == "" {
		w.out = append(w.out, ",null"...)
		return
	}
	w.text(text)
}

func (w *itemWriter) text(text string) {
	w.out = append(w.out, ',')
	if !utf8.ValidString(text) {
		quoted, _ := json.Marshal(text) // which mends it
		w.out = append(w.out, quoted...)
		return
	}
	w.out = append(w.out, '"')
	from := 0
	for i := range len(text) {
		c := text[i]
		if c >= ' ' && c != '"' && c != '\\' {
			continue
		}
		w.out = append(w.out, text[from:i]...)
		from = i + 1
		if c < ' ' {
			const hex = "0123456789abcdef"
			w.out = append(w.out, '\\', 'u', '0', '0', hex[c>>4], hex[c&15])
		} else {
			w.out = append(w.out, '\\', c)
		}
	}
	w.out = append(append(w.out, text[from:]...), '"')
}

func (w *itemWriter) element(n *markup.Node, parent int) {
	if n.XML == nil && n.Namespace == "" {
		w.start(plainElement, parent)
		w.text(n.Name)
		w.number(len(n.Attr))
		for _, a := range n.Attr {
			w.text(a.Key)
			w.text(a.Val)
		}
		return
	}
	w.start(otherElement, parent)
	w.text(n.Name)
	if n.XML != nil {
		w.name(n.XML.Namespace)
		w.name(n.XML.Prefix)
		w.number(len(n.XML.Attr))
		for _, a := range n.XML.Attr {
			w.attribute(a.Name, a.Value, a.Namespace, a.Prefix, a.Local)
		}
		return
	}
	w.name(namespaces[n.Namespace])
	w.name("")
	w.number(len(n.Attr))
	for _, a := range n.Attr {
		switch {
		case a.Namespace == "":
			w.attribute(a.Key, a.Val, "", "", a.Key)
		case a.Key == "xmlns":
			w.attribute(a.Key, a.Val, attributeNamespaces[a.Namespace], "", a.Key)
		default:
			w.attribute(a.Namespace+":"+a.Key, a.Val, attributeNamespaces[a.Namespace], a.Namespace, a.Key)
		}
	}
}

func (w *itemWriter) attribute(name, value, namespace, prefix, local string) {
	w.text(name)
	w.text(value)
	w.name(namespace)
	w.name(prefix)
	w.text(local)
}
