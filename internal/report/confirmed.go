package report

import (
	"fmt"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/confirm"
	"tachyform/internal/project"
)

// Confirmed is the result of audit --confirm.
type Confirmed struct {
	Browser string
	// Answers are the results of the pages whose outcome is unknown.
	Answers []confirm.Answer
	// Recorded is the file with the results, Written the project file with the requests; "" if nothing was written.
	Recorded, Written string
	// Refusals are the browser's reasons not to install the app. Asked is false if the browser does not report them.
	Asked    bool
	Refusals []string
	// Predicted reports whether the audit predicts that this browser installs the app.
	Predicted bool
	// Asks lists the requests that the audit did not see.
	Asks []project.Asks
}

// Summary returns what the JSON report has of it.
func (c *Confirmed) Summary() *audit.BrowserReport {
	out := &audit.BrowserReport{Name: c.Browser, Refusals: append([]string{}, c.Refusals...)}
	if c.Asked {
		yes := len(c.Refusals) == 0
		out.Installable = &yes
	}
	return out
}

// ConfirmedText formats the result for the terminal.
func ConfirmedText(c *Confirmed, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "\n%s\n", bold.Render("IN "+strings.ToUpper(c.Browser)))
	switch {
	case !c.Asked:
		b.WriteString("  installable  this browser does not report it\n")
	case len(c.Refusals) == 0:
		b.WriteString("  installable  " + green.Render("yes"))
	default:
		b.WriteString("  installable  " + red.Render("no"))
	}
	if c.Asked {
		if c.Predicted == (len(c.Refusals) == 0) {
			b.WriteString(", as predicted\n")
		} else {
			b.WriteString(red.Render(", not as predicted") + "\n")
		}
	}
	for _, r := range c.Refusals {
		fmt.Fprintf(&b, "    %s\n", wrap(safe(r), width-4, 4))
	}
	if len(c.Answers) == 0 {
		b.WriteString("  The outcome of every page is known, so no page was opened.\n")
		return b.String()
	}
	for _, a := range c.Answers {
		word := outcomeStyle(a.Outcome).Render(string(a.Outcome))
		if a.Unclear != "" {
			word = yellow.Render("not confirmed") + ": " + a.Unclear
		}
		fmt.Fprintf(&b, "  %s  %s  %s\n", pad(safe(a.Path), 24), pad(a.Condition.Name, 8), wrap(word, width-40, 38))
	}
	if c.Recorded != "" {
		fmt.Fprintf(&b, "  record   %s\n", c.Recorded)
	}
	switch {
	case c.Written != "":
		fmt.Fprintf(&b, "  requests %s, under audit.asks\n", c.Written)
	case len(c.Asks) > 0:
		b.WriteString("\n  These pages requested files that the audit did not see. With --write-requests\n  they are added to the project file:\n\n")
		for line := range strings.Lines(project.AsksText(c.Asks)) {
			b.WriteString("    " + safe(strings.TrimRight(line, "\n")) + "\n")
		}
	}
	return b.String()
}
