package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/report"
	"tachyform/internal/spelling"
)

func (a *app) explain() *cobra.Command {
	c := &cobra.Command{
		Use:   "explain [CODE]",
		Short: "Say what a finding of the audit means, or list them all",
		Args:  cobra.MaximumNArgs(1),
		ValidArgsFunction: func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
			return codes(), cobra.ShellCompDirectiveNoFileComp
		},
	}
	a.formatFlag(c)
	c.RunE = func(_ *cobra.Command, args []string) error {
		if err := a.checkFormat(); err != nil {
			return err
		}
		if len(args) == 0 {
			if a.format == "json" {
				return a.json(map[string]any{"schema": "tachyform.checks/1", "checks": audit.Catalogue})
			}
			fmt.Fprint(a.out, report.Checks(audit.Catalogue, a.width))
			return nil
		}
		for _, check := range audit.Catalogue {
			if check.Code != args[0] {
				continue
			}
			if a.format == "json" {
				return a.json(check)
			}
			fmt.Fprint(a.out, report.Explain(check, a.width))
			return nil
		}
		if near := spelling.Nearest(args[0], codes()); near != "" {
			return usagef("there is no finding %q; did you mean %s?", args[0], near)
		}
		return usagef("there is no finding %q; tachyform explain lists them", args[0])
	}
	return c
}

func codes() (list []string) {
	for _, check := range audit.Catalogue {
		list = append(list, check.Code)
	}
	return list
}
