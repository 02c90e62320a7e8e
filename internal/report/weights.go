package report

import (
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/target"
)

// weights says on which targets a finding is felt, and how heavily, "" when it is alike on all that were judged.
func weights(r *audit.Report, f *audit.Finding) string {
	var judged []string
	for _, t := range target.All {
		if r.Targets[t] != nil {
			judged = append(judged, t)
		}
	}
	return byWeight(judged, func(target string) string { return f.Weights[target] })
}

// weightsOn says the same of a check and all targets.
func weightsOn(c *audit.Check) string {
	return byWeight(target.All, c.WeightOn)
}

func byWeight(judged []string, on func(target string) string) string {
	all := len(judged)
	targets := map[string][]string{}
	n := 0
	var without []string
	for _, t := range judged {
		if on(t) == "" {
			without = append(without, t)
		}
		if w := on(t); w != "" {
			targets[w] = append(targets[w], t)
			n++
		}
	}
	var parts []string
	for _, w := range []string{audit.Blocker, audit.Risk, audit.Polish} {
		switch {
		case len(targets[w]) == 0:
		case len(targets) == 1 && n >= all:
			return ""
		case len(targets) == 1 && len(without) < n:
			parts = append(parts, "not on "+strings.Join(without, ", "))
		case len(targets) == 1:
			parts = append(parts, "on "+strings.Join(targets[w], ", "))
		default:
			parts = append(parts, w+" on "+strings.Join(targets[w], ", "))
		}
	}
	return strings.Join(parts, "; ")
}

// onTargets is the weight that a project gives a check, and where.
func onTargets(c audit.Override) string {
	if len(c.Targets) == 0 {
		return c.To
	}
	return c.To + " on " + strings.Join(c.Targets, ", ")
}
