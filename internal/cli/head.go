package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"tachyform/internal/fit"
	"tachyform/internal/report"
)

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
