package cli

import (
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/fit"
	"tachyform/internal/report"
)

// fix fits the site when that may mend one of the findings, and says what it wrote. It gives whether anything was
// written.
func (a *app) fix(cmd *cobra.Command, args []string, r *audit.Report) (bool, error) {
	if !slices.ContainsFunc(r.Findings, func(f *audit.Finding) bool { return audit.CheckOf(f.Code).FitMends }) {
		return false, nil
	}
	o, err := a.open(cmd.Context(), args)
	if err != nil {
		return false, err
	}
	if o.folder == nil {
		return false, usagef("--fix writes into a folder; a live site is not changed")
	}
	if o.project.Path == "" {
		return false, usagef("there is no tachyform.yaml that says what to write; tachyform init %s makes one", o.name)
	}
	wrote := false
	err = a.writing(cmd.Context(), o.project, o.folder.Dir, "audit --fix", func(state *fit.State) error {
		o, err := a.open(cmd.Context(), args)
		if err != nil {
			return err
		}
		if o.project.Head.Mend == "" {
			o.project.Head.Mend = "yes" // it is asked for
		}
		plan, err := a.prepare(cmd.Context(), o)
		if err != nil {
			return wrapRead(o.name, err)
		}
		if err := state.Apply(cmd.Context(), plan); err != nil {
			return err
		}
		if wrote = len(plan.Changes) > 0; wrote && a.format != "json" {
			fmt.Fprint(a.out, report.Fixed(plan, a.width))
		}
		return nil
	})
	return wrote, err
}
