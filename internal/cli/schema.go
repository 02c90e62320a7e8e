package cli

import (
	"github.com/spf13/cobra"

	"tachyform/internal/project"
	"tachyform/internal/report"
)

func (a *app) schema() *cobra.Command {
	return &cobra.Command{
		Use:       "schema [project|audit|handover]",
		Short:     "Print the JSON Schema of tachyform.yaml, for editors, or of the JSON of audit and handover",
		Args:      cobra.MaximumNArgs(1),
		ValidArgs: []string{"project", "audit", "handover"},
		RunE: func(_ *cobra.Command, args []string) error {
			switch {
			case len(args) == 0 || args[0] == "project":
				return a.json(project.Schema())
			case args[0] == "audit":
				return a.json(report.AuditSchema())
			}
			if args[0] == "handover" {
				return a.json(report.HandoverSchema())
			}
			return usagef("there are schemas of project, audit and handover, not of %q", args[0])
		},
	}
}
