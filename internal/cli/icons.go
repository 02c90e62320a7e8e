package cli

import (
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"tachyform/internal/icon"
	"tachyform/internal/report"
)

func (a *app) icons() *cobra.Command {
	var into string
	c := &cobra.Command{
		Use:   "icons [SITE]",
		Short: "Make the icon set alone, into a folder of your choice",
		Long: `Icons makes the icons that fit would write into the site, and puts them into
another folder: to look at them, or for a build that places them itself.`,
		Args: cobra.MaximumNArgs(1),
	}
	a.formatFlag(c)
	c.Flags().StringVar(&into, "into", "", "the `folder` to write them to; without it they are only listed")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		o, plan, err := a.planned(cmd, args)
		if err != nil {
			return err
		}
		if len(plan.Icons) == 0 {
			return usagef("the project file names no master picture; name one under icons: as master")
		}
		if into != "" {
			if err := writeIcons(into, plan.Icons); err != nil {
				return err
			}
		}
		if a.format == "json" {
			type iconJSON struct {
				File    string `json:"file"`
				Size    string `json:"size"`
				Type    string `json:"type"`
				Purpose string `json:"purpose"`
				Bytes   int    `json:"bytes"`
			}
			list := []iconJSON{}
			for _, i := range plan.Icons {
				list = append(list, iconJSON{i.Name, icon.SizeText(i.Size), i.Type, i.Purpose, len(i.Data)})
			}
			return a.json(map[string]any{"schema": "tachyform.icons/1", "icons": list})
		}
		fmt.Fprint(a.out, report.Icons(plan.Icons, o.project.Icons.Master, into))
		return nil
	}
	return c
}

func writeIcons(dir string, list []icon.Icon) error {
	for _, i := range list {
		if err := writeOutput(filepath.Join(dir, i.Name), i.Data, "the icon", "name another folder with --into"); err != nil {
			return err
		}
	}
	return nil
}
