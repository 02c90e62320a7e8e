package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/condition"
	"tachyform/internal/report"
	"tachyform/internal/spelling"
	"tachyform/internal/target"
	"tachyform/internal/useragent"
)

func (a *app) json(v any) error {
	text, err := report.JSON(v, true)
	if err != nil {
		return err
	}
	_, err = a.out.Write(text)
	return err
}

// conditionsFlag reads --under.
func conditionsFlag(c *cobra.Command, standard string) func() ([]condition.Condition, error) {
	var names []string
	c.Flags().StringSliceVar(&names, "under", strings.Split(standard, ","), "conditions of the network: "+
		strings.Join(condition.Names(), ", "))
	return func() ([]condition.Condition, error) {
		var list []condition.Condition
		for _, n := range names {
			cond, ok := condition.Named(n)
			if !ok {
				if near := spelling.Nearest(n, condition.Names()); near != "" {
					return nil, usagef("there is no condition %q; did you mean %s?", n, near)
				}
				return nil, usagef("there is no condition %q: they are %s", n, strings.Join(condition.Names(), ", "))
			}
			list = append(list, cond)
		}
		return list, nil
	}
}

// targetFlag reads --target.
func targetFlag(c *cobra.Command) func() (*useragent.Kind, error) {
	var name string
	c.Flags().StringVar(&name, "target", target.ChromiumDesktop,
		"the kind of browser: what its workers lack is taken away")
	return func() (*useragent.Kind, error) {
		p := useragent.Kinds[name]
		if p == nil {
			return nil, usagef("there is no target %q: they are %s", name, strings.Join(useragent.KindNames(), ", "))
		}
		return p, nil
	}
}
