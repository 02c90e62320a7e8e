// Package page reads HTML, style sheets and scripts and tells what a page asks for and where it leads, without running
// it.
package page

import (
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/request"
)

// Reference is one request that a page, style sheet or script makes, as Fetch would see it.
// A field for each thing that decides how, when or whether it is fetched.
type Reference struct {
	// URL is absolute and has no fragment.
	URL string
	// Destination is the request's destination (Fetch, 2.2.5): "style", "script", "image", "font", "iframe", … or "" for
	// fetch().
	Destination request.Destination
	// Mode is the request's mode: navigate, same-origin, no-cors or cors.
	Mode request.Mode
	// Credentials is the request's credentials mode: omit, same-origin or include.
	Credentials string
	// Hint marks what is fetched for a page to come: it is asked for, and nothing of this page is missing without it.
	Hint bool
	// ByHand marks media that is fetched only once somebody plays it.
	ByHand bool
	// Sandboxed tells that a frame is kept apart from its origin, so that no worker answers for it.
	Sandboxed bool
	// Scriptless tells that scripts of a frame do not run.
	Scriptless bool
	// Module tells that a script is loaded as a module.
	Module bool
	// Background marks what the browser fetches on its own account or as a hint; a page is whole without it.
	Background bool
	// Off marks an imported style sheet whose media condition does not hold: it is asked for, but says nothing about the
	// page.
	Off bool
	// From is the URL of the document, style sheet or script that asks.
	From string
	// Line and Column are where the reference stands in From, from 1; 0 when unknown.
	Line, Column int

	// Ahead marks what a link asks for before something else does.
	Ahead bool
	// Preload marks a module that is fetched ahead and not run.
	Preload bool
	// Runs marks what a script asks for once it runs, beside what it needs before: dynamic imports, fetches, workers.
	Runs bool
	// Else is asked for when this cannot be had, as a media element goes on to its next source.
	Else *Reference
	// Cache is the cache mode that a script asks for, "" for the usual; ReferrerPolicy how much is told of who asks.
	Cache          string
	ReferrerPolicy string
	// Nonce and Integrity are those of the element. ParserInserted marks what a parser's element asks for, and the modules that a script of one imports.
	Nonce, Integrity string
	ParserInserted   bool
	// Charset is the encoding that a script element names.
	Charset string

	specifier string // names a module
}

// ModuleRoot says whether the request is for a module that is to run by itself, rather than for one that another
// imports.
func (r Reference) ModuleRoot() bool {
	return r.Module && !r.Preload && (r.Runs || r.specifier == "")
}

// Kind is a plain word for what is asked for.
func (r Reference) Kind() string {
	switch r.Destination {
	case request.Data:
		return "data"
	case request.Document, request.Frame:
		return "page"
	case request.Audio, request.Video, request.Track:
		return "media"
	}
	return string(r.Destination)
}

// Resolve makes ref absolute against base and drops the fragment; ok is false for what cannot be fetched over HTTP.
func Resolve(base, ref string) (abs string, ok bool) {
	ref = strings.TrimSpace(ref)
	if u, ok := resolvePlain(base, ref); ok {
		return u, true
	}
	u, err := whatwg.ParseRef(base, ref)
	if err != nil || (u.Scheme() != "http" && u.Scheme() != "https") {
		return "", false
	}
	return u.Href(true), true
}

// resolvePlain resolves the references that most links are, of plain characters and without a scheme, in the way the
// URL standard would; ok is false for all others. base has to be an absolute URL in its normal form.
func resolvePlain(base, ref string) (string, bool) {
	ref, _, _ = strings.Cut(ref, "#")
	for _, c := range []byte(ref) {
		if !(c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '/' || c == '.' || c == '-' ||
			c == '_') {
			return "", false
		}
	}
	start := strings.Index(base, "://")
	if start < 0 || !strings.HasPrefix(base, "http") || strings.HasPrefix(ref, "//") ||
		strings.ContainsAny(base, "%\\@ ") {
		return "", false
	}
	base, _, _ = strings.Cut(base, "#")
	if ref == "" {
		return base, true
	}
	base, _, _ = strings.Cut(base, "?")
	slash := strings.IndexByte(base[start+3:], '/')
	if slash < 0 {
		return "", false
	}
	origin, path := base[:start+3+slash], base[start+3+slash:]
	if ref[0] == '/' {
		path = ref
	} else {
		path = path[:strings.LastIndexByte(path, '/')+1] + ref
	}
	if !strings.Contains(path, "/.") {
		return origin + path, true
	}
	var out []string
	segments := strings.Split(path[1:], "/")
	for i, s := range segments {
		last := i == len(segments)-1
		switch s {
		case "..":
			if len(out) > 0 {
				out = out[:len(out)-1]
			}
			if last {
				out = append(out, "")
			}
		case ".":
			if last {
				out = append(out, "")
			}
		default:
			out = append(out, s)
		}
	}
	return origin + "/" + strings.Join(out, "/"), true
}
