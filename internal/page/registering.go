package page

import (
	"bytes"
	"regexp"
	"slices"
	"strings"

	"tachyform/internal/site"
	"tachyform/internal/textpos"
	"tachyform/internal/weburl"
)

// registeringBytes bounds the files that are looked at.
const registeringBytes = 8 << 20

// A call that is written out is told from others that are called so; where the site has a script that listens as
// service workers do, any call will do.
var (
	registerCall   = regexp.MustCompile(`\bregister\b["'\x60]?\]?\s*(?:\?\.)?\(`)
	registerWorker = regexp.MustCompile(`\bserviceWorker\b[^;{}]{0,24}\bregister\b["'\x60]?\]?\s*(?:\?\.)?\(`)
)

// PerhapsRegisters lists places that look like a registration of a service worker, in texts of scripts that visits could not run to their
// end: what a visit has run and what no page asks for registers nothing. ours are paths that are left out. It is for sites on none of whose
// pages a registration was seen.
func PerhapsRegisters(f *site.Folder, seen *Seen, ours ...string) (list []Place) {
	if seen == nil {
		return TextsThatRegister(f, ours...)
	}
	open := map[string]bool{}
	for _, p := range seen.Pages {
		if !p.Unfinished {
			continue
		}
		open[weburl.WithoutFragment(p.URL)] = true
		if file := f.FileAt(weburl.WithoutFragment(p.URL)); file != nil {
			open[f.Origin()+f.PathOf(file)] = true
		}
		for _, r := range p.Requests {
			open[weburl.WithoutQuery(r.URL)] = true
		}
	}
	if len(open) == 0 {
		return nil
	}
	return slices.DeleteFunc(TextsThatRegister(f, ours...), func(p Place) bool { return !open[p.URL] })
}

// TextsThatRegister lists places in the texts of a folder's pages and scripts, but not at the paths that are ours, that look like a
// registration of a service worker.
func TextsThatRegister(f *site.Folder, ours ...string) (list []Place) {
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
	if perhaps := TextsThatRegister(f, ours...); len(perhaps) > 0 {
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
