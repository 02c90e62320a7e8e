package audit

import (
	"fmt"
	"slices"
	"sort"
	"strings"

	"tachyform/internal/condition"
	"tachyform/internal/rehearsal"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
	"tachyform/internal/worker"
)

var offlineStart = newCheck(Check{
	Code: "offline.start", Weight: Blocker, Rank: 120,
	Title:    "The app does not start offline",
	Reason:   "Who opens the app from the home screen without a network does not get it.",
	Mend:     "keep the start page: add it under worker.pack.include",
	Example:  "/ is kept, but the app opens /?from=home-screen, and the worker looks for exactly that.",
	FitMends: true,
})

var offlineLost = newCheck(Check{
	Code: "offline.lost", Weight: Risk, Rank: 210,
	Title:    "Pages show the browser's error page",
	Reason:   "A visitor without a network loses the page.",
	Mend:     "keep them under worker.pack, or name a stand-in under worker.stand_ins.page",
	Example:  "a page in no pack and without a stand-in.",
	FitMends: true,
})

var offlineStuck = newCheck(Check{
	Code: "offline.stuck", Weight: Risk, Rank: 220,
	Title:    "Pages never open on a network that does not answer",
	Reason:   "On a bad connection the visitor looks at a blank page.",
	Mend:     "give the rule that answers them a patience, such as 3s",
	Example:  "fetch(request).catch(…) in a worker: on a network that hangs, nothing ever fails.",
	FitMends: true,
})

var offlinePartial = newCheck(Check{
	Code: "offline.partial", Weight: Risk, Rank: 230,
	Title:    "Pages open with parts missing",
	Reason:   "Style, pictures or data are absent, and the page looks broken.",
	Mend:     "keep the missing files too: under worker.pack.include or by a rule",
	Example:  "the page is kept and its style sheet is not.",
	FitMends: true,
})

var offlineOther = newCheck(Check{
	Code: "offline.other", Weight: Risk, Rank: 450,
	Title:   "A page opens as another one",
	Reason:  "Instead of the page somebody asked for, another page's content appears.",
	Mend:    "keep the page itself",
	Example: "every page is answered with the first one, although they differ.",
})

var offlineVaries = newCheck(Check{
	Code: "offline.varies", Weight: Risk, Rank: 235,
	Title:   "The start page works offline, but not for everybody",
	Reason:  "It was tried as an app, on a phone, at the third visit, a month later, for a minute and after many requests.",
	Mend:    "keep what is missing with worker.pack.include or a rule, and let no worker delete it by age or number",
	Example: "the worker deletes its cache after three days; whoever comes back later has nothing.",
})

var offlineStandIn = newCheck(Check{
	Code: "offline.stand-in", Weight: Polish, Rank: 930,
	Title:   "Pages open as the stand-in",
	Reason:  "The visitor is told that the page can't be had; for pages that need the network that is right.",
	Mend:    "keep the pages that should open offline",
	Example: "a page that shows the ferry's position needs the network anyway.",
})

// checkOffline judges what the rehearsal showed.
func (a *auditor) checkOffline(start string) {
	for _, p := range append(append([]string{}, a.Project.Audit.Visit...), a.Project.Audit.Pages...) {
		if resp, _ := a.follow(a.absolute(p)); (resp == nil || resp.Status >= 400) && !a.isExpectedStatus(p, resp) {
			a.find(pageGone, Where{URL: p}, "it does not answer with status 200", "")
		}
	}
	a.checkRivals()
	w := a.ran.Worker
	var errors []string
	for _, v := range a.ran.Visits {
		errors = append(errors, v.RegisterErrors...)
	}
	switch {
	case len(errors) > 0:
		a.find(workerFailed, Where{URL: a.report.Entry}, errors[0], "")
	case w == nil && len(a.ran.UnreadRegistrations) > 0:
		return // a worker there is, and which is not known: one finding says so
	case w == nil && a.ran.MayRegister != nil:
		return // offline.unknown says so
	case w == nil && slices.ContainsFunc(a.ran.Visits, func(v *document.View) bool { return v.Drawn == document.DrawnStopped }):
		return // the scripts that were stopped might have registered one
	case w == nil:
		a.find(workerNone, Where{URL: a.report.Entry}, "the visited pages call navigator.serviceWorker.register nowhere", "")
	case w.State != account.Activated:
		evidence := w.Error
		if evidence == "" {
			evidence = "it stays in the state " + string(w.State)
		}
		mend := ""
		if w.ErrorName == worker.OtherBytesError {
			mend = "run tachyform fit again: the file was changed after the last fit, or the host changes it on the way " +
				"(then worker.pack.verify: no)"
		}
		a.find(workerFailed, a.place(w.Script, 0, 0), evidence, mend)
	}
	if w != nil {
		var outside []string
		for _, u := range a.pages {
			if !strings.HasPrefix(u, w.Scope) {
				outside = append(outside, u)
			}
		}
		a.findPages(workerScope, outside, 0, 0, "the scope is "+a.local(w.Scope))
	}
	if w == nil {
		// One cause, one finding: without any worker every page is lost.
		if start != "" {
			a.find(offlineStart, Where{URL: a.local(start)}, "no service worker keeps it", "")
		}
		return
	}
	type key struct {
		check  *Check
		detail string
	}
	groups := map[key][]string{}
	missing := map[key]*document.Load{} // the first file that pages of a group lack
	var order []key
	add := func(check *Check, detail, url string) {
		k := key{check, detail}
		if groups[k] == nil {
			order = append(order, k)
		}
		groups[k] = append(groups[k], url)
	}
	startLost := false
	leftAlone := a.neverAnswered()
	for _, p := range a.ran.Pages {
		if p.Status >= 400 || p.Status == 0 {
			continue
		}
		seen := map[rehearsal.Outcome]bool{}
		lacked := "" // under the condition before
		for _, under := range condition.Names() {
			o := p.Under[under]
			if under == condition.Online.Name || o == nil || o.Doubt != nil || seen[o.Outcome] &&
				o.Outcome != rehearsal.Partial {
				continue
			}
			seen[o.Outcome] = true
			if o.Variant != "" {
				continue // told on its own
			}
			if o.From != "" {
				under += ", by a click on " + a.local(o.From)
			}
			if o.Pressed != "" {
				under += fmt.Sprintf(", after a press on %q", o.Pressed)
			}
			if p.URL == start && startLost {
				continue
			}
			if p.URL == start && (o.Outcome == rehearsal.Lost || o.Outcome == rehearsal.Stuck ||
				o.Outcome == rehearsal.StandIn) {
				a.find(offlineStart, Where{URL: a.local(start)},
					fmt.Sprintf("%s, its outcome is %s: %s", under, o.Outcome,
						orDefault(o.Reason.String(), "another page is shown")), a.mendOfTheirs(offlineStart))
				startLost = true
				continue
			}
			if leftAlone(p.URL) && (o.Outcome == rehearsal.Lost || o.Outcome == rehearsal.Stuck) {
				continue // the project file says so
			}
			switch o.Outcome {
			case rehearsal.Lost:
				add(offlineLost, under+": "+o.Reason.String(), p.URL)
			case rehearsal.Stuck:
				add(offlineStuck, a.whyStuck(p.URL), p.URL)
			case rehearsal.Partial:
				var names []string
				loads := map[string]*document.Load{}
				for _, l := range o.Missing {
					if !l.Anyway { // what is missing online too is another finding
						names = append(names, a.local(l.URL))
						loads[a.local(l.URL)] = l
					}
				}
				if o.Reason.Kind != fetch.NoFailure {
					add(offlinePartial, under+": "+o.Reason.String(), p.URL)
					continue
				}
				if len(names) == 0 && len(o.Lacks) > 0 {
					add(offlinePartial, under+", not drawn: "+a.lacks(o), p.URL)
					continue
				}
				if len(names) == 0 {
					continue
				}
				sort.Strings(names)
				if all := strings.Join(names, " "); all == lacked {
					continue
				} else {
					lacked = all
				}
				says := under + ", missing " + strings.Join(names[:min(3, len(names))], ", ")
				if lacks := a.lacks(o); lacks != "" {
					says += "; not drawn: " + lacks
				}
				add(offlinePartial, says, p.URL)
				missing[key{offlinePartial, says}] = loads[names[0]]
			case rehearsal.StandIn:
				if strings.HasPrefix(under, condition.Stalled.Name) && p.Under[condition.Offline.Name] != nil &&
					p.Under[condition.Offline.Name].Outcome == rehearsal.Whole {
					add(offlineOther, "whole offline, but not on a network that stalls", p.URL)
				} else if a.standIn() != "" {
					add(offlineStandIn, "", p.URL)
					if len(o.Missing) > 0 {
						add(offlinePartial, "the stand-in lacks "+a.local(o.Missing[0].URL), p.URL)
					}
				} else {
					add(offlineOther, "shown instead: "+orDefault(o.Title, "a page without a title"), p.URL)
				}
			}
		}
	}
	for _, k := range order {
		if k.check == offlineStuck {
			n := len(a.report.Findings)
			a.findPages(k.check, groups[k], 0, 0, "")
			for _, f := range a.report.Findings[n:] {
				f.Mend = orDefault(k.detail, f.Mend)
			}
			continue
		}
		n := len(a.report.Findings)
		a.findPages(k.check, groups[k], 0, 0, k.detail)
		for _, f := range a.report.Findings[n:] {
			f.Mend = orDefault(a.mendOfTheirs(k.check), f.Mend)
			if k.check == offlinePartial {
				f.Mend = orDefault(a.mendOfMissing(missing[k]), f.Mend)
			}
		}
	}
}

// mendOfMissing is the mend for a file that is missing although it is kept, or that no worker can keep; "" for the usual one: advice does not
// name what is written already, nor what has no effect.
func (a *auditor) mendOfMissing(l *document.Load) string {
	if l == nil {
		return ""
	}
	path := a.local(l.URL)
	if l.Method != "" {
		return fmt.Sprintf("no worker keeps answers to %s: let the page work without %s, and ask again once there is a network", l.Method, path)
	}
	if l.Destination == request.Object || l.Destination == request.Embed {
		return fmt.Sprintf("browsers load %s past every worker, since an object element asks for it: show it by img, iframe or a link instead", path)
	}
	if !a.Project.HasWorker() {
		return ""
	}
	origin := weburl.OriginOf(l.URL)
	for i, r := range a.Project.Worker.Rules {
		p, err := site.NewPattern(r.Match, a.origin)
		if err != nil || r.Destination != "" || !p.Match(a.absolute(path)) {
			continue
		}
		switch {
		case r.Answer == "network-only" || r.Answer == "cache-only":
			return fmt.Sprintf("worker.rules[%d] answers it with %s, which keeps nothing: choose another approach, or keep the file in the pack", i, r.Answer)
		case r.AtInstall == "":
			return fmt.Sprintf("worker.rules[%d] keeps it once it was asked for: add at_install: yes, so that one visit is enough", i)
		case r.AtInstall == "yes" && origin != a.origin:
			return fmt.Sprintf("worker.rules[%d] fetches what pages were seen to ask for, and none was seen to ask for this one: name it under audit.asks", i)
		case r.AtInstall == "yes":
			return fmt.Sprintf("worker.rules[%d] fetches what pages were seen to ask for: name this under audit.asks, or write at_install: all", i)
		}
		return ""
	}
	if origin != a.origin {
		return fmt.Sprintf("the pack holds files of the site alone: write a rule {match: \"%s/*\", answer: stale-while-revalidate, at_install: yes, opaque: yes}, "+
			"or serve a copy from the site", origin)
	}
	return ""
}

// mendOfTheirs is the mend where the worker is the site's own, which no project file writes; "" elsewhere.
func (a *auditor) mendOfTheirs(check *Check) string {
	if a.Project.HasWorker() {
		return ""
	}
	switch check {
	case offlineStart:
		return "have the worker keep the start page with what it needs, and answer with it"
	case offlinePartial:
		return "have the worker keep the missing files as well, when it is installed or as they are asked for"
	case offlineLost:
		return "have the worker keep these pages, or answer with a page of yours where it has none"
	}
	return ""
}

// isExpectedStatus says whether the project file says that a path answers as it does: by a status of the hosting, the
// page for unknown paths, or what a rehearsal expects.
func (a *auditor) isExpectedStatus(path string, resp *site.Response) bool {
	if resp == nil {
		return false
	}
	for _, s := range a.Project.Host.Statuses {
		if p, err := site.NewPattern(s.Match, a.origin); err == nil && p.Match(a.absolute(path)) && s.Status == resp.Status {
			return true
		}
	}
	for _, r := range a.Project.Rehearsals {
		opened := ""
		for _, s := range r.Steps {
			if s.Open != "" {
				opened = s.Open
			}
			if s.Expect != nil && s.Expect.Status == resp.Status && opened == path {
				return true
			}
		}
	}
	return false
}

// whyStuck gives the mend for a page that never opens on a network that stalls, by what answers it; "" for the usual
// one.
func (a *auditor) whyStuck(url string) string {
	w := a.Project.Worker
	if !a.Project.HasWorker() {
		return "in the worker, stop waiting for the network after some seconds, and answer from the cache"
	}
	for i, r := range w.Rules {
		p, err := site.NewPattern(r.Match, a.origin)
		if err != nil || !p.Match(url) || r.Destination != "" && r.Destination != "document" {
			continue
		}
		switch {
		case r.Answer == "network-only":
			return fmt.Sprintf("worker.rules[%d] answers it with network-only; where it has to open anyway, use "+
				"network-first with a patience", i)
		case r.Patience > 0 && w.StandIns.Page == "":
			return fmt.Sprintf("worker.rules[%d] gives up after its patience and then has neither a copy nor a stand-in: "+
				"name a page under worker.stand_ins.page", i)
		case r.Patience > 0:
			return fmt.Sprintf("worker.rules[%d] has a patience already: look with tachyform trace %s --under stalled at "+
				"what else waits", i, a.local(url))
		}
		return ""
	}
	return "no rule answers it: keep it under worker.pack.pages, or add a rule with a patience, such as network-first " +
		"with 3s"
}

// neverAnswered says whether the project file tells the worker to leave a page alone.
func (a *auditor) neverAnswered() func(url string) bool {
	var list []*site.Pattern
	for _, text := range a.Project.Worker.Never {
		if p, err := site.NewPattern(text, a.origin); err == nil {
			list = append(list, p)
		}
	}
	return func(url string) bool {
		return slices.ContainsFunc(list, func(p *site.Pattern) bool { return p.Match(url) })
	}
}

func (a *auditor) standIn() string { return a.Project.Worker.StandIns.Page }
