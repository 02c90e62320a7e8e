package audit

import (
	"fmt"
	"slices"

	"tachyform/internal/condition"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/spelling"
)

// What is judged here.
var limitOver = newCheck(Check{
	Code: "limit.over", Weight: Risk, Rank: 250,
	Title:   "A limit of the project file is exceeded",
	Reason:  "The first visit costs more, or gives less, than this project allows itself.",
	Mend:    "bring it under the limit, or change audit.limits",
	Example: "audit.limits.kept is 2 MB, and a new picture made it 2.3 MB.",
})

// Override is a check whose weight the project file changes, with the reason that stands there.
type Override struct {
	Code string `json:"code"`
	// From and To are weights; To may be off.
	From string `json:"from"`
	To   string `json:"to"`
	// Targets are those that the change is for; none means all.
	Targets []string `json:"targets,omitempty"`
	// Pages are patterns of the pages that it is for; none means all.
	Pages  []string `json:"pages,omitempty"`
	Reason string   `json:"reason"`
	// Findings is how many findings it is about.
	Findings int `json:"findings"`
}

// checkSettings says whether the weights that the project file changes are those of checks that there are.
func checkSettings(p *project.Project) error {
	var codes []string
	for _, c := range Catalogue {
		codes = append(codes, c.Code)
	}
	for i, w := range p.Audit.Weights {
		for j, text := range w.Pages {
			if _, err := site.NewPattern(text, "https://site.example"); err != nil {
				at := p.PlaceOf(fmt.Sprintf("audit.weights[%d].pages[%d]", i, j))
				return &problem.Problem{Kind: problem.Usage, Where: fmt.Sprintf("%s:%d:%d", p.Path, at.Line, at.Column), What: err.Error(),
					Mend: "patterns look like /chart/* or /tides/:island"}
			}
		}
		if slices.Contains(codes, w.Check) {
			continue
		}
		at := p.PlaceOf(fmt.Sprintf("audit.weights[%d].check", i))
		mend := "tachyform explain lists them"
		if near := spelling.Nearest(w.Check, codes); near != "" {
			mend = "did you mean " + near + "?"
		}
		return &problem.Problem{Kind: problem.Usage, Where: fmt.Sprintf("%s:%d:%d", p.Path, at.Line, at.Column),
			What: fmt.Sprintf("there is no check %q", w.Check), Mend: mend}
	}
	return nil
}

// applyOverrides gives findings the weights of the project file, and leaves out those that are off.
func (a *auditor) applyOverrides() {
	for i, w := range a.Project.Audit.Weights {
		c := Override{Code: w.Check, From: CheckOf(w.Check).Weight, To: w.Weight, Targets: w.On, Pages: w.Pages, Reason: w.Reason}
		if len(w.Pages) > 0 {
			c.Findings = a.accepted[i] // weighed when they were found
			a.report.Changed = append(a.report.Changed, c)
			continue
		}
		a.report.Findings = slices.DeleteFunc(a.report.Findings, func(f *Finding) bool {
			if f.Code != w.Check {
				return false
			}
			if f.setWeight(w.Weight, w.On) {
				c.Findings++
			}
			return f.Weight == ""
		})
		a.report.Changed = append(a.report.Changed, c)
	}
}

// pageWeight is an entry of audit.weights, by its number, that is for the pages that patterns match.
type pageWeight struct {
	entry    int
	check    string
	patterns []*site.Pattern
}

// pageWeights gives the entries that are for some pages only; checkSettings tells which patterns are none.
func pageWeights(p *project.Project, origin string) (list []pageWeight) {
	for i, w := range p.Audit.Weights {
		for j, text := range w.Pages {
			if j == 0 {
				list = append(list, pageWeight{entry: i, check: w.Check})
			}
			if pattern, err := site.NewPattern(text, origin); err == nil {
				last := &list[len(list)-1]
				last.patterns = append(last.patterns, pattern)
			}
		}
	}
	return list
}

// weighing gives the number of the entry of the project file that weighs a check on a page, -1 for none; URL is absolute.
func (a *auditor) weighing(code, url string) int {
	for _, w := range a.byPage {
		if w.check == code && slices.ContainsFunc(w.patterns, func(p *site.Pattern) bool { return p.Match(url) }) {
			return w.entry
		}
	}
	return -1
}

// reweigh gives the finding that was added last the weight of an entry for some pages, which those for all leave alone.
func (a *auditor) reweigh(f *Finding, w project.Weighing) {
	before := slices.Clone(f.Targets)
	if f.setWeight(w.Weight, w.On); f.Weight == "" {
		a.report.Findings = a.report.Findings[:len(a.report.Findings)-1]
	}
	f.settled = slices.DeleteFunc(before, func(t string) bool { return len(w.On) > 0 && !slices.Contains(w.On, t) })
}

// weighed sorts pages by the entries of the project file that weigh a check on them: those without any, and the others by the entry.
func (a *auditor) weighed(code string, urls []string) (plain []string, by map[int][]string) {
	by = map[int][]string{}
	for _, u := range urls {
		if i := a.weighing(code, u); i >= 0 {
			by[i] = append(by[i], u)
			a.accepted[i]++
		} else {
			plain = append(plain, u)
		}
	}
	return plain, by
}

// setWeight gives a finding another weight on some targets, on all where none is named; "off" takes it away there. It
// says whether that was for any of its targets.
func (f *Finding) setWeight(weight string, on []string) (changed bool) {
	heaviest := ""
	f.Targets = slices.DeleteFunc(f.Targets, func(t string) bool {
		if (len(on) == 0 || slices.Contains(on, t)) && !slices.Contains(f.settled, t) {
			f.Weights[t] = weight
			changed = true
		}
		if f.Weights[t] == "off" {
			delete(f.Weights, t)
			return true
		}
		if heaviest == "" || Heavier(f.Weights[t], heaviest) {
			heaviest = f.Weights[t]
		}
		return false
	})
	f.Weight = heaviest
	return changed
}

// checkLimits judges the site by the limits of the project file.
func (a *auditor) checkLimits() {
	l := a.Project.Audit.Limits
	over := func(key, evidence, mend string) {
		at := a.Project.PlaceOf("audit.limits." + key)
		a.find(limitOver, Where{File: a.Project.Path, Line: at.Line, Column: at.Column, URL: a.report.Entry}, evidence, mend)
	}
	entries, bytes := a.sizeOfStores()
	if l.Kept > 0 && bytes > int64(l.Kept) {
		over("kept", fmt.Sprintf("after the first visits %s are kept, over the limit of %s", project.Size(bytes), l.Kept),
			"keep less: worker.pack.leave_out, or raise the limit")
	}
	if l.Files > 0 && entries > l.Files {
		over("files", fmt.Sprintf("after the first visits %d answers are kept, over the limit of %d", entries, l.Files),
			"keep less: worker.pack.leave_out, or raise the limit")
	}
	if w := a.ran.Worker; w != nil && l.Requests > 0 && w.Requests+len(w.Imports) > l.Requests {
		over("requests", fmt.Sprintf("to be installed the worker makes %d requests, over the limit of %d", w.Requests+
			len(w.Imports), l.Requests), "keep less: worker.pack.leave_out, or raise the limit")
	}
	pages, whole := 0, 0
	for _, p := range a.ran.Pages {
		if p.Status == 0 || p.Status >= 400 {
			continue
		}
		pages++
		if o := p.Under[condition.Offline.Name]; o != nil && o.Outcome == rehearsal.Whole {
			whole++
		}
	}
	if l.WholeOffline > 0 && whole*100 < l.WholeOffline*pages {
		over("whole_offline", fmt.Sprintf("%d of %d pages are whole offline, %d %%, and the limit asks for %d %%", whole,
			pages, whole*100/pages, l.WholeOffline), "keep more pages: worker.pack.pages")
	}
}
