package report

import (
	"fmt"
	"sort"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/icon"
	"tachyform/internal/worker"
)

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
	column := min(38, width-42)
	for _, e := range entries {
		fmt.Fprintf(&b, "  %s %s  %s\n", pad(fitTo(safe(e.Path), column), column), padLeft(size(e.Bytes), 9), faint.Render(fitTo(safe(e.Why), width-column-16)))
	}
	return b.String()
}

// Retired says what a visitor goes through when a worker is put in the place of another to remove it.
func Retired(r *audit.Retired, at, file string) string {
	var b strings.Builder
	if file != "" {
		fmt.Fprintf(&b, "%s  to be served at %s\n\n", bold.Render(file), at)
	}
	switch {
	case !r.Had:
		b.WriteString("  tried    no worker of this site's present pages could be installed, so there was nothing to remove\n")
	case r.Gone:
		fmt.Fprintf(&b, "  tried    a visitor with the present worker, %s kept: %s after the next visit\n", count(r.Kept, "file", "files"), green.Render("nothing left"))
	default:
		fmt.Fprintf(&b, "  tried    %s\n", red.Render(r.Left))
	}
	return b.String()
}
