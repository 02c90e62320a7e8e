package cli

import (
	"encoding/json"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/problem"
	"tachyform/internal/useragent"
)

func (a *app) json(v any) error {
	enc := json.NewEncoder(a.out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

// conditionsFlag reads --under.
func conditionsFlag(c *cobra.Command, standard string) func() ([]useragent.Condition, error) {
	var names []string
	c.Flags().StringSliceVar(&names, "under", strings.Split(standard, ","), "conditions of the network: offline, stalled, slow, flaky, online")
	return func() ([]useragent.Condition, error) {
		var list []useragent.Condition
		for _, n := range names {
			cond, ok := useragent.Conditions[n]
			if !ok {
				var known []string
				for k := range useragent.Conditions {
					known = append(known, k)
				}
				if near := problem.Nearest(n, known); near != "" {
					return nil, usagef("there is no condition %q; did you mean %s?", n, near)
				}
				return nil, usagef("there is no condition %q: it is offline, stalled, slow, flaky or online", n)
			}
			list = append(list, cond)
		}
		return list, nil
	}
}

// targetFlag reads --target.
func targetFlag(c *cobra.Command) func() (*useragent.Kind, error) {
	var name string
	c.Flags().StringVar(&name, "target", "chromium-desktop", "the kind of browser: what its workers lack is taken away")
	return func() (*useragent.Kind, error) {
		p := useragent.Kinds[name]
		if p == nil {
			return nil, usagef("there is no target %q: they are %s", name, strings.Join(useragent.KindNames(), ", "))
		}
		return p, nil
	}
}
