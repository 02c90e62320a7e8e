package report

import (
	"fmt"
	"strings"

	"tachyform/internal/audit"
)

// Checks lists what the audit can find, by weight.
func Checks(list []*audit.Check, width int) string {
	var b strings.Builder
	for _, weight := range []string{audit.Blocker, audit.Risk, audit.Polish} {
		fmt.Fprintf(&b, "%s\n", weightStyle(weight).Render(strings.ToUpper(weight)))
		for _, c := range list {
			if c.Weight == weight {
				fmt.Fprintf(&b, "  %s %s\n", pad(c.Code, 18), fitTo(c.Title, width-21))
			}
		}
		b.WriteByte('\n')
	}
	return b.String() + fmt.Sprintf("  %s\n", faint.Render("tachyform explain CODE tells more of one"))
}

// Explain tells what one finding means.
func Explain(c *audit.Check, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s  %s\n\n", bold.Render(c.Code), weightStyle(c.Weight).Render(c.Weight))
	for _, part := range []struct{ name, text string }{{"what", c.Title + "."}, {"felt as", c.Reason},
		{"mend", capital(c.Mend) + "."}, {"example", c.Example}, {"standard", c.Standard}} {
		if part.text != "" {
			fmt.Fprintf(&b, "  %s %s\n", faint.Render(pad(part.name, 9)), wrap(part.text, width-12, 12))
		}
	}
	if len(c.Stops) > 0 {
		fmt.Fprintf(&b, "  %s not where it is a blocker\n", faint.Render(pad("installs", 9)))
	}
	if on := weightsOn(c); on != "" {
		fmt.Fprintf(&b, "  %s %s\n", faint.Render(pad("targets", 9)), wrap(on, width-12, 12))
	}
	return b.String()
}

// ChecksDocument is docs/checks.md, made from the same source as the findings.
func ChecksDocument(list []*audit.Check) string {
	var b strings.Builder
	b.WriteString("# What the audit can find\n\nMade from the catalogue that the findings come from (`go test " +
		"./internal/report -run TestChecksDocument` says when it is out of date;\n`TACHYFORM_WRITE_DOCS=1` with it " +
		"writes it anew). `tachyform explain CODE` tells the same on a terminal.\n")
	for _, weight := range []string{audit.Blocker, audit.Risk, audit.Polish} {
		fmt.Fprintf(&b, "\n## %s\n", map[string]string{audit.Blocker: "Blockers", audit.Risk: "Risks",
			audit.Polish: "Polish"}[weight])
		for _, c := range list {
			if c.Weight != weight {
				continue
			}
			fmt.Fprintf(&b, "\n### `%s`\n\n%s. %s\n\nMend: %s.\n", c.Code, c.Title, c.Reason, c.Mend)
			if c.Example != "" {
				fmt.Fprintf(&b, "\nExample: %s\n", c.Example)
			}
			var more []string
			if c.Standard != "" {
				more = append(more, c.Standard)
			}
			if len(c.Stops) > 0 {
				more = append(more, "not installed where it is a blocker")
			}
			if on := weightsOn(c); on != "" {
				more = append(more, on)
			}
			if len(more) > 0 {
				fmt.Fprintf(&b, "\n%s.\n", capital(strings.Join(more, "; ")))
			}
		}
	}
	return strings.NewReplacer("<", "&lt;", ">", "&gt;").Replace(b.String())
}
