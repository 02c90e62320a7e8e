package survey

import (
	"context"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// mostFallbacks bounds how many pages are tried at an address without a file.
const mostFallbacks = 3

// nowhere is an address that no site has.
const nowhere = "there-is-no-such-page-here"

// unlinked lists pages with scripts beside the first one that no page leads to, as one is that the host answers with where there is no file.
func (g *Graph) unlinked() (list []string) {
	linked := map[string]bool{}
	for _, p := range g.PagePaths() {
		for _, to := range g.LinksTo(p) {
			linked[to] = true
		}
	}
	for _, p := range g.PagePaths() {
		rest := strings.TrimPrefix(p, g.Folder.Address())
		if _, scripted := g.scriptsOf(p); scripted && !linked[p] && rest != "" && !strings.Contains(rest, "/") && !g.Pages[p].Fragment {
			list = append(list, p)
		}
	}
	return list
}

// missingRoute gives the first address that a page with scripts leads to and that no file answers, "" for none.
func (g *Graph) missingRoute() string {
	for _, p := range g.PagePaths() {
		if _, scripted := g.scriptsOf(p); !scripted {
			continue
		}
		for _, l := range g.linksOf(p) {
			path, own := g.Local(weburl.WithoutFragment(l))
			rest, below := strings.CutPrefix(path, g.Folder.Address())
			if own && below && rest != "" && !strings.Contains(rest[strings.LastIndexByte(rest, '/')+1:], ".") && !g.isFile(path) && g.Folder.FileAt(path) == nil {
				return path
			}
		}
	}
	return ""
}

// tryFallbacks opens unlinked pages at an address without a file, as hosts answer with them: one that draws something there which it does not
// draw anywhere is what the host answers with. It leaves that in the project.
func (g *Graph) tryFallbacks(ctx context.Context, p *project.Project, open func() (*site.Folder, error), r *page.Reader, v Visits) (Inference, bool, error) {
	to := g.missingRoute()
	if to == "" || p.Host.SinglePage != "" {
		return Inference{}, false, nil
	}
	candidates := g.unlinked()
	for _, c := range candidates[:min(mostFallbacks, len(candidates))] {
		p.Host.SinglePage = g.Folder.Address() + g.Files[c].Path
		folder, err := open()
		if err != nil {
			return Inference{}, false, err
		}
		v.Progress = nil
		out, err := visit(ctx, folder, []string{folder.Origin() + to, folder.Origin() + g.Folder.Address() + nowhere}, r, v, nil)
		if err != nil {
			return Inference{}, false, err
		}
		if there := drawnText(out.Pages[0]); there != "" && there != strings.ReplaceAll(drawnText(out.Pages[1]), nowhere, strings.TrimPrefix(to, g.Folder.Address())) {
			return Inference{"hosting.single_page", p.Host.SinglePage, Evidence{Kind: Opened, From: c, To: to}}, true, nil
		}
		p.Host.SinglePage = ""
	}
	return Inference{}, false, nil
}

// drawnText is what a visited page shows as text.
func drawnText(p *rehearsal.PageResult) string {
	if p.Document == nil || p.Status >= 400 {
		return ""
	}
	return strings.TrimSpace(p.Document.Text(nil))
}
