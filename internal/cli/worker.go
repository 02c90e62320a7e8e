package cli

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/report"
	"tachyform/internal/worker"
)

func (a *app) worker() *cobra.Command {
	var list, minify bool
	var target string
	c := &cobra.Command{
		Use:   "worker [SITE]",
		Short: "Print the service worker that fit would write, or list its pack",
		Args:  cobra.MaximumNArgs(1),
	}
	a.formatFlag(c)
	c.Flags().BoolVar(&list, "list", false, "list what is in the pack instead: file, bytes, and why")
	c.Flags().BoolVar(&minify, "minify", false, "without comments, white space and long names")
	c.Flags().StringVar(&target, "target", "", "the oldest JavaScript that browsers must know, `es2017` to es2022 "+
		"(default es2020)")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		o, plan, err := a.planned(cmd, args)
		if err != nil {
			return err
		}
		if plan.Worker == nil {
			return usagef("the project file describes no worker; add pack or rules under worker:")
		}
		if list {
			if a.format == "json" {
				return a.json(map[string]any{"schema": "tachyform.pack/1", "bytes": plan.Worker.Bytes(), "pack": plan.Worker.Pack,
					"notes": append([]worker.Note{}, plan.Worker.Notes...)})
			}
			fmt.Fprint(a.out, report.Pack(plan.Worker, a.width))
			return nil
		}
		options := worker.OptionsOf(o.project)
		options.Minify = options.Minify || minify
		if target != "" {
			if _, known := worker.Targets[target]; !known {
				return usagef("--target takes one of %s", strings.Join(slices.Sorted(maps.Keys(worker.Targets)), ", "))
			}
			options.Target = target
		}
		code, err := worker.Generate(plan.Worker, options)
		if err != nil {
			return err
		}
		_, err = a.exact.Write([]byte(strings.TrimRight(string(code), "\n") + "\n"))
		return err
	}
	return c
}
