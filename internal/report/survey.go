package report

import (
	"fmt"
	"strings"

	"tachyform/internal/fit"
	"tachyform/internal/manifest"
	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/worker"
)

// Survey shows what a look at the site found.
func Survey(s *page.Survey, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s  %s, %s, %s\n\n", bold.Render(s.Site), count(s.Pages, "page", "pages"), count(s.Files, "file", "files"), size(s.Bytes))
	heading := func(text string) { fmt.Fprintln(&b, bold.Render(text)) }
	heading("FILES")
	for _, k := range s.Kinds {
		fmt.Fprintf(&b, "  %s%s  %s\n", pad(k.Kind, 10), padLeft(fmt.Sprint(k.Files), 5), padLeft(size(k.Bytes), 8))
	}
	b.WriteByte('\n')
	heading("HEAVIEST")
	for _, f := range s.Heaviest {
		fmt.Fprintf(&b, "  %s  %s\n", padLeft(size(f.Bytes), 8), fitTo(safe(f.URL), width-14))
	}
	b.WriteByte('\n')
	heading("WIRED ALREADY")
	wired := func(name string, n int, detail string) {
		text := faint.Render("on no page")
		switch {
		case n == s.Pages:
			text = green.Render("on every page")
		case n > 0:
			text = yellow.Render(fmt.Sprintf("on %d of %d pages", n, s.Pages))
		}
		fmt.Fprintf(&b, "  %s%s", pad(name, 17), text)
		if detail != "" {
			b.WriteString("  " + safe(detail))
		}
		b.WriteByte('\n')
	}
	wired("manifest", s.Wired.Manifest, s.Wired.URL)
	wired("service worker", s.Wired.Worker, s.Wired.WorkerURL)
	wired("theme colour", s.Wired.ThemeColor, "")
	wired("icon", s.Wired.Icon, "")
	wired("Apple touch icon", s.Wired.AppleIcon, "")
	if len(s.Broken) > 0 {
		b.WriteByte('\n')
		heading("BROKEN")
		for _, x := range s.Broken[:min(8, len(s.Broken))] {
			places := ""
			if x.Places > 1 {
				places = fmt.Sprintf(" and %s more", count(x.Places-1, "place", "places"))
			}
			fmt.Fprintf(&b, "  %s is not there\n    %s\n", safe(x.URL), faint.Render(fmt.Sprintf("asked for by %s line %d%s", safe(x.From), x.Line, places)))
		}
		if n := len(s.Broken) - 8; n > 0 {
			fmt.Fprintf(&b, "  and %d more\n", n)
		}
	}
	if len(s.Others) > 0 {
		b.WriteByte('\n')
		heading("FROM OTHER ORIGINS")
		for _, o := range s.Others[:min(8, len(s.Others))] {
			fmt.Fprintf(&b, "  %s  %s\n", safe(o.Origin), faint.Render(count(o.Requests, "request", "requests")))
		}
	}
	if len(s.Unlinked) > 0 {
		b.WriteByte('\n')
		heading("PAGES THAT NO PAGE LINKS TO")
		fmt.Fprintf(&b, "  %s\n", wrap(safe(strings.Join(s.Unlinked[:min(8, len(s.Unlinked))], "  ")+more(len(s.Unlinked)-8)), width-2, 2))
	}
	if len(s.Hidden) > 0 {
		b.WriteByte('\n')
		heading("HIDDEN FILES, WHICH A HOST MAY SHOW TO EVERYBODY")
		fmt.Fprintf(&b, "  %s\n", wrap(safe(strings.Join(s.Hidden[:min(8, len(s.Hidden))], "  ")+more(len(s.Hidden)-8)), width-2, 2))
	}
	for _, p := range s.Skipped {
		fmt.Fprintf(&b, "\n  %s was passed over: it leads out of the folder or is no file\n", safe(p))
	}
	b.WriteByte('\n')
	heading("WORTH KEEPING OFFLINE")
	fmt.Fprintf(&b, "  %s, %s: %s\n", count(s.Keep.Files, "file", "files"), size(s.Keep.Bytes), s.Keep.Why)
	fmt.Fprintf(&b, "  %s\n", each(faint, wrap(safe(strings.Join(s.Keep.Pages[:min(8, len(s.Keep.Pages))], "  ")+more(len(s.Keep.Pages)-8)), width-2, 2)))
	return b.String()
}

// Fit tells what was written.
func Fit(p *fit.Plan, pr *project.Project, name string, width int) string {
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
		row("worker", fmt.Sprintf("%s  %s, keeps %s, %s", p.Worker.Script, note(byWhat["worker"]), count(len(p.Worker.Pack), "file", "files"), size(p.Worker.Bytes())))
	}
	if p.Worker != nil {
		b.WriteString(Notes(p.Worker.Notes, width))
	}
	b.WriteString(Next("tachyform rehearse", "visits every page offline; undo takes this back"))
	return b.String()
}

// Upload tells what is to be put on a live site: the files in a folder, and the lines for its template.
func Upload(p *fit.Plan, pr *project.Project, into, url string, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s → %s\n\n", bold.Render(safe(pr.App.Text("name"))), into)
	fmt.Fprintf(&b, "%s\n", bold.Render("UPLOAD, AS THEY LIE IN THE FOLDER"))
	for _, c := range p.Changes {
		note := "new"
		if c.Old != nil {
			note = "in the place of the one that is there"
		}
		fmt.Fprintf(&b, "  %s %s  %s\n", pad(fitTo(c.Path, width-52), width-52), padLeft(size(int64(len(c.New))), 9), faint.Render(note))
	}
	fmt.Fprintf(&b, "\n%s\n", bold.Render("PASTE INTO THE HEAD OF EVERY PAGE'S TEMPLATE"))
	for _, l := range p.Head.Snippet() {
		fmt.Fprintf(&b, "  %s\n", l)
	}
	if p.Head.StandIn != "" {
		fmt.Fprintf(&b, "\n  On %s the script's tag gets %s too,\n  so that the page that was wanted comes back.\n", p.Head.StandIn, "data-stand-in=\""+p.Head.StandIn+"\"")
	}
	if p.Worker != nil {
		fmt.Fprintf(&b, "\n  worker   keeps %s, %s\n", count(len(p.Worker.Pack), "file", "files"), size(p.Worker.Bytes()))
		b.WriteString(Notes(p.Worker.Notes, width))
	}
	return b.String() + Next("tachyform audit "+url, "proves it once that is done")
}

// Fixed tells in a line what a fit wrote on behalf of an audit.
func Fixed(p *fit.Plan, width int) string {
	byWhat := map[string]int{}
	for _, c := range p.Changes {
		byWhat[c.What]++
	}
	var parts []string
	for _, what := range []struct{ name, one, many string }{{"page", "page", "pages"}, {"manifest", "manifest", "manifests"}, {"icon", "icon", "icons"}, {"worker", "worker", "workers"}, {"script", "script", "scripts"}} {
		if n := byWhat[what.name]; n > 0 {
			parts = append(parts, count(n, what.one, what.many))
		}
	}
	return green.Render("fitted") + "  " + wrap(strings.Join(parts, ", ")+" written; tachyform undo takes it back", width-8, 8) + "\n\n"
}

// Notes lists what may not have been meant in the pack and rules.
func Notes(list []worker.Note, width int) string {
	var b strings.Builder
	for _, n := range list {
		where := n.Where
		if i := strings.LastIndexByte(where, '/'); i >= 0 {
			where = where[i+1:]
		}
		fmt.Fprintf(&b, "\n  %s %s\n", yellow.Render("note"), wrap(safe(n.What), width-7, 7))
		fmt.Fprintf(&b, "       %s\n", each(faint, wrap(safe(where+": "+n.Mend), width-7, 7)))
	}
	return b.String()
}

// Manifest shows what a browser makes of a manifest.
func Manifest(p *manifest.Processed, issues []manifest.Issue, file string, width int) string {
	var b strings.Builder
	row := func(k, v string) {
		if v != "" {
			fmt.Fprintf(&b, "  %s %s\n", pad(k, 17), fitTo(safe(v), width-20))
		}
	}
	if p.Fatal {
		fmt.Fprintf(&b, "%s\n", red.Render("Browsers throw this manifest away whole."))
	} else {
		fmt.Fprintf(&b, "%s\n\n", bold.Render("What a browser takes from "+file))
		row("name", p.Name)
		row("short_name", p.ShortName)
		row("id", p.ID)
		row("start_url", p.StartURL)
		row("scope", p.Scope)
		row("display", p.ShownDisplay)
		row("theme_color", p.ThemeColor)
		row("background_color", p.BackgroundColor)
		for _, i := range p.Icons {
			row("icon", strings.Join(i.Sizes, " ")+" "+strings.Join(i.Purpose, " ")+" "+i.Src)
		}
	}
	for _, i := range issues {
		fmt.Fprintf(&b, "\n  %s %s\n", yellow.Render(fmt.Sprintf("%s:%d:%d", file, i.Line, i.Column)), wrap(safe(i.What), width-4, 4))
		if i.Mend != "" {
			fmt.Fprintf(&b, "    %s\n", blue.Render("→ ")+wrap(safe(i.Mend), width-6, 6))
		}
	}
	return b.String()
}
