package cli

import (
	"fmt"
	"strings"

	udiff "github.com/aymanbagabas/go-udiff"
	"github.com/spf13/cobra"

	"tachyform/internal/fit"
	"tachyform/internal/report"
)

func (a *app) fit() *cobra.Command {
	var dry bool
	c := &cobra.Command{
		Use:   "fit [SITE]",
		Short: "Write manifest, icons, worker and head tags into the site",
		Long: `Fit writes all that tachyform.yaml describes into the site folder, as one
transaction: either everything is written or nothing is. Run it after each
build; what is right already stays untouched. tachyform undo takes it back.`,
		Args: cobra.MaximumNArgs(1),
	}
	c.Flags().BoolVar(&dry, "dry-run", false, "show what would change as a unified diff, and write nothing")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		p, name, err := a.load(args)
		if err != nil {
			return err
		}
		if isURL(name) {
			return usagef("fit works on a folder, not on a live site")
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
		if !dry {
			said, err := fit.Recover(fit.StateDir(p, name))
			if err != nil {
				return err
			}
			if said != "" {
				fmt.Fprintln(a.err, said)
			}
		}
		o, err := a.open(cmd.Context(), args)
		if err != nil {
			return err
		}
		plan, err := fit.Prepare(cmd.Context(), o.project, o.folder)
		if err != nil {
			return wrapRead(o.name, err)
		}
		plan.Site = o.name
		if dry {
			a.diff(plan)
			return nil
		}
		plan.Site = o.folder.Dir
		if err := plan.Apply(cmd.Context()); err != nil {
			return err
		}
		fmt.Fprint(a.out, report.Fit(plan, o.project, o.name, a.width))
		return nil
	}
	return c
}

// diff prints what a fit would change.
func (a *app) diff(plan *fit.Plan) {
	if len(plan.Changes) == 0 {
		fmt.Fprintln(a.out, "Nothing would change.")
		return
	}
	for _, c := range plan.Changes {
		switch {
		case c.What == "icon":
			fmt.Fprintf(a.out, "new icon %s, %d bytes\n", c.Path, len(c.New))
		case c.Old == nil:
			fmt.Fprint(a.out, udiff.Unified("/dev/null", c.Path, "", string(c.New)))
		default:
			fmt.Fprint(a.out, udiff.Unified(c.Path, c.Path, string(c.Old), string(c.New)))
		}
	}
}

func (a *app) undo() *cobra.Command {
	return &cobra.Command{
		Use:   "undo [SITE]",
		Short: "Take back what fit wrote, byte for byte",
		Args:  cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			p, name, err := a.load(args)
			if err != nil {
				return err
			}
			if isURL(name) {
				return usagef("undo works on a folder, not on a live site")
			}
			restored, err := fit.Undo(fit.StateDir(p, name), name)
			if err != nil {
				return err
			}
			fmt.Fprintf(a.out, "%s is as it was before: %s restored or removed.\n", shortName(name), plural(len(restored), "file"))
			return nil
		},
	}
}

func plural(n int, word string) string {
	if n == 1 {
		return "1 " + word
	}
	return fmt.Sprintf("%d %ss", n, strings.TrimSuffix(word, "s"))
}
