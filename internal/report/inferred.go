package report

import (
	"fmt"

	"tachyform/internal/audit"
	"tachyform/internal/survey"
)

// AsItIs says of a site with a worker of its own whether it installs and works offline without us.
func AsItIs(r *audit.Report, width int) string {
	installs := true
	for _, v := range r.Targets {
		installs = installs && v.Installable
	}
	if s := r.Summary; installs && s.Blockers == 0 && s.Risks == 0 && s.Whole+s.StandIn == len(r.Pages) {
		return "\n  " + each(green, wrap("It installs and works offline as it is: "+countsText(r)+". Nothing has to be written "+
			"into it; audit watches over its next releases.", width-2, 2)) + "\n"
	}
	return "\n  " + wrap(fmt.Sprintf("As it is: %s, %s and %s. tachyform audit names them.", countsText(r),
		count(r.Summary.Blockers, "blocker", "blockers"), count(r.Summary.Risks, "risk", "risks")), width-2, 2) + "\n"
}

// Inferred says what tells a setting of the host.
func Inferred(i survey.Inference) string {
	e := i.Why
	more := ""
	if e.More > 0 {
		more = fmt.Sprintf(", and %d more like it", e.More)
	}
	switch e.Kind {
	case survey.Mounted:
		return fmt.Sprintf("told by %s, which asks for %s%s: the folder has that without %s", e.From, e.To, more, i.Value)
	case survey.Extensionless:
		return fmt.Sprintf("told by %s, which leads to %s%s, where the folder has a file with .html", e.From, e.To, more)
	case survey.Routed:
		return fmt.Sprintf("told by %s, whose scripts draw a link to %s%s, where no file is: the host has to answer "+
			"with that page", e.From, e.To, more)
	case survey.Fallback:
		return "told by the file " + e.To + ", which hosts answer with where there is no other"
	case survey.Opened:
		return fmt.Sprintf("told by %s, which no page leads to, and which draws a page when it is opened at %s, where no file is", e.From, e.To)
	case survey.Missing:
		return "told by the file " + e.To + ", which hosts answer with, and status 404, where there is no other"
	}
	return ""
}
