package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/confirm"
	"tachyform/internal/handover"
	"tachyform/internal/report"
)

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
	under := conditionsFlag(c, condition.Stalled.Name)
	c.Flags().StringArrayVar(&opts.reports, "report", nil, "write a report as well, such as html=report.html "+
		"(`KIND=FILE`; html, json, sarif, junit or markdown)")
	c.Flags().StringVar(&opts.failOn, "fail-on", "",
		"the lightest weight that ends with status 1: blocker, risk or polish")
	c.Flags().BoolVar(&opts.fix, "fix", false, "mend what a fit can mend (tachyform undo takes it back), and say what "+
		"is left to you")
	c.Flags().BoolVar(&opts.remember, "remember", false, "keep what the audit came to in .tachyform beside the "+
		"project file, and show how it went so far")
	c.Flags().BoolVar(&watch, "watch", false, "judge again whenever a file of the site or the project file changes; "+
		"Ctrl-C ends it")
	c.Flags().BoolVar(&opts.handover, "with-handover", false, "hand over from the release marked live, or the last one recorded, as "+
		"well; see tachyform handover")
	c.Flags().BoolVar(&opts.onlyNew, "fail-on-new", false, "with --compare: end with status 1 only for findings that are new")
	c.Flags().StringVar(&opts.compare, "compare", "", "say what is mended and what is new since this report, a `FILE` "+
		"of --format json or --report json")
	c.Flags().StringVar(&opts.confirm.name, "confirm", "", "open pages with an unknown outcome in a real browser (chromium, firefox or webkit), "+
		"record the results in "+confirm.RecordName+", and report whether it would install the app")
	c.Flags().StringVar(&opts.confirm.path, "browser-path", "", "path of the `program` of that browser, if it is not on the PATH")
	c.Flags().BoolVar(&opts.ignoreConfirmed, "ignore-confirmed", false, "do not use "+confirm.RecordName)
	c.Flags().BoolVar(&opts.writeRequests, "write-requests", false, "with --confirm: add the requests of these pages to the project file, under audit.asks")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := checkReports(opts.reports, reportKinds); err != nil {
			return err
		}
		if opts.onlyNew && opts.compare == "" {
			return usagef("--fail-on-new goes with --compare FILE, the report that findings are new since")
		}
		if err := opts.confirm.check("confirm"); err != nil {
			return err
		}
		if opts.writeRequests && opts.confirm.name == "" {
			return usagef("--write-requests needs --confirm NAME, the browser whose requests are written")
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
	onlyNew         bool
	handover        bool
	confirm         realBrowser
	ignoreConfirmed bool
	writeRequests   bool
}

// auditOnce judges the site, writes the reports and shows the result.
func (a *app) auditOnce(cmd *cobra.Command, args []string, under func() ([]condition.Condition, error),
	opts auditOptions, earlier *audit.Report) error {
	o, in, err := a.rehearsable(cmd.Context(), args, under)
	if err != nil {
		return err
	}
	if err := setFailOn(o.project, opts.failOn); err != nil {
		return err
	}
	if opts.handover {
		release, done, err := recordedRelease(cmd.Context(), o, in)
		defer done()
		if err != nil {
			return err
		}
		in.Before = []handover.Release{release}
	}
	if err := a.useRecord(o, &in, opts.ignoreConfirmed); err != nil {
		return err
	}
	r, err := audit.Run(cmd.Context(), in)
	if err != nil {
		return wrapRead(o.name, err)
	}
	if opts.fix {
		wrote, err := a.fix(cmd, args, r)
		if err != nil {
			return err
		}
		if wrote {
			before, old := r, in.Before
			if o, in, err = a.rehearsable(cmd.Context(), args, under); err != nil {
				return err
			}
			in.Before = old
			if err := a.useRecord(o, &in, opts.ignoreConfirmed); err != nil {
				return err
			}
			if err := setFailOn(o.project, opts.failOn); err != nil {
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
	var inBrowser *report.Confirmed
	if opts.confirm.name != "" {
		if inBrowser, err = a.confirm(cmd.Context(), o, in, r, opts); err != nil {
			return err
		}
		if err := a.useRecord(o, &in, opts.ignoreConfirmed); err != nil {
			return err
		}
		if len(in.Confirmed) > 0 {
			if r, err = audit.Run(cmd.Context(), in); err != nil {
				return wrapRead(o.name, err)
			}
		}
		r.Browser = inBrowser.Summary()
	}
	if earlier != nil {
		r.Compare(earlier, opts.compare)
	}
	if hasReport(opts.reports, "html") {
		// A site without icons has no sheet; the findings say why.
		if s, err := audit.Sheet(cmd.Context(), in); err == nil {
			r.Sheet = s
		}
	}
	if err := writeReports(opts.reports, r, auditForms(r, o.project.Audit.FailOn)); err != nil {
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
		if inBrowser != nil {
			fmt.Fprint(a.out, report.ConfirmedText(inBrowser, a.width))
		}
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
	fails := r.FailsOn(o.project.Audit.FailOn)
	if opts.onlyNew && earlier != nil {
		fails = r.Since.FailsOn(o.project.Audit.FailOn)
	}
	if fails {
		return errFindings
	}
	return nil
}
