package cli

import (
	"bytes"
	"context"
	"fmt"
	"slices"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/fit"
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
	g, err := a.lookLive(ctx, o)
	if err != nil {
		return err
	}
	plan, err := fit.Prepare(ctx, p, g.Folder, g)
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
