package report

import (
	"fmt"
	"regexp"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/useragent/account"
)

// PlanResult shows a rehearsal step by step. With account, all that happened in a step stands under it; without, only
// what goes with a step that went wrong.
func PlanResult(p *audit.PlanResult, account bool, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "\n%s\n", bold.Render(strings.ToUpper(safe(p.Name))))
	for i, s := range p.Steps {
		mark := " "
		switch {
		case len(s.Wrong) > 0:
			mark = red.Render("✗")
		case s.Expects:
			mark = green.Render("✓")
		}
		result := string(s.Outcome)
		switch {
		case s.Outcome == "":
		case s.Reason != "":
			result += ": " + s.Reason
		case s.AnsweredBy != "":
			result += " from " + sourceText(s.Source)
		}
		fmt.Fprintf(&b, "%s %2d  ", mark, i+1)
		const column = 34
		do := safe(s.Do)
		switch {
		case result == "":
			b.WriteString(wrap(do, width-6, 6))
		case textWidth(do) > column:
			fmt.Fprintf(&b, "%s\n      %s%s", wrap(do, width-6, 6), strings.Repeat(" ", column),
				fitTo(safe(result), width-column-6))
		default:
			fmt.Fprintf(&b, "%s  %s", pad(do, column-2), fitTo(safe(result), width-column-6))
		}
		b.WriteByte('\n')
		for _, m := range s.Missing {
			fmt.Fprintf(&b, "        %s %s\n", yellow.Render("missing"), fitTo(safe(m), width-16))
		}
		for _, w := range s.Wrong {
			fmt.Fprintf(&b, "        %s\n", each(red, wrap(safe(w), width-8, 8)))
		}
		if account {
			writeEvents(&b, s.Account, width)
		} else if len(s.Wrong) > 0 && i > 0 && s.Expects {
			writeEvents(&b, p.Steps[i-1].Account, width)
		}
	}
	notSimulated(&b, p.Gaps, width)
	if p.Holds {
		return b.String()
	}
	return b.String() + "\n  " + red.Render("What was expected did not come about.") + "\n"
}

// ownStamp is the stamp under which the generated worker keeps a packed file.
var ownStamp = regexp.MustCompile(`\?tachyform=[0-9A-Za-z+/*~]+`)

// writeEvents lists an account, a line each.
func writeEvents(b *strings.Builder, list []audit.PlanEvent, width int) {
	const most = 8 // of a kind, in one step
	seen := map[account.EventKind]int{}
	more := 0
	for _, e := range list {
		if seen[e.Kind]++; seen[e.Kind] > most && e.Kind != account.EventConsole && e.Kind != account.EventDispatched {
			more++
			continue
		}
		what, text := eventText(e)
		fmt.Fprintf(b, "      %s\n", faint.Render(fmt.Sprintf("%7.2fs  %s %s", float64(e.At)/1000, pad(what, 12),
			fitTo(safe(text), width-29))))
	}
	if more > 0 {
		fmt.Fprintf(b, "               %s\n", faint.Render(fmt.Sprintf("… and %d more of the same kinds; --format json "+
			"has all", more)))
	}
}

// eventText gives the heading of an event and what came about.
func eventText(e audit.PlanEvent) (what, text string) {
	what = string(e.Kind)
	text = ownStamp.ReplaceAllString(e.Text, "")
	url := ownStamp.ReplaceAllString(e.URL, "")
	switch e.Kind {
	case account.EventWorkerState, account.EventDispatched:
		what = fmt.Sprintf("worker %d", e.Worker)
	case account.EventConsole:
		what = e.Level
	}
	switch {
	case e.Event.Answered():
		text = url + "  from " + sourceText(e.Event.Source)
	case e.Kind == account.EventStored:
		text = url + "  in " + storeText(e.Event.Cache)
	case e.Kind == account.EventNetwork && e.Status == 0:
		text += "  no answer"
	case e.Kind == account.EventNetwork:
		text = fmt.Sprintf("%d %s", e.Status, text)
	case e.Kind == account.EventDispatched:
		text = "event " + text
	case e.Where != "":
		text += "  (" + e.Where + ")"
	}
	return what, text
}
