package survey

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// LookLive opens pages of a live host, entry first, at the given addresses and where the links lead that scripts draw. It takes a snapshot of what
// they ask for.
func LookLive(ctx context.Context, host site.Host, address, entry string, urls []string, r *page.Reader, v Visits) (*Graph, error) {
	opened := urls[:min(mostVisited, len(urls))]
	out, err := visit(ctx, host, opened, r, v, &rehearsal.Following{AtMost: len(opened) + mostRoutes, Depth: routeDepth,
		Allows: site.AskRobots(ctx, host).Allows})
	if err != nil {
		return nil, err
	}
	seen := &page.Seen{Pages: map[string]*page.SeenPage{}, Unvisited: max(0, len(urls)-mostVisited)}
	for _, p := range out.Pages {
		seen.Pages[p.URL] = p.Seen
	}
	s := site.NewSnapshot(host, address)
	fallsBack := false
	for _, p := range out.Pages {
		switch {
		case !p.Found:
		case isRoute(ctx, s, entry, p):
			fallsBack = true
		default:
			urls = append(urls, p.URL)
		}
	}
	if err := TakeSnapshot(ctx, s, urls, r, seen); err != nil {
		return nil, err
	}
	for _, worker := range seen.Registrations() { // without what its text names
		if _, err := s.Take(ctx, worker.Script); err != nil {
			return nil, err
		}
	}
	g, err := BuildGraph(ctx, s.Folder, r)
	if err != nil {
		return nil, err
	}
	g.Seen, g.entry, g.fallsBack = seen, strings.TrimPrefix(entry, host.Origin()), fallsBack
	for _, p := range out.Pages {
		if path, own := g.Local(weburl.WithoutFragment(p.URL)); own && p.Document != nil && p.Seen.Scripted {
			g.drawn(path, p)
		}
	}
	for _, p := range out.Unanswered {
		if path, own := g.Local(p.URL); own && p.Routed {
			g.Unanswered = append(g.Unanswered, path)
		}
	}
	slices.Sort(g.Unanswered)
	return g, nil
}

// isRoute says whether the host answers a page that links led to with its entry page, so that scripts draw it.
func isRoute(ctx context.Context, s *site.Snapshot, entry string, p *rehearsal.PageResult) bool {
	if strings.Contains(p.URL, "#") {
		return true
	}
	first, err := s.Text(ctx, entry)
	if err != nil || first == nil {
		return false
	}
	text, err := s.Text(ctx, p.URL)
	return err == nil && bytes.Equal(first, text)
}
