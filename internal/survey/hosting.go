package survey

import (
	"bytes"
	"cmp"
	"maps"
	"slices"
	"strings"

	"tachyform/internal/manifest"
	"tachyform/internal/weburl"
)

// Inference is a setting of the host that a site's files tell, with the evidence.
type Inference struct {
	// Key is that of the project file, such as address or hosting.single_page.
	Key, Value string
	// Why is what tells it.
	Why Evidence
}

// Evidence is what tells how a host answers.
type Evidence struct {
	Kind EvidenceKind
	// From is the page that was looked at, To what it asks for or leads to; More counts others like it.
	From, To string
	More     int
}

// EvidenceKind tells evidence apart.
type EvidenceKind int

const (
	// Mounted: what From asks for at To is there once the address is taken away.
	Mounted EvidenceKind = iota
	// Extensionless: From leads to To, where only a file with .html is.
	Extensionless
	// Routed: scripts draw From, which leads to To, where no file is.
	Routed
	// Fallback: the folder has the file To, which hosts answer with for what they have no file for.
	Fallback
	// Opened: no page leads to From, which draws a page at To, where no file is.
	Opened
	// Missing: the folder has the file To, which hosts answer with, and status 404, for what they have no file for.
	Missing
)

// InferAddress tells the address that the host mounts the site at from what its pages ask for: a prefix of addresses
// that match files once it is taken away, while none of them matches as it stands. It is false for a site at the root.
func (g *Graph) InferAddress() (Inference, bool) {
	votes := map[string]*Evidence{}
	look := func(url, from string) bool {
		path, own := g.Local(url)
		if !own || path == "/" {
			return false
		}
		if g.Folder.FileAt(path) != nil {
			return true
		}
		for i := 1; i < len(path); i++ {
			if path[i] != '/' {
				continue
			}
			if g.Files[path[i:]] == nil {
				continue
			}
			if v := votes[path[:i+1]]; v == nil {
				votes[path[:i+1]] = &Evidence{Kind: Mounted, From: from, To: path}
			} else {
				v.More++
			}
		}
		return false
	}
	for _, p := range g.PagePaths() {
		d := g.Pages[p]
		for _, r := range d.References {
			if look(r.URL, p) && d.Base == d.URL && g.isWritten(d.Decoded(), r.URL) {
				return Inference{}, false // something is found where it is looked for
			}
		}
	}
	// Pages whose addresses are relative tell nothing; what manifests and scripts name may.
	for _, m := range g.manifests() {
		for _, i := range append(slices.Clone(m.Icons), m.Screenshots...) {
			if look(i.Src, m.from) && g.isWritten(m.text, i.Src) {
				return Inference{}, false
			}
		}
	}
	if len(votes) == 0 {
		for _, p := range slices.Sorted(maps.Keys(g.Scripts)) {
			for _, name := range g.Scripts[p].Named {
				if strings.HasPrefix(name, "/") && !strings.HasPrefix(name, "//") && look(g.Folder.Origin()+name, p) {
					return Inference{}, false
				}
			}
		}
		maps.DeleteFunc(votes, func(_ string, v *Evidence) bool { return v.More == 0 }) // one name may be a coincidence
	}
	best := ""
	for prefix, v := range votes {
		if best == "" || v.More > votes[best].More || v.More == votes[best].More && len(prefix) < len(best) {
			best = prefix
		}
	}
	if best == "" {
		return Inference{}, false
	}
	return Inference{"address", best, *votes[best]}, true
}

// isWritten says whether a text has the path of a URL as it is, rather than relative to something.
func (g *Graph) isWritten(text []byte, url string) bool {
	path, own := g.Local(url)
	if !own {
		return false
	}
	for _, before := range []string{`"`, "'", "=", "(", " "} {
		if bytes.Contains(text, []byte(before+path)) {
			return true
		}
	}
	return false
}

// linkedManifest is a manifest that a page links to.
type linkedManifest struct {
	*manifest.Processed
	from string
	text []byte
}

// manifests gives the manifests that pages link to, each once.
func (g *Graph) manifests() (list []linkedManifest) {
	read := map[string]bool{}
	for _, p := range g.PagePaths() {
		url := g.Pages[p].ManifestURL()
		if url == "" || read[url] {
			continue
		}
		read[url] = true
		file := g.Folder.FileAt(url)
		if file == nil {
			continue
		}
		if text, err := file.Bytes(); err == nil {
			m, _ := manifest.Process(text, url, g.Folder.Origin()+p, manifest.Standard)
			list = append(list, linkedManifest{m, g.Folder.PathOf(file), text})
		}
	}
	return list
}

// InferHosting tells how the host answers at addresses without a file, from what pages lead to and what the folder
// holds; what the folder's settings already say is left out.
func (g *Graph) InferHosting() (list []Inference) {
	address := g.Folder.Address()
	file := func(name string) bool { return g.Folder.File(name) != nil }
	var bare, routed *Evidence
	there := map[string]bool{} // paths that the host answers, or sends on
	answers := func(path string) bool {
		is, known := there[path]
		if !known {
			is = g.Files[path] != nil || g.redirects(path) || g.Folder.FileAt(path) != nil
			there[path] = is
		}
		return is
	}
	for _, p := range g.PagePaths() {
		drawn := g.drawnByScripts(p)
		for _, l := range g.linksOf(p) {
			path, own := g.Local(weburl.WithoutFragment(l))
			rel, below := strings.CutPrefix(path, address)
			if !own || !below || rel == "" || answers(path) {
				continue
			}
			switch last := rel[strings.LastIndexByte(rel, '/')+1:]; {
			case last != "" && file(rel+".html"):
				count(&bare, Evidence{Kind: Extensionless, From: p, To: path})
			case drawn && !strings.Contains(last, "."):
				count(&routed, Evidence{Kind: Routed, From: p, To: path})
			}
		}
	}
	if bare != nil {
		list = append(list, Inference{"hosting.extensionless", "answer", *bare})
	}
	switch {
	case file("200.html"):
		list = append(list, Inference{"hosting.single_page", address + "200.html",
			Evidence{Kind: Fallback, To: address + "200.html"}})
	case file("404.html"):
		list = append(list, Inference{"hosting.not_found", address + "404.html",
			Evidence{Kind: Missing, To: address + "404.html"}})
	case routed != nil:
		list = append(list, Inference{"hosting.single_page", g.indexPath(routed.From), *routed})
	}
	return list
}

func count(e **Evidence, one Evidence) {
	if *e == nil {
		*e = &one
	} else {
		(*e).More++
	}
}

// indexPath is the path of the file of a page, which a folder's own address leaves out.
func (g *Graph) indexPath(path string) string {
	return g.Folder.Address() + g.Files[path].Path
}

// drawnByScripts says whether a page shows next to nothing before its scripts have run, such as that it is loading, and much more once they have.
func (g *Graph) drawnByScripts(path string) bool {
	before, after := g.Pages[path], g.Drawn[path]
	if before == nil || after == nil {
		return false
	}
	if before.Drawn() {
		return true
	}
	words := len(strings.Fields(before.Text(nil)))
	return words <= fewWords && len(before.Links) == 0 && len(strings.Fields(after.Text(nil))) >= timesMore*max(words, 1)
}

// fewWords is how many words a page may show that is yet to be drawn, timesMore how many times as many it shows then at least.
const (
	fewWords  = 12
	timesMore = 4
)

// linksOf lists the addresses that a page leads to, as its text and its visits show, those in shadow trees too.
func (g *Graph) linksOf(path string) (list []string) {
	known := map[string]bool{}
	add := func(url string) {
		if !known[url] {
			known[url] = true
			list = append(list, url)
		}
	}
	if d := g.Pages[path]; d != nil {
		for _, l := range d.Links {
			add(l.URL)
		}
	}
	if s := g.Seen.Of(g.Folder.Origin() + path); s != nil {
		for _, url := range s.Links {
			add(weburl.WithoutFragment(url))
		}
	}
	return list
}

// Kind is what draws the pages of a site.
type Kind string

// What draws the pages of a site.
const (
	// Files: each page is a file that says all by itself.
	Files Kind = "files"
	// TakenOver: each page is a file, made beforehand, that scripts take over.
	TakenOver Kind = "taken-over"
	// SinglePage: scripts draw all pages from one file, which answers at every address.
	SinglePage Kind = "single-page"
	// Drawn: each page is a file, and scripts draw what it shows.
	Drawn Kind = "drawn"
	// Fragments: scripts draw all pages from one file, by what stands behind the # of the address.
	Fragments Kind = "fragments"
	// Rendered: a server makes the pages.
	Rendered Kind = "rendered"
)

// KindOf tells what draws the site's pages, and which page or address shows it.
func (g *Graph) KindOf() (kind Kind, example string) {
	taken, drawn := "", []string(nil)
	pages := g.PagePaths()
	if entry := g.first(); g.Pages[entry] != nil {
		pages = append([]string{entry}, slices.DeleteFunc(pages, func(p string) bool { return p == entry })...)
	}
	for _, p := range pages {
		if g.apart(p) {
			continue
		}
		if !g.drawnByScripts(p) {
			if g.Drawn[p] != nil && taken == "" {
				taken = p
			}
			continue
		}
		drawn = append(drawn, p)
		if s := g.Seen.Of(g.Folder.Origin() + p); s != nil {
			for _, l := range s.Links {
				if path, fragment, _ := strings.Cut(strings.TrimPrefix(l, g.Folder.Origin()), "#"); path == p &&
					strings.HasPrefix(strings.TrimPrefix(fragment, "!"), "/") {
					return Fragments, p + "#" + fragment
				}
			}
		}
	}
	routes := g.Routes()
	switch {
	case len(drawn) == 1 || len(drawn) > 0 && len(routes)+len(g.Unanswered) > 0:
		return SinglePage, drawn[0]
	case len(routes) > 0 && (!g.Folder.Snapshot() || g.fallsBack):
		return SinglePage, routes[0]
	case len(drawn) > 0:
		return Drawn, drawn[0]
	case g.Folder.Snapshot():
		return Rendered, g.first()
	case taken != "":
		return TakenOver, taken
	}
	return Files, ""
}

// first is the path of the page that visitors open first: that at the site's address, where a live one was not asked at another.
func (g *Graph) first() string { return cmp.Or(g.entry, g.Folder.Address()) }

// Routes lists the paths of visited addresses that no file of their own answers, but a page that scripts draw.
func (g *Graph) Routes() (list []string) {
	for _, url := range g.Seen.URLs() {
		path, own := g.Local(url)
		if !own || g.Files[weburl.WithoutFragment(path)] != nil && !strings.Contains(url, "#/") || g.Seen.Pages[url].Status >= 400 {
			continue
		}
		if rest := strings.TrimPrefix(url, g.Folder.Origin()); !g.isFile(rest) {
			list = append(list, rest)
		}
	}
	return list
}

// unasked lists files that no page was seen to ask for and none of whose text names: neither pages nor what browsers ask
// for by themselves.
func (g *Graph) unasked() (list []string) {
	asked := g.Used()
	for _, refs := range g.Refs {
		for _, r := range refs {
			if p, own := g.Local(r.URL); own {
				asked[p] = true
			}
		}
	}
	for _, p := range g.PagePaths() {
		for _, l := range g.linksOf(p) {
			if to, own := g.Local(weburl.WithoutFragment(l)); own {
				asked[to] = true
			}
		}
	}
	for _, url := range g.Seen.URLs() {
		for _, r := range g.Seen.Pages[url].Requests {
			if p, own := g.Local(r.URL); own {
				asked[p] = true
			}
		}
	}
	for _, url := range g.askedByBrowsers() {
		if p, own := g.Local(url); own {
			asked[p] = true
		}
	}
	for p, file := range g.Files {
		if !asked[p] && !g.Folder.Hides(file.Path) && !strings.HasSuffix(p, ".map") && !byThemselves[strings.TrimPrefix(p,
			g.Folder.Address())] {
			list = append(list, p)
		}
	}
	slices.Sort(list)
	return list
}

// askedByBrowsers lists what browsers ask for on behalf of pages: the workers that these register, and the pictures of manifests.
func (g *Graph) askedByBrowsers() (urls []string) {
	for _, r := range g.Seen.Registrations() {
		urls = append(urls, r.Script)
	}
	for _, p := range g.PagePaths() {
		for _, r := range g.RegistrationsOf(p) {
			urls = append(urls, r.Script)
		}
	}
	for _, m := range g.manifests() {
		pictures := append(slices.Clone(m.Icons), m.Screenshots...)
		for _, s := range m.Shortcuts {
			pictures = append(pictures, s.Icons...)
		}
		for _, i := range pictures {
			urls = append(urls, i.Src)
		}
	}
	return urls
}

// byThemselves are files that browsers and robots ask for without being told.
var byThemselves = map[string]bool{"favicon.ico": true, "robots.txt": true, "sitemap.xml": true, "humans.txt": true,
	"apple-touch-icon.png": true}
