package cli

import (
	"context"
	"path/filepath"
	"slices"
	"time"

	"tachyform/internal/audit"
	"tachyform/internal/confirm"
	"tachyform/internal/driver"
	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/report"
	"tachyform/internal/site"
)

// recordFile returns the path of the record of confirmed pages, "" without a project file.
func recordFile(p *project.Project) string {
	if p.Path == "" {
		return ""
	}
	return filepath.Join(filepath.Dir(p.Path), confirm.RecordName)
}

// useRecord adds the confirmations of the record that apply to the current bytes of the site.
func (a *app) useRecord(o *opened, in *audit.Input, ignore bool) error {
	in.Confirmed = nil
	file := recordFile(o.project)
	if ignore || file == "" || o.folder == nil {
		return nil
	}
	list, err := confirm.ReadRecord(file)
	if err != nil || len(list) == 0 {
		return err
	}
	checksum, err := confirm.Checksum(o.project, append([]site.Host{in.Host}, in.Others...))
	if err != nil {
		return wrapRead(o.name, err)
	}
	in.Confirmed = slices.DeleteFunc(list, func(c audit.Confirmation) bool { return c.Bytes != checksum })
	return nil
}

// confirm opens the pages with an unknown outcome in a real browser, asks it whether it would install the app, and writes the record.
func (a *app) confirm(ctx context.Context, o *opened, in audit.Input, r *audit.Report, opts auditOptions) (*report.Confirmed, error) {
	with := opts.confirm
	if err := o.needFolder("audit --confirm"); err != nil {
		return nil, err
	}
	pages := confirm.UnknownPages(r)
	if len(pages) > 0 && recordFile(o.project) == "" {
		return nil, usagef("--confirm records its results next to tachyform.yaml, and there is none; tachyform init %s writes one", o.name)
	}
	s, err := serveFolder(o)
	if err != nil {
		return nil, err
	}
	defer s.Close()
	b, err := with.start(ctx)
	if err != nil {
		return nil, err
	}
	defer b.Close()
	out := &report.Confirmed{Browser: with.called(b)}
	if v := r.Targets[realBrowsers[with.name].target]; v != nil {
		out.Predicted = v.Installable
	}
	if asker, can := b.(driver.Installer); can {
		out.Asked = true
		if out.Refusals, err = asker.InstallRefusals(s.Origin() + o.project.Audit.Entry); err != nil {
			return nil, with.failed(ctx, err)
		}
	}
	if len(pages) == 0 {
		return out, nil
	}
	fresh, err := with.start(ctx)
	if err != nil {
		return nil, err
	}
	defer fresh.Close()
	tried := &confirm.Site{Server: s, Visit: o.project.Audit.Visit}
	if out.Answers, err = tried.Confirm(ctx, fresh, pages); err != nil {
		return nil, with.failed(ctx, err)
	}
	if err := a.record(o, in, out); err != nil {
		return nil, err
	}
	return out, a.requests(o, r, out, opts.writeRequests)
}

// record writes the confirmations next to the project file.
func (a *app) record(o *opened, in audit.Input, c *report.Confirmed) error {
	file := recordFile(o.project)
	checksum, err := confirm.Checksum(o.project, append([]site.Host{in.Host}, in.Others...))
	if err != nil {
		return wrapRead(o.name, err)
	}
	list := confirm.Confirmations(c.Answers, c.Browser, checksum, time.Now())
	if len(list) == 0 {
		return nil
	}
	earlier, err := confirm.ReadRecord(file)
	if err != nil {
		return err
	}
	text, err := confirm.RecordText(list, earlier)
	if err != nil {
		return err
	}
	c.Recorded = confirm.RecordName
	return writeOutput(file, text, "the record", "check that the folder can be written to")
}

// requests lists the requests of the pages that the audit did not see, and writes them to the project file if wanted.
func (a *app) requests(o *opened, r *audit.Report, c *report.Confirmed, write bool) error {
	c.Asks = confirm.UnseenRequests(r, c.Answers)
	if len(c.Asks) == 0 || !write {
		return nil
	}
	text, err := inputfile.Read(o.project.Path, 1<<20)
	if err != nil {
		return wrapRead(o.project.Path, err)
	}
	edited, err := project.WithAsks(text, c.Asks)
	if err != nil {
		return &problem.Problem{Kind: problem.Write, Where: o.project.Path, What: "the requests cannot be added: " + err.Error(),
			Mend: "add them by hand; without --write-requests they are shown", Cause: err}
	}
	c.Written = filepath.Base(o.project.Path)
	return writeOutput(o.project.Path, edited, "the project file", "check that it can be written to")
}
