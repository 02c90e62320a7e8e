package page

import (
	"regexp"
	"strings"

	"github.com/tdewolff/parse/v2/js"

	"tachyform/internal/markup"
	"tachyform/internal/request"
)

// Made is an element that a script adds to its page, as far as its text says so: what is created and given literal
// attributes.
type Made struct {
	Tag
	placed bool
	// ready and change are how the script came to make it; see scriptReader.
	ready, change int
}

// Changed is an attribute that a script gives to an element of its page: the first link with the keyword Rel, or the
// one with the ID.
type Changed struct{ Rel, ID, Attr, Value string }

// properties are attributes by the names that scripts know them by, where these differ.
var properties = map[string]string{"crossOrigin": "crossorigin", "className": "class", "httpEquiv": "http-equiv",
	"noModule": "nomodule", "referrerPolicy": "referrerpolicy"}

// creates gives the name of the element that an expression creates.
func (r *scriptReader) creates(e js.IExpr) (name string, args js.Args) {
	switch x := e.(type) {
	case *js.CallExpr:
		if d, ok := x.X.(*js.DotExpr); ok && dotName(d) == "createElement" && len(x.Args.List) > 0 {
			name, _ = r.literal(x.Args.List[0].Value)
			return strings.ToLower(name), x.Args
		}
	case *js.NewExpr:
		if v, ok := x.X.(*js.Var); ok && string(v.Name()) == "Image" {
			return "img", js.Args{}
		}
	case *js.GroupExpr:
		return r.creates(x.X)
	}
	return "", js.Args{}
}

// element gives what is known of the element that an expression stands for, nil when nothing is.
func (r *scriptReader) element(e js.IExpr) *Made {
	switch x := e.(type) {
	case *js.Var:
		return r.made[string(x.Name())]
	case *js.GroupExpr:
		return r.element(x.X)
	case *js.CallExpr:
		// Object.assign(document.createElement('link'), { rel: 'manifest', … }) is the element.
		if d, ok := x.X.(*js.DotExpr); ok && dotName(d) == "assign" && len(x.Args.List) == 2 {
			m := r.element(x.Args.List[0].Value)
			if o, isObject := x.Args.List[1].Value.(*js.ObjectExpr); isObject && m != nil {
				for _, p := range o.List {
					if p.Name != nil {
						r.set(m, strings.Trim(string(p.Name.Literal.Data), `"'`), p.Value)
					}
				}
			}
			return m
		}
	}
	if name, _ := r.creates(e); name != "" {
		m := &Made{Tag: Tag{Name: name, Attr: map[string]string{}, InHead: true}, placed: name == "img", ready: r.ready,
			change: r.change}
		r.all = append(r.all, m)
		return m
	}
	return nil
}

func (r *scriptReader) set(m *Made, property string, value js.IExpr) {
	if text, ok := r.literal(value); ok {
		if p, odd := properties[property]; odd {
			property = p
		}
		m.Attr[strings.ToLower(property)] = text
	} else if l, ok := value.(*js.LiteralExpr); ok && l.TokenType == js.TrueToken {
		m.Attr[strings.ToLower(property)] = ""
	}
}

var linkSelector = regexp.MustCompile(`^(?:head\s*>?\s*)?(?:link)?\[rel[~^*]?=["']?([\w-]+)["']?( i)?\]$`)

// found reads an expression that looks an element of the page up.
func (r *scriptReader) found(e js.IExpr) (c Changed, ok bool) {
	x, isCall := e.(*js.CallExpr)
	if !isCall {
		if v, isVar := e.(*js.Var); isVar {
			c, ok = r.lookedUp[string(v.Name())]
		}
		return c, ok
	}
	d, isDot := x.X.(*js.DotExpr)
	if !isDot || len(x.Args.List) != 1 {
		return c, false
	}
	text, plain := r.literal(x.Args.List[0].Value)
	if !plain {
		return c, false
	}
	switch dotName(d) {
	case "getElementById":
		return Changed{ID: text}, true
	case "querySelector":
		if m := linkSelector.FindStringSubmatch(text); m != nil {
			return Changed{Rel: m[1]}, true
		}
		if id, ok := strings.CutPrefix(text, "#"); ok && !strings.ContainsAny(id, " .[>:#") {
			return Changed{ID: id}, true
		}
	}
	return c, false
}

// declares notes variables that hold elements.
func (r *scriptReader) declares(x *js.VarDecl) {
	for _, item := range x.List {
		if v, ok := item.Binding.(*js.Var); ok && item.Default != nil {
			r.holds(string(v.Name()), item.Default)
		}
	}
}

func (r *scriptReader) holds(name string, e js.IExpr) {
	delete(r.made, name)
	delete(r.lookedUp, name)
	if m := r.element(e); m != nil {
		r.made[name] = m
	} else if c, ok := r.found(e); ok {
		r.lookedUp[name] = c
	}
}

// assigns notes what becomes of an element by an assignment.
func (r *scriptReader) assigns(x *js.BinaryExpr) {
	switch to := x.X.(type) {
	case *js.Var:
		r.holds(string(to.Name()), x.Y)
	case *js.DotExpr:
		if m := r.element(to.X); m != nil {
			r.set(m, dotName(to), x.Y)
		} else if c, ok := r.found(to.X); ok {
			r.changes(c, dotName(to), x.Y)
		}
	}
}

func (r *scriptReader) changes(c Changed, property string, value js.IExpr) {
	if text, ok := r.literal(value); ok {
		c.Attr, c.Value = strings.ToLower(property), text
		r.out.Changed = append(r.out.Changed, c)
	}
}

// places notes what a call of a method does to elements: gives attributes, puts them into the page, or writes markup
// there.
func (r *scriptReader) places(x *js.CallExpr, d *js.DotExpr) {
	args := x.Args.List
	switch dotName(d) {
	case "setAttribute":
		name, ok := r.literal(args[0].Value)
		if !ok || len(args) != 2 {
			return
		}
		if m := r.element(d.X); m != nil {
			r.set(m, name, args[1].Value)
		} else if c, ok := r.found(d.X); ok {
			r.changes(c, name, args[1].Value)
		}
	case "append", "appendChild", "prepend", "insertBefore", "before", "after", "replaceWith", "replaceChildren":
		for _, a := range args {
			if m := r.element(a.Value); m != nil {
				m.placed = true
				if at, ok := d.X.(*js.DotExpr); ok && dotName(at) == "body" {
					m.InHead = false
				}
			}
		}
	case "write", "writeln":
		if v, ok := d.X.(*js.Var); ok && string(v.Name()) == "document" {
			if text, ok := r.literal(args[0].Value); ok {
				r.writtenMarkup(text, true)
			}
		}
	case "insertAdjacentHTML":
		if at, ok := d.X.(*js.DotExpr); ok && dotName(at) == "head" && len(args) == 2 {
			if text, ok := r.literal(args[1].Value); ok {
				r.writtenMarkup(text, false)
			}
		}
	}
}

// writtenMarkup reads elements out of a text that is written into the page; scripts run only in what is written while
// the page is read.
func (r *scriptReader) writtenMarkup(text string, scripts bool) {
	for token := range markup.Tokens([]byte(text)) {
		if !token.Opens() {
			continue
		}
		attr := token.Attributes()
		if attr == nil {
			attr = map[string]string{}
		}
		r.all = append(r.all, &Made{Tag: Tag{Name: token.Name, Attr: attr, InHead: true}, placed: token.Name != "script" ||
			scripts, ready: r.ready, change: r.change})
	}
}

// finish makes requests of the elements that were put into the page.
func (r *scriptReader) finish() {
	for _, m := range r.all {
		if !m.placed {
			continue
		}
		r.out.Made = append(r.out.Made, m.Tag)
		r.ready, r.change = m.ready, m.change
		kind := Reference{Mode: request.NoCORS, Credentials: "include"}
		ref := m.Attr["src"]
		switch {
		case m.Name == "script" && strings.EqualFold(m.Attr["type"], "module"):
			kind = Reference{Destination: request.Script, Mode: request.CORS, Credentials: "same-origin", Module: true}
		case m.Name == "script" && isJavaScript(strings.ToLower(m.Attr["type"])):
			kind.Destination = request.Script
		case m.Name == "img":
			kind.Destination = request.Image
		case m.Name == "iframe":
			kind = Reference{Destination: request.Frame, Mode: request.Navigate, Credentials: "include"}
		case m.Name == "link" && m.Rel("stylesheet"):
			kind.Destination, ref = "style", m.Attr["href"]
		default:
			continue
		}
		if strings.TrimSpace(ref) != "" && !strings.HasPrefix(ref, "data:") && !strings.HasPrefix(ref, "blob:") {
			r.add(r.base, ref, nil, cors(m.Tag, kind))
		}
	}
}

// With gives a document's link elements as they are once scripts have added to them and changed them.
func (d *Document) With(made []Tag, changed []Changed) *Document {
	if len(made)+len(changed) == 0 {
		return d
	}
	out := *d
	out.LinkTags, out.Metas = append([]Tag(nil), d.LinkTags...), append([]Tag(nil), d.Metas...)
	for _, t := range made {
		switch t.Name {
		case "link":
			out.LinkTags = append(out.LinkTags, t)
		case "meta":
			out.Metas = append(out.Metas, t)
		}
	}
	for _, c := range changed {
		for i, t := range out.LinkTags {
			if c.Rel != "" && t.Rel(strings.ToLower(c.Rel)) || c.ID != "" && t.Attr["id"] == c.ID {
				attr := map[string]string{c.Attr: c.Value}
				for k, v := range t.Attr {
					if k != c.Attr {
						attr[k] = v
					}
				}
				out.LinkTags[i].Attr = attr
				break
			}
		}
	}
	return &out
}
