package survey

import (
	"context"
	"slices"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/weburl"
)

// mostVisited bounds how many pages that are files are opened, mostRoutes how many addresses that links lead to beside
// them, routeDepth how many links away.
const (
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
	// Kind, if set, is the kind of browser.
	Kind *useragent.Kind
	// Progress, if set, is told how many pages of all have been opened; it may be called from several goroutines.
	Progress func(done, all int)
}

// Visit opens the site's pages with scripts online, in a browser without service workers, each in a fresh profile, and
// then those that their links lead to and that are no files, which a router draws. What it shows becomes Seen. Pages
// without scripts show nothing that their text does not say, and are not opened.
func (g *Graph) Visit(ctx context.Context, r *page.Reader, v Visits) error {
	urls, unvisited := g.toVisit(v.URLs)
	g.Seen, g.asked = &page.Seen{Pages: map[string]*page.SeenPage{}, Unvisited: unvisited}, nil
	if len(urls) == 0 {
		return nil
	}
	out, err := visit(ctx, g.Folder, urls, r, v, &rehearsal.Following{AtMost: len(urls) + mostRoutes, Depth: routeDepth,
		Allows: func(path string) bool { return !g.isFile(path) }})
	if err != nil {
		return err
	}
	for _, p := range out.Pages {
		g.Seen.Pages[p.URL] = p.Seen
		if path, own := g.Local(weburl.WithoutFragment(p.URL)); own && p.Document != nil && p.Seen.Scripted {
			g.drawn(path, p)
		}
	}
	return nil
}

func visit(ctx context.Context, host site.Host, urls []string, r *page.Reader, v Visits,
	follow *rehearsal.Following) (*rehearsal.Result, error) {
	plan := &rehearsal.Rehearsal{Hosts: append([]site.Host{host}, v.Others...), Reader: r, Pages: urls, Kind: v.Kind,
		Asks: v.Asks, Progress: v.Progress, Follow: follow}
	return plan.Run(ctx)
}

// VisitLive opens pages of a live host, at the given addresses, as Graph.Visit does those of a folder; no links are
// followed.
func VisitLive(ctx context.Context, host site.Host, urls []string, r *page.Reader, v Visits) (*page.Seen, error) {
	out, err := visit(ctx, host, urls[:min(mostVisited, len(urls))], r, v, nil)
	if err != nil {
		return nil, err
	}
	seen := &page.Seen{Pages: map[string]*page.SeenPage{}, Unvisited: max(0, len(urls)-mostVisited)}
	for _, p := range out.Pages {
		seen.Pages[p.URL] = p.Seen
	}
	return seen, nil
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
	path = weburl.WithoutQuery(path)
	return !strings.Contains(path, "#") && (g.Files[path] != nil || g.redirects(path))
}

// toVisit lists the addresses to open: those that are asked for, then the pages with scripts, one for each set of
// scripts before the rest of them; unvisited counts those that are too many.
func (g *Graph) toVisit(asked []string) (urls []string, unvisited int) {
	origin := g.Folder.Origin()
	add := func(url string) {
		if !slices.Contains(urls, url) {
			urls = append(urls, url)
		}
	}
	scripted := false
	var first, rest []string
	sets := map[string]bool{}
	for _, path := range g.PagePaths() {
		scripts, has := g.scriptsOf(path)
		if !has || g.Pages[path].Fragment {
			continue
		}
		scripted = true
		if sets[scripts] {
			rest = append(rest, origin+path)
		} else {
			sets[scripts] = true
			first = append(first, origin+path)
		}
	}
	if !scripted {
		return nil, 0
	}
	for _, url := range asked {
		if f := g.Folder.FileAt(strings.TrimPrefix(weburl.WithoutQuery(weburl.WithoutFragment(url)), origin)); f == nil {
			add(url) // perhaps one that only the host knows
		} else if _, has := g.scriptsOf(g.Folder.PathOf(f)); has {
			add(url)
		}
	}
	for _, url := range append(first, rest...) {
		if len(urls) < mostVisited {
			add(url)
		} else if !slices.Contains(urls, url) {
			unvisited++
		}
	}
	return urls, unvisited
}

// scriptsOf names the scripts of a page: pages with the same ones do much the same.
func (g *Graph) scriptsOf(path string) (names string, has bool) {
	d := g.Pages[path]
	if d == nil {
		return "", false
	}
	for _, r := range d.References {
		if r.Destination == request.Script {
			names += r.URL + "\n"
		}
	}
	for _, s := range d.Scripts {
		names += s.Text + "\n"
	}
	return names, names != ""
}
