// Package rehearsal visits a site by a plan, on any browser, and judges what a visitor gets.
package rehearsal

import (
	"cmp"
	"context"
	"errors"
	"runtime"
	"slices"
	"sync"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/condition"
	"tachyform/internal/crash"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/serviceworker"
)

// Rehearsal is a plan: what is opened online, what then under other conditions. URLs are absolute.
type Rehearsal struct {
	Hosts      []site.Host
	Visit      []string
	Pages      []string
	Conditions []condition.Condition
	// Kind, if set, is the kind of browser.
	Kind *useragent.Kind
	// Present is the worker that pages register, where their scripts don't tell.
	Present *page.Registration
	// Asks lists requests that pages make only when their scripts run, by the page's address, which may end in *.
	Asks map[string][]string
	// ReadScripts has page scripts read rather than run.
	ReadScripts bool
	// Follow, if set, has links that pages draw followed to pages that are not in the list.
	Follow *Following
	// HostKnows, if set, says whether a host's settings tell how it answers at a URL; see useragent.Options.
	HostKnows func(url string) bool
	// Known, if set, is a script that registers the worker and draws nothing: once it has run in the visits, pages with no
	// other script are opened as if they had none.
	Known *document.KnownScript
	// OneProfile has pages tried one after the other in one profile, rather than each in a branch of its own.
	OneProfile bool
	// HTTPCache switches the browser's HTTP cache on.
	HTTPCache bool
	// Steps, if set, bounds what scripts compute without a pause, in steps; else script.TurnSteps.
	Steps int
	// Strained is how many limits scripts have exhausted on the site before; see useragent.Options.
	Strained int
	// Clicks is how many links at most are clicked where they stand, beside opening their pages by the address; 0 for none.
	Clicks int
	// Presses is how many buttons and their like at most are pressed where they stand; 0 for none.
	Presses int
	// Start, if set, is the page that is opened offline in all variants once it is whole in the usual one.
	Start string
	// Lean has pages that are not visited keep no document once they are judged.
	Lean bool
	// Reader, if set, has read the site's files already.
	Reader *page.Reader
	// Probes are sent once after the visits, online; each of Series is an address that is asked for again and again with
	// another query.
	Probes, Series []Probe
	// Progress, if set, is told how many pages of all are done; it may be called from several goroutines.
	Progress func(done, all int)
}

// Following says how far links are followed.
type Following struct {
	// AtMost is how many pages there may be in all, Depth how many links away from those in the list.
	AtMost, Depth int
	// Allows, if set, says whether a path may be opened.
	Allows func(path string) bool
	// Same, if set, gives the address of the page that a URL redirects to.
	Same func(url string) string
}

// PageResult is what became of one page.
type PageResult struct {
	URL string
	// Found says that a link led there, which some page drew.
	Found  bool
	Title  string // online, without a worker
	Status int    // online, without a worker
	Under  map[string]*PageOutcome
	// Document is the page online, as its scripts left it, nil where nobody needs it; Seen is what else that visit showed.
	Document *page.Document
	Seen     *page.SeenPage

	// Routed says that a script takes the click on a link that leads there.
	Routed bool

	shown   bool   // a document was shown online
	opens   bool   // online, as a document
	drawn   bool   // it was opened online, rather than glanced at
	scripts string // the names of those that it came with
	// pressables is what can be pressed on it online.
	pressables []document.Pressable
	// exhausted is how many limits its scripts exhausted in the browser without workers.
	exhausted int
}

// MostClicks and MostPresses bound how many links are clicked and how many buttons pressed on a site.
const (
	MostClicks  = 200
	MostPresses = 400
)

// Result is what a rehearsal showed.
type Result struct {
	Visits []*document.View
	// Worker is the one whose scope holds the first visited page, or nil when no page registered any.
	Worker *useragent.WorkerState
	Caches []useragent.CacheContent
	Pages  []*PageResult
	Notes  []account.Note
	Stored []account.Stored
	// AfterFirst are the outcomes offline after the first visit alone, by URL, of pages that are whole after all visits and
	// not after that one; nil where the other visits leave nothing behind.
	AfterFirst map[string]*PageOutcome
	// NotSent are requests that a live host was not asked, since they might change something there.
	NotSent []string
	// Personal says by address what made the host's answers ones for a single person.
	Personal map[string]string
	// Gaps lists what the worker used and this user agent lacks: what depends on it was not tried.
	Gaps []string
	// MayRegister is the reason why pages might register a worker although the visits registered none, or nil.
	MayRegister *Doubt
	// UnreadRegistrations are calls of register whose worker can't be read.
	UnreadRegistrations []page.Place
	// Rivals are scopes that several workers were registered for.
	Rivals []serviceworker.Rival
	// Cookies gives what the visitor brings to a URL after the visits, "" for none.
	Cookies func(u *whatwg.Url) string
	// Strained is how many limits are known to have been exhausted on the site.
	Strained int
	// Varied are the outcomes of the start page in all variants.
	Varied []Varied
	// Unanswered are the addresses that drawn links lead to and that the host answers with an error.
	Unanswered []*PageResult
	// Unclicked counts links to pages that were not clicked, since there are so many.
	Unclicked int
	// Unpressed counts buttons that were not pressed, since there are so many.
	Unpressed int
	// Health is what the probes showed, nil without any.
	Health *Health
}

// options are those of the browsers that the rehearsal runs on.
func (r *Rehearsal) options() useragent.Options {
	return useragent.Options{Kind: r.Kind, Reader: r.Reader, Present: r.Present, Fitted: r.Known, Asks: r.Asks, HTTPCache: r.HTTPCache,
		Steps: r.Steps, Strained: r.Strained, ReadScripts: r.ReadScripts, HostKnows: r.HostKnows, Presses: r.Presses > 0}
}

// browser gives a fresh browser as the rehearsal asks for.
func (r *Rehearsal) browser(ctx context.Context) *useragent.Browser {
	if r.Reader == nil {
		r.Reader = &page.Reader{}
	}
	return useragent.New(ctx, r.Hosts, r.options())
}

// plainOptions are those of a browser that knows no service workers.
func (r *Rehearsal) plainOptions() useragent.Options {
	o := r.options()
	o.WithoutWorkers, o.HTTPCache = true, false
	return o
}

// withoutWorkers gives a browser that knows no service workers and has the cookies of the one that made the visits, if
// any.
func (r *Rehearsal) withoutWorkers(ctx context.Context, visited *useragent.Browser) *useragent.Browser {
	return r.copyOf(ctx, visited, r.plainOptions())
}

// copyOf gives a new browser that has what withoutWorkers says.
func (r *Rehearsal) copyOf(ctx context.Context, visited *useragent.Browser, o useragent.Options) *useragent.Browser {
	b := useragent.New(ctx, r.Hosts, o)
	b.SetKnown(r.Known)
	if visited != nil {
		b.CopyCookies(visited)
		b.Strain(visited.Strained())
	}
	return b
}

// answeringOtherwise gives what withoutWorkers does, a browser that answers otherwise what may not matter.
func (r *Rehearsal) answeringOtherwise(ctx context.Context, visited *useragent.Browser) *useragent.Browser {
	o := r.plainOptions()
	o.Otherwise = true
	return r.copyOf(ctx, visited, o)
}

// otherwise opens a page online in a browser that answers otherwise what may not matter.
func (r *Rehearsal) otherwise(ctx context.Context, url string, visited *useragent.Browser) *document.View {
	b := r.answeringOtherwise(ctx, visited)
	defer b.Close()
	return b.Open(url, nil).View
}

// differs says whether two views of a page show or ask for different things.
func differs(one, other *document.View) bool {
	return one.DrawnText() != other.DrawnText() || !slices.Equal(one.DrawnLinks(), other.DrawnLinks()) ||
		!slices.Equal(one.Asked, other.Asked) || len(one.Errors) != len(other.Errors)
}

// reference opens a page online in a browser without workers.
func (r *Rehearsal) reference(ctx context.Context, url string, visited *useragent.Browser) *document.Tab {
	b := r.withoutWorkers(ctx, visited)
	defer b.Close()
	return b.Open(url, nil)
}

// Run carries out the default rehearsal: visits online in one tab, then every page under every condition, each in a
// branch of its own from the same starting point.
func (r *Rehearsal) Run(ctx context.Context) (*Result, error) {
	b := r.browser(ctx)
	defer b.Close()
	out := &Result{}
	var err error
	var first *useragent.Browser
	if out.Visits, err = r.visit(ctx, b, true, func() { first = b.Branch() }); err != nil {
		return nil, err
	}
	out.Worker = workerState(b, r.Visit)
	out.Caches = b.Caches()
	out.Cookies, out.NotSent = b.Cookies, slices.Clone(b.NotSent())
	out.Notes, out.Stored, out.Gaps, out.Personal, out.UnreadRegistrations, out.Rivals = b.Notes(), b.Stored(),
		slices.Clone(b.WorkerGaps()), b.Personal(), b.UnreadRegistrations(), b.Rivals()
	turns := make(turns, runtime.GOMAXPROCS(0))
	if len(r.Probes)+len(r.Series) > 0 && len(r.Visit) > 0 {
		branch, after := b.Branch(), b.Branch()
		var wait sync.WaitGroup
		wait.Add(1)
		defer wait.Wait()
		go func() {
			defer wait.Done()
			defer turns.take()()
			logCrash(ctx, crash.Try(func() error {
				health := r.probe(ctx, branch)
				health.NextRelease = r.deployNext(after)
				out.Health = health
				return nil
			}))
		}()
	}
	err = r.try(ctx, b, out, turns)
	if out.Worker == nil && !b.KnowsWorkers() && err == nil {
		if out.MayRegister = r.mayRegister(ctx, out.Visits); out.MayRegister != nil {
			out.doubtAll(out.MayRegister)
		}
	}
	if r.Start != "" {
		if i := slices.IndexFunc(out.Pages, func(p *PageResult) bool { return p.URL == r.Start }); err == nil && i >= 0 && out.Pages[i].isWhole() {
			r.vary(ctx, b, out)
		}
	}
	if r.Clicks > 0 && err == nil && !r.OneProfile && !r.ReadScripts {
		r.click(ctx, b, out)
	}
	if r.Presses > 0 && err == nil && !r.OneProfile && !r.ReadScripts {
		r.press(ctx, b, out)
	}
	if first != nil && err == nil && !slices.Equal(first.CachedURLs(), b.CachedURLs()) {
		r.tryAfterFirst(ctx, first, out)
	}
	return out, errors.Join(err, ctx.Err())
}

// isWhole says whether a page is whole offline and known to be.
func (p *PageResult) isWhole() bool {
	o := p.Under[condition.Offline.Name]
	return o != nil && o.Outcome == Whole && o.Doubt == nil
}

// turns lets as many go on at a time as there are processors: each more would need an engine of its own.
type turns chan struct{}

// take waits for a turn and gives what ends it.
func (t turns) take() (end func()) {
	t <- struct{}{}
	return func() { <-t }
}

// tryAfterFirst opens pages that are whole offline once more, as somebody meets them who has made the first visit alone.
func (r *Rehearsal) tryAfterFirst(ctx context.Context, first *useragent.Browser, out *Result) {
	first.StopWorkers()
	for _, p := range out.Pages {
		o := p.Under[condition.Offline.Name]
		if o == nil || o.Outcome != Whole || o.Doubt != nil || ctx.Err() != nil {
			continue
		}
		b := first.Branch()
		b.SetCondition(condition.Offline)
		b.SetForeground()
		v := b.Open(p.URL, nil).View
		if then := outcomeOf(v, o.View); then.Outcome != Whole {
			if out.AfterFirst == nil {
				out.AfterFirst = map[string]*PageOutcome{}
			}
			out.AfterFirst[p.URL] = then
		}
		b.Close()
	}
}

// visit opens the pages of Visit online in one tab, each until it has come to rest, then closes the tab and, if asked
// to, stops the worker. afterFirst, if set, is called between the first and the second.
func (r *Rehearsal) visit(ctx context.Context, b *useragent.Browser, stop bool, afterFirst func()) (views []*document.View,
	err error) {
	var tab *document.Tab
	for _, url := range r.Visit {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		tab = b.Open(url, tab)
		b.Settle()
		b.Take(tab)
		tab.View.Controlled = tab.IsControlled()
		views = append(views, tab.View)
		if afterFirst != nil && len(views) == 1 && len(r.Visit) > 1 {
			afterFirst()
		}
	}
	if tab != nil {
		b.CloseTab(tab)
		b.Settle()
	}
	if stop {
		b.StopWorkers()
	}
	return views, nil
}

// try opens the pages under the conditions, as many at a time as there are processors.
func (r *Rehearsal) try(ctx context.Context, b *useragent.Browser, out *Result, turns turns) error {
	if r.OneProfile {
		return r.tryInOneProfile(ctx, b, out)
	}
	// They go in waves that grow, and what one wave exhausted lowers the limits of the next: a site that loops without
	// end on every page is soon told, and the result depends on nothing but the site.
	done, exhausted := 0, b.Strained()
	defer func() { out.Strained = exhausted }()
	var found []string
	defer func() {
		slices.Sort(found)
		for _, g := range found {
			if !slices.Contains(out.Gaps, g) {
				out.Gaps = append(out.Gaps, g)
			}
		}
	}()
	queue := r.newQueue()
	plain, sample := r.withoutWorkers(ctx, b), &sample{every: len(r.Conditions) == 0, opened: map[string]int{}}
	known, online := &standIns{}, &onlineAnswers{}
	defer plain.Close()
	for from, size := 0, 1; from < len(queue.pages) && ctx.Err() == nil; from, size = from+size, size*4 {
		to := min(from+size, len(queue.pages))
		out.Pages = append(out.Pages, make([]*PageResult, to-len(out.Pages))...)
		// Branches are made here, one after the other, since making one marks what is shared.
		jobs := make(chan pageJob)
		var wait sync.WaitGroup
		var mu sync.Mutex
		wave := 0
		for range min(runtime.GOMAXPROCS(0), to-from) {
			wait.Add(1)
			go func() {
				defer wait.Done()
				for j := range jobs {
					end := turns.take()
					p := r.pageOrUnknown(ctx, j, known, online)
					end()
					p.Found = queue.found(j.index)
					out.Pages[j.index] = p
					mu.Lock()
					done++
					wave += p.exhausted
					for _, branch := range j.branches {
						wave += branch.Strained() - j.strained
						for _, n := range branch.NotSent() {
							if !slices.Contains(out.NotSent, n) {
								out.NotSent = append(out.NotSent, n)
							}
						}
						for _, g := range branch.WorkerGaps() {
							if !slices.Contains(found, g) {
								found = append(found, g)
							}
						}
					}
					if r.Progress != nil {
						r.Progress(done, len(queue.pages))
					}
					mu.Unlock()
				}
			}()
		}
		for i := from; i < to && ctx.Err() == nil; i++ {
			j := pageJob{index: i, glance: plain.Glance(queue.pages[i]), strained: exhausted}
			j.draw = sample.wants(j.glance.Document)
			for _, c := range r.Conditions {
				branch := b.Branch()
				branch.SetCondition(c)
				branch.Strain(exhausted)
				branch.SetForeground()
				branch.SetKnown(r.Known)
				j.branches = append(j.branches, branch)
			}
			jobs <- j
		}
		close(jobs)
		wait.Wait()
		exhausted += wave
		size = to - from
		queue.follow(out.Pages[from:to], from)
		known.learn(out.Pages[from:to])
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	out.Pages = slices.DeleteFunc(out.Pages, func(p *PageResult) bool {
		if p.Found && p.Status >= 400 {
			out.Unanswered = append(out.Unanswered, p)
		}
		return p.Found && !p.opens
	})
	settleUndrawn(out.Pages)
	r.settleDrawn(b, out)
	return ctx.Err()
}

// tryInOneProfile opens the pages one after the other, for each condition in a branch that all pages share.
func (r *Rehearsal) tryInOneProfile(ctx context.Context, b *useragent.Browser, out *Result) error {
	out.Pages, out.Strained = make([]*PageResult, len(r.Pages)), b.Strained()
	for i, url := range r.Pages {
		out.Pages[i] = &PageResult{URL: url, Under: map[string]*PageOutcome{}}
	}
	for _, c := range r.Conditions {
		branch := b.Branch()
		branch.SetCondition(c)
		branch.SetForeground()
		for i, url := range r.Pages {
			if err := ctx.Err(); err != nil {
				return err
			}
			reference := r.reference(ctx, url, branch)
			out.Pages[i].Title, out.Pages[i].Status, out.Pages[i].Seen = reference.Title, reference.Status, reference.Seen()
			tab := branch.Open(url, nil)
			outcome := judge(branch, tab.View, reference.View)
			outcome.settleGap(reference.View, func() bool { return differs(reference.View, r.otherwise(ctx, url, branch)) })
			out.Pages[i].Under[c.Name] = outcome
			branch.CloseTab(tab)
			branch.Settle()
			branch.StopWorkers()
		}
		for _, g := range branch.WorkerGaps() {
			if !slices.Contains(out.Gaps, g) {
				out.Gaps = append(out.Gaps, g)
			}
		}
		branch.Close()
	}
	r.settleDrawn(b, out)
	return ctx.Err()
}

// laterBy is how much later a page is opened once more to see what of it changes from load to load, more than the
// minute in which most clocks on pages move on.
const laterBy = 61 * time.Second

// settleDrawn opens those pages once more that draw less under a condition than online.
func (r *Rehearsal) settleDrawn(b *useragent.Browser, out *Result) {
	for _, p := range out.Pages {
		var again *document.View
		for _, o := range p.Under {
			if len(o.Lacks) == 0 {
				continue
			}
			if again == nil {
				branch := b.Branch()
				branch.Pass(laterBy)
				again = branch.Open(p.URL, nil).View
				branch.Close()
			}
			o.settleDrawn(again)
		}
	}
}

// sampleOfSet is how many pages with the same scripts are opened online whatever comes of them offline, for what their
// scripts do and link to.
const sampleOfSet = 8

// sample says which pages are opened online even where nothing of them is shown under any condition: some of those with
// the same scripts, for what these do.
type sample struct {
	every  bool
	opened map[string]int
}

func (s *sample) wants(d *page.Document) bool {
	if s.every || d == nil {
		return true
	}
	set := d.ScriptSet()
	if set == "" {
		return false // its text says all
	}
	s.opened[set]++
	return s.opened[set] <= sampleOfSet
}

// pageJob is a page to be tried, in a branch for each condition. draw has it opened online with any outcome;
// strained is how many limits were exhausted on the site before.
type pageJob struct {
	index    int
	branches []*useragent.Browser
	glance   *document.View
	draw     bool
	strained int
}

// pageOrUnknown is page. If that panics, the outcomes of the page are unknown.
func (r *Rehearsal) pageOrUnknown(ctx context.Context, j pageJob, known *standIns, online *onlineAnswers) (result *PageResult) {
	err := crash.Try(func() error {
		result = r.page(ctx, j, known, online)
		return nil
	})
	if err == nil {
		return result
	}
	logCrash(ctx, err)
	view := document.NewFailedTab(j.glance.URL).View
	result = &PageResult{URL: j.glance.URL, Under: map[string]*PageOutcome{}, Seen: view.Seen()}
	for _, c := range r.Conditions {
		result.Under[c.Name] = &PageOutcome{Outcome: Lost, Reason: view.Reason, View: view,
			Doubt: &Doubt{Kind: DoubtStopped, Err: err}}
	}
	return result
}

// logCrash adds a crash to the log of the command; it does nothing with other errors.
func logCrash(ctx context.Context, err error) {
	var c *crash.Crash
	if errors.As(err, &c) {
		crash.LogOf(ctx).Add(c)
	}
}

// page tries a page under each condition, and opens it online to compare where its own content is shown.
func (r *Rehearsal) page(ctx context.Context, j pageJob, known *standIns, online *onlineAnswers) *PageResult {
	glance, branches, url := j.glance, j.branches, j.glance.URL
	var visited *useragent.Browser
	if len(branches) > 0 {
		visited = branches[0]
	}
	plain := r.withoutWorkers(ctx, visited)
	defer plain.Close()
	plain.Strain(max(plain.Strained(), j.strained))
	reference, opened := glance, false
	open := func() *document.View {
		if !opened {
			reference, opened = plain.Open(url, nil).View, true
		}
		return reference
	}
	// depends says whether what the page draws and asks for depends on answers that were made up.
	depends := sync.OnceValue(func() bool { return differs(reference, r.otherwise(ctx, url, visited)) })
	result := &PageResult{URL: url, Under: map[string]*PageOutcome{}}
	if glance.Document != nil {
		result.scripts = glance.Document.ScriptSet()
	}
	for i, c := range r.Conditions {
		v := known.open(branches[i], url, c.Name, reference)
		branches[i].Close()                                                                                                             // its engines go on to the page online
		if outcome := outcomeOf(v, reference).Outcome; outcome == Partial || outcome == Whole || v.Documents > 1 && v.Document != nil { // it may lead on online too
			plain.Strain(max(plain.Strained(), branches[i].Strained()))
			if !opened && outcome == Whole && areFolders(r.Hosts) && online.draws(v, glance, plain) {
				reference, opened = v, true
			}
			open()
		}
		outcome := judge(branches[i], v, reference)
		if opened {
			outcome.settleGap(reference, depends)
		}
		if opened && outcome.Doubt == nil && outcome.Outcome != Lost && outcome.Outcome != Stuck && len(plain.Exhausted()) > 0 {
			outcome.Doubt = &Doubt{Kind: DoubtStopped, Err: plain.Exhausted()[0]} // there is nothing to compare with
		}
		result.Under[c.Name] = outcome
		if branches[i].RequestsSent() == 0 {
			// The network was not asked for anything, so its state makes no difference.
			for _, other := range r.Conditions[i+1:] {
				result.Under[other.Name] = outcome
			}
			break
		}
	}
	if j.draw {
		open()
	}
	result.exhausted = len(plain.Exhausted())
	result.Title, result.Status, result.Document, result.Seen = reference.Title, reference.Status, reference.Document, reference.Seen()
	result.shown, result.drawn, result.pressables = reference.Document != nil, opened, reference.Pressables
	result.opens = result.shown && reference.Status < 400
	if r.Lean && !slices.Contains(r.Visit, url) {
		result.Document = nil
		for _, o := range result.Under {
			if o.Outcome == Whole && o.Doubt == nil && len(o.Lacks) == 0 {
				o.View = o.View.WithoutDocument()
			}
		}
	}
	return result
}

// settleUndrawn gives pages that were not opened online the registrations of those with the same scripts that were.
func settleUndrawn(pages []*PageResult) {
	registrations := map[string][]page.Registration{}
	for _, p := range pages {
		if p.drawn && p.shown && len(p.Seen.Registrations) > 0 {
			registrations[p.scripts] = p.Seen.Registrations
		}
	}
	for _, p := range pages {
		if !p.drawn && p.shown {
			p.Seen.Registrations = registrations[p.scripts]
		}
	}
}

// workerState describes the registration for the first URL that has one, or why there is none.
func workerState(b *useragent.Browser, urls []string) *useragent.WorkerState {
	for _, url := range urls {
		if g, ok := b.RegistrationFor(url); ok {
			if w := cmp.Or(g.Active, g.Waiting, g.Installing); w != nil {
				return w
			}
		}
	}
	if failures := b.Failures(); len(failures) > 0 {
		w := failures[len(failures)-1]
		if w.Error == "" {
			w.Error = "it could not be installed"
		}
		w.State = account.Redundant
		return w
	}
	if all := b.Registrations(); len(all) > 0 {
		return all[0].Newest()
	}
	return nil
}
