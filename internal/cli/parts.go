package cli

import (
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/fit"
	"tachyform/internal/icon"
	"tachyform/internal/report"
	"tachyform/internal/worker"
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
	plan, err := fit.Prepare(cmd.Context(), o.project, o.folder)
	return o, plan, wrapRead(o.name, err)
}

func (a *app) head() *cobra.Command {
	var only bool
	c := &cobra.Command{
		Use:   "head [SITE]",
		Short: "Say what the heads of pages lack; with --print, the lines to paste into a template",
		Long: `Head says what the head of each page lacks and which of its tags bear a wrong
name, and writes nothing. With --print it prints the lines that belong there:
paste them into the template of a site that a server renders. fit writes them
into the pages of a folder by itself, and leaves alone what is there already.`,
		Args: cobra.MaximumNArgs(1),
	}
	a.formatFlag(c)
	c.Flags().BoolVar(&only, "print", false, "print the lines alone")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		_, plan, err := a.planned(cmd, args)
		if err != nil {
			return err
		}
		lines := plan.Head.Snippet()
		switch {
		case a.format == "json":
			return a.json(map[string]any{"schema": "tachyform.head/1", "lines": lines, "pages": headsJSON(plan)})
		case only:
			for _, l := range lines {
				fmt.Fprintln(a.out, l)
			}
		default:
			fmt.Fprint(a.out, report.Heads(plan, a.width))
		}
		return nil
	}
	return c
}

// headJSON is what is printed of a page's head.
type headJSON struct {
	File     string         `json:"file"`
	Lacks    []string       `json:"lacks"`
	Differs  []string       `json:"differs"`
	Misnamed []misnamedJSON `json:"misnamed"`
}

type misnamedJSON struct {
	Line  int    `json:"line"`
	Wrong string `json:"wrong"`
	Right string `json:"right"`
}

func headsJSON(p *fit.Plan) []headJSON {
	list := []headJSON{}
	for _, h := range p.Edited {
		j := headJSON{h.Path, append([]string{}, h.Added...), append([]string{}, h.Changed...), []misnamedJSON{}}
		for _, m := range h.Misnamed {
			j.Misnamed = append(j.Misnamed, misnamedJSON{m.Tag.Line, m.Wrong, m.Right})
		}
		list = append(list, j)
	}
	return list
}

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
	c.Flags().StringVar(&target, "target", "", "the oldest JavaScript that browsers must know, `es2017` to es2022 (default es2020)")
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
				return a.json(map[string]any{"schema": "tachyform.pack/1", "bytes": plan.Worker.Bytes(), "pack": plan.Worker.Pack, "notes": append([]worker.Note{}, plan.Worker.Notes...)})
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
		_, err = a.out.Write([]byte(strings.TrimRight(string(code), "\n") + "\n"))
		return err
	}
	return c
}
