package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/project"
	"tachyform/internal/report"
	"tachyform/internal/site"
	"tachyform/internal/spelling"
	"tachyform/internal/useragent"
)

// rehearsalKinds are the kinds of --report.
var rehearsalKinds = []string{"html", "json", "junit", "markdown"}

func (a *app) rehearse() *cobra.Command {
	var only []string
	var account bool
	var answers string
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
	c.Flags().BoolVar(&account, "account", false, "tell all that happened in each step: worker events, answers, the "+
		"network, the console")
	c.Flags().StringVar(&answers, "record-answers", "", "open the pages with the server of hosting.backend behind them, and keep "+
		"what it answers in this `folder` beside the project file")
	var looking realBrowser
	var reports []string
	var pictures, content bool
	var differences string
	c.Flags().StringVar(&differences, "differences", "", "write a report of each difference to this `file`, to be read and then sent to Tachyform by hand; needs --browser")
	c.Flags().BoolVar(&content, "with-content", false, "include the texts of the pages in that report")
	c.Flags().StringArrayVar(&reports, "report", nil, "also write a report, such as html=report.html (`KIND=FILE`; "+strings.Join(rehearsalKinds, ", ")+")")
	c.Flags().BoolVar(&pictures, "pictures", false, "add pictures of the pages, online and offline, to the HTML report; needs --browser")
	c.Flags().StringVar(&looking.name, "browser", "", "also open the pages in a real browser (chromium, firefox or webkit) and report the "+
		"differences")
	c.Flags().StringVar(&looking.path, "browser-path", "", "path of the `program` of that browser, if it is not on the PATH")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := looking.check("browser"); err != nil {
			return err
		}
		if err := checkReports(reports, rehearsalKinds); err != nil {
			return err
		}
		if pictures && (looking.name == "" || !hasReport(reports, "html")) {
			return usagef("--pictures needs --browser NAME, which takes them, and --report html=FILE, which shows them")
		}
		if answers != "" {
			o, err := a.open(cmd.Context(), args)
			if err != nil {
				return err
			}
			return a.recordAnswers(cmd.Context(), o, answers)
		}
		if (differences != "" || content) && looking.name == "" {
			return usagef("--differences and --with-content need --browser NAME, whose results are compared")
		}
		o, in, err := a.rehearsable(cmd.Context(), args, under)
		if err != nil {
			return err
		}
		if in.Kind, err = profile(); err != nil {
			return err
		}
		if looking.name != "" && !cmd.Flags().Changed("target") {
			in.Kind = useragent.Kinds[realBrowsers[looking.name].target]
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
		played, holds := []*audit.PlanResult{}, true
		for _, named := range chosen {
			p, err := audit.RunPlan(cmd.Context(), in, named,
				func(dir string) (site.Host, error) { return openRelease(o.project, in.Host.Origin(), dir) })
			if err != nil {
				return wrapRead(o.name, err)
			}
			played = append(played, p)
			holds = holds && p.Holds
		}
		result := &report.Rehearsed{Site: o.name, Origin: in.Host.Origin(), Entry: o.project.Audit.Entry, Report: r, Played: played}
		if looking.name != "" {
			result.Browser, err = a.tryInBrowser(cmd.Context(), o, in, tried{r, chosen, played, pictures}, looking)
			if err != nil {
				return err
			}
		}
		if err := writeReports(reports, result.JSON(), reportForms{
			"html":     func() ([]byte, error) { return report.RehearsalHTML(result) },
			"junit":    func() ([]byte, error) { return report.RehearsalJUnit(result) },
			"markdown": func() ([]byte, error) { return report.RehearsalMarkdown(result), nil },
		}); err != nil {
			return err
		}
		if differences != "" {
			if err := writeOutput(differences, report.Differences(result, Version(), content), "the report", "name a file in a folder that can be written to"); err != nil {
				return err
			}
		}
		if a.format == "json" {
			if err := a.json(result.JSON()); err != nil {
				return err
			}
		} else {
			fmt.Fprint(a.out, report.RehearsedText(result, account, a.width))
			for _, spec := range reports {
				_, file, _ := strings.Cut(spec, "=")
				fmt.Fprintf(a.out, "  report   %s\n", file)
			}
			if differences != "" {
				fmt.Fprintf(a.out, "  report   %s, of the differences; nothing was sent\n", differences)
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
			switch near := spelling.Nearest(name, names); {
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
