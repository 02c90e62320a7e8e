// Package survey looks at a whole site: its pages and files, what they need and where they lead.
package survey

import (
	"bytes"
	"context"
	"slices"
	"sort"
	"strings"
	"sync"

	"tachyform/internal/crash"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// Graph is what all files of a site folder ask for, read once and in parallel.
type Graph struct {
	Folder *site.Folder
	// Pages holds the site's HTML documents by URL path, such as /timetable/.
	Pages map[string]*page.Document
	// Refs holds what each file asks for, by the URL path it answers at.
	Refs map[string][]page.Reference
	// Files maps URL paths to files.
	Files map[string]*site.File
	// Scripts holds what scripts that are files say, Styles what style sheets do.
	Scripts map[string]*page.Script
	Styles  map[string]*page.Style

	// Seen is what visits have shown, nil before any; Drawn holds the documents as scripts left them, by URL path.
	Seen  *page.Seen
	Drawn map[string]*page.Document
	// Unanswered are the paths that a router draws after a click, and that a live host answers with an error.
	Unanswered []string

	// Reader is what the files were read with.
	Reader *page.Reader
	// lazy reports that files are read only when their content is needed; err is the first failure in doing so.
	lazy  bool
	err   error
	asked map[string][]string
	// fallsBack says that a live host was seen to answer with the first page at other addresses.
	fallsBack bool
	// entry is the path of the first page of a live site, "" for a folder.
	entry string
	// register is the address of the script that registers the worker that fit writes.
	register string
}

// Outline gives a graph that knows the folder's files and what visits have shown, and reads each file only when what it
// needs is asked for; see Err. It is for one goroutine at a time.
func Outline(f *site.Folder, r *page.Reader, seen *page.Seen) *Graph {
	g := &Graph{Seen: seen, Folder: f, Pages: map[string]*page.Document{}, Refs: map[string][]page.Reference{},
		Files: map[string]*site.File{}, Scripts: map[string]*page.Script{}, Styles: map[string]*page.Style{}, Reader: r, lazy: true}
	for _, file := range f.Files() {
		g.Files[f.PathOf(file)] = file
	}
	return g
}

// Err is the first error in reading a file of an outline.
func (g *Graph) Err() error { return g.err }

// IsPage says whether the file at a URL path is an HTML document.
func (g *Graph) IsPage(path string) bool {
	return g.Files[path] != nil && fileKind(g.Files[path].Path) == "page"
}

// look reads the file at a URL path if that is still to be done.
func (g *Graph) look(path string) {
	if g.unread(path) {
		g.Read(path)
	}
}

// unread reports whether the file at a URL path is still to be read.
func (g *Graph) unread(path string) bool {
	return g.lazy && g.Files[path] != nil && g.Refs[path] == nil
}

// Read reads the files at URL paths, as far as that is still to be done, on all processors. Others of the graph's methods read what
// they need themselves, one file after the other.
func (g *Graph) Read(paths ...string) {
	paths = slices.DeleteFunc(slices.Clone(paths), func(p string) bool { return !g.unread(p) })
	found := make([]content, len(paths))
	crash.Each(len(paths), func(i int) { found[i] = read(g.Folder, g.Reader, g.Files[paths[i]]) })
	for i, c := range found {
		if g.add(paths[i], c); c.err != nil && g.err == nil {
			g.err = c.err
		}
		if c.refs == nil {
			g.Refs[paths[i]] = []page.Reference{}
		}
	}
}

// content is what a file says: what it is, and what it requests.
type content struct {
	doc    *page.Document
	refs   []page.Reference
	script *page.Script
	style  *page.Style
	err    error
}

// add adds a file's content.
func (g *Graph) add(path string, c content) {
	if c.refs != nil {
		g.Refs[path] = c.refs
	}
	if c.doc != nil {
		g.Pages[path] = c.doc
	}
	if c.script != nil {
		g.Scripts[path] = c.script
	}
	if c.style != nil {
		g.Styles[path] = c.style
	}
}

// read reads one file.
func read(f *site.Folder, r *page.Reader, file *site.File) (c content) {
	kind := fileKind(file.Path)
	if kind == "" {
		return c
	}
	text, err := file.Bytes()
	if err != nil {
		return content{err: err}
	}
	url := f.Origin() + f.PathOf(file)
	switch kind {
	case "page":
		c.doc = r.Document(url, f.ContentType(file), text)
		c.refs = c.doc.All()
	case "style":
		c.style = r.Style(url, text)
		c.refs = c.style.All()
		if bytes.Contains(text, []byte("@media")) { // phones ask for what narrow screens are shown
			for _, more := range page.ParseStyleOn(page.Phone, url, url, text).All() {
				if !slices.ContainsFunc(c.refs, func(r page.Reference) bool { return r.URL == more.URL }) {
					c.refs = append(c.refs, more)
				}
			}
		}
	case "script":
		c.script = r.Script(url, text)
		c.refs = c.script.At(url, nil).References
	}
	return c
}

// BuildGraph reads every page, style sheet and script of the folder; the reader keeps what was read for others.
func BuildGraph(ctx context.Context, f *site.Folder, r *page.Reader) (*Graph, error) {
	g := &Graph{Folder: f, Reader: r, Pages: map[string]*page.Document{}, Refs: map[string][]page.Reference{},
		Files: map[string]*site.File{}, Scripts: map[string]*page.Script{}, Styles: map[string]*page.Style{}}
	files := f.Files()
	var mu sync.Mutex
	var firstErr error
	crash.Each(len(files), func(i int) {
		if ctx.Err() != nil {
			return
		}
		file := files[i]
		path := f.PathOf(file)
		c := read(f, r, file)
		mu.Lock()
		defer mu.Unlock()
		if c.err != nil && firstErr == nil {
			firstErr = c.err
		}
		g.Files[path] = file
		g.add(path, c)
	})
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	return g, firstErr
}

// fileKind tells which files can ask for others, by extension.
func fileKind(path string) string {
	switch ext := strings.ToLower(path[strings.LastIndexByte(path, '.')+1:]); ext {
	case "html", "htm", "xhtml":
		return "page"
	case "css":
		return "style"
	case "js", "mjs":
		return "script"
	}
	return ""
}

// PagePaths lists the URL paths of all pages in order.
func (g *Graph) PagePaths() []string {
	paths := make([]string, 0, len(g.Pages))
	for p := range g.Pages {
		paths = append(paths, p)
	}
	sort.Strings(paths)
	return paths
}

// Local turns an absolute URL into a path on the site's own origin, without its query.
func (g *Graph) Local(url string) (path string, ok bool) {
	rest, ok := strings.CutPrefix(url, g.Folder.Origin())
	if !ok || !strings.HasPrefix(rest, "/") {
		return "", false
	}
	path, _, _ = strings.Cut(rest, "?")
	return path, true
}

// Needs lists the URL paths of all files that the page or file at path asks for, directly and in turn, in order, as
// visits have shown and the files say; what browsers fetch on their own account (icons, the manifest) is left out, as is
// what the folder does not hold. What every address asks for that a page answers counts for that page.
func (g *Graph) Needs(path string) []string {
	seen := map[string]bool{path: true}
	var list []string
	queue := []string{path}
	for _, next := range g.shown()[path] {
		if !seen[next] {
			seen[next] = true
			list = append(list, next)
			queue = append(queue, next)
		}
	}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		for _, r := range g.refs(at, path) {
			if r.Background {
				continue
			}
			next, ok := g.Local(r.URL)
			if !ok || seen[next] {
				continue
			}
			seen[next] = true
			if g.Files[next] != nil {
				list = append(list, next)
				queue = append(queue, next)
			}
		}
	}
	slices.Sort(list)
	return list
}

// refs gives what the file at path asks for when the page doc loads it: for scripts the modules that they import, and
// files of the site, but no pages, that they name in their text.
func (g *Graph) refs(path, doc string) []page.Reference {
	g.look(path)
	d := g.Pages[doc]
	if d == nil {
		return g.Refs[path]
	}
	var list []page.Reference
	named := func(s *page.Script) {
		list = append(list, s.References...)
		for _, url := range s.Addresses(d.Base) {
			if p, own := g.Local(url); own && g.Files[p] != nil && !g.IsPage(p) {
				list = append(list, page.Reference{URL: url})
			}
		}
	}
	if s := g.Scripts[path]; s != nil {
		named(s.At(d.Base, d.Imports))
		return list
	}
	if path != doc || len(d.Scripts) == 0 {
		return g.Refs[path]
	}
	list = slices.Clone(g.Refs[path])
	for _, s := range d.Scripts {
		named(s.Script)
	}
	return list
}

// LinksTo lists the paths of the site's pages that a page leads to.
func (g *Graph) LinksTo(path string) (list []string) {
	g.look(path)
	for _, url := range g.linksOf(path) {
		file := g.Folder.FileAt(g.Folder.WithSlash(url))
		if file == nil {
			continue
		}
		if to := g.Folder.PathOf(file); g.IsPage(to) && !slices.Contains(list, to) {
			list = append(list, to)
		}
	}
	return list
}

// LeadsTo gives the path of the page that a page leads to by itself, by a refresh or its scripts, "" where it stays.
func (g *Graph) LeadsTo(path string) string {
	g.look(path)
	to := ""
	if d := g.Pages[path]; d != nil && d.Refresh != nil {
		to = d.Refresh.URL
	}
	if s := g.Seen.Of(g.Folder.Origin() + path); s != nil && s.Led != "" {
		to = s.Led
	}
	if to == "" {
		return ""
	}
	if file := g.Folder.FileAt(weburl.WithoutFragment(to)); file != nil && g.IsPage(g.Folder.PathOf(file)) && g.Folder.PathOf(file) != path {
		return g.Folder.PathOf(file)
	}
	return ""
}

// AsksElsewhere gives what a page and the files that it needs ask other origins for by their markup and styles, as far as the page shows it.
func (g *Graph) AsksElsewhere(path string) (list []page.Reference) {
	for _, p := range append([]string{path}, g.Needs(path)...) {
		for _, r := range g.refs(p, path) {
			if _, own := g.Local(r.URL); own || r.Background || r.Hint || r.ByHand || r.Off {
				continue
			}
			switch r.Destination {
			case request.Style, request.Script, request.Image, request.Font:
				list = append(list, r)
			}
		}
	}
	return list
}

// Shown gives what visits have shown a page to ask for by its scripts, or from other origins, at whatever address it answers.
func (g *Graph) Shown(path string) (list []page.SeenRequest) {
	for _, url := range g.Seen.URLs() {
		file := g.Folder.FileAt(url)
		if file == nil || g.Folder.PathOf(file) != path {
			continue
		}
		for _, r := range g.Seen.Pages[url].Requests {
			if _, own := g.Local(r.URL); (r.ByScript || !own) && !slices.ContainsFunc(list, func(o page.SeenRequest) bool { return o.URL == r.URL }) {
				list = append(list, r)
			}
		}
	}
	return list
}

// shown gives what visits have shown pages to ask for of the folder's files, by the page's path.
func (g *Graph) shown() map[string][]string {
	if g.asked != nil || g.Seen == nil {
		return g.asked
	}
	g.asked = map[string][]string{}
	for url, list := range g.Seen.Alike {
		if path, own := g.Local(url); own {
			for _, to := range list {
				if next, own := g.Local(to); own && g.Files[next] != nil {
					g.asked[path] = append(g.asked[path], next)
				}
			}
		}
	}
	for _, url := range g.Seen.URLs() {
		seen := g.Seen.Pages[url]
		at := url
		if seen.Led != "" {
			at = seen.Led // what it asked for, the page there did
		}
		file := g.Folder.FileAt(at)
		if file == nil {
			continue
		}
		path := g.Folder.PathOf(file)
		for _, r := range seen.Requests {
			if next, own := g.Local(r.URL); own && !r.Missing && g.Files[next] != nil && !g.IsPage(next) {
				g.asked[path] = append(g.asked[path], next)
			}
		}
	}
	return g.asked
}
