package report

import (
	"fmt"
	"sort"
	"strings"

	"tachyform/internal/worker"
)

// Pack lists what is in a worker's pack, the heaviest first, with the pattern that asked for it.
func Pack(p *worker.Plan, width int) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s  %s, %s\n\n", bold.Render("pack of "+p.Script), count(len(p.Pack), "file", "files"),
		size(p.Bytes()))
	entries := append([]worker.Entry(nil), p.Pack...)
	sort.SliceStable(entries, func(i, j int) bool { return entries[i].Bytes > entries[j].Bytes })
	column := 10
	for _, e := range entries {
		column = max(column, min(len(e.Path), width-42))
	}
	for _, e := range entries {
		fmt.Fprintf(&b, "  %s %s  %s\n", pad(fitTo(safe(e.Path), column), column), padLeft(size(e.Bytes), 9),
			faint.Render(fitTo(safe(e.Why), width-column-16)))
	}
	b.WriteString(Notes(p.Notes, width))
	return b.String()
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
