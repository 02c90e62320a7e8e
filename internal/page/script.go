package page

import (
	"bytes"
	"regexp"
	"slices"
	"strings"
	"unsafe"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"

	"tachyform/internal/request"
	"tachyform/internal/textpos"
)

// Script is what a script's text tells without being run: imports, literal fetches and registrations.
type Script struct {
	References    []Reference
	Registrations []Registration
	// UnreadRegistrations are calls of register, or what looks like one, whose address can't be read from the text, or
	// that wait for what a visitor does; Unread are requests of which the same is true.
	UnreadRegistrations, Unread []Place
	// Valid is false when the text does not parse; then nothing else is known of it.
	Valid bool
	// Unresolved are module names that stand for nothing; a module with one of them does not run.
	Unresolved []string
	// Draws tells that it may put something on the page.
	Draws bool
	// relative tells that something in it resolves against the page.
	relative bool
}

// Place is where something stands in a text. Line and Column count from 1, and are 0 where they are not known.
type Place struct {
	URL          string
	Line, Column int
}

// At gives the script with its page-relative URLs, those of fetch() and register(), resolved against the base URL of
// the page that runs it, and module names by that page's import map.
func (s *Script) At(base string, imports *ImportMap) *Script {
	if !s.relative {
		return s
	}
	out := &Script{Valid: s.Valid, Draws: s.Draws, UnreadRegistrations: s.UnreadRegistrations, Unread: s.Unread,
		References: make([]Reference, 0, len(s.References))}
	for _, r := range s.References {
		if r.raw != "" {
			var ok bool
			if r.URL, ok = Resolve(base, r.raw); !ok {
				continue
			}
		}
		if r.specifier != "" || r.Module && r.URL == "" { // an empty specifier stands for nothing
			var ok bool
			if r.URL, ok = imports.Resolve(r.From, r.specifier); !ok {
				if !r.Runs {
					out.Unresolved = append(out.Unresolved, r.specifier)
				}
				continue
			}
		}
		out.References = append(out.References, r)
	}
	for _, r := range s.Registrations {
		var ok bool
		if r.Script, ok = Resolve(base, r.raw); !ok {
			continue
		}
		if r.rawScope != "" {
			r.Scope, _ = Resolve(base, r.rawScope)
		}
		out.Registrations = append(out.Registrations, r)
	}
	return out
}

// ParseScript reads a script. from is where the text stands; base is what page-relative URLs, such as those of
// fetch(), resolve against.
func ParseScript(from, base string, text []byte) *Script { return parseScript(from, base, text, false) }

// withRoom copies a text with room behind it: the parser puts a NUL there, and copies a text that has none, which
// places are then not found in.
func withRoom(text []byte) []byte {
	return append(make([]byte, 0, len(text)+1), text...)
}

func parseScript(from, base string, text []byte, foreign bool) *Script {
	src := withRoom(text)
	ast, err := js.Parse(parse.NewInputBytes(src), js.Options{})
	s := &Script{Valid: err == nil, Draws: drawing.Match(text)}
	kinds := map[string]string{}
	if err != nil {
		// The parser does not know import attributes; without them the rest is read.
		var plain []byte
		if plain, kinds = withoutAttributes(text); plain == nil {
			return s.unparsed(from, text)
		}
		src = withRoom(plain)
		if ast, err = js.Parse(parse.NewInputBytes(src), js.Options{}); err != nil {
			return s.unparsed(from, text)
		}
		s.Valid = true
	}
	r := &scriptReader{out: s, kinds: kinds, foreign: foreign,
		from: from, base: base, text: text, pos: textpos.New(text), constants: map[*js.Var]string{},
		containers: map[*js.Var]bool{}}
	if len(src) > 0 {
		r.first = uintptr(unsafe.Pointer(unsafe.SliceData(src)))
	}
	js.Walk(bindings{r}, ast)
	js.Walk(reassigned{r}, ast)
	js.Walk(r, ast)
	if len(s.Registrations) == 0 && len(s.UnreadRegistrations) == 0 {
		s.mayRegister(from, text)
	}
	return s
}

type scriptReader struct {
	out        *Script
	from, base string
	kinds      map[string]string // of modules by their names, where imports say so: json, css
	foreign    bool              // the pages that run it are of another origin
	text       []byte
	pos        *textpos.Index
	first      uintptr
	constants  map[*js.Var]string // variables that hold literal text
	containers map[*js.Var]bool   // variables that hold navigator.serviceWorker
	waiting    int                // how many listeners the walk is inside of, for events that may never come
	inside     []inside
	change     int // how many reactions to controllerchange the walk is inside of
	ready      int // how many reactions to navigator.serviceWorker.ready the walk is inside of
}

// awaitsReady says whether an expression is a reaction to navigator.serviceWorker.ready: a then() somewhere on it.
func (r *scriptReader) awaitsReady(e js.IExpr) bool {
	for {
		switch x := e.(type) {
		case *js.CallExpr:
			e = x.X
		case *js.DotExpr:
			if dotName(x) == "ready" && r.isContainer(x.X) {
				return true
			}
			e = x.X
		case *js.GroupExpr:
			e = x.X
		default:
			return false
		}
	}
}

// bindings collects variables with literal values before the uses are looked at.
type bindings struct{ r *scriptReader }

func (b bindings) Enter(n js.INode) js.IVisitor {
	decl, ok := n.(*js.VarDecl)
	if !ok {
		return b
	}
	for _, item := range decl.List {
		switch name := item.Binding.(type) {
		case *js.Var:
			if text, ok := b.r.literal(item.Default); ok {
				b.r.constants[variable(name)] = text
			} else if b.r.isContainer(item.Default) {
				b.r.containers[variable(name)] = true
			}
		case *js.BindingObject:
			for _, part := range name.List {
				if v, ok := part.Value.Binding.(*js.Var); ok && part.Key != nil &&
					string(part.Key.Literal.Data) == "serviceWorker" {
					b.r.containers[variable(v)] = true
				}
			}
		}
	}
	return b
}

func (b bindings) Exit(js.INode) {}

// variable is the one that a name stands for where it is used.
func variable(v *js.Var) *js.Var {
	for v.Link != nil {
		v = v.Link
	}
	return v
}

// reassigned forgets the literal values of variables that get others later.
type reassigned struct{ r *scriptReader }

func (a reassigned) Enter(n js.INode) js.IVisitor {
	if x, ok := n.(*js.BinaryExpr); ok && assignment[x.Op] {
		if v, ok := x.X.(*js.Var); ok {
			delete(a.r.constants, variable(v))
		}
	}
	return a
}

func (a reassigned) Exit(js.INode) {}

var assignment = map[js.TokenType]bool{js.EqToken: true, js.AddEqToken: true, js.NullishEqToken: true,
	js.OrEqToken: true, js.AndEqToken: true}

var (
	registerCall   = regexp.MustCompile(`\bregister\b["'\x60]?\]?\s*(?:\?\.)?\(`)
	drawing        = regexp.MustCompile(`innerHTML|outerHTML|insertAdjacent|\.(?:append|appendChild|prepend|insertBefore|replaceChildren|replaceWith|createElement|createElementNS|createTextNode|attachShadow|write)\b|\.(?:textContent|innerText|title)\s*=`)
	requestingCall = regexp.MustCompile(`\bfetch\s*\(|\bXMLHttpRequest\b|\bimport\s*\(`)
)

// mayRegister looks for a registration in a text of which nothing else is known.
func (s *Script) mayRegister(from string, text []byte) {
	if !bytes.Contains(text, []byte("serviceWorker")) {
		return
	}
	if at := registerCall.FindIndex(text); at != nil {
		s.UnreadRegistrations = append(s.UnreadRegistrations, placeIn(from, text, at[0]))
	}
}

// unparsed looks at a script that the parser does not understand, and a browser perhaps does.
func (s *Script) unparsed(from string, text []byte) *Script {
	s.mayRegister(from, text)
	if at := requestingCall.FindIndex(text); at != nil {
		s.Unread = append(s.Unread, placeIn(from, text, at[0]))
	}
	return s
}

func placeIn(from string, text []byte, offset int) Place {
	line, column := textpos.New(text).At(offset)
	return Place{from, line, column}
}

// unread notes a request whose address is not known, unless it waits for what a visitor does.
func (r *scriptReader) unread(at []byte) {
	if r.waiting == 0 {
		line, column := r.place(at)
		if found := requestingCall.FindIndex(r.text); line == 0 && found != nil {
			line, column = r.pos.At(found[0]) // some tokens know no place
		}
		r.out.Unread = append(r.out.Unread, Place{r.from, line, column})
	}
}

// literal gives the text of an expression whose value is plain from the source.
func (r *scriptReader) literal(e js.IExpr) (string, bool) {
	switch x := e.(type) {
	case *js.LiteralExpr:
		if x.TokenType == js.StringToken {
			return jsUnquote(x.Data), true
		}
	case *js.TemplateExpr:
		if x.Tag != nil {
			return "", false
		}
		text := ""
		for i, part := range x.List {
			value := strings.TrimSuffix(string(part.Value), "${")
			if i == 0 {
				value = strings.TrimPrefix(value, "`")
			} else {
				value = strings.TrimPrefix(value, "}")
			}
			inner, ok := r.literal(part.Expr)
			if !ok {
				return "", false
			}
			text += value + inner
		}
		return text + strings.Trim(string(x.Tail), "`}"), true
	case *js.BinaryExpr:
		if x.Op == js.AddToken {
			a, ok1 := r.literal(x.X)
			b, ok2 := r.literal(x.Y)
			return a + b, ok1 && ok2
		}
	case *js.GroupExpr:
		return r.literal(x.X)
	case *js.Var:
		text, ok := r.constants[variable(x)]
		return text, ok
	case *js.NewExpr:
		return r.urlObject(x)
	case *js.DotExpr:
		if name := dotName(x); name == "href" {
			return r.literal(x.X)
		}
	case *js.CallExpr:
		// String(new URL(…)) and url.toString()
		if d, ok := x.X.(*js.DotExpr); ok && dotName(d) == "toString" {
			return r.literal(d.X)
		}
	}
	return "", false
}

// urlObject gives the absolute URL of new URL(literal, import.meta.url or location or document.baseURI).
func (r *scriptReader) urlObject(x *js.NewExpr) (string, bool) {
	if v, ok := x.X.(*js.Var); !ok || string(v.Name()) != "URL" || x.Args == nil || len(x.Args.List) == 0 {
		return "", false
	}
	ref, ok := r.literal(x.Args.List[0].Value)
	if !ok {
		return "", false
	}
	base := r.base
	if len(x.Args.List) > 1 {
		switch b := x.Args.List[1].Value.(type) {
		case *js.DotExpr:
			if _, meta := b.X.(*js.ImportMetaExpr); meta {
				base = r.from
			}
		default:
			if text, ok := r.literal(b); ok {
				if base, ok = Resolve(r.base, text); !ok {
					return "", false
				}
			}
		}
	}
	return Resolve(base, ref)
}

func dotName(d *js.DotExpr) string {
	switch y := d.Y.(type) {
	case js.LiteralExpr:
		return string(y.Data)
	case *js.LiteralExpr:
		return string(y.Data)
	case *js.Var:
		return string(y.Name())
	}
	return ""
}

func (r *scriptReader) isContainer(e js.IExpr) bool {
	switch x := e.(type) {
	case *js.DotExpr:
		return dotName(x) == "serviceWorker"
	case *js.IndexExpr:
		text, ok := r.literal(x.Y)
		return ok && text == "serviceWorker"
	case *js.Var:
		return r.containers[variable(x)]
	case *js.GroupExpr:
		return r.isContainer(x.X)
	}
	return false
}

func (r *scriptReader) place(data []byte) (line, column int) {
	if len(data) == 0 {
		return 0, 0
	}
	offset := int(uintptr(unsafe.Pointer(unsafe.SliceData(data))) - r.first)
	if offset < 0 || offset > len(r.text) {
		return 0, 0
	}
	return r.pos.At(offset)
}

func (r *scriptReader) add(base, ref string, at []byte, kind Reference) {
	u, ok := ref, base == ""
	if !ok {
		u, ok = Resolve(base, ref)
	}
	if !ok {
		return
	}
	if base == r.base && base != "" && !strings.Contains(ref, "://") {
		kind.raw, r.out.relative = ref, true
	}
	kind.URL, kind.From, kind.Runs, kind.AfterReady, kind.ByHand = u, r.from, true, r.ready > 0, r.waiting > 0
	kind.AfterChange = r.change > 0
	kind.Line, kind.Column = r.place(at)
	r.out.References = append(r.out.References, kind)
}

var moduleImport = Reference{Destination: request.Script, Mode: request.CORS, Credentials: "same-origin", Module: true}

// Enter looks at one node of the script, and passes over what never runs.
func (r *scriptReader) Enter(n js.INode) js.IVisitor {
	switch x := n.(type) {
	case *js.IfStmt:
		switch r.truth(x.Cond) {
		case always:
			js.Walk(r, x.Cond)
			js.Walk(r, x.Body)
			return nil
		case never:
			js.Walk(r, x.Cond)
			if x.Else != nil {
				js.Walk(r, x.Else)
			}
			return nil
		}
	case *js.CondExpr:
		switch r.truth(x.Cond) {
		case always:
			js.Walk(r, x.X)
			return nil
		case never:
			js.Walk(r, x.Y)
			return nil
		}
	case *js.BinaryExpr:
		t := r.truth(x.X)
		if x.Op == js.AndToken && t == never || x.Op == js.OrToken && t == always {
			js.Walk(r, x.X)
			return nil
		}
		if x.Op == js.EqToken && idleProperty(x.X) {
			r.enter(n, &r.waiting)
		} else if d, ok := x.X.(*js.DotExpr); ok && x.Op == js.EqToken && dotName(d) == "oncontrollerchange" {
			r.enter(n, &r.change)
		}
	case *js.BlockStmt:
		ended := false
		for _, s := range x.List {
			// Functions are there wherever they are declared.
			if _, declared := s.(*js.FuncDecl); declared || !ended {
				js.Walk(r, s)
			}
			ended = ended || r.ends(s)
		}
		return nil
	}
	r.look(n)
	if x, ok := n.(*js.CallExpr); ok {
		if event := r.listensFor(x); byHand[event] {
			r.enter(n, &r.waiting)
		} else if event == "controllerchange" {
			r.enter(n, &r.change)
		} else if d, ok := x.X.(*js.DotExpr); ok && dotName(d) == "then" && r.awaitsReady(d.X) {
			r.enter(n, &r.ready)
		}
	}
	return r
}

// enter counts a state up until the walk leaves the node.
func (r *scriptReader) enter(n js.INode, state *int) {
	*state++
	r.inside = append(r.inside, inside{n, state})
}

// inside is a node that the walk is in, and the state that this is.
type inside struct {
	node  js.INode
	state *int
}

// Exit leaves a node.
func (r *scriptReader) Exit(n js.INode) {
	if last := len(r.inside) - 1; last >= 0 && r.inside[last].node == n {
		*r.inside[last].state--
		r.inside = r.inside[:last]
	}
}

func (r *scriptReader) look(n js.INode) {
	switch x := n.(type) {
	case *js.ImportStmt:
		r.importOf(x.Module)
	case *js.ExportStmt:
		r.importOf(x.Module)
	case *js.CallExpr:
		r.call(x)
	case *js.NewExpr:
		r.construct(x)
	}
}

// importOf adds the request of a static import.
func (r *scriptReader) importOf(module []byte) {
	if module != nil {
		r.addModule(jsUnquote(module), module, moduleImport)
	}
}

// addModule adds the request for a module by its specifier, which the page's import map may give another meaning.
func (r *scriptReader) addModule(specifier string, at []byte, kind Reference) {
	switch r.kinds[specifier] {
	case "json":
		kind.Destination = request.JSON
	case "css":
		kind.Destination = request.Style
	}
	kind.From, kind.specifier, kind.AfterReady, kind.ByHand = r.from, specifier, r.ready > 0, r.waiting > 0
	kind.AfterChange = r.change > 0
	kind.URL, _ = (*ImportMap)(nil).Resolve(r.from, specifier)
	kind.Line, kind.Column = r.place(at)
	r.out.relative = true
	r.out.References = append(r.out.References, kind)
}

func (r *scriptReader) call(x *js.CallExpr) {
	if len(x.Args.List) == 0 {
		return
	}
	first := x.Args.List[0].Value
	switch callee := x.X.(type) {
	case *js.LiteralExpr:
		if callee.TokenType == js.ImportToken {
			if spec, ok := r.literal(first); ok {
				later := moduleImport
				later.Runs = true
				r.addModule(spec, callee.Data, later)
			} else {
				r.unread(callee.Data)
			}
		}
	case *js.Var:
		switch string(callee.Name()) {
		case "fetch":
			r.fetch(x, callee.Data)
		case "importScripts":
			for _, a := range x.Args.List {
				if ref, ok := r.literal(a.Value); ok {
					r.add(r.base, ref, callee.Data, Reference{Destination: request.Script, Mode: request.NoCORS, Credentials: "include",
						ByWorker: true})
				}
			}
		}
	case *js.DotExpr:
		name := dotName(callee)
		var at []byte
		switch y := callee.Y.(type) {
		case js.LiteralExpr:
			at = y.Data
		case *js.LiteralExpr:
			at = y.Data
		}
		switch {
		case name == "fetch" && isGlobal(callee.X):
			r.fetch(x, at)
		case name == "register" && r.isContainer(callee.X):
			if r.waiting > 0 || !r.register(x, at) {
				line, column := r.place(at)
				r.out.UnreadRegistrations = append(r.out.UnreadRegistrations, Place{r.from, line, column})
			}
		case name == "open" && len(x.Args.List) > 1:
			r.opens(x, at)
		}
	}
}

func isGlobal(e js.IExpr) bool {
	v, ok := e.(*js.Var)
	if !ok {
		return false
	}
	switch string(v.Name()) {
	case "window", "self", "globalThis":
		return true
	}
	return false
}

func (r *scriptReader) fetch(x *js.CallExpr, at []byte) {
	kind := Reference{Mode: request.CORS, Credentials: "same-origin"}
	if len(x.Args.List) > 1 {
		options, isObject := x.Args.List[1].Value.(*js.ObjectExpr)
		if isObject {
			if method := r.option(options, "method"); method != "" && !strings.EqualFold(method, "GET") {
				return
			}
			if mode := r.option(options, "mode"); mode != "" {
				kind.Mode = request.Mode(mode)
			}
			if c := r.option(options, "credentials"); c != "" {
				kind.Credentials = c
			}
			kind.Cache = r.option(options, "cache")
		}
	}
	ref, ok := r.literal(x.Args.List[0].Value)
	if !ok {
		r.unread(at)
		return
	}
	r.add(r.base, ref, at, kind)
}

func (r *scriptReader) option(o *js.ObjectExpr, name string) string {
	for _, p := range o.List {
		if p.Name != nil && strings.Trim(string(p.Name.Literal.Data), `"'`) == name {
			text, _ := r.literal(p.Value)
			return text
		}
	}
	return ""
}

// opens reads an XMLHttpRequest, which is known by its method; one that waits for its answer never meets a service
// worker.
func (r *scriptReader) opens(x *js.CallExpr, at []byte) {
	method, ok := r.literal(x.Args.List[0].Value)
	if !ok || !slices.Contains([]string{"GET", "HEAD", "POST", "PUT", "DELETE", "PATCH", "OPTIONS"},
		strings.ToUpper(method)) {
		if !ok && bytes.Contains(r.text, []byte("XMLHttpRequest")) {
			r.unread(at)
		}
		return
	}
	if !strings.EqualFold(method, "GET") {
		return
	}
	if ref, ok := r.literal(x.Args.List[1].Value); ok {
		r.add(r.base, ref, at, Reference{Mode: request.CORS, Credentials: "same-origin"})
	} else {
		r.unread(at)
	}
}

// register reads a registration, and says whether it can be read.
func (r *scriptReader) register(x *js.CallExpr, at []byte) bool {
	ref, ok := r.literal(x.Args.List[0].Value)
	if !ok {
		return false
	}
	u, ok := Resolve(r.base, ref)
	if !ok {
		return false
	}
	reg := Registration{Script: u, Type: "classic", UpdateViaCache: "imports", From: r.from, raw: ref}
	r.out.relative = true
	if len(x.Args.List) > 1 {
		if o, isObject := x.Args.List[1].Value.(*js.ObjectExpr); isObject {
			if scope := r.option(o, "scope"); scope != "" {
				reg.Scope, _ = Resolve(r.base, scope)
				reg.rawScope = scope
			}
			if r.option(o, "type") == "module" {
				reg.Type = "module"
			}
			if via := r.option(o, "updateViaCache"); via != "" {
				reg.UpdateViaCache = via
			}
		}
	}
	reg.Line, reg.Column = r.place(at)
	r.out.Registrations = append(r.out.Registrations, reg)
	return true
}

func (r *scriptReader) construct(x *js.NewExpr) {
	v, ok := x.X.(*js.Var)
	if !ok || x.Args == nil || len(x.Args.List) == 0 {
		return
	}
	switch name := string(v.Name()); name {
	case "Worker", "SharedWorker":
		if ref, ok := r.literal(x.Args.List[0].Value); ok {
			r.add(r.base, ref, v.Data, Reference{Destination: request.Destination(strings.ToLower(name)), Mode: request.SameOrigin,
				Credentials: "same-origin"})
		} else {
			r.unread(v.Data)
		}
	case "EventSource":
		if ref, ok := r.literal(x.Args.List[0].Value); ok {
			r.add(r.base, ref, v.Data, Reference{Mode: request.CORS, Credentials: "same-origin", Background: true})
		}
	case "URL":
		// An asset named relative to its module is there to be fetched.
		if len(x.Args.List) > 1 {
			if d, ok := x.Args.List[1].Value.(*js.DotExpr); ok {
				if _, meta := d.X.(*js.ImportMetaExpr); meta {
					if u, ok := r.urlObject(x); ok {
						r.waiting++ // the address alone asks for nothing yet
						r.add(r.base, u, v.Data, Reference{Mode: request.CORS, Credentials: "same-origin"})
						r.waiting--
					}
				}
			}
		}
	}
}

// jsUnquote gives the value of a string literal with the common escapes resolved.
func jsUnquote(data []byte) string {
	if len(data) < 2 {
		return ""
	}
	s := string(data[1 : len(data)-1])
	if !strings.Contains(s, `\`) {
		return s
	}
	return strings.NewReplacer(`\/`, `/`, `\\`, `\`, `\'`, `'`, `\"`, `"`, `\n`, "\n", `\t`, "\t", `\u002F`, "/", `\x2F`,
		"/").Replace(s)
}
