package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"tachyform/internal/report"
)

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
			g, told, err := a.surveyed(cmd.Context(), o)
			if err != nil {
				return err
			}
			s := g.Summarize()
			s.Told = told
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
	a.liveFlags(c)
	return c
}
