package useragent

import (
	"bytes"
	"context"
	"runtime"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// Rehearsal is a plan: what is opened online, what then under other conditions. URLs are absolute.
type Rehearsal struct {
	Hosts      []site.Host
	Visit      []string
	Pages      []string
	Conditions []condition.Condition
	// Kind, if set, is the kind of browser.
	Profile *Kind
	// Present is the worker that pages register, where their scripts don't tell.
	Present *page.Registration
	// Asks lists requests that pages make only when their scripts run, by the page's address, which may end in *.
	Asks map[string][]string
	// HTTPCache switches the browser's HTTP cache on.
	HTTPCache bool
	// Steps, if set, bounds what scripts compute without a pause, in steps; else script.TurnSteps.
	Steps int
	// Reader, if set, has read the site's files already.
	Reader *page.Reader
	// Probes are sent once after the visits, online; each of Series is an address that is asked for again and again with another query.
	Probes, Series []Probe
	// Progress, if set, is told how many pages of all are done; it may be called from several goroutines.
	Progress func(done, all int)
}

// PageResult is what became of one page.
type PageResult struct {
	URL    string
	Title  string // online, without a worker
	Status int    // online, without a worker
	Under  map[string]*PageOutcome
}

// PageOutcome is what a visitor gets of a page under a condition.
type PageOutcome struct {
	Outcome    Outcome
	Status     int
	Title      string
	AnsweredBy Source
	Missing    []*Load
	Loads      []*Load
	Elapsed    time.Duration
	// ShownFrom is the address whose content is shown, of an answer that came from a cache.
	ShownFrom string
	// Reason says why a page is lost or stuck.
	Reason Failure
	// Doubt says why the outcome can't be relied on, nil where it can.
	Doubt *Doubt
}

// CacheContent lists what a cache holds.
type CacheContent struct {
	Name    string
	Entries []CachedEntry
}

// CachedEntry is one request and its stored response.
type CachedEntry struct {
	URL      string
	Status   int
	Type     string
	Redirect bool
	Bytes    int64
	// Personal says what in the headers of the host's answer makes it one for a single person, "" for nothing.
	Personal string
}

// WorkerState is what a registration came to.
type WorkerState struct {
	ID     int
	Script string
	Scope  string
	State  State
	// Error says why it could not be installed or was ended, ErrorName is the name of the error that it was, where it was one.
	Error, ErrorName string
	// Imports are the scripts that it is made of beside its own, Requests how many more it asked for until it was installed.
	Imports  []string
	Requests int
}

// Result is what a rehearsal showed.
type Result struct {
	Visits []*View
	// Worker is the one whose scope holds the first visited page, or nil when no page registered any.
	Worker *WorkerState
	Caches []CacheContent
	Pages  []*PageResult
	Notes  []Note
	Stored []Stored
	// Personal says by address what made the host's answers ones for a single person.
	Personal map[string]string
	// Gaps lists what the worker used and this user agent lacks: what depends on it was not tried.
	Gaps []string
	// UnreadRegistrations are calls of register whose worker can't be read.
	UnreadRegistrations []page.Place
	// Rivals are scopes that several workers were registered for.
	Rivals []Rival
	// Cookies gives what the visitor brings to a URL after the visits, "" for none.
	Cookies func(u *whatwg.Url) string
	// Health is what the probes showed, nil without any.
	Health *Health
}

func (r *Rehearsal) prepare(b *Browser) {
	b.asks, b.present = r.Asks, r.Present
	if r.Profile != nil {
		b.kind = r.Profile
	}
	if r.Steps > 0 {
		b.full.steps, b.limits.steps = r.Steps, r.Steps
	}
}

// browser gives a fresh browser as the rehearsal asks for, and what reads pages for it.
func (r *Rehearsal) browser(ctx context.Context) (*Browser, *page.Reader) {
	reader := r.Reader
	if reader == nil {
		reader = &page.Reader{}
	}
	b := New(ctx, r.Hosts, reader)
	r.prepare(b)
	return b, reader
}

// bare gives a browser that knows no service workers.
func (r *Rehearsal) bare(ctx context.Context, reader *page.Reader) *Browser {
	b := New(ctx, r.Hosts, reader)
	r.prepare(b)
	b.noWorkers = true
	return b
}

// reference opens a page online in a browser without workers.
// The visitor has the cookies of the browser that made the visits.
func (r *Rehearsal) reference(ctx context.Context, url string, reader *page.Reader, visited *Browser) *Tab {
	b := r.bare(ctx, reader)
	defer b.Close()
	b.store.cookies = slices.Clone(visited.store.cookies)
	return b.Open(url, nil)
}

// Run carries out the default rehearsal: visits online in one tab, then every page under every condition, each in a branch of
// its own from the same starting point.
func (r *Rehearsal) Run(ctx context.Context) (*Result, error) {
	b, reader := r.browser(ctx)
	defer b.Close()
	out := &Result{}
	var err error
	if out.Visits, err = r.visit(ctx, b, true); err != nil {
		return nil, err
	}
	out.Worker = b.workerState(r.Visit)
	out.Caches = b.cacheContents()
	out.Cookies = func(u *whatwg.Url) string { return b.store.retrieve(u, crosses{}, b.clock.now) }
	out.Notes, out.Stored, out.Gaps, out.Personal, out.UnreadRegistrations, out.Rivals = b.notes, b.stored, slices.Clone(b.gaps), b.personal, b.unreadRegistrations, b.rivals()
	if len(r.Probes)+len(r.Series) > 0 && len(r.Visit) > 0 {
		branch, after := b.Branch(), b.Branch()
		var wait sync.WaitGroup
		wait.Add(1)
		defer wait.Wait()
		go func() {
			defer wait.Done()
			health := r.probe(ctx, branch, reader)
			health.NextRelease = r.deployNext(after)
			out.Health = health
		}()
	}
	return out, r.try(ctx, b, reader, out)
}

// visit opens the pages of Visit online in one tab, each until it has come to rest, then closes the tab and, if asked to, stops the
// worker.
func (r *Rehearsal) visit(ctx context.Context, b *Browser, stop bool) (views []*View, err error) {
	if r.HTTPCache {
		b.UseHTTPCache()
	}
	var tab *Tab
	for _, url := range r.Visit {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		tab = b.Open(url, tab)
		b.Settle()
		tab.View.Controlled = tab.client.controller != nil
		views = append(views, tab.View)
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
func (r *Rehearsal) try(ctx context.Context, b *Browser, reader *page.Reader, out *Result) error {
	out.Pages = make([]*PageResult, len(r.Pages))
	// They go in waves that grow, and what one wave exhausted lowers the limits of the next: a site that loops without end on every page
	// is soon told, and the result depends on nothing but the site.
	done, exhausted := 0, len(b.exhausted)
	var found []string
	defer func() {
		slices.Sort(found)
		for _, g := range found {
			if !slices.Contains(out.Gaps, g) {
				out.Gaps = append(out.Gaps, g)
			}
		}
	}()
	for from, size := 0, 1; from < len(r.Pages) && ctx.Err() == nil; from, size = from+size, size*4 {
		to := min(from+size, len(r.Pages))
		// Branches are made here, one after the other, since making one marks what is shared.
		type job struct {
			index    int
			branches []*Browser
		}
		jobs := make(chan job)
		var wait sync.WaitGroup
		var mu sync.Mutex
		wave := 0
		for range min(runtime.GOMAXPROCS(0), to-from) {
			wait.Add(1)
			go func() {
				defer wait.Done()
				for j := range jobs {
					out.Pages[j.index] = r.page(ctx, r.Pages[j.index], j.branches, reader)
					mu.Lock()
					done++
					for _, branch := range j.branches {
						wave += len(branch.exhausted) - len(b.exhausted)
						for _, g := range branch.gaps {
							if !slices.Contains(found, g) {
								found = append(found, g)
							}
						}
					}
					if r.Progress != nil {
						r.Progress(done, len(r.Pages))
					}
					mu.Unlock()
				}
			}()
		}
		for i := from; i < to && ctx.Err() == nil; i++ {
			j := job{index: i}
			for _, c := range r.Conditions {
				branch := b.Branch()
				branch.SetCondition(c)
				branch.strained(exhausted)
				branch.foreground = true
				j.branches = append(j.branches, branch)
			}
			jobs <- j
		}
		close(jobs)
		wait.Wait()
		exhausted += wave
	}
	return ctx.Err()
}

func (r *Rehearsal) page(ctx context.Context, url string, branches []*Browser, reader *page.Reader) *PageResult {
	reference := r.reference(ctx, url, reader, branches[0])
	result := &PageResult{URL: url, Title: reference.Title, Status: reference.Status, Under: map[string]*PageOutcome{}}
	for i, c := range r.Conditions {
		tab := branches[i].Open(url, nil)
		outcome := branches[i].judge(tab.View, reference.View)
		result.Under[c.Name] = outcome
		branches[i].Close()
		if branches[i].net.count == 0 {
			// The network was not asked for anything, so its state makes no difference.
			for _, other := range r.Conditions[i+1:] {
				result.Under[other.Name] = outcome
			}
			break
		}
	}
	return result
}

// judge names the outcome of a view of this browser, and whether it can be relied on; reference is the same page online without any
// worker.
func (b *Browser) judge(v, reference *View) *PageOutcome {
	o := judge(v, reference)
	o.Doubt = b.doubt(v, o.Outcome)
	return o
}

// judge names the outcome of a view; reference is the same page online without any worker.
func judge(v, reference *View) *PageOutcome {
	o := &PageOutcome{Status: v.Status, Title: v.Title, AnsweredBy: v.Source, Loads: v.Loads, Elapsed: v.Elapsed, Reason: v.Reason}
	if v.Response != nil {
		o.ShownFrom = v.Response.Key
	}
	switch {
	case v.Stuck:
		o.Outcome = Stuck
		return o
	case v.Failed:
		o.Outcome = Lost
		return o
	}
	seen := map[string]bool{}
	for _, l := range v.Loads {
		if (l.Missing || !l.Done) && !l.Background && !seen[l.URL] {
			seen[l.URL] = true
			l.Anyway = missingAnyway(reference, l.URL)
			o.Missing = append(o.Missing, l)
		}
	}
	needed := slices.ContainsFunc(o.Missing, func(l *Load) bool { return !l.Hint })
	switch {
	case !ownContent(v, reference):
		o.Outcome = StandIn
	case needed:
		o.Outcome = Partial
	default:
		o.Outcome = Whole
	}
	return o
}

// missingAnyway says whether a load fails online too.
func missingAnyway(reference *View, url string) bool {
	for _, l := range reference.Loads {
		if l.URL == url && l.Missing {
			return true
		}
	}
	return false
}

// ownContent says whether what is shown is the page itself: the bytes that the host gives for it, or an answer that was
// fetched from its own address.
func ownContent(v, reference *View) bool {
	if reference.Response == nil {
		return v.Source.Kind == NetworkSource
	}
	shown, own := v.Response.Actual(), reference.Response.Actual()
	if bytes.Equal(bodyBytes(shown), bodyBytes(own)) {
		return true
	}
	if own.Status >= 400 || shown.Status >= 400 && shown.Status != own.Status {
		return false
	}
	urls := shown.URLs
	if len(urls) == 0 && v.Response.Key != "" {
		urls = []string{v.Response.Key} // a copy that the worker wrapped anew is known by where it was kept
	}
	for _, u := range urls {
		if path := weburl.WithoutQuery(u); path == weburl.WithoutQuery(v.FinalURL) || path == weburl.WithoutQuery(reference.FinalURL) {
			return true
		}
	}
	return false
}

func bodyBytes(r *Response) []byte {
	if r == nil || r.Body == nil {
		return nil
	}
	data, _ := r.Body.Bytes()
	return data
}

// workerState describes the registration for the first URL that has one, or why there is none.
func (b *Browser) workerState(urls []string) *WorkerState {
	for _, url := range urls {
		g := b.matchServiceWorkerRegistration(url)
		if g == nil {
			continue
		}
		for _, w := range []*Worker{g.Active, g.Waiting, g.Installing} {
			if w != nil {
				return &WorkerState{Script: w.Script, Scope: g.Scope, State: w.State, Error: w.Failure, ErrorName: w.failureName, Imports: w.imports(), Requests: w.requests}
			}
		}
	}
	if n := len(b.failures); n > 0 {
		w := b.failures[n-1]
		if w.Failure == "" {
			w.Failure = "it could not be installed"
		}
		return &WorkerState{Script: w.Script, Scope: w.reg.Scope, State: Redundant, Error: w.Failure, ErrorName: w.failureName}
	}
	if len(b.regs) > 0 && b.regs[0].getNewestWorker() != nil {
		w := b.regs[0].getNewestWorker()
		return &WorkerState{Script: w.Script, Scope: b.regs[0].Scope, State: w.State, Error: w.Failure, ErrorName: w.failureName}
	}
	return nil
}

func (w *Worker) imports() (list []string) {
	for url := range w.scripts {
		if url != w.Script {
			list = append(list, url)
		}
	}
	slices.Sort(list)
	return list
}

// personalAt says what made the answer of an address one for a single person; a worker may keep it under a query of its own.
func (b *Browser) personalAt(url string) string {
	if why := b.personal[url]; why != "" {
		return why
	}
	return b.personal[weburl.WithoutQuery(url)]
}

func (b *Browser) cacheContents() []CacheContent {
	list := []CacheContent{}
	for _, name := range b.store.names {
		c := CacheContent{Name: name}
		for _, e := range b.store.caches[name].entries {
			actual := e.response.Actual()
			c.Entries = append(c.Entries, CachedEntry{URL: e.request.URL, Status: actual.Status, Type: e.response.Type, Redirect: len(actual.URLs) > 1, Bytes: bodyLen(actual.Body), Personal: b.personalAt(e.request.URL)})
		}
		sort.Slice(c.Entries, func(i, j int) bool { return c.Entries[i].URL < c.Entries[j].URL })
		list = append(list, c)
	}
	return list
}

// PagesOf lists the absolute URLs of pages found from links, starting with entry, on its origin, at most so many and so many links
// away; what the host's robots.txt asks to leave alone is. It is for sites without a folder.
func PagesOf(ctx context.Context, host site.Host, entry string, most, depth int) []string {
	b := New(ctx, []site.Host{host}, &page.Reader{})
	defer b.Close()
	robots := site.AskRobots(ctx, host)
	seen := map[string]int{entry: 1} // one more than the links it is away
	queue := []string{entry}
	var pages []string
	for i := 0; i < len(queue) && len(pages) < most && ctx.Err() == nil; i++ {
		d := b.read(queue[i])
		if d == nil {
			continue
		}
		pages = append(pages, queue[i])
		for _, l := range d.Links {
			u := weburl.WithoutQuery(l.URL)
			if path, own := strings.CutPrefix(u, host.Origin()); own && strings.HasPrefix(path, "/") && seen[u] == 0 && seen[queue[i]] <= depth && robots.Allows(path) {
				seen[u] = seen[queue[i]] + 1
				queue = append(queue, u)
			}
		}
	}
	return pages
}

// read gives a page's document without loading what it asks for, or nil when it is no HTML page with status 200.
func (b *Browser) read(url string) *page.Document {
	var d *page.Document
	done := false
	b.fetch(&Request{URL: url, Method: "GET", Mode: "navigate", Credentials: "include", Redirect: "follow"}, weburl.OriginOf(url), func(resp *Response) {
		done = true
		if resp != nil && resp.Status == 200 && site.IsHTML(resp.Get("content-type")) && resp.Body != nil {
			if text, err := resp.Body.Bytes(); err == nil {
				d = b.reader.Document(resp.URL(), resp.Get("content-type"), text)
			}
		}
	})
	b.clock.run(func() bool { return done }, b.clock.now+DocumentLimit)
	return d
}
