package audit

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/crash"
	"tachyform/internal/rehearsal"
	"tachyform/internal/request"
	"tachyform/internal/target"
	"tachyform/internal/useragent/account"
	"tachyform/internal/worker"
)

// What is judged here.
var workerBreaks = newCheck(Check{
	Code: "worker.breaks", Weight: Risk, Rank: 260,
	Title:    "The worker breaks requests that work without it",
	Reason:   "Forms, sign-in or downloads fail as soon as the worker is there.",
	Mend:     "let the worker leave such requests alone: call respondWith only for what it means to answer",
	Standard: "Service Workers, 4.6",
	Example: "every request is answered with cache.put, which refuses POST; or a redirected answer is given to a " +
		"page load.",
})

var workerRanges = newCheck(Check{
	Code: "worker.ranges", Weight: Risk, Rank: 270,
	Title:    "The worker answers with a whole file where a part was asked for",
	Reason:   "Sound and film do not play in Safari, and can't be wound forward elsewhere.",
	Mend:     "let requests with a Range header go to the network, or answer them with status 206",
	Standard: "RFC 9110, 14.2; Fetch, 5.6",
	Example:  "caches.match() finds the whole film, and the browser asked for bytes 0 to 1.",
	Otherwise: map[string]string{target.ChromiumAndroid: Polish, target.ChromiumDesktop: Polish,
		target.FirefoxAndroid: Polish},
})

var workerSlows = newCheck(Check{
	Code: "worker.slows", Weight: Risk, Rank: 290,
	Title:    "The worker makes visitors wait",
	Reason:   "What comes at once without the worker comes late with it, also on a good network.",
	Mend:     "answer from what is kept first, or from the network without waiting for anything else",
	Standard: "Service Workers, 4.6",
	Example:  "every answer waits for a message to all pages, or for a timer.",
})

var workerStays = newCheck(Check{
	Code: "worker.stays", Weight: Risk, Rank: 300,
	Title:    "The next release of the worker can't be installed",
	Reason:   "Whoever has this release keeps it: mends never reach them.",
	Mend:     "let the installation succeed also where an earlier release is installed",
	Standard: "Service Workers, 4.4",
	Example:  "the install event creates what it created before, and fails because it is there.",
})

var workerHasty = newCheck(Check{
	Code: "worker.hasty", Weight: Risk, Rank: 310,
	Title: "A new release takes over pages that are open",
	Reason: "A page in the middle of its work gets styles, scripts and parts of another release, and breaks in ways " +
		"that nobody can repeat.",
	Mend: "without skipWaiting() the new worker waits until all pages are closed; or let the page ask, and load " +
		"itself anew on controllerchange; tachyform fit with takeover: ask does that",
	Standard: "Service Workers, 4.1.4",
	Example:  "skipWaiting() in the install event, clients.claim(), and parts of pages that are loaded late.",
})

var keepLeft = newCheck(Check{
	Code: "keep.left", Weight: Risk, Rank: 320,
	Title:    "Caches of earlier releases are never removed",
	Reason:   "Every release leaves its files on the device, until the browser throws away all that the site has.",
	Mend:     "delete in the activate event what the new release does not use: caches.keys(), then caches.delete()",
	Standard: "Service Workers, 5.5.4",
	Example:  "pages-v3 is filled, and pages-v2 stays.",
})

var keepErrors = newCheck(Check{
	Code: "keep.errors", Weight: Risk, Rank: 340,
	Title:    "Error answers are kept",
	Reason:   "A file that is missing once stays missing on that device.",
	Mend:     "keep an answer only when its status is 200",
	Standard: "Service Workers, 5.4.5",
	Example:  "cache.put(request, response.clone()) without a look at response.ok.",
})

var keepPartial = newCheck(Check{
	Code: "keep.partial", Weight: Risk, Rank: 390,
	Title:    "A part of a file is kept as if it were all of it",
	Reason:   "Sound and film break off for whoever asks for the rest later, offline and online.",
	Mend:     "keep only whole answers: never one with status 206, also not copied into another",
	Standard: "RFC 9110, 15.3.7; Service Workers, 5.4.5",
	Example:  "cache.put() refuses status 206, so the bytes are wrapped into new Response(bytes).",
})

var keepGrows = newCheck(Check{
	Code: "keep.grows", Weight: Risk, Rank: 410,
	Title:    "What the worker keeps only grows",
	Reason:   "Every address with another query is kept for ever, until the browser throws away all that the site has.",
	Mend:     "bound it: keep: {at_most: 50} in the rule, or delete the oldest entries",
	Standard: "Storage, 5",
	Example:  "every answer goes into one cache, and nothing is ever deleted.",
})

var offlineFirst = newCheck(Check{
	Code: "offline.first", Weight: Risk, Rank: 455,
	Title:    "The app is whole offline from the second visit on only",
	Reason:   "Who installs it at the first visit and goes offline meets a page with gaps.",
	Mend:     "put what the start page needs into the pack, or write at_install: yes into the rule that keeps it",
	Standard: "Service Workers, 3.1.1",
	Example:  "the times of sailing are kept by a rule, and the worker answers no request of the visit that installs it.",
})

var workerDisguises = newCheck(Check{
	Code: "worker.disguises", Weight: Polish, Rank: 630,
	Title:  "What is not there looks as if it were",
	Reason: "A visitor with a wrong address gets another page and status 200; search engines and developers are misled.",
	Mend: "answer with the kept page only when the network fails, or let the host do the same for unknown " +
		"addresses (hosting.single_page)",
	Example: "every navigation is answered with the kept start page.",
})

// isWorkerOfFit says whether the site's worker is one that fit wrote: where it answers for what is not there, its project file says so.
func (a *auditor) isWorkerOfFit() bool {
	w := a.ran.Worker
	if w == nil {
		return false
	}
	resp := a.request(w.Script)
	if resp == nil || resp.Status != 200 {
		return false
	}
	text, err := resp.Body.Bytes()
	return err == nil && worker.IsWorker(text)
}

// missingPath is an address that no site has.
const missingPath = "tachyform-probe-of-what-is-not-there"

// probes are the requests that show what the worker does beyond the pages themselves: to forms, to parts of films, to
// pages that lead elsewhere, and to what is not there.
func (a *auditor) probes() (probes, series []rehearsal.Probe) {
	entry := a.absolute(a.Project.Audit.Entry)
	folder := a.origin + entry[len(a.origin):strings.LastIndexByte(entry, '/')+1]
	probes = []rehearsal.Probe{
		{URL: entry, Method: "POST", Mode: request.SameOrigin},
		{URL: entry, Mode: request.Navigate},
		{URL: folder + missingPath, Mode: request.Navigate},
		{URL: folder + missingPath + ".json", Mode: request.CORS},
	}
	series = []rehearsal.Probe{{URL: entry, Mode: request.Navigate}}
	media, picture, elsewhere := "", "", 0
	foreign := false
	for _, u := range a.documentsInOrder() {
		d := a.documents[u]
		for _, ref := range d.References {
			if !strings.HasPrefix(ref.URL, a.origin+"/") {
				if !foreign && strings.HasPrefix(ref.URL, "http") && !ref.Background &&
					(ref.Mode == request.NoCORS || ref.Mode == request.CORS) {
					foreign = true
					probes = append(probes, rehearsal.Probe{URL: ref.URL, Mode: ref.Mode, Destination: ref.Destination})
				}
				continue
			}
			switch {
			case media == "" && (ref.Destination == request.Video || ref.Destination == request.Audio):
				media = ref.URL
				probes = append(probes, rehearsal.Probe{URL: media, Mode: request.NoCORS, Destination: ref.Destination,
					Range: "bytes=1-2"})
			case picture == "" && ref.Destination == request.Image && !ref.Background:
				picture, _, _ = strings.Cut(ref.URL, "?")
				series = append(series, rehearsal.Probe{URL: picture, Mode: request.NoCORS, Destination: request.Image})
			}
		}
		// Pages that lead elsewhere, such as to a sign-in.
		for _, l := range d.Links {
			if elsewhere < 3 && strings.HasPrefix(l.URL, a.origin+"/") &&
				!slices.ContainsFunc(probes, func(p rehearsal.Probe) bool { return p.URL == l.URL }) && a.leadsOn(l.URL) {
				probes = append(probes, rehearsal.Probe{URL: l.URL, Mode: request.Navigate})
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
	if path, _, _ := strings.Cut(strings.TrimPrefix(url, a.origin), "?"); a.graph.Pages[path] != nil &&
		len(a.Project.Host.Redirects) == 0 {
		return false
	}
	resp := a.request(url)
	return resp != nil && resp.Status >= 300 && resp.Status < 400
}

// checkRequests judges what the probes showed, and what the worker keeps.
func (a *auditor) checkRequests() error {
	w := a.ran.Worker
	if w == nil || w.State != account.Activated {
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
			a.find(workerSlows, at, fmt.Sprintf("%s comes after %.1f s with the worker, and after %.1f s without it",
				a.local(p.URL), p.Took.Seconds(), p.TookWithout.Seconds()), "")
		case p.Without > 0 && p.With == 0:
			a.find(workerBreaks, at, fmt.Sprintf("%s %s answers with status %d without the worker; with it: %s", what,
				a.local(p.URL), p.Without, p.Reason), "")
		case p.Without >= 400 && p.With == 200 && p.Mode == request.Navigate && !a.Project.HasWorker() && !a.isWorkerOfFit():
			a.find(workerDisguises, at, fmt.Sprintf("%s is not there (status %d), and the worker answers with a page and "+
				"status 200", a.local(p.URL), p.Without), "")
		case p.Range != "" && p.Without == 206 && p.With == 200:
			a.find(workerRanges, at, fmt.Sprintf("a part of %s was asked for (%s), and the worker answers with all of it",
				a.local(p.URL), p.Range), "")
		}
	}
	a.checkProbes(h, at)
	for _, c := range h.Caches {
		for _, e := range c.Entries {
			if strings.Contains(e.URL, missingPath) && e.Status >= 400 {
				a.find(keepErrors, at, fmt.Sprintf("%s, an answer with status %d, is in the cache %s", a.local(e.URL), e.Status,
					c.Name), "")
				break
			}
		}
	}
	for _, url := range sortedKeys(h.Grown) {
		if n := h.Grown[url]; n[0] > 300 {
			a.find(keepGrows, at, fmt.Sprintf("%s was asked for with %d different queries, and %d more answers are kept",
				a.local(url), n[1], n[0]), "")
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
					a.find(keepPartial, at, fmt.Sprintf("of %s, %d bytes, the cache %s holds %d as if they were all", a.local(p.URL),
						resp.Body.Len(), c.Name, e.Bytes), "")
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
		a.find(workerStays, at, n.Failure, "")
	}
	if n.Mixed != "" {
		a.find(workerHasty, at, fmt.Sprintf("a page that was open got %s of its own release before, and of the new one "+
			"after the new worker had come", a.local(n.Mixed)), "")
	}
	if len(n.Left) > 0 {
		names := make([]string, len(n.Left))
		for i, name := range n.Left {
			names[i] = strconv.Quote(name)
		}
		a.find(keepLeft, at, fmt.Sprintf("a cache named %s, as an earlier release may have had it, is still there when "+
			"the next worker is active", strings.Join(names, ", ")), "")
	}
}

// firstVisit judges the start page offline after one visit to the entry page alone: the worker takes no part in a first
// visit, so what only rules keep is not there yet. Where the entry page was the first of the visits that is known already;
// else it is tried beside what follows, and judged when the function that it gives is called.
func (a *auditor) firstVisit() (judge func() error) {
	start, nothing := a.ran.Pages[0].URL, func() error { return nil }
	if a.report.Manifest != nil && a.report.Manifest.Processed != nil && a.report.Manifest.Processed.StartURL != "" {
		start = a.report.Manifest.Processed.StartURL
	}
	i := slices.IndexFunc(a.ran.Pages, func(p *rehearsal.PageResult) bool { return p.URL == start })
	if i < 0 || a.ran.Pages[i].Under[condition.Offline.Name].Outcome != rehearsal.Whole {
		return nothing
	}
	entry := a.absolute(a.Project.Audit.Entry)
	if visits := a.Visits(); len(visits) > 0 && visits[0] == entry {
		if o := a.ran.AfterFirst[start]; o != nil {
			a.findFirst(start, o)
		}
		return nothing
	}
	plan := a.plainPlan()
	plan.Strained, plan.Progress = a.strained, nil
	plan.Visit, plan.Pages, plan.Conditions = []string{entry}, []string{start}, []condition.Condition{condition.Offline}
	type came struct {
		ran *rehearsal.Result
		err error
	}
	done := make(chan came, 1)
	go func() {
		var c came
		c.err = crash.Try(func() (err error) {
			c.ran, err = plan.Run(a.ctx)
			return err
		})
		done <- c
	}()
	return func() error {
		c := <-done
		if c.err != nil {
			return c.err
		}
		if o := c.ran.Pages[0].Under[condition.Offline.Name]; o.Outcome != rehearsal.Whole {
			a.findFirst(start, o)
		}
		return nil
	}
}

// findFirst tells what the start page is after one visit alone.
func (a *auditor) findFirst(start string, o *rehearsal.PageOutcome) {
	evidence := "after one visit to " + a.report.Entry + " alone the start page is " + string(o.Outcome)
	var missing []string
	for _, l := range o.Missing {
		missing = append(missing, a.local(l.URL))
	}
	if len(missing) > 0 {
		slices.Sort(missing)
		evidence += ", missing " + strings.Join(missing[:min(3, len(missing))], ", ")
	}
	a.find(offlineFirst, Where{URL: a.local(start)}, evidence, "")
}
