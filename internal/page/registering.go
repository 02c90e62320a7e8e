package page

import (
	"bytes"
	"regexp"
	"strings"

	"tachyform/internal/site"
	"tachyform/internal/textpos"
)

// registeringBytes bounds the files that are looked at.
const registeringBytes = 8 << 20

// A call that is written out is told from others that are called so; where the site has a script that listens as
// service workers do, any call will do.
var (
	registerCall   = regexp.MustCompile(`\bregister\b["'\x60]?\]?\s*(?:\?\.)?\(`)
	registerWorker = regexp.MustCompile(`\bserviceWorker\b[^;{}]{0,24}\bregister\b["'\x60]?\]?\s*(?:\?\.)?\(`)
)

// PerhapsRegisters lists places in the texts of a folder's pages and scripts, but not at the paths that are ours, that
// look like a registration of a service worker. It is for sites on none of whose pages one was seen.
func PerhapsRegisters(f *site.Folder, ours ...string) (list []Place) {
	call := registerWorker
	if len(WorkerScripts(f)) > 0 {
		call = registerCall
	}
	skip := map[string]bool{}
	for _, path := range ours {
		skip[path] = true
	}
	for _, file := range f.Files() {
		path := f.PathOf(file)
		if skip[path] || file.Size > registeringBytes || !strings.HasSuffix(file.Path, ".html") &&
			!strings.HasSuffix(file.Path, ".htm") && !strings.HasSuffix(file.Path, ".js") && !strings.HasSuffix(file.Path, ".mjs") {
			continue
		}
		text, err := file.Bytes()
		if err != nil || !bytes.Contains(text, []byte("serviceWorker")) || listensAsWorker.Match(text) {
			continue
		}
		if at := mayRegister(text, call); at >= 0 {
			line, column := textpos.New(text).At(at)
			list = append(list, Place{f.Origin() + path, line, column})
		}
	}
	return list
}

// PlaceOf gives where a registration that was seen stands, as far as texts of the folder tell.
func PlaceOf(r Registration, f *site.Folder, ours ...string) Place {
	if r.Line > 0 {
		return Place{r.From, r.Line, r.Column}
	}
	if perhaps := PerhapsRegisters(f, ours...); len(perhaps) > 0 {
		return perhaps[0]
	}
	return Place{URL: r.From}
}

// mayRegister gives where a text looks as if it registered a service worker, -1 for nowhere.
func mayRegister(text []byte, call *regexp.Regexp) int {
	if at := call.FindIndex(text); at != nil {
		return at[0]
	}
	return -1
}
