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

// Script is what a script's text tells without being run: the modules that it imports, and, for pages whose scripts
// cannot be run, the addresses and registrations that stand in it as plain text.
type Script struct {
	// References are the modules that it needs before it runs (ECMAScript, 16.2).
	References []Reference
	// Named are texts in it that look like addresses of files, as written; see Addresses.
	Named []string
	// Registrations are calls of register with a plain address. UnreadRegistrations are places that look like such a call
	// in a script without any.
	Registrations       []Registration
	UnreadRegistrations []Place
	// Valid is false when the text does not parse; then nothing is known of its imports.
	Valid bool
	// Unresolved are module names that stand for nothing; a module with one of them does not run.
	Unresolved []string

	from string
	// relative tells that something in it resolves against the page.
	relative bool
}

// Place is where something stands in a text. Line and Column count from 1, and are 0 where they are not known.
type Place struct {
	URL          string
	Line, Column int
}

// At gives the script with the addresses of its registrations resolved against the base URL of the page that runs it,
// and module names by that page's import map.
func (s *Script) At(base string, imports *ImportMap) *Script {
	if !s.relative {
		return s
	}
	out := *s
	out.References, out.Registrations, out.Unresolved = nil, nil, nil
	for _, r := range s.References {
		var ok bool
		if r.URL, ok = imports.Resolve(r.From, r.specifier); ok {
			out.References = append(out.References, r)
		} else {
			out.Unresolved = append(out.Unresolved, r.specifier)
		}
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
	return &out
}

// Addresses are the URLs that its texts may stand for: seen from the page, and from the script itself. Whoever asks
// keeps those that the site has.
func (s *Script) Addresses(base string) (list []string) {
	seen := map[string]bool{}
	for _, text := range s.Named {
		if slices.ContainsFunc(s.Registrations, func(r Registration) bool { return r.raw == text }) {
			continue // a service worker, which no page asks for
		}
		if len(s.UnreadRegistrations) > 0 && strings.HasSuffix(text, ".js") {
			continue // perhaps one
		}
		for _, from := range []string{base, s.from} {
			if u, ok := Resolve(from, text); ok && !seen[u] {
				seen[u] = true
				list = append(list, u)
			}
		}
	}
	return list
}

// withRoom copies a text with room behind it: the parser puts a NUL there, and copies a text that has none, which
// places are then not found in.
func withRoom(text []byte) []byte {
	return append(make([]byte, 0, len(text)+1), text...)
}

var (
	registering = regexp.MustCompile("\\bserviceWorker\\s*[?.]*\\.\\s*register\\s*\\(\\s*[\"'`]([^\"'`\\s$]+)[\"'`]([^)]{0,200})")
	scopeOption = regexp.MustCompile("scope[\"']?\\s*:\\s*[\"'`]([^\"'`\\s]+)")
	typeModule  = regexp.MustCompile("type[\"']?\\s*:\\s*[\"'`]module")
)

// ParseScript reads a script. from is where the text stands; base is what the addresses of registrations resolve
// against.
func ParseScript(from, base string, text []byte) *Script {
	s := &Script{from: from}
	named := map[string]bool{}
	for name := range namedFiles(text) {
		if !named[string(name)] {
			named[string(name)] = true
			s.Named = append(s.Named, string(name))
		}
	}
	pos := textpos.New(text)
	mentioned := bytes.Contains(text, []byte("serviceWorker"))
	var calls [][]int
	if mentioned {
		calls = registering.FindAllSubmatchIndex(text, -1)
	}
	for _, m := range calls {
		reg := Registration{Type: "classic", UpdateViaCache: "imports", From: from, raw: string(text[m[2]:m[3]])}
		var ok bool
		if reg.Script, ok = Resolve(base, reg.raw); !ok {
			continue
		}
		options := text[m[4]:m[5]]
		if scope := scopeOption.FindSubmatch(options); scope != nil {
			reg.rawScope = string(scope[1])
			reg.Scope, _ = Resolve(base, reg.rawScope)
		}
		if typeModule.Match(options) {
			reg.Type = "module"
		}
		reg.Line, reg.Column = pos.At(m[0])
		s.relative, s.Registrations = true, append(s.Registrations, reg)
	}
	if mentioned && len(s.Registrations) == 0 {
		if at := mayRegister(text, registerCall); at >= 0 {
			line, column := pos.At(at)
			s.UnreadRegistrations = append(s.UnreadRegistrations, Place{from, line, column})
		}
	}
	s.imports(from, text, pos)
	return s
}

// moduleImport is the request for a module that another one imports.
var moduleImport = Reference{Destination: request.Script, Mode: request.CORS, Credentials: "same-origin", Module: true}

// imports reads the static imports of a module, which stand at its top.
func (s *Script) imports(from string, text []byte, pos *textpos.Index) {
	src := withRoom(text)
	ast, err := js.Parse(parse.NewInputBytes(src), js.Options{})
	kinds := map[string]string{}
	if err != nil {
		// The parser does not know import attributes; without them the rest is read.
		var plain []byte
		if plain, kinds = withoutAttributes(text); plain == nil {
			return
		}
		src = withRoom(plain)
		if ast, err = js.Parse(parse.NewInputBytes(src), js.Options{}); err != nil {
			return
		}
	}
	s.Valid = true
	for _, statement := range ast.List {
		var module []byte
		switch x := statement.(type) {
		case *js.ImportStmt:
			module = x.Module
		case *js.ExportStmt:
			module = x.Module
		}
		if module == nil {
			continue
		}
		r := moduleImport
		r.From, r.specifier = from, jsUnquote(module)
		switch kinds[r.specifier] {
		case "json":
			r.Destination = request.JSON
		case "css":
			r.Destination = request.Style
		}
		r.URL, _ = (*ImportMap)(nil).Resolve(from, r.specifier)
		if offset := int(uintptr(unsafe.Pointer(unsafe.SliceData(module))) - uintptr(unsafe.Pointer(unsafe.SliceData(src)))); offset >= 0 &&
			offset <= len(text) {
			r.Line, r.Column = pos.At(offset)
		}
		s.relative, s.References = true, append(s.References, r)
	}
}

// jsUnquote gives the value of a string literal with the common escapes resolved.
func jsUnquote(data []byte) string {
	if len(data) < 2 {
		return ""
	}
	text := string(data[1 : len(data)-1])
	if !strings.Contains(text, `\`) {
		return text
	}
	return strings.NewReplacer(`\/`, `/`, `\\`, `\`, `\'`, `'`, `\"`, `"`, `\n`, "\n", `\t`, "\t", `\u002F`, "/", `\x2F`,
		"/").Replace(text)
}
