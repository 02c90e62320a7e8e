package audit

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/survey"
	"tachyform/internal/target"
	"tachyform/internal/useragent/account"
	"tachyform/internal/worker"
)

// What is judged here.
var offlineLucky = newCheck(Check{
	Code: "offline.lucky", Weight: Risk, Rank: 460,
	Title:    "Pages work offline only by the browser's own cache",
	Reason:   "The browser forgets what it cached whenever it likes; one day the page is broken.",
	Mend:     "keep the files that are named: under worker.pack.include or by a rule",
	Standard: "RFC 9111",
	Example:  "the pictures were sent with max-age=86400; tomorrow they are gone.",
})

var offlinePhone = newCheck(Check{
	Code: "offline.phone", Weight: Risk, Rank: 470,
	Title:     "Parts are missing on a phone's screen only",
	Reason:    "Phones ask for other candidates of a picture or other styles than the screen you develop on.",
	Mend:      "keep the candidates for small and dense screens too",
	Standard:  "HTML, 4.8.4",
	Example:   "srcset=\"pier.png 1x, pier-3x.png 3x\", and only pier.png is kept.",
	Otherwise: map[string]string{target.ChromiumDesktop: "", target.SafariMacOS: ""},
})

var workerBeyond = newCheck(Check{
	Code: "worker.beyond", Weight: Polish, Rank: 920,
	Title:   "The worker uses what Tachyform does not simulate",
	Reason:  "What depends on it was not tried here: look at it in a browser.",
	Mend:    "nothing is wrong with the site; check this part by hand",
	Example: "new Intl.NumberFormat() in the worker; numbers are formatted plainly here.",
})

// scriptedRequests gives what the project file says of requests that only running scripts make, with absolute
// addresses.
func (a *auditor) scriptedRequests() map[string][]string {
	out := map[string][]string{}
	for _, x := range a.Project.Audit.Asks {
		at := a.absolute(x.Page)
		for _, u := range x.For {
			out[at] = append(out[at], a.absolute(u))
		}
	}
	return out
}

// VisitsOf says how the site's pages are opened to see what they ask for.
func VisitsOf(in Input) survey.Visits {
	a := &auditor{Input: in, origin: in.Host.Origin()}
	v := survey.Visits{Register: a.origin + worker.NewScripts(in.Project).Register, Others: in.Others, Kind: in.Kind, Asks: a.scriptedRequests()}
	if presses(in.Project, in.Folder != nil) {
		v.Presses = true
	}
	for _, path := range slices.Concat([]string{in.Project.Audit.Entry}, in.Project.Audit.Visit, in.Project.Audit.Pages) {
		v.URLs = append(v.URLs, a.absolute(path))
	}
	return v
}

// tryVariants tries what is not as it should be, or could be otherwise, in other browsers: with the HTTP cache on, on
// a phone's screen.
func (a *auditor) tryVariants() error {
	for _, gap := range a.ran.Gaps {
		where := Where{URL: a.report.Entry}
		if a.ran.Worker != nil {
			where = a.place(a.ran.Worker.Script, 0, 0)
		}
		a.find(workerBeyond, where, gap, "")
	}
	if a.ran.Worker == nil || a.ran.Worker.State != account.Activated {
		return nil
	}
	before := map[string]*rehearsal.PageOutcome{}
	var failing, varying []string
	for _, p := range a.ran.Pages {
		o := p.Under[condition.Offline.Name]
		before[p.URL] = o
		if p.Status < 400 && o.Outcome != rehearsal.Whole && o.IsUsual() {
			failing = append(failing, p.URL)
		}
		if d := a.documents[p.URL]; d != nil && d.Varies && (o.Outcome == rehearsal.Whole || o.Outcome == rehearsal.Partial) {
			varying = append(varying, p.URL)
		}
	}
	if err := a.rehearseAgain(failing, a.reader, true, func(url string, o *rehearsal.PageOutcome) {
		was := before[url]
		gained := a.missingOnlyIn(was, o)
		switch {
		case was.Outcome == rehearsal.Partial && len(gained) > 0:
			a.find(offlineLucky, Where{URL: a.local(url)}, "only the browser's cache has "+
				strings.Join(gained[:min(3, len(gained))], ", "), "")
		case was.Outcome != rehearsal.Partial && (o.Outcome == rehearsal.Whole || o.Outcome == rehearsal.Partial):
			a.find(offlineLucky, Where{URL: a.local(url)}, string(was.Outcome)+" without the browser's cache, "+
				string(o.Outcome)+" with it", "")
		}
	}); err != nil {
		return err
	}
	return a.rehearseAgain(varying, &page.Reader{Screen: page.Phone}, false, func(url string, o *rehearsal.PageOutcome) {
		if more := a.missingOnlyIn(o, before[url]); len(more) > 0 {
			a.find(offlinePhone, Where{URL: a.local(url)}, "missing "+strings.Join(more[:min(3, len(more))], ", "), "")
		}
	})
}

// judgeStart judges the start page as it is opened in other ways in which people come to it, where it is whole in the usual one.
func (a *auditor) judgeStart() {
	i := slices.IndexFunc(a.ran.Pages, func(p *rehearsal.PageResult) bool { return p.URL == a.plan.Start })
	if i < 0 || len(a.ran.Varied) == 0 {
		return
	}
	p := a.ran.Pages[i]
	usual := p.Under[condition.Offline.Name]
	for _, v := range a.ran.Varied {
		known := v.Doubt == nil
		if v.Outcome == rehearsal.Whole && known {
			continue
		}
		a.report.Pages[i].Variants = append(a.report.Pages[i].Variants, VariantReport{string(v.Variant), v.Outcome, known})
		if !known {
			continue
		}
		evidence := fmt.Sprintf("%s: %s", v.Variant, v.Outcome)
		if lost := a.missingOnlyIn(v.PageOutcome, usual); len(lost) > 0 {
			evidence += ", missing " + strings.Join(lost[:min(3, len(lost))], ", ")
		} else if lacks := a.lacks(v.PageOutcome); lacks != "" {
			evidence += ", not drawn: " + lacks
		}
		a.find(offlineVaries, Where{URL: a.local(p.URL)}, evidence, "")
		v.PageOutcome.Variant = v.Variant
		for name, o := range p.Under {
			if o == usual {
				p.Under[name] = v.PageOutcome
				a.report.Pages[i].Under[name] = a.pageResult(v.PageOutcome)
			}
		}
	}
}

// missingOnlyIn lists what the one lacks and the other does not.
func (a *auditor) missingOnlyIn(one, other *rehearsal.PageOutcome) (list []string) {
	has := map[string]bool{}
	for _, l := range other.Missing {
		has[l.URL] = true
	}
	for _, l := range one.Missing {
		if !has[l.URL] && !l.Anyway {
			list = append(list, a.local(l.URL))
		}
	}
	sort.Strings(list)
	return list
}

// plainPlan is the plan of the rehearsal without all that is tried beside opening pages by their addresses.
func (a *auditor) plainPlan() rehearsal.Rehearsal {
	plan := *a.plan
	plan.Probes, plan.Series, plan.Follow, plan.Start, plan.Clicks, plan.Presses = nil, nil, nil, "", 0, 0
	return plan
}

// rehearseAgain rehearses some of the pages offline in another way.
func (a *auditor) rehearseAgain(pages []string, reader *page.Reader, httpCache bool,
	judge func(string, *rehearsal.PageOutcome)) error {
	if len(pages) == 0 {
		return nil
	}
	r := a.plainPlan()
	r.Pages, r.Reader, r.HTTPCache, r.Progress, r.Conditions = pages, reader, httpCache, nil,
		[]condition.Condition{condition.Offline}
	ran, err := r.Run(a.ctx)
	if err != nil {
		return err
	}
	for _, p := range ran.Pages {
		judge(p.URL, p.Under[condition.Offline.Name])
	}
	return nil
}
