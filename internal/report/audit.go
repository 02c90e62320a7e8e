package report

import (
	"fmt"
	"slices"
	"strings"

	"charm.land/lipgloss/v2"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/rehearsal"
	"tachyform/internal/target"
	"tachyform/internal/useragent/account"
	"tachyform/internal/worker"
)

// outcomeOrder has the outcomes from worst to best.
var outcomeOrder = []rehearsal.Outcome{rehearsal.Stuck, rehearsal.Lost, rehearsal.Partial, rehearsal.StandIn,
	rehearsal.Whole}

func outcomeStyle(o rehearsal.Outcome) lipgloss.Style {
	switch o {
	case rehearsal.Whole:
		return green
	case rehearsal.Lost, rehearsal.Stuck:
		return red
	}
	return yellow
}

func verdictStyle(verdict string) lipgloss.Style {
	switch verdict {
	case "ready":
		return green
	case "not known":
		return yellow
	}
	return red
}

// outcomeText is an outcome in a word, with a question mark where it is not known whether it is that.
func outcomeText(r *audit.PageResult) string {
	if r.Known {
		return outcomeStyle(r.Outcome).Render(string(r.Outcome))
	}
	return yellow.Render(string(r.Outcome) + "?")
}

// conditionsOf lists the conditions of a report, offline first.
func conditionsOf(pages []*audit.PageReport) []string {
	seen := map[string]bool{}
	for _, p := range pages {
		for c := range p.Under {
			seen[c] = true
		}
	}
	var list []string
	for _, c := range condition.Names() {
		if seen[c] {
			list = append(list, c)
		}
	}
	return list
}

// worst is the worst outcome of a page, as a rank from 0.
func worst(p *audit.PageReport) int {
	w := len(outcomeOrder)
	for _, r := range p.Under {
		w = min(w, slices.Index(outcomeOrder, r.Outcome))
	}
	return w
}

// pageTable shows at most most pages, worst first.
func pageTable(b *strings.Builder, pages []*audit.PageReport, width, most int) {
	conditions := conditionsOf(pages)
	list := slices.Clone(pages)
	slices.SortStableFunc(list, func(x, y *audit.PageReport) int { return worst(x) - worst(y) })
	column := 11
	first := width - 4 - column*len(conditions) - 14
	longest := 4
	for _, p := range list[:min(most, len(list))] {
		longest = max(longest, textWidth(p.URL))
	}
	first = min(first, longest+2)
	fmt.Fprintf(b, "  %s", faint.Render(pad("page", first)))
	for _, c := range conditions {
		b.WriteString(faint.Render(pad(c, column)))
	}
	b.WriteString(faint.Render("answered by") + "\n")
	for _, p := range list[:min(most, len(list))] {
		fmt.Fprintf(b, "  %s", pad(fitTo(safe(p.URL), first-1), first))
		by := ""
		for _, c := range conditions {
			r := p.Under[c]
			if r == nil {
				b.WriteString(pad("", column))
				continue
			}
			b.WriteString(pad(outcomeText(r), column))
			if by == "" {
				by = r.AnsweredBy
			}
		}
		b.WriteString(faint.Render(fitTo(safe(by), 14)) + "\n")
		var missing []string
		for _, c := range conditions {
			if r := p.Under[c]; r != nil {
				for _, m := range r.Missing {
					if !slices.Contains(missing, m) {
						missing = append(missing, m)
					}
				}
			}
		}
		for _, m := range missing[:min(3, len(missing))] {
			fmt.Fprintf(b, "    %s %s\n", yellow.Render("missing"), fitTo(safe(m), width-14))
		}
		if n := len(missing) - 3; n > 0 {
			fmt.Fprintf(b, "    and %d more missing\n", n)
		}
	}
	if n := len(list) - most; n > 0 {
		fmt.Fprintf(b, "  %s\n", faint.Render(fmt.Sprintf("and %d more, none worse than these", n)))
	}
}

// notKnown stands for an outcome that can't be relied on.
const notKnown rehearsal.Outcome = "not known"

type tallied struct {
	word rehearsal.Outcome
	n    int
}

// tallyOf counts the outcomes under a condition, best first, and last those that can't be relied on.
func tallyOf(pages []*audit.PageReport, condition string) (list []tallied) {
	n := map[rehearsal.Outcome]int{}
	for _, p := range pages {
		if r := p.Under[condition]; r != nil && r.Known {
			n[r.Outcome]++
		} else if r != nil {
			n[notKnown]++
		}
	}
	order := append([]rehearsal.Outcome{notKnown}, outcomeOrder...)
	for _, o := range slices.Backward(order) {
		if n[o] > 0 {
			list = append(list, tallied{o, n[o]})
		}
	}
	return list
}

// tally counts the outcomes under each condition.
func tally(b *strings.Builder, pages []*audit.PageReport) {
	for _, c := range conditionsOf(pages) {
		var parts []string
		for _, t := range tallyOf(pages, c) {
			parts = append(parts, outcomeStyle(t.word).Render(fmt.Sprintf("%d %s", t.n, t.word)))
		}
		fmt.Fprintf(b, "  %s%s\n", pad(c, 9), strings.Join(parts, ", "))
	}
}

// notSimulated names what scripts used and the user agent lacks.
func notSimulated(b *strings.Builder, gaps []string, width int) {
	for _, g := range gaps {
		fmt.Fprintf(b, "\n  %s\n", each(faint, wrap("Not simulated, so what depends on it was not tried: "+safe(g)+
			".", width-2, 2)))
	}
}

// notSent lists what a live site was not sent.
func notSent(b *strings.Builder, list []string, width int) {
	if len(list) > 0 {
		fmt.Fprintf(b, "\n  %s\n", each(faint, wrap("Not sent to the live site: "+safe(strings.Join(list[:min(5, len(list))], ", "))+
			".", width-2, 2)))
	}
}

// untried says how many pages were opened by their address alone, and how many buttons were not pressed.
func untried(b *strings.Builder, r *audit.Report, width int) {
	if n := r.Unclicked; n > 0 {
		fmt.Fprintf(b, "\n  %s\n", each(faint, wrap("Links were clicked for a sample of the pages; "+count(n, "other was", "others were")+
			" opened by the address alone.", width-2, 2)))
	}
	if n := r.Unpressed; n > 0 {
		fmt.Fprintf(b, "\n  %s\n", each(faint, wrap("Of the buttons on the pages, "+count(n, "was", "were")+" not pressed, since there are so many.", width-2, 2)))
	}
}

// doubts tells why outcomes are not known, each reason once.
func doubts(b *strings.Builder, pages []*audit.PageReport, width int) {
	var order []string
	of := map[string]int{}
	for _, p := range pages {
		seen := map[string]bool{}
		for _, c := range conditionsOf(pages) {
			if r := p.Under[c]; r != nil && !r.Known && !seen[r.Why] {
				seen[r.Why] = true
				if of[r.Why]++; of[r.Why] == 1 {
					order = append(order, r.Why)
				}
			}
		}
	}
	const most = 5
	for i, why := range order[:min(most, len(order))] {
		if i == 0 {
			b.WriteString("\n" + bold.Render("NOT KNOWN") + "\n")
		}
		fmt.Fprintf(b, "  %s\n", wrap(count(of[why], "page", "pages")+": "+safe(why), width-4, 4))
	}
	if n := len(order) - most; n > 0 {
		fmt.Fprintf(b, "  and %s\n", count(n, "more reason", "more reasons"))
	}
}

func workerLine(b *strings.Builder, w *audit.WorkerReport, none string, width int) {
	if w == nil {
		fmt.Fprintf(b, "  %s\n", yellow.Render(none))
		return
	}
	style := green
	if w.State != account.Activated {
		style = red
	}
	fmt.Fprintf(b, "  %s %s, scope %s\n", safe(w.URL), style.Render(string(w.State)), safe(w.Scope))
	if w.Error != nil {
		fmt.Fprintf(b, "  %s\n", each(red, wrap(safe(*w.Error), width-2, 2)))
	}
	names := make([]string, 0, len(w.Caches))
	for n := range w.Caches {
		names = append(names, n)
	}
	slices.Sort(names)
	for _, n := range names {
		fmt.Fprintf(b, "  %s %s\n", faint.Render("cache"), safe(worker.WithoutStamp(n))+
			faint.Render("  "+count(len(w.Caches[n]), "entry", "entries")))
	}
}

// Rehearsal shows what every page came to.
func Rehearsal(r *audit.Report, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s  %s\n\n", bold.Render(r.Site), count(len(r.Pages), "page", "pages"))
	fmt.Fprintln(&b, bold.Render("WORKER AFTER THE FIRST VISITS"))
	none := "no page registers a service worker"
	if r.Rehearsal != nil && len(r.Rehearsal.UnreadRegistrations) > 0 {
		none = "a service worker is registered, and which one cannot be read"
	}
	workerLine(&b, r.Worker, none, width)
	fmt.Fprintf(&b, "\n%s\n", bold.Render("PAGES"))
	pageTable(&b, r.Pages, width, 40)
	b.WriteByte('\n')
	tally(&b, r.Pages)
	doubts(&b, r.Pages, width)
	notSent(&b, r.NotSent, width)
	untried(&b, r, width)
	if r.Rehearsal != nil {
		notSimulated(&b, r.Rehearsal.Gaps, width)
	}
	return b.String()
}

// RehearsalNext is the command to go on with after a rehearsal.
func RehearsalNext(r *audit.Report) string {
	for _, p := range r.Pages {
		if worst(p) < slices.Index(outcomeOrder, rehearsal.StandIn) {
			return Next("tachyform audit", "names the causes and the mends")
		}
	}
	return Next("tachyform audit", "judges the site for every kind of browser")
}

func weightStyle(w string) lipgloss.Style {
	switch w {
	case audit.Blocker:
		return red
	case audit.Risk:
		return yellow
	}
	return blue
}

// placeText writes a place as file:line:column, which editors and terminals can open, or as a URL.
func placeText(w audit.Where) string {
	if w.File == "" {
		return w.URL
	}
	s := w.File
	if w.Line > 0 {
		s += fmt.Sprintf(":%d:%d", w.Line, w.Column)
	}
	return s
}

// countsText says in a line what the verdict was said of.
func countsText(r *audit.Report) string {
	s, all := r.Summary, len(r.Pages)
	text := fmt.Sprintf("%d of %s whole offline", s.Whole, count(all, "page", "pages"))
	if s.Whole == all {
		text = "all " + count(all, "page", "pages") + " whole offline"
		if all == 1 {
			text = "its one page is whole offline"
		}
	}
	if s.StandIn > 0 {
		text += fmt.Sprintf(", %d left out and met by the stand-in", s.StandIn)
	}
	if s.Unknown > 0 {
		text += fmt.Sprintf(", of %d it is not known", s.Unknown)
	}
	if s.AfterFirst < s.Whole {
		text += fmt.Sprintf("; after the first visit alone %d", s.AfterFirst)
	}
	return text
}

// Audit shows verdicts and findings.
func Audit(r *audit.Report, width int) string {
	var b strings.Builder
	verdict := verdictStyle(r.Summary.Verdict).Bold(true).Render(strings.ToUpper(r.Summary.Verdict))
	var counts []string
	for _, c := range []struct {
		n         int
		one, many string
	}{{r.Summary.Blockers, "blocker", "blockers"}, {r.Summary.Risks, "risk", "risks"}, {r.Summary.Polish, "polish",
		"polish"}} {
		if c.n > 0 {
			counts = append(counts, count(c.n, c.one, c.many))
		}
	}
	if len(counts) == 0 {
		counts = []string{"no findings"}
	}
	if s := r.Summary; s.Confirmed > 0 {
		counts = append(counts, count(s.Confirmed, "page", "pages")+" confirmed by "+safe(strings.Join(s.ConfirmedBy, ", ")))
	}
	fmt.Fprintf(&b, "%s  %s  %s\n", bold.Render(r.Site), verdict, strings.Join(counts, " · "))
	if len(r.Pages) > 0 {
		fmt.Fprintf(&b, "%s\n", wrap(countsText(r), width, 0))
	}
	if m := r.Manifest; m != nil && m.Processed.Name != "" {
		fmt.Fprintf(&b, "%s\n", faint.Render(safe(m.Processed.Name)+" at "+r.Origin))
	}
	fmt.Fprintf(&b, "\n%s\n", bold.Render("INSTALLS ON"))
	for _, t := range target.All {
		v := r.Targets[t]
		if v == nil {
			continue
		}
		answer, why := green.Render("yes"), ""
		if !v.Installable {
			answer, why = red.Render("no "), strings.Join(v.Blockers, ", ")
		} else {
			why = howInstalled[t]
		}
		fmt.Fprintf(&b, "  %s%s  %s\n", pad(t, 19), answer, faint.Render(why))
	}
	if len(r.Pages) > 0 {
		fmt.Fprintf(&b, "\n%s\n", bold.Render(strings.ToUpper(count(len(r.Pages), "page", "pages"))))
		tally(&b, r.Pages)
		notSent(&b, r.NotSent, width)
		untried(&b, r, width)
	}
	if s := r.Since; s != nil {
		fmt.Fprintf(&b, "\n%s\n  %s, %s, %d still there\n", bold.Render("SINCE "+safe(s.Earlier)),
			green.Render(fmt.Sprintf("%d mended", len(s.Mended))), yellow.Render(fmt.Sprintf("%d new", len(s.New))), s.Still)
		for _, f := range s.Mended {
			fmt.Fprintf(&b, "  %s %s %s\n", green.Render("mended"), pad(f.Code, 17), safe(cut(placeText(f.Where), width-28)))
		}
		for _, f := range s.New {
			fmt.Fprintf(&b, "  %s    %s %s\n", yellow.Render("new"), pad(f.Code, 17), safe(cut(placeText(f.Where), width-28)))
		}
	}
	for _, weight := range []string{audit.Blocker, audit.Risk, audit.Polish} {
		var list []*audit.Finding
		for _, f := range r.Findings {
			if f.Weight == weight {
				list = append(list, f)
			}
		}
		if len(list) == 0 {
			continue
		}
		title := map[string]string{audit.Blocker: "BLOCKERS", audit.Risk: "RISKS", audit.Polish: "POLISH"}[weight]
		fmt.Fprintf(&b, "\n%s\n", weightStyle(weight).Bold(true).Render(title))
		most := 100
		if weight == audit.Polish {
			most = 6
		}
		for i, f := range list[:min(most, len(list))] {
			if i > 0 && weight == audit.Blocker {
				b.WriteByte('\n')
			}
			finding(&b, f, weights(r, f), width)
		}
		if n := len(list) - most; n > 0 {
			fmt.Fprintf(&b, "  and %d more\n", n)
		}
	}
	if h := r.Handover; h != nil {
		fmt.Fprintf(&b, "\n%s\n", bold.Render(cut("HANDOVER from "+safe(strings.Join(h.Old, ", ")), width)))
		scenarioTable(&b, h, false, width)
	}
	for i, c := range r.Changed {
		if i == 0 {
			fmt.Fprintf(&b, "\n%s\n", bold.Render("WEIGHED OTHERWISE"))
		}
		fmt.Fprintf(&b, "  %s %s instead of %s, %s\n    %s\n", pad(c.Code, 17), onTargets(c), c.From,
			count(c.Findings, "finding", "findings"), each(faint, wrap(safe(c.Reason), width-4, 4)))
	}
	return b.String()
}

// howInstalled says what a person does to install, where a browser does not offer it by itself.
var howInstalled = map[string]string{
	target.ChromiumAndroid: "offers to install",
	target.ChromiumDesktop: "offers to install, in the address bar",
	target.SafariIOS:       "by hand: Share, Add to Home Screen; opens as an app",
	target.SafariMacOS:     "by hand: File, Add to Dock",
	target.FirefoxAndroid:  "by hand: menu, Add to Home screen; opens as an app",
}

func finding(b *strings.Builder, f *audit.Finding, felt string, width int) {
	indent := "  "
	fmt.Fprintf(b, "%s%s  %s\n", indent, weightStyle(f.Weight).Render(pad(f.Code, 17)), bold.Render(f.Title))
	inner := strings.Repeat(" ", 4)
	line := func(text string) {
		fmt.Fprintf(b, "%s%s\n", inner, wrap(safe(text), width-4, 4))
	}
	if f.Weight == audit.Polish {
		// Shortened: one line says where, a place only when the evidence names none.
		what := f.Evidence
		switch {
		case what == "" || what == f.Where.URL:
			what = placeText(f.Where)
		case f.Pages > 1:
		case !strings.Contains(what, f.Where.URL) || f.Where.URL == "/":
			what = placeText(f.Where) + ": " + what
		}
		if felt != "" {
			felt = ", " + felt
		}
		if room := width - 4 - len(felt); room >= 30 {
			fmt.Fprintf(b, "%s%s\n", inner, faint.Render(cutAtWord(safe(what), room)+felt))
		} else {
			fmt.Fprintf(b, "%s%s\n", inner, each(faint, wrap(cutAtWord(safe(what), width-4)+felt, width-4, 4)))
		}
		fmt.Fprintf(b, "%s%s%s\n", inner, blue.Render("→ "), wrap(safe(f.Mend), width-6, 6))
		return
	}
	if p := placeText(f.Where); p != "" {
		fmt.Fprintf(b, "%s%s\n", inner, faint.Render(safe(p)))
	}
	if f.Evidence != "" && f.Evidence != f.Where.URL {
		line(f.Evidence)
	}
	if felt != "" && f.Weight != audit.Blocker { // where a blocker stops installing stands above
		fmt.Fprintf(b, "%s%s\n", inner, each(faint, wrap(felt, width-4, 4)))
	}
	if f.Weight == audit.Blocker {
		fmt.Fprintf(b, "%s%s\n", inner, each(faint, wrap(safe(f.Reason), width-4, 4)))
	}
	fmt.Fprintf(b, "%s%s%s\n", inner, blue.Render("→ "), wrap(safe(f.Mend), width-6, 6))
}
