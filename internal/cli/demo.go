package cli

import (
	"context"
	"embed"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	examples "tachyform/examples/skerry-line"
	"tachyform/internal/audit"
	"tachyform/internal/fit"
	"tachyform/internal/handover"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/report"
)

func (a *app) demo() *cobra.Command {
	var into string
	c := &cobra.Command{
		Use:   "demo",
		Short: "Show the whole way on an example site, in a new temporary folder",
	}
	c.Flags().StringVar(&into, "into", "", "unpack into this empty or new `folder` instead")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		dir, err := unpackDemo(into)
		if err != nil {
			return err
		}
		return a.runDemo(cmd.Context(), dir)
	}
	return c
}

// unpackDemo writes the example into a folder and gives its path.
func unpackDemo(into string) (string, error) {
	failed := func(err error) error {
		return &problem.Problem{Kind: problem.Write, Where: into, What: "the example cannot be unpacked: " + err.Error(),
			Mend: "name a folder that can be written to with --into", Cause: err}
	}
	if into == "" {
		dir, err := os.MkdirTemp("", "skerry-line-")
		if err != nil {
			return "", failed(err)
		}
		into = dir
	} else if entries, err := os.ReadDir(into); err == nil && len(entries) > 0 {
		return "", &problem.Problem{Kind: problem.Usage, Where: into, What: "the folder is not empty",
			Mend: "name an empty or new one"}
	}
	next := filepath.Join(into, nextRelease)
	for _, part := range []struct {
		files embed.FS
		from  string
		to    string
	}{{examples.Plain, "plain", into}, {examples.Plain, "plain", next}, {examples.Next, "next", next}} {
		if err := unpack(part.files, part.from, part.to); err != nil {
			return "", failed(err)
		}
	}
	return into, nil
}

// nextRelease is the folder of the demo in which its next release lies.
const nextRelease = "next-release"

// unpack writes embedded files into a folder.
func unpack(files embed.FS, from, to string) error {
	return fs.WalkDir(files, from, func(path string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, _ := filepath.Rel(from, filepath.FromSlash(path))
		target := filepath.Join(to, rel)
		if e.IsDir() {
			return os.MkdirAll(target, 0o755)
		}
		data, err := files.ReadFile(path)
		if err != nil {
			return err
		}
		return os.WriteFile(target, data, 0o644)
	})
}

// runDemo goes the whole way: survey, audit, fit, rehearse, audit, handover.
func (a *app) runDemo(ctx context.Context, dir string) error {
	step := func(n int, text string) { fmt.Fprint(a.out, report.Step(n, 6, text)) }
	siteDir := filepath.Join(dir, "site")
	open := func() (*opened, error) {
		p, err := project.Load(filepath.Join(dir, project.FileName))
		if err != nil {
			return nil, err
		}
		f, err := openFolder(siteDir, p)
		return &opened{p, "site", f, f}, err
	}
	o, err := open()
	if err != nil {
		return err
	}
	step(1, "survey: the site as it is")
	g, err := a.look(ctx, o)
	if err != nil {
		return err
	}
	s := g.Summarize()
	s.Site = "site"
	fmt.Fprint(a.out, report.Survey(s, a.width))

	judge := func() (*audit.Report, error) {
		in, err := a.input(o)
		if err != nil {
			return nil, err
		}
		return audit.Run(ctx, in)
	}
	step(2, "audit: would it install, does it work offline?")
	before, err := judge()
	if err != nil {
		return err
	}
	fmt.Fprint(a.out, report.Audit(before, a.width))

	step(3, "fit: manifest, icons, worker and head tags")
	err = a.writing(ctx, o.project, siteDir, "demo", func(state *fit.State) error {
		plan, err := a.prepare(ctx, o)
		if err != nil {
			return err
		}
		if err := state.Apply(ctx, plan); err != nil {
			return err
		}
		fmt.Fprint(a.out, report.Fit(plan, o.project, "site", false, a.width))
		return nil
	})
	if err != nil {
		return err
	}
	if o, err = open(); err != nil {
		return err
	}

	after, err := judge()
	if err != nil {
		return err
	}
	step(4, "rehearse: every page offline and on a network that stalls")
	fmt.Fprint(a.out, report.Rehearsal(after, a.width))

	step(5, "audit: the fitted site")
	fmt.Fprint(a.out, report.Audit(after, a.width))
	html := filepath.Join(dir, "audit.html")
	if err := writeReports([]string{"html=" + html}, after, auditForms(after, o.project.Audit.FailOn)); err != nil {
		return err
	}
	step(6, "handover: the next release, for people who have this one")
	if err := a.demoHandover(ctx, dir); err != nil {
		return err
	}
	fmt.Fprint(a.out, report.DemoEnd(dir, html, os.Args[0]))
	return nil
}

// demoHandover fits the next release of the demo, and hands over to it.
func (a *app) demoHandover(ctx context.Context, dir string) error {
	next := filepath.Join(dir, nextRelease)
	p, err := project.Load(filepath.Join(next, project.FileName))
	if err != nil {
		return err
	}
	siteDir := filepath.Join(next, "site")
	err = a.writing(ctx, p, siteDir, "demo", func(state *fit.State) error {
		f, err := openFolder(siteDir, p)
		if err != nil {
			return err
		}
		plan, err := a.prepare(ctx, &opened{p, "site", f, f})
		if err != nil {
			return err
		}
		return state.Apply(ctx, plan)
	})
	if err != nil {
		return err
	}
	f, err := openFolder(siteDir, p)
	if err != nil {
		return err
	}
	before, err := openFolder(filepath.Join(dir, "site"), p)
	if err != nil {
		return err
	}
	in, err := a.input(&opened{p, nextRelease + "/site", f, f})
	if err != nil {
		return err
	}
	r, err := audit.Handover(ctx, in, []handover.Release{{Name: "site", Host: before}}, nil)
	if err != nil {
		return err
	}
	fmt.Fprint(a.out, report.Handover(r, false, a.width))
	return nil
}
