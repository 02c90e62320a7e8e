package survey

import (
	"slices"
	"sort"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/request"
)

// Summary is what a look at a whole site tells.
type Summary struct {
	Site     string        `json:"site"`
	Origin   string        `json:"origin"`
	Files    int           `json:"files"`
	Bytes    int64         `json:"bytes"`
	Pages    int           `json:"pages"`
	Unlinked []string      `json:"unlinked"`
	Kinds    []KindTotal   `json:"kinds"`
	Heaviest []FileWeight  `json:"heaviest"`
	Others   []OtherOrigin `json:"other_origins"`
	Broken   []Broken      `json:"broken"`
	Wired    Wired         `json:"wired"`
	Keep     Suggestion    `json:"keep"`
	// Kind is what draws the pages, Example a page or address that shows it; Routes are addresses without a file of their
	// own that scripts draw.
	Kind    Kind     `json:"kind"`
	Example string   `json:"example,omitempty"`
	Routes  []string `json:"routes,omitempty"`
	// Unanswered are addresses that scripts draw after a click and that a live host answers with an error.
	Unanswered []string `json:"unanswered_routes,omitempty"`
	// Opened counts addresses that were opened, Unopened pages with the same scripts as some of those.
	Opened   int `json:"opened"`
	Unopened int `json:"unopened"`
	// Told are settings of the host that the files tell, where no project file says them.
	Told []Inference `json:"told,omitempty"`
	// Unasked are files that no page was seen to ask for.
	Unasked []string `json:"unasked,omitempty"`
	// Skipped names what was passed over, such as links that lead out of the folder.
	Skipped []string `json:"skipped,omitempty"`
	// Hidden names files that are deployed and begin with a dot, or lie in a folder that does: few are meant for
	// everybody.
	Hidden []string `json:"hidden,omitempty"`
}

// KindTotal counts the files of a kind.
type KindTotal struct {
	Kind  string `json:"kind"`
	Files int    `json:"files"`
	Bytes int64  `json:"bytes"`
}

// FileWeight is a file with its size.
type FileWeight struct {
	URL   string `json:"url"`
	Bytes int64  `json:"bytes"`
}

// OtherOrigin is an origin beside the site's own that pages fetch from.
type OtherOrigin struct {
	Origin   string `json:"origin"`
	Requests int    `json:"requests"`
	Example  string `json:"example"`
}

// Broken is a reference to a file that the site does not have.
type Broken struct {
	URL    string `json:"url"`
	From   string `json:"from"`
	Line   int    `json:"line"`
	Column int    `json:"column"`
	Places int    `json:"places"`
}

// Wired counts the pages that have each of the head's tags.
type Wired struct {
	Manifest   int    `json:"manifest"`
	URL        string `json:"manifest_url,omitempty"`
	ThemeColor int    `json:"theme_color"`
	Icon       int    `json:"icon"`
	AppleIcon  int    `json:"apple_touch_icon"`
	Worker     int    `json:"worker"`
	WorkerURL  string `json:"worker_url,omitempty"`
}

// Summarize sums the graph up.
func (g *Graph) Summarize() *Summary {
	f := g.Folder
	s := &Summary{Site: f.Dir, Origin: f.Origin(), Files: len(f.Files()), Pages: len(g.Pages), Skipped: f.Skipped,
		Unlinked: []string{}, Others: []OtherOrigin{}, Broken: []Broken{}}
	kinds := map[string]*KindTotal{}
	var paths []string
	for p, file := range g.Files {
		paths = append(paths, p)
		k := kindOf(file.Path)
		if kinds[k] == nil {
			kinds[k] = &KindTotal{Kind: k}
		}
		kinds[k].Files++
		kinds[k].Bytes += file.Size
		s.Bytes += file.Size
	}
	sort.Strings(paths)
	for _, file := range f.Files() {
		if f.Hides(file.Path) {
			s.Hidden = append(s.Hidden, file.Path)
		}
	}
	for _, k := range kindOrder {
		if kinds[k] != nil {
			s.Kinds = append(s.Kinds, *kinds[k])
		}
	}
	heavy := slices.Clone(paths)
	slices.SortStableFunc(heavy, func(a, b string) int { return int(g.Files[b].Size - g.Files[a].Size) })
	for _, p := range heavy[:min(5, len(heavy))] {
		s.Heaviest = append(s.Heaviest, FileWeight{p, g.Files[p].Size})
	}
	g.surveyReferences(s, paths)
	g.surveyHeads(s)
	s.Keep, s.Unanswered = g.suggest(), g.Unanswered
	s.Kind, s.Example = g.KindOf()
	s.Routes, s.Unasked = g.Routes(), g.unasked()
	if g.Seen != nil {
		s.Opened, s.Unopened = len(g.Seen.Pages), g.Seen.Unvisited
	}
	return s
}

var kindOrder = []string{"pages", "styles", "scripts", "pictures", "fonts", "media", "data", "other"}

func kindOf(path string) string {
	switch ext := strings.ToLower(path[strings.LastIndexByte(path, '.')+1:]); ext {
	case "html", "htm", "xhtml":
		return "pages"
	case "css":
		return "styles"
	case "js", "mjs":
		return "scripts"
	case "png", "jpg", "jpeg", "gif", "webp", "avif", "svg", "ico", "bmp", "jxl":
		return "pictures"
	case "woff", "woff2", "ttf", "otf":
		return "fonts"
	case "mp3", "mp4", "webm", "ogg", "m4a", "wav", "mov", "opus", "flac", "vtt":
		return "media"
	case "json", "geojson", "csv", "xml", "txt", "webmanifest":
		return "data"
	}
	return "other"
}

func (g *Graph) surveyReferences(s *Summary, paths []string) {
	others := map[string]*OtherOrigin{}
	broken := map[string]*Broken{}
	linked := map[string]bool{}
	check := func(url, from string, line, column int, link bool) {
		path, own := g.Local(url)
		if !own {
			if link {
				return
			}
			origin := url
			if i := strings.Index(url, "://"); i >= 0 {
				if j := strings.IndexByte(url[i+3:], '/'); j >= 0 {
					origin = url[:i+3+j]
				}
			}
			if others[origin] == nil {
				others[origin] = &OtherOrigin{Origin: origin, Example: url}
			}
			others[origin].Requests++
			return
		}
		if g.Files[path] != nil {
			return
		}
		if file := g.Folder.FileAt(path); file != nil {
			if link {
				linked[g.Folder.PathOf(file)] = true
			}
			return
		}
		if r := g.redirects(path); r {
			return
		}
		if broken[path] == nil {
			fromPath, _ := g.Local(from)
			broken[path] = &Broken{URL: path, From: fromPath, Line: line, Column: column}
		}
		broken[path].Places++
	}
	used := g.Used()
	for _, p := range paths {
		if !used[p] {
			continue
		}
		for _, r := range g.Refs[p] {
			if g.Scripts[p] != nil && r.Destination == request.Data && !r.Module {
				continue // a script's fetch() resolves against the page that loads it
			}
			check(r.URL, r.From, r.Line, r.Column, false)
		}
		if d := g.Pages[p]; d != nil {
			for _, l := range d.Links {
				if to, own := g.Local(l.URL); own && to != p {
					linked[to] = true
				}
				check(l.URL, d.URL, l.Line, l.Column, true)
			}
		}
	}
	for _, p := range g.PagePaths() {
		if !linked[p] && p != g.Folder.Address() {
			s.Unlinked = append(s.Unlinked, p)
		}
	}
	for _, o := range others {
		s.Others = append(s.Others, *o)
	}
	slices.SortFunc(s.Others, func(a, b OtherOrigin) int { return strings.Compare(a.Origin, b.Origin) })
	for _, b := range broken {
		s.Broken = append(s.Broken, *b)
	}
	slices.SortFunc(s.Broken, func(a, b Broken) int { return strings.Compare(a.URL, b.URL) })
}

// redirects says whether the host answers a path with a redirect, as it does for folders without their slash.
func (g *Graph) redirects(path string) bool {
	return g.Files[path+"/"] != nil || g.Files[strings.TrimSuffix(path, "/")] != nil
}

// Used gives the paths of all pages and of what some page needs. What other files name is asked for by nobody.
func (g *Graph) Used() map[string]bool {
	used := map[string]bool{}
	for _, p := range g.PagePaths() {
		used[p] = true
		for _, need := range g.Needs(p) {
			used[need] = true
		}
	}
	return used
}

func (g *Graph) surveyHeads(s *Summary) {
	for _, p := range g.PagePaths() {
		d := g.Pages[p]
		if u := d.ManifestURL(); u != "" {
			s.Wired.Manifest++
			if s.Wired.URL == "" {
				s.Wired.URL = strings.TrimPrefix(u, g.Folder.Origin())
			}
		}
		if _, ok := d.Meta("theme-color"); ok {
			s.Wired.ThemeColor++
		}
		if _, ok := d.Link("icon"); ok {
			s.Wired.Icon++
		}
		if _, ok := d.Link("apple-touch-icon"); ok {
			s.Wired.AppleIcon++
		}
		if regs := g.RegistrationsOf(p); len(regs) > 0 {
			s.Wired.Worker++
			if s.Wired.WorkerURL == "" {
				s.Wired.WorkerURL = strings.TrimPrefix(regs[0].Script, g.Folder.Origin())
			}
		}
	}
}

// RegistrationsOf gives the registrations that a page or one of its scripts makes: those that a visit showed, else those that their texts name.
func (g *Graph) RegistrationsOf(path string) []page.Registration {
	if s := g.Seen.Of(g.Folder.Origin() + path); s != nil && !s.Unfinished {
		return s.Registrations
	}
	d := g.Pages[path]
	if d == nil {
		return nil
	}
	list := slices.Clone(d.Registrations)
	for _, need := range g.Needs(path) {
		if script := g.Scripts[need]; script != nil {
			list = append(list, script.At(d.Base, d.Imports).Registrations...)
		}
	}
	return list
}
