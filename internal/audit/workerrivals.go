package audit

import (
	"maps"
	"slices"
	"strings"

	"tachyform/internal/page"
)

var workerRivals = newCheck(Check{
	Code: "worker.rivals", Weight: Blocker, Rank: 180,
	Title: "Two workers are registered for the same pages",
	Reason: "They take turns in replacing each other at every visit; pages that load again at a takeover never come " +
		"to rest.",
	Mend:     "register one of them: take the other's call out of the pages",
	Standard: "Service Workers, 3.4.3",
	Example:  "the framework registers /sw.js, and a tag that was added later /worker.js.",
})

// checkRivals names workers that are registered for one scope, by visited pages or by others.
func (a *auditor) checkRivals() {
	scripts := map[string][]string{}
	where := map[string]Where{}
	add := func(scope, script string, at Where) {
		if slices.Contains(scripts[scope], script) {
			return
		}
		scripts[scope] = append(scripts[scope], script)
		where[scope] = at
	}
	for _, r := range a.ran.Rivals {
		for _, s := range r.Scripts {
			add(r.Scope, s, a.place(s, 0, 0))
		}
	}
	seen := map[string]*page.SeenPage{}
	for _, p := range a.ran.Pages {
		seen[p.URL] = p.Seen
	}
	for _, u := range a.documentsInOrder() {
		list := a.documents[u].Registrations
		if s := seen[u]; s != nil && !s.Unfinished {
			list = s.Registrations // what the visit showed outweighs what the texts name
		} else if path, own := strings.CutPrefix(u, a.origin); own && a.graph != nil {
			list = a.graph.RegistrationsOf(path)
		}
		for _, r := range list {
			add(r.Covers(), r.Script, a.place(r.From, r.Line, r.Column))
		}
	}
	for _, scope := range slices.Sorted(maps.Keys(scripts)) {
		if len(scripts[scope]) < 2 {
			continue
		}
		var names []string
		for _, s := range scripts[scope] {
			names = append(names, a.local(s))
		}
		a.find(workerRivals, where[scope], strings.Join(names, " and ")+" for the scope "+a.local(scope), "")
	}
}
