package cli

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"tachyform/internal/survey"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/fit"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/report"
	"tachyform/internal/site"
)

// fitLive makes the files that a live site lacks, in a folder of their own, and gives the lines for its template.
func (a *app) fitLive(ctx context.Context, o *opened, into string) error {
	p := o.project
	if p.Path == "" {
		return usagef("there is no tachyform.yaml that describes the app; write one with site: %s, app, icons and worker",
			o.name)
	}
	origin := o.host.Origin()
	urls := rehearsal.PagesOf(ctx, o.host, origin+p.Audit.Entry, p.Audit.Crawl.AtMost, p.Audit.Crawl.Depth)
	for _, path := range append([]string{p.Audit.Entry, p.Worker.StandIns.Page, p.Worker.StandIns.Image,
		p.Worker.StandIns.Font, p.Worker.Shell.Page}, append(p.Audit.Visit, p.Audit.Pages...)...) {
		if path != "" {
			urls = append(urls, origin+path)
		}
	}
	visits, err := a.visits(o)
	if err != nil {
		return err
	}
	slices.Sort(urls)
	urls = slices.Compact(urls)
	reader := &page.Reader{}
	seen, err := survey.VisitLive(ctx, o.host, urls, reader, visits)
	if err != nil {
		return wrapRead(o.name, err)
	}
	s := site.NewSnapshot(o.host, p.Addr)
	if err := survey.TakeSnapshot(ctx, s, urls, reader, seen); err != nil {
		return wrapRead(o.name, err)
	}
	plan, err := fit.Prepare(ctx, p, s.Folder, seen)
	if err != nil {
		return wrapRead(o.name, err)
	}
	// What the site has already need not be uploaded again; it is seldom linked to, so the crawl did not meet it.
	plan.Changes = slices.DeleteFunc(plan.Changes, func(c fit.Change) bool {
		u, err := whatwg.Parse(origin + p.Addr + site.EscapePath(c.Path))
		if err != nil {
			return false
		}
		resp, err := o.host.Answer(ctx, &site.Request{Method: "GET", URL: u})
		if err != nil || resp.Status != 200 {
			return false
		}
		text, err := resp.Body.Bytes()
		return err == nil && bytes.Equal(text, c.New)
	})
	if len(plan.Changes) == 0 {
		fmt.Fprintln(a.out, "Nothing to upload: the site has all files as they should be.")
		return nil
	}
	if err := plan.CopyTo(ctx, into, nil); err != nil {
		return err
	}
	fmt.Fprint(a.out, report.Upload(plan, p, into, o.name, a.width))
	return nil
}
