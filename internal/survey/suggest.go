package survey

import (
	"cmp"
	"path"
	"slices"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/weburl"
)

// Suggestion is what to keep for offline use, and how.
type Suggestion struct {
	// Pages are patterns of pages, to be kept with everything they ask for. Whole says that these are all pages; the
	// others are kept as they are visited.
	Pages []string `json:"pages"`
	Whole bool     `json:"whole"`
	Files int      `json:"files"`
	Bytes int64    `json:"bytes"`
	// First is what the first page weighs with all it asks for, in bytes.
	First int64  `json:"first,omitempty"`
	Why   string `json:"why"`
	// Shell is the page that draws all others, "" for none.
	Shell string `json:"shell,omitempty"`
	// Visited are the kinds of files that pages ask for which are kept as they are visited: style, script, image, font.
	Visited []string `json:"visited,omitempty"`
	// Data are patterns of what scripts fetch on the site's own origin, files or not.
	Data []DataPattern `json:"data,omitempty"`
	// Unanswered are addresses on the site's own origin that scripts ask for and no file answers: a server may.
	Unanswered []string `json:"unanswered,omitempty"`
	// Elsewhere are other origins that pages cannot do without.
	Elsewhere []Elsewhere `json:"elsewhere,omitempty"`
}

// Elsewhere is another origin that pages fetch from. Opaque says that some of its answers are ones that scripts may not
// see into.
type Elsewhere struct {
	Origin string `json:"origin"`
	Opaque bool   `json:"opaque"`
}

// DataPattern is a pattern of what scripts fetch, with the files of the site that it matches.
type DataPattern struct {
	Match string `json:"match"`
	Files int    `json:"files"`
	Bytes int64  `json:"bytes"`
}

// modestPack is the weight up to which keeping every page at installation is a matter of course; fewPatterns is how many
// lines a person would write.
const (
	modestPack  = 5_000_000
	fewPatterns = 8
	fewPictures = 3
)

// suggest proposes what to keep: every page where that is modest, else as many as a modest weight allows, and the rest as
// visited.
func (g *Graph) suggest() Suggestion {
	s := Suggestion{Shell: g.shell()}
	var data []string
	data, s.Unanswered = g.data()
	for _, match := range data {
		s.Data = append(s.Data, g.dataPattern(match))
	}
	s.Elsewhere = g.elsewhere()
	address := g.Folder.Address()
	needed := map[string]bool{}
	weight := int64(0)
	add := func(path string) {
		for _, p := range append([]string{path}, g.Needs(path)...) {
			if file := g.Files[p]; file != nil && !needed[p] {
				needed[p] = true
				weight += file.Size
			}
		}
	}
	pages := slices.DeleteFunc(g.PagePaths(), func(p string) bool { return p == s.Shell && p != address || g.apart(p) })
	for _, p := range pages {
		add(p)
	}
	if s.Shell != "" {
		add(s.Shell)
	}
	first := cmp.Or(s.Shell, g.first())
	for _, p := range append([]string{first}, g.Needs(first)...) {
		if file := g.Files[p]; file != nil {
			s.First += file.Size
		}
	}
	if g.Folder.Snapshot() {
		return g.suggestRendered(s)
	}
	if weight <= modestPack {
		s.Pages, s.Whole, s.Files, s.Bytes = []string{address + "*"}, true, len(needed), weight
		s.Why = "every page with all it needs"
		return s
	}
	s.Visited = g.kindsAsked()
	s.Pages, s.Files, s.Bytes = []string{address + "*"}, len(needed), weight
	s.Why = "the pages that are the fewest links away from the first one, with what they need; the whole site would be " +
		"heavy, so others are kept as they are visited"
	return s
}

// suggestRendered proposes to keep what a server renders as it is visited: what it gives may change without a release.
func (g *Graph) suggestRendered(s Suggestion) Suggestion {
	entry := cmp.Or(s.Shell, g.first())
	needs := append([]string{entry}, g.Needs(entry)...)
	for _, p := range needs {
		if file := g.Files[p]; file != nil {
			s.Files++
			s.Bytes += file.Size
		}
	}
	s.Pages, s.Visited = []string{entry}, g.kindsAsked()
	s.Why = "the first page and what it needs; others are kept as they are visited, since a server makes them"
	if s.Shell != "" {
		s.Why = "the page that draws all others, and what they were seen to ask for"
	}
	return s
}

// kindsAsked lists the destinations that files of the site are asked for with, of those that are worth keeping.
func (g *Graph) kindsAsked() (list []string) {
	for _, of := range []struct{ kind, destination string }{{"styles", "style"}, {"scripts", "script"}, {"pictures", "image"},
		{"fonts", "font"}} {
		for p := range g.Files {
			if kindOf(p) == of.kind {
				list = append(list, of.destination)
				break
			}
		}
	}
	return list
}

// apart says whether a page is none that people open: the host's answer to unknown addresses, or a part of others.
func (g *Graph) apart(path string) bool {
	name := strings.TrimPrefix(path, g.Folder.Address())
	if name = strings.TrimSuffix(name, ".html"); name == "404" || name == "200" {
		return true
	}
	return g.Pages[path].Fragment || g.Folder.AnswersWith(path)
}

// shell gives the page that answers at addresses without a file and draws what they show, "" for none.
func (g *Graph) shell() string {
	for _, url := range g.Seen.URLs() {
		p, own := g.Local(weburl.WithoutFragment(url))
		if !own || g.isFile(p) {
			continue
		}
		if file := g.Folder.FileAt(url); file != nil {
			return g.Folder.PathOf(file) // the host answers with it already
		}
	}
	// A host that gives status 404 may answer with a page that draws what was meant.
	kind, entry := g.KindOf()
	if g.Folder.Snapshot() {
		if kind == SinglePage && (g.fallsBack || len(g.Unanswered) > 0) {
			return g.first()
		}
		return ""
	}
	if kind != SinglePage || g.Folder.File("404.html") == nil {
		return ""
	}
	if p := g.Folder.Address() + "404.html"; g.Pages[p] != nil && g.Pages[p].Drawn() {
		return p
	}
	if g.drawnByScripts(entry) {
		return entry
	}
	return ""
}

// data gives patterns of what scripts fetch on the site's own origin, and addresses of theirs that no file answers. A
// folder that holds data alone is one pattern.
func (g *Graph) data() (list, unanswered []string) {
	asked := map[string]bool{}
	for _, url := range g.Seen.URLs() {
		for _, r := range g.Seen.Pages[url].Requests {
			p, own := g.Local(r.URL)
			if !own || !r.ByScript || r.Destination != request.Data || r.Method != "" || g.IsPage(p) {
				continue
			}
			switch {
			case g.Files[p] != nil && kindOf(p) == "data":
				asked[p] = true
			case g.Files[p] == nil && g.Folder.FileAt(p) == nil && g.Folder.States(r.URL):
				asked[p] = true
			case g.Files[p] == nil && (r.Missing || g.Folder.FallsBack(p)) && !slices.Contains(unanswered, p):
				unanswered = append(unanswered, p)
			}
		}
	}
	// What is asked for and not there belongs to a folder of data that is there, or to a server.
	folders := map[string]bool{}
	for p := range asked {
		if folder := g.dataFolder(p); folder != "" {
			folders[folder] = true
		}
	}
	unanswered = slices.DeleteFunc(unanswered, func(p string) bool {
		for folder := range folders {
			if strings.HasPrefix(p, folder) {
				return true
			}
		}
		return false
	})
	for _, p := range unanswered {
		asked[p] = true
	}
	endings := map[string]bool{}
	for p := range asked {
		switch folder := g.dataFolder(p); {
		case folder != "":
			if pattern := folder + "*"; !slices.Contains(list, pattern) {
				list = append(list, pattern)
			}
		default:
			list = append(list, p)
			endings[path.Ext(p)] = true
		}
	}
	slices.Sort(list)
	if len(list) > fewPatterns && len(endings) == 1 && !endings[""] {
		for ending := range endings {
			list = []string{g.Folder.Address() + "*" + ending}
		}
	}
	slices.Sort(unanswered)
	return list, unanswered
}

// dataPattern counts the files that a pattern of data matches; a * stands for any text.
func (g *Graph) dataPattern(match string) DataPattern {
	d := DataPattern{Match: match}
	before, after, any := strings.Cut(match, "*")
	for p, file := range g.Files {
		if p == match || any && len(p) >= len(match)-1 && strings.HasPrefix(p, before) && strings.HasSuffix(p, after) {
			d.Files++
			d.Bytes += file.Size
		}
	}
	return d
}

// dataFolder gives the outermost folder below the site's own that holds a path and nothing but data, "" for none.
func (g *Graph) dataFolder(p string) string {
	address := g.Folder.Address()
	rest := strings.TrimPrefix(p, address)
	for i := 0; i < len(rest); i++ {
		if rest[i] != '/' {
			continue
		}
		folder := address + rest[:i+1]
		alone := true
		for f := range g.Files {
			if strings.HasPrefix(f, folder) && kindOf(f) != "data" {
				alone = false
				break
			}
		}
		if alone {
			return folder
		}
	}
	return ""
}

// elsewhere gives the other origins that pages fetch what they show from: not those of frames, hints and beacons.
// An origin that only a picture or two come from, such as a badge, is none of them.
func (g *Graph) elsewhere() (list []Elsewhere) {
	needed, pictures := map[string]bool{}, map[string]map[string]bool{}
	add := func(r page.Reference) {
		origin := weburl.OriginOf(r.URL)
		if origin == "" || origin == g.Folder.Origin() || r.Hint || r.Background {
			return
		}
		switch r.Destination {
		case request.Style, request.Script, request.Font, request.Image, request.Data:
		default:
			return
		}
		if r.Destination == request.Image && r.Mode == request.NoCORS {
			if pictures[origin] == nil {
				pictures[origin] = map[string]bool{}
			}
			pictures[origin][r.URL] = true
		} else {
			needed[origin] = true
		}
		opaque := r.Mode == request.NoCORS
		for i := range list {
			if list[i].Origin == origin {
				list[i].Opaque = list[i].Opaque || opaque
				return
			}
		}
		list = append(list, Elsewhere{origin, opaque})
	}
	for _, p := range g.PagePaths() {
		for _, r := range g.Refs[p] {
			add(r)
		}
		for _, n := range g.Needs(p) {
			if kindOf(n) == "styles" {
				for _, r := range g.Refs[n] {
					add(r)
				}
			}
		}
	}
	for _, url := range g.Seen.URLs() {
		for _, r := range g.Seen.Pages[url].Requests {
			add(page.Reference{URL: r.URL, Destination: r.Destination, Mode: r.Mode})
		}
	}
	list = slices.DeleteFunc(list, func(e Elsewhere) bool { return !needed[e.Origin] && len(pictures[e.Origin]) < fewPictures })
	slices.SortFunc(list, func(a, b Elsewhere) int { return strings.Compare(a.Origin, b.Origin) })
	return list
}
