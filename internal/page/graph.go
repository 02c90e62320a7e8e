package page

import (
	"context"
	"runtime"
	"slices"
	"sort"
	"strings"
	"sync"

	"tachyform/internal/site"
)

// Graph is what all files of a site folder ask for, read once and in parallel.
type Graph struct {
	Folder *site.Folder
	// Pages holds the site's HTML documents by URL path, such as /timetable/.
	Pages map[string]*Document
	// Refs holds what each file asks for, by the URL path it answers at.
	Refs map[string][]Reference
	// Files maps URL paths to files.
	Files map[string]*site.File
	// Scripts holds what scripts that are files say.
	Scripts map[string]*Script
}

// BuildGraph reads every page, style sheet and script of the folder; the reader keeps what was read for others.
func BuildGraph(ctx context.Context, f *site.Folder, r *Reader) (*Graph, error) {
	g := &Graph{Folder: f, Pages: map[string]*Document{}, Refs: map[string][]Reference{}, Files: map[string]*site.File{}, Scripts: map[string]*Script{}}
	files := f.Files()
	var mu sync.Mutex
	var firstErr error
	var wait sync.WaitGroup
	work := make(chan *site.File)
	for range runtime.GOMAXPROCS(0) {
		wait.Add(1)
		go func() {
			defer wait.Done()
			for file := range work {
				path := f.PathOf(file)
				url := f.Origin() + path
				kind := fileKind(file.Path)
				var text []byte
				var err error
				if kind != "" {
					text, err = file.Bytes()
				}
				var doc *Document
				var refs []Reference
				var script *Script
				if err == nil {
					switch kind {
					case "page":
						doc = r.Document(url, f.ContentType(file), text)
						refs = doc.All()
					case "style":
						refs = r.Style(url, text).All()
					case "script":
						script = r.Script(url, text)
						refs = script.At(url, nil).References
					}
				}
				mu.Lock()
				if err != nil && firstErr == nil {
					firstErr = err
				}
				g.Files[path] = file
				if doc != nil {
					g.Pages[path] = doc
				}
				if refs != nil {
					g.Refs[path] = refs
				}
				if script != nil {
					g.Scripts[path] = script
				}
				mu.Unlock()
			}
		}()
	}
	for _, file := range files {
		if ctx.Err() != nil {
			break
		}
		work <- file
	}
	close(work)
	wait.Wait()
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

// Needs lists the URL paths of all files that the page or file at path asks for, directly and in turn, in order;
// what browsers fetch on their own account (icons, the manifest) is left out, as is what the folder does not hold.
func (g *Graph) Needs(path string) []string {
	seen := map[string]bool{path: true}
	var list []string
	queue := []string{path}
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

// refs gives what the file at path asks for when the page doc loads it: URLs in a script's fetch() resolve against the page.
func (g *Graph) refs(path, doc string) []Reference {
	s := g.Scripts[path]
	d := g.Pages[doc]
	if s == nil || d == nil {
		return g.Refs[path]
	}
	return s.At(d.Base, d.Imports).References
}
