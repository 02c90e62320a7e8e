package audit

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/document"
	"tachyform/internal/weburl"
)

var pageGone = newCheck(Check{
	Code: "page.gone", Weight: Risk, Rank: 130,
	Title:   "A page that the project file names does not answer",
	Reason:  "Somebody expects this page to be there.",
	Mend:    "mend the path under audit, or bring the page back",
	Example: "audit.pages names /lost.html, which was removed.",
})

var linkBroken = newCheck(Check{
	Code: "link.broken", Weight: Risk, Rank: 140,
	Title:   "A page asks for a file that is not there",
	Reason:  "The page is incomplete for everybody, online too.",
	Mend:    "mend the address, or bring the file back",
	Example: "<img src=/pictures/peir.png>, and the file is pier.png.",
})

var linkRefused = newCheck(Check{
	Code: "link.refused", Weight: Risk, Rank: 150,
	Title:    "A file comes under a type that browsers refuse",
	Reason:   "The file is there, and yet the page looks or works as if it were not.",
	Mend:     "let the host send the right media type: hosting.media_types says what it sends today",
	Standard: "Fetch, 2.2.6; HTML, 4.2.4",
	Example:  "a style sheet sent as text/plain.",
})

// checkLinks names what pages ask for that is not there even online.
func (a *auditor) checkLinks() {
	if a.graph == nil {
		for _, v := range a.ran.Visits {
			for _, l := range v.Loads {
				if l.Missing && !l.Background {
					a.find(linkBroken, a.place(l.From, l.Line, l.Column), a.local(l.URL)+": "+l.Why.String(), "")
				}
			}
		}
		return
	}
	type broken struct {
		first page.Reference
		count int
	}
	found := map[string]*broken{}
	var order []string
	check := func(r page.Reference) {
		path, ok := a.graph.Local(r.URL)
		if !ok || a.graph.Files[path] != nil {
			return
		}
		if b := found[r.URL]; b != nil {
			b.count++
			return
		}
		if resp, _ := a.follow(r.URL); resp != nil && resp.Status < 400 {
			return
		}
		found[r.URL] = &broken{r, 1}
		order = append(order, r.URL)
	}
	used := a.graph.Used()
	for _, p := range a.ran.Pages {
		for _, r := range p.Seen.Requests {
			if path, own := a.graph.Local(r.URL); own {
				used[path] = true
			}
		}
	}
	for _, p := range slices.Sorted(maps.Keys(used)) {
		for _, r := range a.graph.Refs[p] {
			if r.Destination != request.Manifest && !(r.Background && r.Destination == request.Image) {
				if a.graph.Scripts[p] != nil && r.Destination == request.Data && !r.Module {
					continue // a script's fetch() resolves against its page; the rehearsal knows better
				}
				check(r)
			}
		}
	}
	routed, _ := a.unanswered()
	for _, p := range a.graph.PagePaths() {
		d := a.graph.Pages[p]
		for _, l := range d.Links {
			if slices.Contains(routed, weburl.WithoutQuery(weburl.WithoutFragment(l.URL))) {
				continue // told on its own
			}
			check(page.Reference{URL: l.URL, From: d.URL, Line: l.Line, Column: l.Column})
		}
	}
	lacks := func(l *document.Load) {
		if found[l.URL] == nil {
			found[l.URL] = &broken{l.Reference, 1}
			order = append(order, l.URL)
		}
	}
	for _, v := range a.ran.Visits {
		for _, l := range v.Loads {
			_, own := a.graph.Local(l.URL)
			if l.Missing && !l.Background && l.Destination == request.Data && !(own && (l.Method != "" || !v.HostKnows(l.URL))) { // else a server may answer
				lacks(l)
			}
		}
	}
	// What a page lacks online too, and its scripts ask for, makes it less than whole for good.
	for _, p := range a.ran.Pages {
		if o := p.Under[condition.Offline.Name]; o != nil && o.Outcome == rehearsal.Partial && o.Doubt == nil {
			for _, l := range o.Missing {
				if _, own := a.graph.Local(l.URL); own && l.Anyway && l.Runs {
					lacks(l)
				}
			}
		}
	}
	// Many addresses below a folder that the site does not have are one mistake.
	below := map[string][]string{}
	for _, u := range order {
		if folder := a.lackingFolder(u); folder != "" {
			below[folder] = append(below[folder], u)
		}
	}
	told := map[string]bool{}
	for _, u := range order {
		b := found[u]
		if folder := a.lackingFolder(u); len(below[folder]) >= manyBroken {
			if !told[folder] {
				told[folder] = true
				places := 0
				for _, other := range below[folder] {
					places += found[other].count
				}
				a.find(linkBroken, a.place(b.first.From, b.first.Line, b.first.Column), fmt.Sprintf("%d addresses below %s are not there, such as %s; "+
					"%d places ask for them", len(below[folder]), folder, a.local(u), places), "mend the addresses, or deploy that folder as well")
			}
			continue
		}
		evidence := a.local(u) + " is not there"
		if b.count > 1 {
			evidence += fmt.Sprintf("; %d places ask for it", b.count)
		}
		a.find(linkBroken, a.place(b.first.From, b.first.Line, b.first.Column), evidence, "")
	}
}

// manyBroken is how many addresses below a folder that the site does not have are told together.
const manyBroken = 4

// lackingFolder gives the first folder of an address on the site's own origin of which the site has no file at all, ""
// where it has some.
func (a *auditor) lackingFolder(url string) string {
	path, own := a.graph.Local(url)
	rest, below := strings.CutPrefix(path, a.Folder.Address())
	folder, _, deeper := strings.Cut(rest, "/")
	if !own || !below || !deeper {
		return ""
	}
	prefix := folder + "/"
	if slices.ContainsFunc(a.Folder.Files(), func(f *site.File) bool { return strings.HasPrefix(f.Path, prefix) }) {
		return ""
	}
	return a.Folder.Address() + prefix
}

// checkRefusedAnswers names what comes under a media type that keeps it from being used. It has to be seen with the
// host's own headers.
func (a *auditor) checkRefusedAnswers() {
	seen := map[string]bool{}
	for _, v := range a.ran.Visits {
		for _, l := range v.Loads {
			if l.Refused && !seen[l.URL] {
				seen[l.URL] = true
				a.find(linkRefused, a.place(l.From, l.Line, l.Column), a.local(l.URL)+": "+l.Why.String(), "")
			}
		}
	}
}
