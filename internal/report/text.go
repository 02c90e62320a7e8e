// Package report shows results to people: on a terminal and as HTML.
package report

import (
	"fmt"
	"regexp"
	"strings"

	"charm.land/lipgloss/v2"

	"tachyform/internal/problem"
	"tachyform/internal/project"
)

var (
	bold   = lipgloss.NewStyle().Bold(true)
	faint  = lipgloss.NewStyle().Faint(true)
	red    = lipgloss.NewStyle().Foreground(lipgloss.Red).Bold(true)
	yellow = lipgloss.NewStyle().Foreground(lipgloss.Yellow)
	green  = lipgloss.NewStyle().Foreground(lipgloss.Green)
	blue   = lipgloss.NewStyle().Foreground(lipgloss.Cyan)
)

// safe removes what a terminal would take for commands from text that comes out of a site.
func safe(s string) string {
	s = Unsigned(s)
	return strings.Map(func(r rune) rune {
		if Harmless(r) {
			return r
		}
		return ' '
	}, s)
}

// Harmless says whether a character is neither a control nor one that changes the direction of what stands around it.
func Harmless(r rune) bool {
	switch {
	case r < 0x20, r >= 0x7f && r < 0xa0, r == 0x061c, r == 0x200e, r == 0x200f, r >= 0x2028 && r <= 0x202e, r >= 0x2066 &&
		r <= 0x2069, r >= 0xe0000 && r <= 0xe007f:
		return false
	}
	return true
}

var signed = regexp.MustCompile(`(://)[^/?#\s@"']*@`)

// Unsigned takes names and passwords out of the URLs in a text.
func Unsigned(s string) string {
	if !strings.Contains(s, "@") {
		return s
	}
	return signed.ReplaceAllString(s, "$1")
}

// Shown cleans one line of a text that comes out of a site, for a terminal. Tabs stay.
func Shown(s string) string {
	parts := strings.Split(s, "\t")
	for i, p := range parts {
		parts[i] = safe(p)
	}
	return strings.Join(parts, "\t")
}

func textWidth(s string) int { return lipgloss.Width(s) }

// fitTo shortens a text to a width, keeping its beginning and end.
func fitTo(s string, width int) string {
	r := []rune(s)
	if textWidth(s) <= width || width < 4 {
		return s
	}
	head := (width - 1) * 2 / 3
	tail := width - 1 - head
	if tail >= len(r) || head >= len(r) {
		return s
	}
	return string(r[:head]) + "…" + string(r[len(r)-tail:])
}

// cut shortens a text to a width at its end.
func cut(s string, width int) string {
	if textWidth(s) <= width {
		return s
	}
	r := []rune(s)
	for len(r) > 0 && textWidth(string(r))+1 > width {
		r = r[:len(r)-1]
	}
	return strings.TrimRight(string(r), " ,;") + "…"
}

// cutAtWord shortens a text to a width at its end, between two words, and drops a clause of which only a scrap would
// remain.
func cutAtWord(s string, width int) string {
	if textWidth(s) <= width {
		return s
	}
	c := strings.TrimSuffix(cut(s, width-1), "…")
	const scrap = 14
	if i := strings.LastIndex(c, "; "); i > 0 && len(c)-i < scrap {
		c = c[:i]
	} else if i := strings.LastIndexByte(c, ' '); i > 0 && len(c)-i < scrap {
		c = c[:i]
	}
	return strings.TrimRight(c, " ,;:…") + " …"
}

func pad(s string, width int) string {
	if n := width - textWidth(s); n > 0 {
		return s + strings.Repeat(" ", n)
	}
	return s
}

func padLeft(s string, width int) string {
	if n := width - textWidth(s); n > 0 {
		return strings.Repeat(" ", n) + s
	}
	return s
}

// each applies a style to every line by itself: styled as one, lines would be filled up to the longest.
func each(style lipgloss.Style, s string) string {
	lines := strings.Split(s, "\n")
	for i, l := range lines {
		body := strings.TrimLeft(l, " ")
		lines[i] = l[:len(l)-len(body)] + style.Render(body)
	}
	return strings.Join(lines, "\n")
}

// wrap breaks a text into lines of at most width, each after the first with an indent before it.
func wrap(s string, width, indent int) string {
	var lines []string
	line := ""
	for _, w := range strings.Fields(s) {
		if line != "" && textWidth(line)+1+textWidth(w) > width {
			lines = append(lines, line)
			line = ""
		}
		if line != "" {
			line += " "
		}
		line += w
	}
	return strings.Join(append(lines, line), "\n"+strings.Repeat(" ", indent))
}

func size(n int64) string { return project.Size(n).String() }

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// Next is a line that names the command to go on with.
func Next(command, does string) string {
	const width, before = 80, len("  next  ")
	if before+textWidth(command)+2+textWidth(does) > width {
		return fmt.Sprintf("\n  %s  %s\n%s%s\n", faint.Render("next"), bold.Render(command), strings.Repeat(" ", before),
			each(faint, wrap(does, width-before, before)))
	}
	return fmt.Sprintf("\n  %s  %s  %s\n", faint.Render("next"), bold.Render(command), faint.Render(does))
}

// Problem shows an error: what, where, and how to mend it.
func Problem(p *problem.Problem, width int) string {
	var b strings.Builder
	b.WriteString(red.Render("✗") + " " + wrap(safe(capital(p.What)), width-2, 2))
	if p.Where != "" {
		b.WriteString("\n  " + faint.Render("at ") + safe(p.Where))
	}
	if p.Mend != "" {
		b.WriteString("\n  " + blue.Render("→ ") + wrap(safe(p.Mend), width-4, 4))
	}
	return b.String()
}

func capital(s string) string {
	r := []rune(s)
	if len(r) == 0 || len(r) > 1 && strings.HasPrefix(s, "http") {
		return s
	}
	// Names of keys and files keep their case.
	first, _, _ := strings.Cut(s, " ")
	if strings.ContainsAny(first, "._/<\"") {
		return s
	}
	return strings.ToUpper(string(r[0])) + string(r[1:])
}

// Drafted tells what init wrote.
func Drafted(d project.Draft, file string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s written for %s\n\n", bold.Render(file), d.Site)
	row := func(k, v string) { fmt.Fprintf(&b, "  %s %s\n", pad(k, 10), wrap(safe(v), 67, 13)) }
	row("name", d.Name+" ("+d.ShortName+")")
	row("colours", d.ThemeColor+", "+d.BackgroundColor+" while it starts")
	if d.Master == "" {
		row("icons", "none yet: name a master picture under icons.master")
	} else {
		row("icons", "from "+d.Master)
	}
	if d.PresentWhy != "" {
		what := "the site's own, " + d.Present
		if d.Unread {
			what = "the site's own, registered where it cannot be read; check worker.present"
		}
		row("worker", what)
		b.WriteString("\n  " + wrap("Fit writes no second one beside it: two take turns in replacing each other. The "+
			"project file says how to put one in its place.", 76, 2) + "\n")
		b.WriteString(Next("tachyform audit", "judges the site with that worker"))
		return b.String()
	}
	if d.Unregistered != "" {
		row("worker", d.Unregistered+" could register a worker of the site's own, and did not when the pages were opened")
	}
	row("pack", cut(strings.Join(d.Pages, ", "), 40)+" and what those pages ask for")
	if !d.Whole {
		row("", d.KeepWhy)
	}
	if d.Shell != "" {
		row("shell", d.Shell+" draws every page that has no file")
	}
	if len(d.Data) > 0 {
		var names []string
		for _, data := range d.Data {
			names = append(names, data.Match)
		}
		row("data", strings.Join(names, ", ")+": fresh from the network, else what was kept")
	}
	for _, o := range d.Elsewhere {
		row("", o.Origin+": kept, and refreshed behind the page's back")
	}
	if d.PageStandIn == "" {
		row("stand-in", "fit makes "+project.StandInPage+" beside the project file, yours to edit")
	} else {
		row("stand-in", d.PageStandIn)
	}
	if len(d.Told) > 0 {
		b.WriteString("\n  " + bold.Render("Told by the files; correct it where it is not so") + "\n")
		for _, t := range d.Told {
			fmt.Fprintf(&b, "  %s\n    %s\n", safe(t.Key+": "+t.Value), each(faint, wrap(safe(t.Why), 74, 4)))
		}
	}
	if n := len(d.Unanswered); n > 0 {
		b.WriteString("\n  " + yellow.Render("Asked for by scripts, and answered by no file") + "\n  " +
			wrap(safe(strings.Join(d.Unanswered[:min(5, n)], "  ")+more(n-5)), 76, 2) + "\n  " +
			each(faint, wrap("Say what the server gives: hosting.answers or hosting.backend in the project file.", 76, 2)) + "\n")
	}
	if d.Live() {
		b.WriteString(Next("tachyform fit --into FOLDER", "makes the files to upload, and the lines for the template"))
		return b.String()
	}
	b.WriteString(Next("tachyform fit", "writes all of it into the site; undo takes it back"))
	return b.String()
}

func more(n int) string {
	if n <= 0 {
		return ""
	}
	return fmt.Sprintf("  and %d more", n)
}

// Step is the heading of one step of several.
func Step(n, of int, text string) string {
	title := fmt.Sprintf(" %d/%d  %s ", n, of, text)
	return fmt.Sprintf("\n%s%s\n\n", blue.Bold(true).Render("──"+title),
		blue.Render(strings.Repeat("─", max(0, 76-textWidth(title)))))
}

// DemoEnd tells where the example lies and what to try next; program is how this program was called.
func DemoEnd(dir, html, program string) string {
	return fmt.Sprintf("\n  %s   %s\n  %s   %s\n\n  Try next:\n    %[5]s serve %[6]s/site\n    %[5]s trace /data/sailings.json "+
		"%[6]s/site\n",
		faint.Render("folder"), dir, faint.Render("report"), html, program, dir)
}
