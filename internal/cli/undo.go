package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"tachyform/internal/fit"
	"tachyform/internal/report"
)

func (a *app) undo() *cobra.Command {
	return &cobra.Command{
		Use:   "undo [SITE]",
		Short: "Take back what fit wrote, byte for byte",
		Args:  cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			p, name, err := a.load(args)
			if err != nil {
				return err
			}
			if isURL(name) {
				return usagef("undo works on a folder, not on a live site")
			}
			state, err := fit.OpenState(cmd.Context(), fit.StateDir(p, name), "undo")
			if err != nil {
				return err
			}
			defer state.Close()
			undone, err := state.Undo(name)
			fmt.Fprint(a.err, report.Recovery(undone.Recovery, a.width))
			if err != nil {
				return err
			}
			fmt.Fprint(a.out, report.Undone(undone, shortName(name), a.width))
			return nil
		},
	}
}
