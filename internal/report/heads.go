package report

import (
	"fmt"
	"strings"

	"tachyform/internal/fit"
)

// Heads says what the heads of pages lack, pages that lack the same together.
func Heads(p *fit.Plan, width int) string {
	var b strings.Builder
	type group struct {
		lines []string
		pages []string
	}
	groups := map[string]*group{}
	var order []*group
	whole := p.Pages
	for _, h := range p.Edited {
		var lines []string
		for _, l := range h.Added {
			lines = append(lines, green.Render("+ ")+safe(cut(l, width-6)))
		}
		for _, l := range h.Changed {
			lines = append(lines, yellow.Render("~ ")+safe(cut(l, width-6)))
		}
		for _, m := range h.Misnamed {
			says := fmt.Sprintf("%s=%q: browsers know %q", m.Attr, m.Wrong, m.Right)
			switch {
			case m.Right == "":
				says = fmt.Sprintf("%s=%q is read by no browser any more", m.Attr, m.Wrong)
			case m.Obsolete:
				says = fmt.Sprintf("%s=%q is out of use; write %q", m.Attr, m.Wrong, m.Right)
			}
			lines = append(lines, red.Render("! ")+safe(cut(says, width-6)))
		}
		if len(h.Added)+len(h.Changed) > 0 {
			whole--
		}
		key := strings.Join(lines, "\n")
		if groups[key] == nil {
			groups[key] = &group{lines: lines}
			order = append(order, groups[key])
		}
		groups[key].pages = append(groups[key].pages, h.Path)
	}
	fmt.Fprintf(&b, "%s  %d of %s lack nothing\n", bold.Render("heads"), whole, count(p.Pages, "page", "pages"))
	for _, g := range order {
		fmt.Fprintf(&b, "\n  %s%s\n", bold.Render(safe(cut(strings.Join(g.pages[:min(3, len(g.pages))], "  "), width-20))),
			more(len(g.pages)-3))
		for _, l := range g.lines {
			fmt.Fprintf(&b, "    %s\n", l)
		}
	}
	if p.Passed > 0 {
		fmt.Fprintf(&b, "\n  %s left out in the project file\n", count(p.Passed, "page is", "pages are"))
	}
	if len(order) > 0 {
		b.WriteString(Next("tachyform fit", "writes them; head --print gives the lines for a template"))
	}
	return b.String()
}
