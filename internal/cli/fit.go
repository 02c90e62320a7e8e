package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	udiff "github.com/aymanbagabas/go-udiff"
	"github.com/spf13/cobra"

	"tachyform/internal/fit"
	"tachyform/internal/inputfile"
	"tachyform/internal/report"
)

func (a *app) fit() *cobra.Command {
	var dry, check, development bool
	var into string
	c := &cobra.Command{
		Use:   "fit [SITE]",
		Short: "Write manifest, icons, worker and head tags into the site",
		Long: `Fit writes all that tachyform.yaml describes into the site folder, as one
transaction: either everything is written or nothing is. Run it after each
build; what is right already stays untouched. tachyform undo takes it back.

With --into the fitted site is written to another folder, and the site itself
stays as it is.`,
		Args: cobra.MaximumNArgs(1),
	}
	c.Flags().BoolVar(&dry, "dry-run", false, "show what would change as a unified diff, and write nothing")
	c.Flags().BoolVar(&check, "check", false, "write nothing, and end with status 1 if the site is not fitted to its project file")
	c.Flags().StringVar(&into, "into", "", "write the fitted site to this `folder`, new or empty, and leave the site alone")
	a.liveFlags(c)
	c.Flags().BoolVar(&development, "development", false, "have pages register nothing and remove what is registered, "+
		"for working on the site")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		p, name, err := a.load(args)
		if err != nil {
			return err
		}
		if check && (dry || into != "") {
			return usagef("--check writes nothing and only says whether a fit would; it goes with neither --dry-run nor --into")
		}
		if dry && into != "" {
			return usagef("--dry-run writes nothing and --into a whole site; choose one of them")
		}
		if isURL(name) {
			if into == "" {
				return usagef("fit works on a folder, not on a live site; with --into FOLDER it makes the files to upload, and " +
					"the lines for the template")
			}
			o, err := a.open(cmd.Context(), args)
			if err != nil {
				return err
			}
			return a.fitLive(cmd.Context(), o, into)
		}
		if p.Path == "" {
			// Sources or an empty folder are the more likely mistake, and the same for every command.
			if f, err := openFolder(name, p); err != nil {
				return err
			} else if err := f.CheckBuilt(); err != nil {
				return err
			}
			return usagef("there is no tachyform.yaml that describes the app; tachyform init %s writes one", name)
		}
		write := func(state *fit.State) error {
			o, err := a.open(cmd.Context(), args)
			if err != nil {
				return err
			}
			o.project.Development = development
			if err := a.learnReplaced(cmd.Context(), o); err != nil {
				return err
			}
			plan, err := a.prepare(cmd.Context(), o)
			if err != nil {
				return wrapRead(o.name, err)
			}
			if err := a.tryReplacing(cmd.Context(), o, plan); err != nil {
				return err
			}
			switch {
			case check:
				fmt.Fprint(a.out, report.Checked(plan, o.name))
				if len(plan.Changes) > 0 {
					return errFindings
				}
				return nil
			case dry:
				a.diff(plan)
				return nil
			case into != "":
				if err := plan.CopyTo(cmd.Context(), into, o.folder.Skipped); err != nil {
					return err
				}
				fmt.Fprint(a.out, report.Fit(plan, o.project, into, false, a.width))
				return nil
			}
			first := !fit.HasJournal(plan.State)
			if err := state.Apply(cmd.Context(), plan); err != nil {
				return err
			}
			fmt.Fprint(a.out, report.Fit(plan, o.project, o.name, first, a.width))
			if first && len(plan.Changes) > 0 && gitIgnores(plan.State) == "no" {
				fmt.Fprintf(a.out, "\n  Add %s/ to .gitignore: it holds what undo needs, for this machine alone.\n",
					filepath.Base(plan.State))
			}
			return a.keepRelease(cmd.Context(), args)
		}
		if _, err := os.Stat(fit.StateDir(p, name)); dry || check || into != "" && err != nil {
			return write(nil) // the site is not written to, and no earlier run has to be dealt with
		}
		return a.writing(cmd.Context(), p, name, "fit", write)
	}
	return c
}

// gitIgnores says whether version control passes a folder over: yes, no, or "" where there is none. It looks for the
// name on a line of its own in the ignore files from the folder up to the repository's root.
func gitIgnores(path string) string {
	name, said := filepath.Base(path), "no"
	dir, err := filepath.Abs(filepath.Dir(path))
	for err == nil {
		text, _ := inputfile.Read(filepath.Join(dir, ".gitignore"), 1<<20)
		for line := range strings.Lines(string(text)) {
			if strings.Trim(strings.TrimSpace(line), "/") == name {
				said = "yes"
			}
		}
		if _, err := os.Stat(filepath.Join(dir, ".git")); err == nil {
			return said
		}
		if filepath.Dir(dir) == dir {
			break
		}
		dir = filepath.Dir(dir)
	}
	return ""
}

// diff prints what a fit would change.
func (a *app) diff(plan *fit.Plan) {
	if len(plan.Changes) == 0 {
		fmt.Fprintln(a.out, "Nothing would change.")
		return
	}
	// A file of it is a patch, byte for byte; a person sees text, through a pipe too.
	show, out := func(s string) string { return s }, a.exact
	if !a.patch {
		out = a.out
		show = func(s string) string {
			lines := strings.SplitAfter(s, "\n")
			for i, l := range lines {
				text, end := strings.CutSuffix(l, "\n")
				if lines[i] = report.Shown(text); end {
					lines[i] += "\n"
				}
			}
			return strings.Join(lines, "")
		}
	}
	for _, c := range plan.Changes {
		switch {
		case c.What == "icon":
			fmt.Fprintf(a.out, "new icon %s, %d bytes\n", report.Shown(c.Path), len(c.New))
		case c.Old == nil:
			fmt.Fprint(out, show(udiff.Unified("/dev/null", c.Path, "", string(c.New))))
		default:
			fmt.Fprint(out, show(udiff.Unified(c.Path, c.Path, string(c.Old), string(c.New))))
		}
	}
}
