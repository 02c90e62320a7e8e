package environment

import (
	"encoding/xml"
	"io"
	"strings"

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
		list, failed := xmlItems(args.text(0))
		return toJSON(map[string]any{"list": list, "failed": failed}), nil
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
			item = append(item, n.Name, namespaces[n.Namespace])
			var attributes [][]any
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
		case markup.DoctypeNode:
			item = append(item, n.Name, n.Get("public"), n.Get("system"))
		}
		items = append(items, item)
	}
	return items
}

// xmlItems parses XML; failed says what is wrong with it.
func xmlItems(text string) (items [][]any, failed string) {
	d := xml.NewDecoder(strings.NewReader(text))
	d.Strict = true
	stack := []int{0}
	spaces := []map[string]string{{"xml": attributeNamespaces["xml"], "xmlns": attributeNamespaces["xmlns"]}}
	seen := false
	for {
		token, err := d.RawToken()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err.Error()
		}
		at := stack[len(stack)-1]
		switch t := token.(type) {
		case xml.StartElement:
			if at == 0 && seen {
				return nil, "there is more than one element"
			}
			seen = true
			known := map[string]string{}
			for k, v := range spaces[len(spaces)-1] {
				known[k] = v
			}
			for _, a := range t.Attr {
				if a.Name.Space == "xmlns" {
					known[a.Name.Local] = a.Value
				} else if a.Name.Space == "" && a.Name.Local == "xmlns" {
					known[""] = a.Value
				}
			}
			space, bound := known[t.Name.Space]
			if t.Name.Space != "" && !bound {
				return nil, "the prefix " + t.Name.Space + " stands for no namespace"
			}
			var attributes [][]any
			for _, a := range t.Attr {
				name, ns := a.Name.Local, ""
				if a.Name.Space != "" {
					name, ns = a.Name.Space+":"+name, known[a.Name.Space]
				} else if name == "xmlns" {
					ns = attributeNamespaces["xmlns"]
				}
				attributes = append(attributes, []any{name, a.Value, ns, a.Name.Space, a.Name.Local})
			}
			items = append(items, []any{1, at, t.Name.Local, space, attributes, t.Name.Space})
			stack, spaces = append(stack, len(items)), append(spaces, known)
		case xml.EndElement:
			if len(stack) == 1 || items[at-1][2] != t.Name.Local || items[at-1][5] != t.Name.Space {
				return nil, "the tag </" + t.Name.Local + "> closes nothing"
			}
			stack, spaces = stack[:len(stack)-1], spaces[:len(spaces)-1]
		case xml.CharData:
			if at != 0 {
				items = append(items, []any{3, at, string(t)})
			} else if strings.TrimSpace(string(t)) != "" {
				return nil, "there is text outside of the element"
			}
		case xml.Comment:
			items = append(items, []any{8, at, string(t)})
		case xml.ProcInst:
			if t.Target != "xml" {
				items = append(items, []any{7, at, t.Target, string(t.Inst)})
			}
		case xml.Directive:
			if name, ok := strings.CutPrefix(string(t), "DOCTYPE "); ok && at == 0 {
				items = append(items, []any{10, at, strings.Fields(name)[0]})
			}
		}
	}
	if len(stack) > 1 || !seen {
		return nil, "the element is not closed"
	}
	return items, ""
}
