package report

import (
	"fmt"
	"sort"
	"strings"

	"charm.land/lipgloss/v2"

	"tachyform/internal/audit"
	"tachyform/internal/fit"
	"tachyform/internal/icon"
	"tachyform/internal/worker"
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
		fmt.Fprintf(&b, "\n  %s%s\n", bold.Render(safe(cut(strings.Join(g.pages[:min(3, len(g.pages))], "  "), width-20))), more(len(g.pages)-3))
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

// Icons lists an icon set.
func Icons(list []icon.Icon, master, into string) string {
	var b strings.Builder
	where := ""
	if into != "" {
		where = " → " + into
	}
	total := 0
	for _, i := range list {
		total += len(i.Data)
	}
	fmt.Fprintf(&b, "%s%s  %s, %s\n\n", bold.Render(safe(master)), where, count(len(list), "icon", "icons"), size(int64(total)))
	for _, i := range list {
		fmt.Fprintf(&b, "  %s %s %s %s\n", pad(i.Name, 22), padLeft(icon.SizeText(i.Size), 9), padLeft(size(int64(len(i.Data))), 9), i.Purpose)
	}
	if into == "" {
		b.WriteString(Next("tachyform icons --into FOLDER", "writes them there; fit writes them into the site"))
	}
	return b.String()
}

// Pack lists what is in a worker's pack, the heaviest first, with the pattern that asked for it.
func Pack(p *worker.Plan, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s  %s, %s\n\n", bold.Render("pack of "+p.Script), count(len(p.Pack), "file", "files"), size(p.Bytes()))
	entries := append([]worker.Entry(nil), p.Pack...)
	sort.SliceStable(entries, func(i, j int) bool { return entries[i].Bytes > entries[j].Bytes })
	column := 10
	for _, e := range entries {
		column = max(column, min(len(e.Path), width-42))
	}
	for _, e := range entries {
		fmt.Fprintf(&b, "  %s %s  %s\n", pad(fitTo(safe(e.Path), column), column), padLeft(size(e.Bytes), 9), faint.Render(fitTo(safe(e.Why), width-column-16)))
	}
	b.WriteString(Notes(p.Notes, width))
	return b.String()
}

// Retired says what a visitor goes through when a worker is put in the place of another to remove it.
func Retired(r *audit.Retired, at, file string, width int) string {
	var b strings.Builder
	if file != "" {
		fmt.Fprintf(&b, "%s  to be served at %s\n\n", bold.Render(file), at)
	}
	tried := func(style lipgloss.Style, text string) {
		fmt.Fprintf(&b, "  tried    %s\n", each(style, wrap(safe(text), width-11, 11)))
	}
	switch {
	case !r.Had:
		tried(lipgloss.NewStyle(), "no worker of this site's present pages could be installed, so there was nothing to remove")
	case r.Gone:
		tried(green, fmt.Sprintf("a visitor with the present worker, %s kept: nothing left after the next visit", count(r.Kept, "file", "files")))
	default:
		tried(red, r.Left)
	}
	return b.String()
}
