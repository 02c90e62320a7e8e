package page

import (
	"encoding/json"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// tells notes a message to a worker: a call of postMessage with a literal, on what is neither a window or port nor the
// page's own worker.
func (r *scriptReader) tells(x *js.CallExpr, d *js.DotExpr) {
	if dotName(d) != "postMessage" || len(x.Args.List) != 1 {
		return
	}
	switch to := d.X.(type) {
	case *js.Var:
		switch string(to.Name()) {
		case "window", "self", "globalThis", "parent", "top", "opener", "port", "channel":
			return
		}
	case *js.DotExpr:
		switch dotName(to) {
		case "controller", "active", "port1", "port2", "contentWindow", "parent", "top", "opener":
			return
		}
	default:
		return
	}
	if value, ok := r.value(x.Args.List[0].Value); ok {
		if text, err := json.Marshal(value); err == nil {
			r.out.Tells = append(r.out.Tells, string(text))
		}
	}
}

// value gives what a literal expression stands for: texts, numbers, true, false, null, and objects and lists of them.
func (r *scriptReader) value(e js.IExpr) (any, bool) {
	if text, ok := r.literal(e); ok {
		return text, true
	}
	switch x := e.(type) {
	case *js.GroupExpr:
		return r.value(x.X)
	case *js.LiteralExpr:
		switch x.TokenType {
		case js.TrueToken:
			return true, true
		case js.FalseToken:
			return false, true
		case js.NullToken:
			return nil, true
		}
		n, err := strconv.ParseFloat(string(x.Data), 64)
		return n, err == nil
	case *js.ArrayExpr:
		list := []any{}
		for _, item := range x.List {
			v, ok := r.value(item.Value)
			if !ok || item.Spread {
				return nil, false
			}
			list = append(list, v)
		}
		return list, true
	case *js.ObjectExpr:
		object := map[string]any{}
		for _, p := range x.List {
			v, ok := r.value(p.Value)
			if !ok || p.Spread || p.Name == nil {
				return nil, false
			}
			object[strings.Trim(string(p.Name.Literal.Data), "\"'")] = v
		}
		return object, true
	}
	return nil, false
}

// asksForController says whether a condition looks at the worker that the page has or had.
func (r *scriptReader) asksForController(e js.IExpr) bool {
	text := e.String()
	if strings.Contains(text, ".controller") {
		return true
	}
	for name := range r.had {
		for _, word := range strings.FieldsFunc(text, func(c rune) bool {
			return !(c == '_' || c == '$' || c >= '0' && c <= '9' || c >= 'A' && c <= 'Z' || c >= 'a' && c <= 'z')
		}) {
			if word == name {
				return true
			}
		}
	}
	return false
}
