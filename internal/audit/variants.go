package audit

import (
	"sort"
	"strings"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/useragent"
)

// scriptedRequests gives what the project file says of requests that only running scripts make, with absolute addresses.
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

// tryVariants tries what is not as it should be, or could be otherwise, in other browsers: with the HTTP cache on, on a phone's screen.
func (a *auditor) tryVariants() error {
	for _, gap := range a.ran.Gaps {
		where := Where{URL: a.report.Entry}
		if a.ran.Worker != nil {
			where = a.place(a.ran.Worker.Script, 0, 0)
		}
		a.find("worker.beyond", where, gap, "")
	}
	if a.ran.Worker == nil || a.ran.Worker.State != useragent.Activated {
		return nil
	}
	before := map[string]*rehearsal.PageOutcome{}
	var failing, varying []string
	for _, p := range a.ran.Pages {
		o := p.Under[condition.Offline.Name]
		before[p.URL] = o
		if p.Status < 400 && o.Outcome != rehearsal.Whole {
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
			a.find("offline.lucky", Where{URL: a.local(url)}, "only the browser's cache has "+strings.Join(gained[:min(3, len(gained))], ", "), "")
		case was.Outcome != rehearsal.Partial && (o.Outcome == rehearsal.Whole || o.Outcome == rehearsal.Partial):
			a.find("offline.lucky", Where{URL: a.local(url)}, string(was.Outcome)+" without the browser's cache, "+string(o.Outcome)+" with it", "")
		}
	}); err != nil {
		return err
	}
	return a.rehearseAgain(varying, &page.Reader{Screen: page.Phone}, false, func(url string, o *rehearsal.PageOutcome) {
		if more := a.missingOnlyIn(o, before[url]); len(more) > 0 {
			a.find("offline.phone", Where{URL: a.local(url)}, "missing "+strings.Join(more[:min(3, len(more))], ", "), "")
		}
	})
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

// rehearseAgain rehearses some of the pages offline in another way.
func (a *auditor) rehearseAgain(pages []string, reader *page.Reader, httpCache bool, judge func(string, *rehearsal.PageOutcome)) error {
	if len(pages) == 0 {
		return nil
	}
	r := *a.plan
	r.Probes, r.Series = nil, nil
	r.Pages, r.Reader, r.HTTPCache, r.Progress, r.Conditions = pages, reader, httpCache, nil, []condition.Condition{condition.Offline}
	ran, err := r.Run(a.ctx)
	if err != nil {
		return err
	}
	for _, p := range ran.Pages {
		judge(p.URL, p.Under[condition.Offline.Name])
	}
	return nil
}
