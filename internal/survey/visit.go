package survey

import (
	"context"
	"slices"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/weburl"
)

// mostVisited bounds how many pages that are files are opened, mostRoutes how many addresses that links lead to beside
// them, routeDepth how many links away.
// sampleOfSet is how many pages with the same scripts are opened to see whether all do the same.
const (
	sampleOfSet = 8
	mostVisited = 200
	mostRoutes  = 120
	routeDepth  = 12
)

// Visits says which pages are opened beside those of the folder, and how.
type Visits struct {
	// Others are hosts of other origins.
	Others []site.Host
	// URLs are absolute addresses, such as those that the project file names.
	URLs []string
	// Asks lists requests that pages make only when somebody does something, by the page's address.
	Asks map[string][]string
	// Register is the address of a script that registers the worker that fit writes, and draws nothing, "" for none.
	Register string
	// Kind, if set, is the kind of browser.
	Kind *useragent.Kind
	// Presses has buttons and their like pressed.
	Presses bool
	// Progress, if set, is told how many pages of all have been opened; it may be called from several goroutines.
	Progress func(done, all int)
}

// Visit opens the site's pages with scripts online, in a browser without service workers, each in a fresh profile, and
// then those that their links lead to and that are no files, which a router draws. What it shows becomes Seen. Pages
// without scripts show nothing that their text does not say, and are not opened; of many pages with the same scripts a
// sample is, and the rest only where those of the sample ask for different things.
func (g *Graph) Visit(ctx context.Context, r *page.Reader, v Visits) error {
	g.register = v.Register
	g.Seen, g.asked = &page.Seen{Pages: map[string]*page.SeenPage{}, Alike: map[string][]string{}}, nil
	sets := g.scriptSets()
	if len(sets) == 0 {
		return nil
	}
	var urls []string
	known := map[string]bool{}
	add := func(url string) {
		if !known[url] {
			known[url] = true
			urls = append(urls, url)
		}
	}
	origin := g.Folder.Origin()
	for _, url := range v.URLs {
		if f := g.Folder.FileAt(weburl.WithoutQuery(weburl.WithoutFragment(url))); f == nil {
			add(url) // perhaps one that only the host knows
		} else if _, has := g.scriptsOf(g.Folder.PathOf(f)); has {
			add(url)
		}
	}
	for _, set := range sets {
		for _, path := range set[:min(len(set), sampleOfSet)] {
			add(origin + path)
		}
	}
	if err := g.visitAll(ctx, urls, r, v); err != nil {
		return err
	}
	urls = nil
	for _, set := range sets {
		rest := set[min(len(set), sampleOfSet):]
		if common, same := g.commonOf(set[:min(len(set), sampleOfSet)]); same {
			for _, path := range rest {
				g.Seen.Alike[origin+path] = common
			}
			g.Seen.Unvisited += len(rest)
			continue
		}
		for _, path := range rest {
			if len(urls) < mostVisited {
				add(origin + path)
			} else {
				g.Seen.Unvisited++
			}
		}
	}
	if len(urls) == 0 {
		return nil
	}
	return g.visitAll(ctx, urls, r, v)
}

// visitAll opens pages and what their links lead to, and takes down what they show.
func (g *Graph) visitAll(ctx context.Context, urls []string, r *page.Reader, v Visits) error {
	out, err := visit(ctx, g.Folder, urls, r, v, &rehearsal.Following{AtMost: len(urls) + mostRoutes, Depth: routeDepth,
		Allows: func(path string) bool { return !g.isFile(path) }})
	if err != nil {
		return err
	}
	g.asked = nil
	for _, p := range out.Pages {
		g.Seen.Pages[p.URL] = p.Seen
		if path, own := g.Local(weburl.WithoutFragment(p.URL)); own && p.Document != nil && p.Seen.Scripted {
			g.drawn(path, p)
		}
	}
	return nil
}

// commonOf gives the files that the scripts of every page in a list were seen to ask for; same says that no page asked
// for others.
func (g *Graph) commonOf(paths []string) (common []string, same bool) {
	for i, path := range paths {
		s := g.Seen.Of(g.Folder.Origin() + path)
		if s == nil {
			return nil, false
		}
		var asked []string
		for _, r := range s.Requests {
			next, own := g.Local(r.URL)
			if own && r.ByScript && !r.Missing && g.Files[next] != nil && !g.IsPage(next) {
				asked = append(asked, g.Folder.Origin()+next)
			}
		}
		slices.Sort(asked)
		asked = slices.Compact(asked)
		if i == 0 {
			common = asked
		} else if !slices.Equal(common, asked) {
			return nil, false
		}
	}
	return common, true
}

func visit(ctx context.Context, host site.Host, urls []string, r *page.Reader, v Visits,
	follow *rehearsal.Following) (*rehearsal.Result, error) {
	plan := &rehearsal.Rehearsal{Hosts: append([]site.Host{host}, v.Others...), Reader: r, Pages: urls, Kind: v.Kind,
		Asks: v.Asks, Progress: v.Progress, Follow: follow, Clicks: rehearsal.MostClicks}
	if v.Presses {
		plan.Presses = rehearsal.MostPresses
	}
	return plan.Run(ctx)
}

// drawn keeps the document of a visited page as its scripts left it.
func (g *Graph) drawn(path string, p *rehearsal.PageResult) {
	if g.Drawn == nil {
		g.Drawn = map[string]*page.Document{}
	}
	if g.Drawn[path] == nil {
		g.Drawn[path] = p.Document
	}
}

// isFile says whether a path is that of a file, which needs no link to be found.
func (g *Graph) isFile(path string) bool {
	if strings.Contains(path, "#") {
		return false // a router reads what stands behind it
	}
	path = weburl.WithoutQuery(path)
	return (g.Files[path] != nil || g.redirects(path) ||
		g.Folder.File(strings.TrimPrefix(path, g.Folder.Address())) != nil)
}

// scriptSets lists the paths of pages with scripts, those with the same ones together.
func (g *Graph) scriptSets() (sets [][]string) {
	at := map[string]int{}
	for _, path := range g.PagePaths() {
		scripts, has := g.scriptsOf(path)
		if !has || g.Pages[path].Fragment {
			continue
		}
		i, known := at[scripts]
		if !known {
			i = len(sets)
			at[scripts], sets = i, append(sets, nil)
		}
		sets[i] = append(sets[i], path)
	}
	return sets
}

// scriptsOf names the scripts of a page.
func (g *Graph) scriptsOf(path string) (names string, has bool) {
	if d := g.Pages[path]; d != nil {
		if names = d.ScriptSet(); g.register != "" {
			names = strings.ReplaceAll(names, g.register+"\n", "")
		}
	}
	return names, names != ""
}
