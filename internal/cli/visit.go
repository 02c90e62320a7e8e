package cli

import (
	"context"
	"fmt"
	"slices"

	"tachyform/internal/audit"
	"tachyform/internal/fit"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/survey"
)

// visits says how the site's pages are opened to see what they ask for.
func (a *app) visits(o *opened) (survey.Visits, error) {
	in, err := a.input(o)
	if err != nil {
		return survey.Visits{}, err
	}
	v := audit.VisitsOf(in)
	if a.progress {
		v.Progress = func(done, all int) {
			if done == all {
				fmt.Fprint(a.err, "\r\x1b[K")
			} else if done%10 == 0 {
				fmt.Fprintf(a.err, "\rvisiting page %d of %d", done, all)
			}
		}
	}
	return v, nil
}

// look reads a folder and opens its pages.
func (a *app) look(ctx context.Context, o *opened) (*survey.Graph, error) {
	reader := &page.Reader{}
	g, err := survey.BuildGraph(ctx, o.folder, reader)
	if err != nil {
		return nil, wrapRead(o.name, err)
	}
	if o.project.Audit.Scripts == "read" {
		return g, nil
	}
	v, err := a.visits(o)
	if err != nil {
		return nil, err
	}
	return g, wrapRead(o.name, g.Visit(ctx, reader, v))
}

// lookAt reads a folder and opens its pages where no project file says how its host answers: what the files tell of
// that is put into the project and listed.
func (a *app) lookAt(ctx context.Context, o *opened, keepAddress bool) (*survey.Graph, []survey.Inference, error) {
	v, err := a.visits(o)
	if err != nil {
		return nil, nil, err
	}
	g, told, err := survey.Look(ctx, o.project, keepAddress, func() (*site.Folder, error) {
		return openFolder(o.folder.Dir, o.project)
	}, &page.Reader{}, v)
	if err != nil {
		return nil, nil, wrapRead(o.name, err)
	}
	o.folder, o.host = g.Folder, g.Folder
	return g, told, nil
}

// surveyed looks at a site; told is what its files tell of the host where there is no project file that says it.
func (a *app) surveyed(ctx context.Context, o *opened) (g *survey.Graph, told []survey.Inference, err error) {
	switch {
	case o.folder == nil:
		g, err = a.lookLive(ctx, o)
		return g, nil, err
	case o.project.Path == "":
		return a.lookAt(ctx, o, false)
	}
	g, err = a.look(ctx, o)
	return g, nil, err
}

// lookLive crawls a live site and opens its pages.
func (a *app) lookLive(ctx context.Context, o *opened) (*survey.Graph, error) {
	p, origin := o.project, o.host.Origin()
	urls := rehearsal.PagesOf(ctx, o.host, origin+p.Audit.Entry, p.Audit.Crawl.AtMost, p.Audit.Crawl.Depth)
	for _, path := range append([]string{p.Audit.Entry, p.Worker.StandIns.Page, p.Worker.StandIns.Image,
		p.Worker.StandIns.Font, p.Worker.Shell.Page}, append(p.Audit.Visit, p.Audit.Pages...)...) {
		if path != "" {
			urls = append(urls, origin+path)
		}
	}
	slices.Sort(urls)
	urls = slices.Compact(urls)
	visits, err := a.visits(o)
	if err != nil {
		return nil, err
	}
	reader := &page.Reader{}
	g, err := survey.LookLive(ctx, o.host, p.Addr, origin+p.Audit.Entry, urls, reader, visits)
	return g, wrapRead(o.name, err)
}

// prepare works out what a fit changes.
func (a *app) prepare(ctx context.Context, o *opened) (*fit.Plan, error) {
	g, err := a.look(ctx, o)
	if err != nil {
		return nil, err
	}
	return fit.Prepare(ctx, o.project, o.folder, g)
}
