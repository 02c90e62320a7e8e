package report

import (
	"fmt"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/target"
)

// plainMarkdown takes the meaning from what Markdown or HTML would read in a text that comes out of a site.
func plainMarkdown(s string) string {
	var b strings.Builder
	for _, c := range safe(s) {
		if strings.ContainsRune("\\`*_{}[]()<>#+!|~&@", c) {
			b.WriteByte('\\')
		}
		if c == '<' || c == '&' {
			fmt.Fprintf(&b, "&#%d;", c)
			continue
		}
		b.WriteRune(c)
	}
	return strings.ReplaceAll(b.String(), `\&#`, "&#")
}

// maxMarkdown bounds the findings that a comment in a pull request tells in full.
const maxMarkdown = 40

// Markdown writes the audit for a pull request: the verdict, what changed, targets, pages, and what to mend.
func Markdown(r *audit.Report) []byte {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	verdict := r.Summary.Verdict
	if verdict != "ready" {
		verdict = "**" + verdict + "**"
	}
	line("## %s: %s", plainMarkdown(orSite(r)), verdict)
	line("")
	line("%s, %s, %d polish.", count(r.Summary.Blockers, "blocker", "blockers"), count(r.Summary.Risks, "risk", "risks"),
		r.Summary.Polish)
	if s := r.Since; s != nil {
		line("")
		line("Since %s: %d mended, %d new, %d still there.", plainMarkdown(s.Earlier), len(s.Mended), len(s.New), s.Still)
		for _, f := range s.New {
			line("- new: `%s` %s", f.Code, plainMarkdown(f.Title))
		}
		for _, f := range s.Mended {
			line("- mended: `%s` %s", f.Code, plainMarkdown(f.Title))
		}
	}
	line("")
	line("| installs on | |")
	line("|---|---|")
	for _, t := range target.All {
		if v := r.Targets[t]; v != nil {
			answer := "yes"
			if !v.Installable {
				answer = "no: `" + strings.Join(v.Blockers, "`, `") + "`"
			}
			line("| %s | %s |", t, answer)
		}
	}
	line("")
	var outcomes []string
	for _, t := range tallyOf(r.Pages, condition.Offline.Name) {
		outcomes = append(outcomes, fmt.Sprintf("%d %s", t.n, t.word))
	}
	line("%s offline: %s.", count(len(r.Pages), "page", "pages"), strings.Join(outcomes, ", "))
	weight := ""
	for i, f := range r.Findings {
		if i == maxMarkdown {
			line("")
			line("And %d more.", len(r.Findings)-i)
			break
		}
		if f.Weight != weight {
			weight = f.Weight
			line("")
			line("### %s", map[string]string{audit.Blocker: "Blockers", audit.Risk: "Risks", audit.Polish: "Polish"}[weight])
			line("")
		}
		line("- **%s** `%s`  ", plainMarkdown(f.Title), f.Code)
		if place := placeText(f.Where); place != "" {
			line("  %s  ", plainMarkdown(place))
		}
		if f.Evidence != "" {
			line("  %s  ", plainMarkdown(f.Evidence))
		}
		if on := weights(r, f); on != "" {
			line("  (%s)  ", on)
		}
		line("  → %s", plainMarkdown(f.Mend))
	}
	for _, c := range r.Changed {
		line("")
		line("`%s` is %s here instead of %s (%s): %s", c.Code, onTargets(c), c.From, count(c.Findings, "finding", "findings"),
			plainMarkdown(c.Reason))
	}
	return []byte(b.String())
}

func orSite(r *audit.Report) string {
	if m := r.Manifest; m != nil && m.Processed != nil && m.Processed.Name != "" {
		return m.Processed.Name
	}
	return r.Site
}
