package report

import (
	"fmt"
	"slices"
	"strings"

	"charm.land/lipgloss/v2"

	"tachyform/internal/audit"
	"tachyform/internal/handover"
)

// shownRelease says in a word which release a step showed: old, new, same where the two are alike, mixed, lost, other.
func shownRelease(s *handover.Step) string {
	if _, mixed := s.Mixed(); mixed {
		return "mixed"
	}
	switch {
	case s.Document == handover.Missing:
		return "lost"
	case s.Document != handover.Same:
		return string(s.Document)
	}
	for _, w := range []handover.Whose{handover.Old, handover.New} {
		for _, of := range s.Files {
			if of == w {
				return string(w)
			}
		}
	}
	return "same"
}

func releaseStyle(word string) lipgloss.Style {
	switch word {
	case "new":
		return green
	case "old":
		return yellow
	case "mixed", "lost":
		return red
	}
	return faint
}

// arrivalWords says when the new release was wholly there, or why it never was.
func arrivalWords(s *handover.Scenario) string {
	a := s.Arrival
	if !slices.ContainsFunc(s.Steps, func(step *handover.Step) bool { return shownRelease(step) != "same" }) {
		return "alike in both"
	}
	if a.Arrives {
		switch {
		case a.Step == s.Steps[0].Name:
			return "at once"
		case a.Step == "other-closed":
			return "once one tab is left"
		case a.Step == "whole":
			return "once all is deployed"
		case a.Restarts > 0:
			return "after closing all tabs"
		case a.Reloads == 1:
			return "with the first reload"
		case a.Reloads == 2:
			return "with the second reload"
		}
		return "at " + a.Step
	}
	switch a.Why {
	case handover.Waits:
		return "no: its worker waits"
	case handover.Fails:
		return "no: cannot be installed"
	case handover.Mixes:
		return "no: not wholly"
	case handover.NotShown:
		return "no: no page at the end"
	}
	return "no: the old one stays"
}

// Handover tells what people who have one release get from the next. steps has every step shown by itself.
func Handover(r *audit.HandoverReport, steps bool, width int) string {
	var b strings.Builder
	verdict := green.Render(fmt.Sprintf("arrives in %d of %d scenarios", r.Summary.Arrived, r.Summary.Scenarios))
	if r.Summary.Blockers+r.Summary.Risks > 0 {
		verdict = yellow.Render(fmt.Sprintf("arrives in %d of %d scenarios", r.Summary.Arrived, r.Summary.Scenarios))
	}
	fmt.Fprintf(&b, "%s  %s\n", bold.Render(safe(r.Site)), verdict)
	fmt.Fprintf(&b, "%s\n\n", faint.Render(cut("handed over from "+safe(strings.Join(r.Old, ", before it "))+" at "+safe(r.Origin), width)))
	scenarioTable(&b, r, steps, width)
	if slices.ContainsFunc(r.Scenarios, func(s *handover.Scenario) bool { return s.Arrival.Why == handover.Waits && !s.Arrival.Arrives }) {
		fmt.Fprintf(&b, "\n  %s\n", each(faint, wrap("A worker that waits takes over when the last tab is closed, or when the page asks it to.", width-4, 2)))
	}
	if ret := scenarioNamed(r, handover.Returning); ret != nil {
		b.WriteString("\n")
		fmt.Fprintf(&b, "  %s\n", wrap(fmt.Sprintf("coming back took %s, %s; a new visitor takes %s, %s; at most %s were stored",
			count(ret.Requests, "request", "requests"), size(ret.Bytes), count(r.Fresh.Requests, "request", "requests"), size(r.Fresh.Bytes),
			size(ret.Stored)), width-4, 2))
	}
	weight := ""
	for _, f := range r.Findings {
		if f.Weight != weight {
			weight = f.Weight
			fmt.Fprintf(&b, "\n%s\n", weightStyle(weight).Render(map[string]string{audit.Blocker: "BLOCKERS", audit.Risk: "RISKS", audit.Polish: "POLISH"}[weight]))
		}
		finding(&b, f, "", width)
	}
	if !steps && len(r.Findings) > 0 {
		fmt.Fprintf(&b, "\n%s\n", faint.Render("step by step: tachyform handover --only NAME"))
	}
	return b.String()
}

// scenarioTable shows a line for each scenario: what each step showed, and when the new release was there.
func scenarioTable(b *strings.Builder, r *audit.HandoverReport, steps bool, width int) {
	first, most := 4, 0
	for _, s := range r.Scenarios {
		first, most = max(first, len(s.Name)), max(most, len(s.Steps))
	}
	const column = 6
	for _, s := range r.Scenarios {
		fmt.Fprintf(b, "  %s ", pad(s.Name, first))
		for _, step := range s.Steps {
			word := shownRelease(step)
			b.WriteString(releaseStyle(word).Render(pad(word, column)))
		}
		rest := width - 3 - first - column*most
		b.WriteString(strings.Repeat(" ", column*(most-len(s.Steps))))
		fmt.Fprintf(b, "%s\n", faint.Render(cut(arrivalWords(s), max(rest, 12))))
		if steps {
			fmt.Fprintf(b, "\n  %s\n\n", each(faint, wrap("Somebody who "+r.About[s.Name]+".", width-4, 2)))
			for _, step := range append(slices.Clone(s.Steps), s.Pages...) {
				stepRow(b, step, width)
			}
			b.WriteString("\n")
		}
	}
}

func scenarioNamed(r *audit.HandoverReport, name string) *handover.Scenario {
	for _, s := range r.Scenarios {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// stepRow shows a step: what was shown, what it cost, and what is odd about it.
func stepRow(b *strings.Builder, s *handover.Step, width int) {
	word := shownRelease(s)
	fmt.Fprintf(b, "    %s %s %s\n", pad(s.Name, 12), releaseStyle(word).Render(pad(word, 6)),
		faint.Render(cut(fmt.Sprintf("%s  %s, %s, %s", s.URL, s.Outcome, count(s.Requests, "request", "requests"), size(s.Bytes)), width-24)))
	note := func(format string, args ...any) {
		fmt.Fprintf(b, "                        %s\n", cut(safe(fmt.Sprintf(format, args...)), width-26))
	}
	if s.Waiting {
		note("a new worker waits")
	}
	if s.Told > 0 && s.Name != "old" {
		note("scripts of the page heard of it")
	}
	if file, mixed := s.Mixed(); mixed {
		note("the page is %s, %s is %s", s.Document, file, s.Files[file])
	}
	var missing []string
	for f, w := range s.Files {
		if w == handover.Missing {
			missing = append(missing, f)
		}
	}
	slices.Sort(missing)
	for _, f := range missing[:min(2, len(missing))] {
		note("missing %s", f)
	}
	if s.Failed != "" {
		note("not installed: %s", s.Failed)
	}
	if s.Documents > 1 {
		note("%d documents were loaded", s.Documents)
	}
	if len(s.Errors) > 0 {
		note("its script said: %s", s.Errors[0])
	}
}
