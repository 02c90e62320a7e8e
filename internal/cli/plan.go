package cli

import (
	"github.com/spf13/cobra"

	"tachyform/internal/fit"
)

// planned opens the site and works out what fit would do.
func (a *app) planned(cmd *cobra.Command, args []string) (*opened, *fit.Plan, error) {
	if err := a.checkFormat(); err != nil {
		return nil, nil, err
	}
	o, err := a.open(cmd.Context(), args)
	if err != nil {
		return nil, nil, err
	}
	if err := o.needFolder(cmd.Name()); err != nil {
		return nil, nil, err
	}
	plan, err := a.prepare(cmd.Context(), o)
	return o, plan, wrapRead(o.name, err)
}
