package cli

import (
	"encoding/json"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/inputfile"
	"tachyform/internal/page"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/report"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
)

func (a *app) json(v any) error {
	enc := json.NewEncoder(a.out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

func (a *app) survey() *cobra.Command {
	c := &cobra.Command{
		Use:   "survey [SITE]",
		Short: "Look at a site: pages, files, weight, what is broken, what is wired already",
		Args:  cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			o, err := a.open(cmd.Context(), args)
			if err != nil {
				return err
			}
			if err := o.needFolder("survey"); err != nil {
				return err
			}
			g, err := page.BuildGraph(cmd.Context(), o.folder, &page.Reader{})
			if err != nil {
				return wrapRead(o.name, err)
			}
			s := g.Survey()
			s.Site = o.name
			if a.format == "json" {
				return a.json(s)
			}
			fmt.Fprint(a.out, report.Survey(s, a.width))
			if o.project.Path == "" {
				fmt.Fprint(a.out, report.Next("tachyform init "+o.name, "describes the app in tachyform.yaml"))
			} else {
				fmt.Fprint(a.out, report.Next("tachyform fit", "writes manifest, icons, worker and head tags"))
			}
			return nil
		},
	}
	a.formatFlag(c)
	return c
}

// conditionsFlag reads --under.
func conditionsFlag(c *cobra.Command, standard string) func() ([]useragent.Condition, error) {
	var names []string
	c.Flags().StringSliceVar(&names, "under", strings.Split(standard, ","), "conditions of the network: offline, stalled, slow, flaky, online")
	return func() ([]useragent.Condition, error) {
		var list []useragent.Condition
		for _, n := range names {
			cond, ok := useragent.Conditions[n]
			if !ok {
				var known []string
				for k := range useragent.Conditions {
					known = append(known, k)
				}
				if near := problem.Nearest(n, known); near != "" {
					return nil, usagef("there is no condition %q; did you mean %s?", n, near)
				}
				return nil, usagef("there is no condition %q: it is offline, stalled, slow, flaky or online", n)
			}
			list = append(list, cond)
		}
		return list, nil
	}
}

// targetFlag reads --target.
func targetFlag(c *cobra.Command) func() (*useragent.Profile, error) {
	var name string
	c.Flags().StringVar(&name, "target", "chromium-desktop", "the kind of browser: what its workers lack is taken away")
	return func() (*useragent.Profile, error) {
		p := useragent.Profiles[name]
		if p == nil {
			return nil, usagef("there is no target %q: they are %s", name, strings.Join(useragent.ProfileNames(), ", "))
		}
		return p, nil
	}
}

func (a *app) rehearse() *cobra.Command {
	var only []string
	var account bool
	c := &cobra.Command{
		Use:   "rehearse [SITE]",
		Short: "Visit every page offline and on a stalled network, in a browser without a screen",
		Long: `Rehearse opens the site in Tachyform's own user agent: first online, as a new
visitor would, then every page again in each condition of the network. It runs
the site's real service worker on a virtual clock, so waiting costs no time.

Rehearsals of your own stand in tachyform.yaml under rehearsals: steps such as
open, reload, network, deploy and push, and what you expect of them. They are
played after the others, or alone with --only.`,
		Args: cobra.MaximumNArgs(1),
	}
	a.formatFlag(c)
	a.liveFlags(c)
	under := conditionsFlag(c, "offline,stalled")
	profile := targetFlag(c)
	c.Flags().StringArrayVar(&only, "only", nil, "play only the rehearsal of the project file with this `name`")
	c.Flags().BoolVar(&account, "account", false, "tell all that happened in each step: worker events, answers, the network, the console")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		o, in, err := a.rehearsable(cmd.Context(), args, under)
		if err != nil {
			return err
		}
		if in.Profile, err = profile(); err != nil {
			return err
		}
		chosen, err := chooseRehearsals(o.project.Rehearsals, only)
		if err != nil {
			return err
		}
		var r *audit.Report
		if len(only) == 0 {
			if r, err = audit.Rehearse(cmd.Context(), in); err != nil {
				return wrapRead(o.name, err)
			}
		}
		played, holds := []*audit.Played{}, true
		for _, named := range chosen {
			p, err := audit.Play(cmd.Context(), in, named, func(dir string) (site.Host, error) { return openRelease(o.project, in.Host.Origin(), dir) })
			if err != nil {
				return wrapRead(o.name, err)
			}
			played = append(played, p)
			holds = holds && p.Holds
		}
		switch {
		case a.format == "json":
			out := map[string]any{"schema": "tachyform.rehearsal/1", "site": o.name, "origin": in.Host.Origin(), "entry": o.project.Audit.Entry, "rehearsals": played}
			if r != nil {
				out["worker"], out["pages"], out["gaps"] = r.Worker, r.Pages, append([]string{}, r.Rehearsal.Gaps...)
			}
			if err := a.json(out); err != nil {
				return err
			}
		default:
			if r != nil {
				fmt.Fprint(a.out, report.Rehearsal(r, a.width))
			}
			for _, p := range played {
				fmt.Fprint(a.out, report.Played(p, account, a.width))
			}
			if r != nil {
				fmt.Fprint(a.out, report.RehearsalNext(r))
			}
		}
		if !holds {
			return errFindings
		}
		return nil
	}
	return c
}

// chooseRehearsals gives the rehearsals with the names that were asked for, or all.
func chooseRehearsals(all []project.Rehearsal, only []string) ([]project.Rehearsal, error) {
	if len(only) == 0 {
		return all, nil
	}
	var names []string
	for _, r := range all {
		names = append(names, r.Name)
	}
	var chosen []project.Rehearsal
	for _, name := range only {
		i := slices.Index(names, name)
		if i < 0 {
			switch near := problem.Nearest(name, names); {
			case len(names) == 0:
				return nil, usagef("the project file has no rehearsals; add some under rehearsals:")
			case near != "":
				return nil, usagef("there is no rehearsal %q; did you mean %q?", name, near)
			}
			return nil, usagef("there is no rehearsal %q; there are: %s", name, strings.Join(names, ", "))
		}
		chosen = append(chosen, all[i])
	}
	return chosen, nil
}

// openRelease opens the folder of another release, which answers as the project's host does.
func openRelease(p *project.Project, origin, dir string) (site.Host, error) {
	if !filepath.IsAbs(dir) {
		dir = filepath.Join(p.Dir, dir)
	}
	return site.OpenFolder(dir, origin, p.Addr, p.Host)
}

func (a *app) audit() *cobra.Command {
	var opts auditOptions
	var watch bool
	c := &cobra.Command{
		Use:   "audit [SITE]",
		Short: "Judge the site for every kind of browser, with causes and mends",
		Long: `Audit says for each kind of browser whether it would install the app, whether
every page works offline and on a stalled network, and what stands in the way.
It ends with status 1 when a finding is at or over the threshold (audit.fail_on).`,
		Args: cobra.MaximumNArgs(1),
	}
	a.formatFlag(c)
	a.liveFlags(c)
	under := conditionsFlag(c, "stalled")
	c.Flags().StringArrayVar(&opts.reports, "report", nil, "write a report as well, such as html=report.html (`KIND=FILE`; html, json, sarif, junit or markdown)")
	c.Flags().StringVar(&opts.failOn, "fail-on", "", "the lightest weight that ends with status 1: blocker, risk or polish")
	c.Flags().BoolVar(&opts.fix, "fix", false, "mend what a fit can mend (tachyform undo takes it back), and say what is left to you")
	c.Flags().BoolVar(&opts.remember, "remember", false, "keep what the audit came to in .tachyform beside the project file, and show how it went so far")
	c.Flags().BoolVar(&watch, "watch", false, "judge again whenever a file of the site or the project file changes; Ctrl-C ends it")
	c.Flags().StringVar(&opts.compare, "compare", "", "say what is mended and what is new since this report, a `FILE` of --format json or --report json")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := checkReports(opts.reports); err != nil {
			return err
		}
		earlier, err := readReport(opts.compare)
		if err != nil {
			return err
		}
		if watch && opts.fix {
			return usagef("--fix writes into the site that --watch looks at; choose one of them")
		}
		if watch {
			return a.watch(cmd.Context(), args, func() error { return a.auditOnce(cmd, args, under, opts, earlier) })
		}
		return a.auditOnce(cmd, args, under, opts, earlier)
	}
	return c
}

// auditOptions are what the command line says beside the site.
type auditOptions struct {
	reports         []string
	failOn, compare string
	fix, remember   bool
}

// auditOnce judges the site, writes the reports and shows the result.
func (a *app) auditOnce(cmd *cobra.Command, args []string, under func() ([]useragent.Condition, error), opts auditOptions, earlier *audit.Report) error {
	o, in, err := a.rehearsable(cmd.Context(), args, under)
	if err != nil {
		return err
	}
	if opts.failOn != "" {
		if opts.failOn != audit.Blocker && opts.failOn != audit.Risk && opts.failOn != audit.Polish {
			return usagef("--fail-on takes blocker, risk or polish, not %q", opts.failOn)
		}
		o.project.Audit.FailOn = opts.failOn
	}
	r, err := audit.Run(cmd.Context(), in)
	if err != nil {
		return wrapRead(o.name, err)
	}
	if opts.fix {
		wrote, err := a.mend(cmd, args, r)
		if err != nil {
			return err
		}
		if wrote {
			before := r
			if _, in, err = a.rehearsable(cmd.Context(), args, under); err != nil {
				return err
			}
			if r, err = audit.Run(cmd.Context(), in); err != nil {
				return wrapRead(o.name, err)
			}
			if earlier == nil {
				earlier, opts.compare = before, "the fit"
			}
		}
	}
	if earlier != nil {
		r.Compare(earlier, opts.compare)
	}
	if slices.ContainsFunc(opts.reports, func(s string) bool { return strings.HasPrefix(s, "html=") }) {
		// A site without icons has no sheet; the findings say why.
		if s, err := audit.Sheet(cmd.Context(), in); err == nil {
			r.Sheet = s
		}
	}
	if err := writeReports(opts.reports, r, o.project.Audit.FailOn); err != nil {
		return err
	}
	var history []report.Remembered
	if opts.remember {
		if history, err = remember(o, r); err != nil {
			return err
		}
	}
	if a.format == "json" {
		if err := a.json(r); err != nil {
			return err
		}
	} else {
		fmt.Fprint(a.out, report.Audit(r, a.width))
		if history != nil {
			fmt.Fprint(a.out, report.History(history))
		}
		for i, spec := range opts.reports {
			if i == 0 {
				fmt.Fprintln(a.out)
			}
			_, file, _ := strings.Cut(spec, "=")
			fmt.Fprintf(a.out, "  report   %s\n", file)
		}
	}
	if r.FailsOn(o.project.Audit.FailOn) {
		return errFindings
	}
	return nil
}

// readReport reads an audit's JSON report, nil for no file.
func readReport(file string) (*audit.Report, error) {
	if file == "" {
		return nil, nil
	}
	text, err := inputfile.Read(file, 256<<20)
	r := &audit.Report{}
	if err == nil {
		err = json.Unmarshal(text, r)
	}
	switch {
	case err != nil:
		return nil, &problem.Problem{Kind: problem.Usage, Where: file, What: "the earlier report cannot be read: " + err.Error(), Mend: "tachyform audit --report json=FILE writes one", Cause: err}
	case r.Schema != "tachyform.audit/1":
		return nil, &problem.Problem{Kind: problem.Usage, Where: file, What: "this is no report of an audit", Mend: "tachyform audit --report json=FILE writes one"}
	}
	return r, nil
}

var reportKinds = []string{"html", "json", "sarif", "junit", "markdown"}

func checkReports(specs []string) error {
	for _, spec := range specs {
		kind, file, ok := strings.Cut(spec, "=")
		if !ok || file == "" || !slices.Contains(reportKinds, kind) {
			return usagef("--report takes KIND=FILE, with a kind of %s, not %q", strings.Join(reportKinds, ", "), spec)
		}
	}
	return nil
}

func writeReports(specs []string, r *audit.Report, failOn string) error {
	for _, spec := range specs {
		kind, file, _ := strings.Cut(spec, "=")
		var content []byte
		var err error
		switch kind {
		case "html":
			content, err = report.HTML(r)
		case "sarif":
			content, err = report.SARIF(r)
		case "junit":
			content, err = report.JUnit(r, failOn)
		case "markdown":
			content = report.Markdown(r)
		default:
			content, err = json.MarshalIndent(r, "", "  ")
			content = append(content, '\n')
		}
		if err != nil {
			return err
		}
		if err := writeOutput(file, content, "the report", "name a file in a folder that can be written to"); err != nil {
			return err
		}
	}
	return nil
}
