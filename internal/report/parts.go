package report

import (
	"fmt"
	"sort"
	"strings"

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
