package cli

import (
	"context"
	"fmt"
	"net/http"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"tachyform/internal/audit"
	"tachyform/internal/confirm"
	"tachyform/internal/driver"
	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/report"
	"tachyform/internal/serve"
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
	s, err := serve.Start(http.NotFoundHandler())
	if err != nil {
		return nil, &problem.Problem{Kind: problem.Read, What: "the site cannot be served: " + err.Error(), Cause: err}
	}
	defer s.Close()
	s.Answer(serve.Named(nil, serve.Handler(o.folder.Dir, s.Origin(), o.project)))
	b, err := with.start(ctx)
	if err != nil {
		return nil, err
	}
	defer b.Close()
	out := &report.Confirmed{Browser: with.name + version(b, realBrowsers[with.name].pattern)}
	if v := r.Targets[realBrowsers[with.name].target]; v != nil {
		out.Predicted = v.Installable
	}
	if asker, can := b.(driver.Installer); can {
		out.Asked = true
		if out.Refusals, err = asker.InstallRefusals(s.Origin() + o.project.Audit.Entry); err != nil {
			return nil, with.failed(ctx, err)
		}
	}
	pages := confirm.UnknownPages(r)
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
	if file == "" {
		return usagef("--confirm records its results next to tachyform.yaml, and there is none; tachyform init %s writes one", o.name)
	}
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
	known := map[string]bool{}
	for _, v := range r.Visits {
		for _, path := range v.Requests {
			known[strings.SplitN(path, "?", 2)[0]] = true
		}
	}
	for _, p := range r.Rehearsal.Pages {
		if p.Seen == nil {
			continue
		}
		for _, u := range p.Seen.Requests {
			known[strings.SplitN(strings.TrimPrefix(u.URL, r.Origin), "?", 2)[0]] = true
		}
	}
	var b strings.Builder
	done := map[string]bool{}
	for _, answer := range c.Answers {
		page, _, _ := strings.Cut(answer.Path, "?")
		var list []string
		for _, path := range answer.Requests {
			if !known[path] {
				list = append(list, fmt.Sprintf("%q", path))
			}
		}
		if len(list) > 0 && !done[page] {
			done[page] = true
			fmt.Fprintf(&b, "  - {page: %q, for: [%s]}\n", page, strings.Join(list, ", "))
		}
	}
	if b.Len() == 0 {
		return nil
	}
	c.Asks = "asks:\n" + b.String()
	if !write {
		return nil
	}
	text, err := inputfile.Read(o.project.Path, 1<<20)
	if err != nil {
		return wrapRead(o.project.Path, err)
	}
	edited, err := withAsks(string(text), c.Asks)
	if err == nil {
		_, err = project.Parse(o.project.Path, []byte(edited))
	}
	if err != nil {
		return &problem.Problem{Kind: problem.Write, Where: o.project.Path, What: "the requests cannot be added: " + err.Error(),
			Mend: "add them by hand under audit:\n" + c.Asks, Cause: err}
	}
	c.Written = filepath.Base(o.project.Path)
	return writeOutput(o.project.Path, []byte(edited), "the project file", "check that it can be written to")
}

var (
	auditKey = regexp.MustCompile(`(?m)^audit:[ \t]*(#.*)?$`)
	asksKey  = regexp.MustCompile(`(?m)^[ \t]+asks:`)
	anyAudit = regexp.MustCompile(`(?m)^audit:`)
)

// withAsks adds an asks key to the audit section of a project file. All other bytes stay the same.
func withAsks(text, asks string) (string, error) {
	indented := "  " + strings.TrimRight(strings.ReplaceAll(asks, "\n", "\n  "), " ")
	switch at := auditKey.FindStringIndex(text); {
	case asksKey.MatchString(text):
		return "", fmt.Errorf("audit.asks exists")
	case at != nil:
		return text[:at[1]] + "\n" + strings.TrimRight(indented, "\n") + text[at[1]:], nil
	case anyAudit.MatchString(text):
		return "", fmt.Errorf("the audit section is on one line")
	}
	if text != "" && !strings.HasSuffix(text, "\n") {
		text += "\n"
	}
	return text + "audit:\n" + indented, nil
}
