package audit

import (
	"fmt"
	"maps"
	"slices"
	"sort"
	"strings"

	"tachyform/internal/condition"
	"tachyform/internal/icon"
	"tachyform/internal/page"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/worker"
)

// documentsInOrder gives the pages whose text is known.
func (a *auditor) documentsInOrder() []string {
	var urls []string
	for _, u := range a.pages {
		if a.documents[u] != nil {
			urls = append(urls, u)
		}
	}
	return urls
}

// checkHeads compares what the heads of all pages hold.
func (a *auditor) checkHeads() {
	var noManifest, noTheme, noIcon, noApple, invalid, unregistered []string
	registers := a.registering()
	for _, u := range a.documentsInOrder() {
		d := a.documents[u]
		if !d.Valid {
			invalid = append(invalid, u)
		}
		if d.ManifestURL() == "" {
			noManifest = append(noManifest, u)
		}
		if _, ok := d.Meta("theme-color"); !ok {
			noTheme = append(noTheme, u)
		}
		if _, ok := d.Link("icon"); !ok {
			noIcon = append(noIcon, u)
		}
		if _, ok := d.Link("apple-touch-icon"); !ok {
			noApple = append(noApple, u)
		}
		if !registers[u] {
			unregistered = append(unregistered, u)
		}
	}
	a.findPages("page.invalid", invalid, 0, 0, "")
	if a.report.Manifest != nil {
		a.findPages("page.manifest", noManifest, 0, 0, `no <link rel="manifest"> in the head`)
	}
	a.findPages("page.theme", noTheme, 0, 0, `no <meta name="theme-color">`)
	a.findPages("page.icon", noIcon, 0, 0, `no <link rel="icon">`)
	a.findPages("page.apple", noApple, 0, 0, `no <link rel="apple-touch-icon">`)
	if len(registers) > 0 {
		a.findPages("page.register", unregistered, 0, 0, "")
	}
	a.checkHeadIcons()
}

// registering tells which pages register a worker, in their own text or by a script of theirs.
func (a *auditor) registering() map[string]bool {
	out := map[string]bool{}
	for _, u := range a.documentsInOrder() {
		d := a.documents[u]
		if len(d.Registrations) > 0 {
			out[u] = true
			continue
		}
		for _, r := range d.References {
			if r.Destination != "script" {
				continue
			}
			if a.graph != nil {
				if path, ok := a.graph.Local(r.URL); ok && a.graph.Scripts[path] != nil && len(a.graph.Scripts[path].Registrations) > 0 {
					out[u] = true
				}
			}
		}
	}
	if a.graph == nil {
		// Of a live site only the visited pages' scripts were loaded.
		for _, v := range a.ran.Visits {
			if v.Registers {
				out[v.URL] = true
			}
		}
	}
	return out
}

// checkHeadIcons fetches the icons that heads link to.
func (a *auditor) checkHeadIcons() {
	seen := map[string]bool{}
	for _, u := range a.documentsInOrder() {
		for _, t := range a.documents[u].LinkTags {
			if !t.Rel("icon") && !t.Rel("apple-touch-icon") {
				continue
			}
			href, ok := page.Resolve(a.documents[u].Base, t.Attr["href"])
			if !ok || seen[href] {
				continue
			}
			seen[href] = true
			resp, _ := a.follow(href)
			if resp == nil && strings.HasPrefix(href, a.origin+"/") || resp != nil && resp.Status != 200 {
				a.find("icon.missing", a.place(u, t.Line, t.Column), a.local(href)+" is not there", "")
			}
			if resp == nil || resp.Status != 200 || resp.Body == nil || !t.Rel("apple-touch-icon") {
				continue
			}
			if data, err := resp.Body.Bytes(); err == nil {
				if facts, err := icon.Inspect(data); err == nil && !facts.Vector && !facts.Opaque {
					a.find("icon.black", a.place(u, t.Line, t.Column), a.local(href)+" is transparent in places", "")
				}
			}
		}
	}
}

// checkLinks names what pages ask for that is not there even online.
func (a *auditor) checkLinks() {
	if a.graph == nil {
		for _, v := range a.ran.Visits {
			for _, l := range v.Loads {
				if l.Missing && !l.Background {
					a.find("link.broken", a.place(l.From, l.Line, l.Column), a.local(l.URL)+": "+l.Why.String(), "")
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
	var paths []string
	for p := range a.graph.Refs {
		paths = append(paths, p)
	}
	sort.Strings(paths)
	for _, p := range paths {
		for _, r := range a.graph.Refs[p] {
			if r.Destination != "manifest" && !(r.Background && r.Destination == "image") {
				if a.graph.Scripts[p] != nil && r.Destination == "" && !r.Module {
					continue // a script's fetch() resolves against its page; the rehearsal knows better
				}
				check(r)
			}
		}
	}
	for _, p := range a.graph.PagePaths() {
		d := a.graph.Pages[p]
		for _, l := range d.Links {
			check(page.Reference{URL: l.URL, From: d.URL, Line: l.Line, Column: l.Column})
		}
	}
	for _, v := range a.ran.Visits {
		for _, l := range v.Loads {
			if l.Missing && !l.Background && l.Destination == "" {
				if found[l.URL] == nil {
					found[l.URL] = &broken{l.Reference, 1}
					order = append(order, l.URL)
				}
			}
		}
	}
	for _, u := range order {
		b := found[u]
		evidence := a.local(u) + " is not there"
		if b.count > 1 {
			evidence += fmt.Sprintf("; %d places ask for it", b.count)
		}
		a.find("link.broken", a.place(b.first.From, b.first.Line, b.first.Column), evidence, "")
	}
}

// checkRefusedAnswers names what comes under a media type that keeps it from being used. It has to be seen with the host's own headers.
func (a *auditor) checkRefusedAnswers() {
	seen := map[string]bool{}
	for _, v := range a.ran.Visits {
		for _, l := range v.Loads {
			if l.Refused && !seen[l.URL] {
				seen[l.URL] = true
				a.find("link.refused", a.place(l.From, l.Line, l.Column), a.local(l.URL)+": "+l.Why.String(), "")
			}
		}
	}
}

// checkOffline judges what the rehearsal showed.
func (a *auditor) checkOffline(start string) {
	for _, p := range append(append([]string{}, a.Project.Audit.Visit...), a.Project.Audit.Pages...) {
		if resp, _ := a.follow(a.absolute(p)); (resp == nil || resp.Status >= 400) && !a.isExpectedStatus(p, resp) {
			a.find("page.gone", Where{URL: p}, "it does not answer with status 200", "")
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
		a.find("worker.failed", Where{URL: a.report.Entry}, errors[0], "")
	case w == nil && len(a.ran.UnreadRegistrations) > 0:
		return // a worker there is, and which is not known: one finding says so
	case w == nil:
		a.find("worker.none", Where{URL: a.report.Entry}, "the visited pages call navigator.serviceWorker.register nowhere", "")
	case w.State != useragent.Activated:
		evidence := w.Error
		if evidence == "" {
			evidence = "it stays in the state " + string(w.State)
		}
		mend := ""
		if w.ErrorName == worker.OtherBytesError {
			mend = "run tachyform fit again: the file was changed after the last fit, or the host changes it on the way (then worker.pack.verify: no)"
		}
		a.find("worker.failed", a.place(w.Script, 0, 0), evidence, mend)
	}
	if w != nil {
		var outside []string
		for _, u := range a.pages {
			if !strings.HasPrefix(u, w.Scope) {
				outside = append(outside, u)
			}
		}
		a.findPages("worker.scope", outside, 0, 0, "the scope is "+a.local(w.Scope))
	}
	if w == nil {
		// One cause, one finding: without any worker every page is lost.
		if start != "" {
			a.find("offline.start", Where{URL: a.local(start)}, "no service worker keeps it", "")
		}
		return
	}
	type key struct{ code, detail string }
	groups := map[key][]string{}
	var order []key
	add := func(code, detail, url string) {
		k := key{code, detail}
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
			if under == condition.Online.Name || o == nil || o.Doubt != nil || seen[o.Outcome] && o.Outcome != rehearsal.Partial {
				continue
			}
			seen[o.Outcome] = true
			if p.URL == start && startLost {
				continue
			}
			if p.URL == start && (o.Outcome == rehearsal.Lost || o.Outcome == rehearsal.Stuck || o.Outcome == rehearsal.StandIn) {
				a.find("offline.start", Where{URL: a.local(start)}, fmt.Sprintf("%s, its outcome is %s: %s", under, o.Outcome, orDefault(o.Reason.String(), "another page is shown")), "")
				startLost = true
				continue
			}
			if leftAlone(p.URL) && (o.Outcome == rehearsal.Lost || o.Outcome == rehearsal.Stuck) {
				continue // the project file says so
			}
			switch o.Outcome {
			case rehearsal.Lost:
				add("offline.lost", under+": "+o.Reason.String(), p.URL)
			case rehearsal.Stuck:
				add("offline.stuck", a.whyStuck(p.URL), p.URL)
			case rehearsal.Partial:
				var names []string
				for _, l := range o.Missing {
					if !l.Anyway { // what is missing online too is another finding
						names = append(names, a.local(l.URL))
					}
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
				add("offline.partial", under+", missing "+strings.Join(names[:min(3, len(names))], ", "), p.URL)
			case rehearsal.StandIn:
				if under == condition.Stalled.Name && p.Under[condition.Offline.Name] != nil && p.Under[condition.Offline.Name].Outcome == rehearsal.Whole {
					add("offline.other", "whole offline, but not on a network that stalls", p.URL)
				} else if a.standIn() != "" {
					add("offline.stand-in", "", p.URL)
					if len(o.Missing) > 0 {
						add("offline.partial", "the stand-in lacks "+a.local(o.Missing[0].URL), p.URL)
					}
				} else {
					add("offline.other", "shown instead: "+orDefault(o.Title, "a page without a title"), p.URL)
				}
			}
		}
	}
	for _, k := range order {
		if k.code == "offline.stuck" {
			n := len(a.report.Findings)
			a.findPages(k.code, groups[k], 0, 0, "")
			for _, f := range a.report.Findings[n:] {
				f.Mend = orDefault(k.detail, f.Mend)
			}
			continue
		}
		a.findPages(k.code, groups[k], 0, 0, k.detail)
	}
}

// isExpectedStatus says whether the project file says that a path answers as it does: by a status of the hosting, the page for unknown paths, or what a
// rehearsal expects.
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

// whyStuck gives the mend for a page that never opens on a network that stalls, by what answers it; "" for the usual one.
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
			return fmt.Sprintf("worker.rules[%d] answers it with network-only; where it has to open anyway, use network-first with a patience", i)
		case r.Patience > 0 && w.StandIns.Page == "":
			return fmt.Sprintf("worker.rules[%d] gives up after its patience and then has neither a copy nor a stand-in: name a page under worker.stand_ins.page", i)
		case r.Patience > 0:
			return fmt.Sprintf("worker.rules[%d] has a patience already: look with tachyform trace %s --under stalled at what else waits", i, a.local(url))
		}
		return ""
	}
	return "no rule answers it: keep it under worker.pack.pages, or add a rule with a patience, such as network-first with 3s"
}

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
	for _, u := range a.documentsInOrder() {
		list := a.documents[u].Registrations
		if path, own := strings.CutPrefix(u, a.origin); own && a.graph != nil {
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
		a.find("worker.rivals", where[scope], strings.Join(names, " and ")+" for the scope "+a.local(scope), "")
	}
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

func orDefault(s, otherwise string) string {
	if s == "" {
		return otherwise
	}
	return s
}
