package environment

import (
	"tachyform/internal/markup"
)

// markupOperations parse markup for scripts.
var markupOperations = operations{
	"html.fragment": plain(func(_ *Realm, args arguments) (any, error) {
		return toJSON(NodeItems(markup.Fragment(args.text(0), args.text(1), args.text(2)), 0)), nil
	}),
	"html.document": plain(func(_ *Realm, args arguments) (any, error) {
		nodes, quirks := markup.Nodes([]byte(args.text(0)))
		return toJSON(map[string]any{"list": NodeItems(nodes, 0), "quirks": quirks}), nil
	}),
	"xml.document": plain(func(_ *Realm, args arguments) (any, error) {
		nodes, err := markup.XMLNodes(args.text(0))
		if err != nil {
			return toJSON(map[string]any{"failed": err.Error()}), nil
		}
		return toJSON(map[string]any{"list": NodeItems(nodes, 0), "failed": ""}), nil
	}),
}

var namespaces = map[string]any{"": nil, "svg": "http://www.w3.org/2000/svg", "math": "http://www.w3.org/1998/Math/MathML"}

var attributeNamespaces = map[string]string{"xlink": "http://www.w3.org/1999/xlink",
	"xml": "http://www.w3.org/XML/1998/namespace", "xmlns": "http://www.w3.org/2000/xmlns/"}

// NodeItems writes nodes as window/parsing.js takes them: [kind, number of the parent, …]. last is the number of the node
// that was handed over last; the numbers are kept in the nodes.
func NodeItems(nodes []*markup.Node, last int) [][]any {
	items := make([][]any, 0, len(nodes))
	for _, n := range nodes {
		last++
		n.Number = last
		parent := 0
		if n.Parent != nil {
			parent = n.Parent.Number
		}
		item := []any{int(n.Kind), parent}
		switch n.Kind {
		case markup.ElementNode:
			var attributes [][]any
			if n.XML != nil {
				for _, a := range n.XML.Attr {
					attributes = append(attributes, []any{a.Name, a.Value, a.Namespace, a.Prefix, a.Local})
				}
				item = append(item, n.Name, n.XML.Namespace, attributes, n.XML.Prefix)
				break
			}
			item = append(item, n.Name)
			if n.Namespace == "" && len(n.Attr) == 0 {
				break
			}
			item = append(item, namespaces[n.Namespace])
			for _, a := range n.Attr {
				if a.Namespace == "" {
					attributes = append(attributes, []any{a.Key, a.Val})
					continue
				}
				prefix := any(a.Namespace)
				name := a.Namespace + ":" + a.Key
				if a.Key == "xmlns" {
					prefix, name = nil, a.Key
				}
				attributes = append(attributes, []any{name, a.Val, attributeNamespaces[a.Namespace], prefix, a.Key})
			}
			item = append(item, attributes)
		case markup.TextNode, markup.CommentNode:
			item = append(item, n.Text)
		case markup.InstructionNode:
			item = append(item, n.Name, n.Text)
		case markup.DoctypeNode:
			item = append(item, n.Name, n.Get("public"), n.Get("system"))
		}
		items = append(items, item)
	}
	return items
}
