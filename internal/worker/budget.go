package worker

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyform/internal/problem"
	"tachyform/internal/project"
)

// keptBack is what is kept back for what is packed beside pages: stand-ins, the script that registers the worker.
const keptBack = 60_000

// leavesOut says whether a heavy pack goes without some pages and pictures, instead of being refused.
func (b *planner) leavesOut() bool {
	pack := b.p.Worker.Pack
	return pack.OverBudget == "leave-out" && pack.Budget > 0
}

// mostLed is how many pages that lead on to another by themselves are followed.
const mostLed = 5

// startPages are the paths of the pages that open first: the shell, the page that the app starts with, and those that it leads on to by itself.
func (b *planner) startPages() (list []string) {
	add := func(address string) {
		if file := b.f.FileAt(address); address != "" && file != nil && !slices.Contains(list, b.f.PathOf(file)) {
			list = append(list, b.f.PathOf(file))
		}
	}
	add(b.Shell.Page)
	add(b.p.Audit.Entry)
	for i := 0; i < len(list) && i < mostLed; i++ {
		add(b.graph.LeadsTo(list[i]))
	}
	return list
}

// byLinks lists the site's pages, those that are the fewest links away from the first one before the others.
func (b *planner) byLinks() (order []string) {
	var level []string // all pages in a level are as many links away
	seen := map[string]bool{}
	visit := func(path string) {
		if !seen[path] && b.graph.IsPage(path) {
			seen[path] = true
			level = append(level, path)
		}
	}
	for _, path := range b.startPages() {
		visit(path)
	}
	for len(level) > 0 {
		nearer := level
		level = nil
		order = append(order, nearer...)
		b.graph.Read(nearer...)
		for _, at := range nearer {
			for _, to := range b.graph.LinksTo(at) {
				visit(to)
			}
		}
	}
	for _, path := range slices.Sorted(maps.Keys(b.chosen)) {
		if !seen[path] {
			order = append(order, path)
		}
	}
	return order
}

// isPicture says whether a page is still usable without the file: pictures, sound and films.
func isPicture(path string) bool {
	return destinationOf(path) == "image" || mediaFile.MatchString(path)
}

// leaveOut takes pages out of the choice, with what they alone need, as far as they do not fit into the budget: those that
// are the fewest links away from the first page are weighed first, and each for itself. The start page stays, with its scripts,
// styles and fonts; of its pictures those stay that fit, the smallest first.
func (b *planner) leaveOut(budget int64, takes func(need string) bool) {
	order := b.byLinks()
	weighed := map[string]bool{}
	weight := int64(keptBack)
	sizeOf := func(path string) (n int64) {
		if file := b.graph.Files[path]; file != nil && !weighed[path] {
			n = file.Size
		}
		return n
	}
	take := func(paths ...string) {
		for _, path := range paths {
			weight += sizeOf(path)
			weighed[path] = true
		}
	}
	needsOf := func(path string) []string {
		return slices.DeleteFunc(b.graph.Needs(path), func(need string) bool { return !takes(need) })
	}
	for path, why := range b.chosen {
		if !strings.HasPrefix(why, "page of ") {
			take(path)
		}
	}
	starts := b.startPages()
	var pictures []string
	for _, start := range starts {
		if b.chosen[start] == "" && b.Shell.Page == "" {
			continue
		}
		take(start)
		for _, need := range needsOf(start) {
			if isPicture(need) {
				pictures = append(pictures, need)
			} else {
				take(need)
			}
		}
	}
	b.AtStart = weight - keptBack
	slices.SortStableFunc(pictures, func(x, y string) int { return int(sizeOf(x) - sizeOf(y)) })
	for _, p := range pictures {
		if weight+sizeOf(p) <= budget {
			take(p)
		} else {
			b.leftOut[p] = true
		}
	}
	var left []string
	for _, path := range order {
		if slices.Contains(starts, path) || !strings.HasPrefix(b.chosen[path], "page of ") {
			continue
		}
		more := sizeOf(path)
		var needs []string
		if weight+more <= budget { // what it needs is only looked for where the page itself fits
			needs = needsOf(path)
			for _, need := range needs {
				more += sizeOf(need)
			}
		}
		if weight+more > budget {
			delete(b.chosen, path)
			left = append(left, path)
			continue
		}
		take(append(needs, path)...)
	}
	b.pagesLeft = left
	// A page that fits brings its pictures along.
	for p := range b.leftOut {
		if weighed[p] {
			delete(b.leftOut, p)
		}
	}
}

// budget refuses a pack that is too heavy.
func (b *planner) budget() error {
	pack := b.p.Worker.Pack
	total, most := b.Bytes(), int64(pack.Budget)
	for _, path := range b.pagesLeft {
		if b.chosen[path] == "" { // else it is packed for something else
			b.LeftOut++
		}
	}
	for _, path := range slices.Sorted(maps.Keys(b.leftOut)) {
		if b.chosen[path] == "" {
			b.FilesLeftOut = append(b.FilesLeftOut, path)
		}
	}
	if most == 0 || total <= most {
		return nil
	}
	if b.leavesOut() {
		if total <= max(most, project.HeaviestStart) {
			b.note("worker.pack.budget", fmt.Sprintf("the pack weighs %s, over its budget of %s: the start page needs %s of scripts, styles "+
				"and fonts, and does not start without them", project.Size(total), pack.Budget, project.Size(b.AtStart)),
				"make the start page lighter, or raise the budget")
			return nil
		}
		most = max(most, project.HeaviestStart)
	}
	heavy := slices.Clone(b.Pack)
	slices.SortStableFunc(heavy, func(a, b Entry) int { return int(b.Bytes - a.Bytes) })
	var names []string
	for _, e := range heavy[:min(3, len(heavy))] {
		names = append(names, fmt.Sprintf("%s (%s)", e.Path, project.Size(e.Bytes)))
	}
	return &problem.Problem{Kind: problem.Refused, Where: b.where("worker.pack.budget"),
		What: fmt.Sprintf("the pack weighs %s, over its budget of %s; the heaviest are %s", project.Size(total), project.Size(most),
			strings.Join(names, ", ")),
		Mend: "name files under worker.pack.leave_out, or raise the budget; nothing was written"}
}
