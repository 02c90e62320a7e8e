package audit

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"tachyform/internal/handover"
	"tachyform/internal/releases"
	"tachyform/internal/useragent"
	"tachyform/internal/worker"
)

// What is judged here.
var releaseStuck = newCheck(Check{
	Code: "release.stuck", Weight: Blocker, Rank: 122,
	Title:    "The next release never reaches people who have this one",
	Reason:   "They keep what they once got, with its mistakes, until they clear the site's data.",
	Mend:     "have the worker's script change with each release, and its pages come from what that release keeps",
	Standard: "Service Workers, Soft Update",
	Example:  "pages are answered from a cache that is filled once, by a worker that never changes.",
})

var releaseLoops = newCheck(Check{
	Code: "release.loops", Weight: Blocker, Rank: 124,
	Title:    "Pages load themselves again and again after a release",
	Reason:   "People see a page that flickers and cannot be used.",
	Mend:     "reload once for a release, and only when another one has taken over",
	Standard: "Service Workers, controllerchange",
	Example:  "a page that reloads while its version differs from the host's, and gets the old page from a cache each time.",
})

var releaseMixed = newCheck(Check{
	Code: "release.mixed", Weight: Risk, Rank: 271,
	Title:    "A page runs with files of two releases",
	Reason:   "An old page with a new script, or the other way, breaks in ways that no test of either release shows.",
	Mend:     "keep the files of a release together: a new worker that takes over while pages are open has to reload them",
	Standard: "Service Workers, skipWaiting()",
	Example:  "the new worker claims the open page, whose next script then comes from the new release.",
})

var releaseFails = newCheck(Check{
	Code: "release.fails", Weight: Risk, Rank: 272,
	Title:    "The new release cannot be installed",
	Reason:   "People stay with the old release until one comes that can be.",
	Mend:     "deploy the file that is missing, or take it out of the list of the installation",
	Standard: "Service Workers, Install",
	Example:  "the worker's list names a file that the release no longer has.",
})

var releaseStays = newCheck(Check{
	Code: "release.stays", Weight: Risk, Rank: 273,
	Title:    "Some people keep the old release",
	Reason:   "What happened to them on the way leaves them with old pages, though others have the new ones.",
	Mend:     "look at the steps of the scenario: tachyform handover --only NAME",
	Standard: "Service Workers, Update",
	Example:  "the network was gone in the middle of the update, and what came before is kept as if it were whole.",
})

var releaseLost = newCheck(Check{
	Code: "release.lost", Weight: Risk, Rank: 274,
	Title:    "After a release pages no longer open offline",
	Reason:   "Who had the app offline sees an error page after coming back once.",
	Mend:     "keep what the old release kept until the new one is installed wholly",
	Standard: "Service Workers, Activate",
	Example:  "the new worker empties the caches before its own are filled.",
})

var releaseLeft = newCheck(Check{
	Code: "release.left", Weight: Polish, Rank: 645,
	Title:    "Caches of the old release stay behind",
	Reason:   "They take space on people's devices for ever, and browsers throw away everything of a site that takes much.",
	Mend:     "have the new worker delete the caches that only earlier releases used, when it is activated",
	Standard: "Service Workers, caches.delete",
	Example:  "caches called v1, v2, v3, one for each release.",
})

var releaseHeavy = newCheck(Check{
	Code: "release.heavy", Weight: Polish, Rank: 646,
	Title:    "An update costs as much as everything",
	Reason:   "People on mobile data pay for the whole site with each release, though most of it is as before.",
	Mend:     "fetch only what has changed: what an old cache has under the same stamp can be copied",
	Standard: "Service Workers, Install",
	Example:  "the new worker lists all files with cache: 'reload'.",
})

// HandoverReport is what becomes of people who have one release when the next comes. Its fields are the members of the
// JSON contract.
type HandoverReport struct {
	Schema    string               `json:"schema"`
	Site      string               `json:"site"`
	Old       []string             `json:"old"`
	Origin    string               `json:"origin"`
	Entry     string               `json:"entry"`
	Scenarios []*handover.Scenario `json:"scenarios"`
	// Fresh is what a new visitor to the new release fetches.
	Fresh    Cost            `json:"fresh"`
	Findings []*Finding      `json:"findings"`
	Summary  HandoverSummary `json:"summary"`
	// About says what each scenario is about, by its name.
	About map[string]string `json:"-"`
}

// Cost is a number of requests, and the bytes of their answers.
type Cost struct {
	Requests int   `json:"requests"`
	Bytes    int64 `json:"bytes"`
}

// HandoverSummary counts scenarios and findings.
type HandoverSummary struct {
	Scenarios int `json:"scenarios"`
	Arrived   int `json:"arrived"`
	Blockers  int `json:"blockers"`
	Risks     int `json:"risks"`
	Polish    int `json:"polish"`
}

// heavyFrom is from how many bytes on the weight of an update is worth a word.
const heavyFrom = 100 << 10

// Handover hands a site over from old releases, oldest first, to the one of the input. only names scenarios, nil for
// all.
func Handover(ctx context.Context, in Input, old []handover.Release, only []string) (*HandoverReport, error) {
	if err := checkSettings(in.Project); err != nil {
		return nil, err
	}
	a := newAuditor(ctx, in)
	for _, t := range in.Project.Audit.Targets {
		a.report.Targets[t] = &TargetVerdict{}
	}
	out, err := a.handOver(old, only)
	if err != nil {
		return nil, err
	}
	a.sortFindings()
	out.Findings = a.report.Findings
	out.count()
	return out, nil
}

// handOver plays the scenarios and finds what is wrong with what they came to.
func (a *auditor) handOver(old []handover.Release, only []string) (*HandoverReport, error) {
	in := a.Input
	retiring, err := worker.Retiring(worker.Options{})
	if err != nil {
		return nil, err
	}
	visit := a.Visits()
	if entry := a.absolute(in.Project.Audit.Entry); len(visit) == 0 || visit[len(visit)-1] != entry {
		visit = append(visit, entry)
	}
	h := handover.Input{Releases: append(slices.Clone(old), handover.Release{Name: in.Name, Host: in.Host, Others: in.Others}),
		Visit: visit, Retiring: retiring, Only: only, Progress: in.Progress, Options: useragent.Options{Kind: in.Kind, Reader: a.reader,
			ReadScripts: in.Project.Audit.Scripts == "read", Present: a.present(), HostKnows: a.hostKnows(),
			StandsFor: releases.StandsFor}}
	r, err := handover.Run(a.ctx, h)
	if err != nil {
		return nil, err
	}
	out := &HandoverReport{Schema: "tachyform.handover/1", Site: in.Name, Origin: a.origin, Entry: in.Project.Audit.Entry,
		Scenarios: r.Scenarios, Fresh: Cost{r.WholeRequests, r.WholeBytes}, About: map[string]string{}}
	for _, o := range slices.Backward(old) {
		out.Old = append(out.Old, o.Name)
	}
	for _, d := range handover.Known() {
		out.About[d.Name] = d.About
	}
	first := len(a.report.Findings)
	a.judgeHandover(r)
	out.Findings = slices.Clone(a.report.Findings[first:])
	out.count()
	return out, nil
}

// count counts scenarios and findings.
func (r *HandoverReport) count() {
	r.Summary = HandoverSummary{Scenarios: len(r.Scenarios)}
	for _, s := range r.Scenarios {
		if s.Arrival.Arrives {
			r.Summary.Arrived++
		}
	}
	r.Summary.Blockers, r.Summary.Risks, r.Summary.Polish = countWeights(r.Findings)
}

// Stays open: a page that is never closed or left may keep its release, which is what most takeovers choose.
var staysOpen = []string{"tab-left-open", "never-closed"}

// judgeHandover looks through what the scenarios came to. What several have alike is told once.
func (a *auditor) judgeHandover(r *handover.Result) {
	never, loops, mixed, fails, lost, left := &told{}, &told{}, &told{}, &told{}, &told{}, &told{}
	stuck := false
	for _, s := range r.Scenarios {
		if s.Name == handover.Returning && !s.Arrival.Arrives {
			stuck = true
			a.find(releaseStuck, Where{URL: s.Steps[len(s.Steps)-1].URL}, neverWords(s), mendOfNever(s))
		}
	}
	for _, s := range r.Scenarios {
		if !s.Arrival.Arrives && !stuck && !slices.Contains(staysOpen, s.Name) {
			never.add(s.Name, neverWords(s), s.Steps[len(s.Steps)-1].URL)
		}
		for _, step := range s.Loops {
			loops.add(s.Name, step, stepOf(s, step).URL)
		}
		for _, m := range s.Mixtures {
			// What the host itself mixes is no worker's doing, and over when the deployment is.
			if !m.ByHost {
				mixed.add(s.Name, fmt.Sprintf("%s: %s page %s with %s %s%s", m.Step, m.Document, m.URL, m.Whose, m.File, errorWords(m.Errors)), m.URL)
			}
		}
		if len(s.Failed) > 0 && (s.Name == handover.Returning || s.Arrival.Why == handover.Fails) {
			fails.add(s.Name, s.Failed[0].Text, s.Steps[0].URL)
		}
		if r.OldWorker && r.NewWorker && s.Name != "worker-retired" {
			for _, step := range s.Lost {
				if strings.HasPrefix(step, "offline") {
					lost.add(s.Name, step, stepOf(s, step).URL)
				}
			}
		}
		// The caches of an earlier worker are made up; those that a site really had are found by keep.left.
		if r.NewWorker && len(s.Left) > 0 && s.Name != "worker-retired" && s.Name != "earlier-worker" && s.Arrival.Arrives &&
			!slices.Contains(staysOpen, s.Name) && !s.Steps[len(s.Steps)-1].Waiting {
			left.add(s.Name, strings.Join(s.Left, ", "), "")
		}
	}
	for _, one := range []struct {
		check *Check
		told  *told
	}{{releaseLoops, loops}, {releaseMixed, mixed}, {releaseFails, fails}, {releaseStays, never}, {releaseLost, lost}, {releaseLeft, left}} {
		if len(one.told.scenarios) > 0 {
			a.find(one.check, Where{URL: one.told.url}, one.told.words(), "")
		}
	}
	for _, s := range r.Scenarios {
		if s.Name != handover.Returning || r.WholeBytes < heavyFrom || !r.NewWorker || !s.Arrival.Arrives {
			continue
		}
		if s.Bytes*10 >= r.WholeBytes*9 {
			a.find(releaseHeavy, Where{URL: a.Project.Audit.Entry}, fmt.Sprintf("coming back took %s, a new visitor %s", kB(s.Bytes),
				kB(r.WholeBytes)), "")
		}
	}
}

func kB(n int64) string { return fmt.Sprintf("%d kB", (n+999)/1000) }

func stepOf(s *handover.Scenario, name string) *handover.Step {
	return s.Steps[slices.IndexFunc(s.Steps, func(step *handover.Step) bool { return step.Name == name })]
}

func errorWords(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return ", and its script said: " + list[0]
}

func neverWords(s *handover.Scenario) string {
	last := s.Steps[len(s.Steps)-1]
	switch s.Arrival.Why {
	case handover.Waits:
		return fmt.Sprintf("at the end (%s) the new worker still waits", last.Name)
	case handover.Fails:
		return "the new worker cannot be installed: " + s.Failed[0].Text
	case handover.Mixes:
		file, _ := last.Mixed()
		if behind := s.Behind(handover.New); behind != nil {
			file = behind.URL
		}
		return fmt.Sprintf("at the end (%s) %s is still of the old release", last.Name, file)
	case handover.NotShown:
		return fmt.Sprintf("at the end (%s) no page is shown", last.Name)
	}
	return fmt.Sprintf("at the end (%s) the page is still the old one, from what was kept", last.Name)
}

func mendOfNever(s *handover.Scenario) string {
	switch s.Arrival.Why {
	case handover.Waits:
		return "let the new worker take over once all tabs are closed, or when the page asks it to"
	case handover.Fails:
		return releaseFails.Mend
	}
	return ""
}

// told gathers what scenarios have alike.
type told struct {
	scenarios  []string
	first, url string
}

func (t *told) add(scenario, words, url string) {
	if len(t.scenarios) == 0 {
		t.first, t.url = words, url
	}
	if !slices.Contains(t.scenarios, scenario) {
		t.scenarios = append(t.scenarios, scenario)
	}
}

func (t *told) words() string {
	text := t.scenarios[0] + ": " + t.first
	if more := t.scenarios[1:]; len(more) > 0 {
		text += "; also in " + strings.Join(more, ", ")
	}
	return text
}

// FailsOn says whether there is a finding at least as heavy as weight.
func (r *HandoverReport) FailsOn(weight string) bool {
	return slices.ContainsFunc(r.Findings, func(f *Finding) bool { return Heavier(f.Weight, weight) })
}
