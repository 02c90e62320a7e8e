package audit

import (
	"slices"

	"tachyform/internal/target"
)

// only is the map of a check that is felt on some targets alone.
func only(weight string, targets ...string) map[string]string {
	m := map[string]string{}
	for _, t := range target.All {
		m[t] = ""
		if slices.Contains(targets, t) {
			m[t] = weight
		}
	}
	return m
}

// WeightOn is the check's weight on a target, "" where nobody notices.
func (c *Check) WeightOn(target string) string {
	if slices.Contains(c.Stops, target) {
		return Blocker
	}
	if w, otherwise := c.Otherwise[target]; otherwise {
		return w
	}
	if c.Weight == Blocker && len(c.Stops) > 0 {
		return Risk
	}
	return c.Weight
}

// weighted gives the weights of a check on targets by name, without those on which nobody notices, and the heaviest of
// them; "" for none.
func (c *Check) weighted(targets []string) (heaviest string, by map[string]string) {
	by = map[string]string{}
	for _, t := range targets {
		w := c.WeightOn(t)
		if w == "" {
			continue
		}
		by[t] = w
		if heaviest == "" || Heavier(w, heaviest) {
			heaviest = w
		}
	}
	return heaviest, by
}
