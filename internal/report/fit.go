package report

import (
	"fmt"
	"strings"

	"tachyform/internal/fit"
	"tachyform/internal/project"
)

// Fit tells what was written, and after the first fit of a site what its host has to send.
func Fit(p *fit.Plan, pr *project.Project, name string, first bool, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s → %s\n\n", bold.Render(safe(pr.App.Text("name"))), name)
	if len(p.Changes) == 0 {
		fmt.Fprintf(&b, "  Nothing to do: all %s are as they should be.\n", count(p.Same, "file", "files"))
		if p.Worker != nil {
			b.WriteString(Notes(p.Worker.Notes, width))
		}
		return b.String()
	}
	byWhat := map[string]int{}
	for _, c := range p.Changes {
		byWhat[c.What]++
	}
	row := func(k, v string) { fmt.Fprintf(&b, "  %s %s\n", pad(k, 10), v) }
	note := func(n int) string {
		if n == 0 {
			return faint.Render("as it was")
		}
		return "written"
	}
	row("pages", fmt.Sprintf("%d wired, %d as they were", byWhat["page"], p.Pages-byWhat["page"]))
	row("manifest", p.Head.Manifest+"  "+note(byWhat["manifest"]))
	if pr.Icons.Master != "" {
		row("icons", fmt.Sprintf("%s  %d written", strings.TrimSuffix(pr.Icons.Folder, "/")+"/", byWhat["icon"]))
	} else {
		row("icons", yellow.Render("none: name a master picture under icons.master"))
	}
	if p.Worker != nil {
		row("worker", fmt.Sprintf("%s  %s, keeps %s, %s", p.Worker.Script, note(byWhat["worker"]),
			count(len(p.Worker.Pack), "file", "files"), size(p.Worker.Bytes())))
		if n := p.Worker.LeftOut; n > 0 {
			row("", count(n, "page", "pages")+" left out for weight, kept once they are visited")
		}
		if n := len(p.Worker.FilesLeftOut); n > 0 {
			row("", count(n, "file", "files")+" of the start page left out for weight: "+p.Worker.FilesLeftOut[0]+
				map[bool]string{true: " …"}[n > 1])
		}
	}
	if s := pr.Worker.StandIns; p.Worker != nil && (s.MakePage || s.MakeImage) {
		var names []string
		for _, of := range []struct {
			made bool
			name string
		}{{s.MakePage, project.StandInPage}, {s.MakeImage, project.StandInImage}} {
			if of.made {
				names = append(names, of.name)
			}
		}
		row("stand-in", strings.Join(names, ", ")+faint.Render("  beside the project file, yours to edit"))
	}
	if p.Worker != nil {
		b.WriteString(Notes(p.Worker.Notes, width))
	}
	if first {
		b.WriteString(hostSends(p))
	}
	b.WriteString(Next("tachyform rehearse", "visits every page offline; undo takes this back"))
	return b.String()
}

// mostNamed is how many files are named.
const mostNamed = 10

// Checked says whether a site is fitted to its project file.
func Checked(p *fit.Plan, name string) string {
	if len(p.Changes) == 0 {
		return fmt.Sprintf("%s is fitted to its project file: all %s are as they should be.\n", safe(name), count(p.Same, "file", "files"))
	}
	var b strings.Builder
	fmt.Fprintf(&b, "%s is not fitted to its project file: %s.\n", safe(name), count(len(p.Changes), "file differs", "files differ"))
	for i, c := range p.Changes {
		if i == mostNamed {
			fmt.Fprintf(&b, "  and %d more\n", len(p.Changes)-mostNamed)
			break
		}
		fmt.Fprintf(&b, "  %s\n", safe(c.Path))
	}
	b.WriteString(Next("tachyform fit", "writes them; --dry-run shows how they differ"))
	return b.String()
}

// Fixed tells in a line what a fit wrote on behalf of an audit.
func Fixed(p *fit.Plan, width int) string {
	byWhat := map[string]int{}
	for _, c := range p.Changes {
		byWhat[c.What]++
	}
	var parts []string
	for _, what := range []struct{ name, one, many string }{{"page", "page", "pages"},
		{"manifest", "manifest", "manifests"}, {"icon", "icon", "icons"}, {"worker", "worker", "workers"}, {"script",
			"script", "scripts"}} {
		if n := byWhat[what.name]; n > 0 {
			parts = append(parts, count(n, what.one, what.many))
		}
	}
	return green.Render("fitted") + "  " + wrap(strings.Join(parts, ", ")+" written; tachyform undo takes it back",
		width-8, 8) + "\n\n"
}
