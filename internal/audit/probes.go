package audit

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/rehearsal"
	"tachyform/internal/useragent"
)

// missingPath is an address that no site has.
const missingPath = "tachyform-probe-of-what-is-not-there"

// probes are the requests that show what the worker does beyond the pages themselves: to forms, to parts of films, to pages that lead
// elsewhere, and to what is not there.
func (a *auditor) probes() (probes, series []rehearsal.Probe) {
	entry := a.absolute(a.Project.Audit.Entry)
	folder := a.origin + entry[len(a.origin):strings.LastIndexByte(entry, '/')+1]
	probes = []rehearsal.Probe{
		{URL: entry, Method: "POST", Mode: "same-origin"},
		{URL: entry, Mode: "navigate"},
		{URL: folder + missingPath, Mode: "navigate"},
		{URL: folder + missingPath + ".json", Mode: "cors"},
	}
	series = []rehearsal.Probe{{URL: entry, Mode: "navigate"}}
	media, picture, elsewhere := "", "", 0
	foreign := false
	for _, u := range a.documentsInOrder() {
		d := a.documents[u]
		for _, ref := range d.References {
			if !strings.HasPrefix(ref.URL, a.origin+"/") {
				if !foreign && strings.HasPrefix(ref.URL, "http") && !ref.Background && (ref.Mode == "no-cors" || ref.Mode == "cors") {
					foreign = true
					probes = append(probes, rehearsal.Probe{URL: ref.URL, Mode: ref.Mode, Destination: ref.Destination})
				}
				continue
			}
			switch {
			case media == "" && (ref.Destination == "video" || ref.Destination == "audio"):
				media = ref.URL
				probes = append(probes, rehearsal.Probe{URL: media, Mode: "no-cors", Destination: ref.Destination, Range: "bytes=1-2"})
			case picture == "" && ref.Destination == "image" && !ref.Background:
				picture, _, _ = strings.Cut(ref.URL, "?")
				series = append(series, rehearsal.Probe{URL: picture, Mode: "no-cors", Destination: "image"})
			}
		}
		// Pages that lead elsewhere, such as to a sign-in.
		for _, l := range d.Links {
			if elsewhere < 3 && strings.HasPrefix(l.URL, a.origin+"/") && !slices.ContainsFunc(probes, func(p rehearsal.Probe) bool { return p.URL == l.URL }) && a.leadsOn(l.URL) {
				probes = append(probes, rehearsal.Probe{URL: l.URL, Mode: "navigate"})
				elsewhere++
			}
		}
	}
	return probes, series
}

// leadsOn says whether the folder's host answers with a redirect; a live site is not asked for more than its pages.
func (a *auditor) leadsOn(url string) bool {
	if a.Folder == nil {
		return false
	}
	if path, _, _ := strings.Cut(strings.TrimPrefix(url, a.origin), "?"); a.graph.Pages[path] != nil && len(a.Project.Host.Redirects) == 0 {
		return false
	}
	resp := a.request(url)
	return resp != nil && resp.Status >= 300 && resp.Status < 400
}

// checkRequests judges what the probes showed, and what the worker keeps.
func (a *auditor) checkRequests() error {
	w := a.ran.Worker
	if w == nil || w.State != useragent.Activated {
		return nil
	}
	at := a.place(w.Script, 0, 0)
	a.checkStores(at)
	a.checkScripts(w, at)
	h := a.ran.Health
	if h == nil {
		return nil
	}
	for _, p := range h.Probed {
		what := p.Method
		if what == "" {
			what = "GET"
		}
		switch {
		case p.Without > 0 && p.With > 0 && p.Took-p.TookWithout >= slower:
			a.find("worker.slows", at, fmt.Sprintf("%s comes after %.1f s with the worker, and after %.1f s without it", a.local(p.URL), p.Took.Seconds(), p.TookWithout.Seconds()), "")
		case p.Without > 0 && p.With == 0:
			a.find("worker.breaks", at, fmt.Sprintf("%s %s answers with status %d without the worker; with it: %s", what, a.local(p.URL), p.Without, p.Reason), "")
		case p.Without >= 400 && p.With == 200 && p.Mode == "navigate" && a.Project.Worker.Shell.Page == "":
			a.find("worker.disguises", at, fmt.Sprintf("%s is not there (status %d), and the worker answers with a page and status 200", a.local(p.URL), p.Without), "")
		case p.Range != "" && p.Without == 206 && p.With == 200:
			a.find("worker.ranges", at, fmt.Sprintf("a part of %s was asked for (%s), and the worker answers with all of it", a.local(p.URL), p.Range), "")
		}
	}
	a.checkProbes(h, at)
	for _, c := range h.Caches {
		for _, e := range c.Entries {
			if strings.Contains(e.URL, missingPath) && e.Status >= 400 {
				a.find("keep.errors", at, fmt.Sprintf("%s, an answer with status %d, is in the cache %s", a.local(e.URL), e.Status, c.Name), "")
				break
			}
		}
	}
	for _, url := range sortedKeys(h.Grown) {
		if n := h.Grown[url]; n[0] > 300 {
			a.find("keep.grows", at, fmt.Sprintf("%s was asked for with %d different queries, and %d more answers are kept", a.local(url), n[1], n[0]), "")
		}
	}
	a.checkNextRelease(h.NextRelease, at)
	a.later = append(a.later, a.firstVisit())
	return a.checkStoppedWorker(at)
}

// slower is how much later than without the worker an answer counts as late.
const slower = 900 * time.Millisecond

// checkProbes finds parts of files that the worker keeps as if they were all of them.
func (a *auditor) checkProbes(h *rehearsal.Health, at Where) {
	for _, p := range h.Probed {
		if p.Range == "" || p.Without != 206 {
			continue
		}
		resp, _ := a.follow(p.URL)
		if resp == nil || resp.Body == nil {
			continue
		}
		for _, c := range h.Caches {
			for _, e := range c.Entries {
				if e.URL == p.URL && e.Status == 200 && e.Bytes < resp.Body.Len() {
					a.find("keep.partial", at, fmt.Sprintf("of %s, %d bytes, the cache %s holds %d as if they were all", a.local(p.URL), resp.Body.Len(), c.Name, e.Bytes), "")
					return
				}
			}
		}
	}
}

// checkNextRelease judges what a next release came to.
func (a *auditor) checkNextRelease(n *rehearsal.NextRelease, at Where) {
	if n == nil {
		return
	}
	if n.Failure != "" {
		a.find("worker.stays", at, n.Failure, "")
	}
	if n.Mixed != "" {
		a.find("worker.hasty", at, fmt.Sprintf("a page that was open got %s of its own release before, and of the new one after the new worker had come", a.local(n.Mixed)), "")
	}
	if len(n.Left) > 0 {
		names := make([]string, len(n.Left))
		for i, name := range n.Left {
			names[i] = strconv.Quote(name)
		}
		a.find("keep.left", at, fmt.Sprintf("a cache named %s, as an earlier release may have had it, is still there when the next worker is active", strings.Join(names, ", ")), "")
	}
}

// firstVisit opens the entry page once, and then the start page offline: the worker takes no part in a first visit, so what only rules
// keep is not there yet. It does so beside what follows, and judges when the function that it gives is called.
func (a *auditor) firstVisit() (judge func() error) {
	start := a.ran.Pages[0].URL
	if a.report.Manifest != nil && a.report.Manifest.Processed != nil && a.report.Manifest.Processed.StartURL != "" {
		start = a.report.Manifest.Processed.StartURL
	}
	i := slices.IndexFunc(a.ran.Pages, func(p *rehearsal.PageResult) bool { return p.URL == start })
	if i < 0 || a.ran.Pages[i].Under[condition.Offline.Name].Outcome != rehearsal.Whole {
		return func() error { return nil }
	}
	plan := *a.plan
	plan.Probes, plan.Series, plan.Progress = nil, nil, nil
	plan.Visit, plan.Pages, plan.Conditions = []string{a.absolute(a.Project.Audit.Entry)}, []string{start}, []condition.Condition{condition.Offline}
	type came struct {
		ran *rehearsal.Result
		err error
	}
	done := make(chan came, 1)
	go func() {
		ran, err := plan.Run(a.ctx)
		done <- came{ran, err}
	}()
	return func() error {
		c := <-done
		if c.err != nil {
			return c.err
		}
		if o := c.ran.Pages[0].Under[condition.Offline.Name]; o.Outcome != rehearsal.Whole {
			evidence := "after one visit to " + a.report.Entry + " alone the start page is " + string(o.Outcome)
			var missing []string
			for _, l := range o.Missing {
				missing = append(missing, a.local(l.URL))
			}
			if len(missing) > 0 {
				slices.Sort(missing)
				evidence += ", missing " + strings.Join(missing[:min(3, len(missing))], ", ")
			}
			a.find("offline.first", Where{URL: a.local(start)}, evidence, "")
		}
		return nil
	}
}
