package cli

import (
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/report"
)

func (a *app) sheet() *cobra.Command {
	var out string
	c := &cobra.Command{
		Use:   "sheet [SITE]",
		Short: "Draw the icons as people will see them: files, launcher masks, home screen, splash",
		Long: `Sheet draws one picture of all the icons that the site declares: each file at
its true size, the maskable one under the shapes that launchers cut, and the
places where people meet the app, with its name and colours.`,
		Args: cobra.MaximumNArgs(1),
	}
	c.Flags().StringVar(&out, "out", "sheet.png", "the PNG `file` to write")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		o, err := a.open(cmd.Context(), args)
		if err != nil {
			return err
		}
		in, err := a.input(o)
		if err != nil {
			return err
		}
		if o.folder != nil {
			// A sheet inside the site would be deployed with it.
			if at, err := filepath.Abs(out); err == nil && within(o.project.SiteDir(), at) {
				return usagef("%s lies inside the site and would be deployed with it; name another place with --out", out)
			}
		}
		s, err := audit.Sheet(cmd.Context(), in)
		if err != nil {
			return wrapRead(o.name, err)
		}
		data, err := s.PNG()
		if err != nil {
			return err
		}
		if err := writeOutput(out, data, "the sheet", "name another place with --out"); err != nil {
			return err
		}
		fmt.Fprint(a.out, report.Sheet(s, out, a.width))
		return nil
	}
	return c
}

// within says whether a path lies in a folder.
func within(dir, path string) bool {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return false
	}
	rel, err := filepath.Rel(dir, path)
	return err == nil && filepath.IsLocal(rel)
}
