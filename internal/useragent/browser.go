// Package useragent is a browser without a screen: it runs service workers and visits pages under any network, on a virtual clock.
package useragent

import (
	"regexp"
	"slices"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/script"
	"tachyform/internal/site"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/network"
	"tachyform/internal/useragent/storage"
	"tachyform/internal/weburl"
)

// Note is something that happened and is worth telling: console output, an error, a change of a worker's state.
type Note struct {
	// Level is log, info, warn, error or state.
	Level string `json:"level"`
	Text  string `json:"text"`
	Where string `json:"where,omitempty"`
	Stack string `json:"stack,omitempty"`
	// ErrorName is the name of the error that Text tells of, "" for what is none.
	ErrorName string `json:"-"`
}

// Stored is one entry that a script put into a cache.
type Stored struct {
	Cache    string
	Request  *fetch.Request
	Response *fetch.Response
}

// place is where in a worker's own source a note comes from, or the script it belongs to.
func (n Note) place() string {
	if m := stackPlace.FindStringSubmatch(n.Stack); m != nil {
		return m[1]
	}
	return n.Where
}

var stackPlace = regexp.MustCompile(`\(?((?:https?://|/)[^\s()]+:\d+(?::\d+)?)\)?`)

// Browser is one profile: what it keeps, its workers and its open pages. It belongs to one goroutine.
type Browser struct {
	clock    *clock.Clock
	net      *network.Network
	store    *storage.Storage
	fetcher  *fetch.Fetcher
	regs     []*Registration
	workers  []*Worker
	clients  []*client
	queue    map[string][]func(func())
	closing  []*realm
	failures []*Worker
	stored   []Stored
	notes    []Note
	nextID   int
	// nextWorker numbers the versions of workers in the order in which they are met.
	nextWorker  int
	warmEngines *warmEngines
	branch      bool // engines that have started belong to the browser that this one branched from
	reader      *page.Reader
	kind        *Kind
	// foreground leaves away what pages ask for in the background, such as icons: nobody waits for it.
	foreground bool
	// scriptsOnly leaves away all that pages ask for but their scripts.
	scriptsOnly bool
	// onActive waits for the next worker that has become active.
	onActive []func()
	// asks are requests that pages make once their scripts run, by the page's address; see Rehearsal.Asks.
	asks map[string][]string
	// full are the limits of work, limits those that are left after what was exhausted here and, strain times, elsewhere on the site.
	full, limits limits
	exhausted    []error
	strain       int
	// noWorkers is a browser that knows no service workers.
	noWorkers bool
	// lastError is the last error that a worker reported.
	lastError Note
	// listen, if set, is told every note as it comes.
	listen func(Note)
	// events, if set, takes down all that happens; began is when it starts counting.
	events *[]Event
	began  time.Duration
	tabs   []*Tab
	gaps   []string
	// present is the worker that somebody says pages register, where that can't be read; unreadRegistrations are the calls that can't be.
	present             *page.Registration
	unreadRegistrations []page.Place
	// registered lists the scripts that pages registered, by scope.
	registered map[string][]string
	// personal says by address what in an answer's headers makes it one for a single person.
	personal map[string]string
}

// newFetcher gives what performs the browser's requests; cache is nil when the HTTP cache is switched off.
func (b *Browser) newFetcher(cache *fetch.HTTPCache) *fetch.Fetcher {
	return &fetch.Fetcher{
		Clock: b.clock, Network: b.net, Cache: cache, Cookies: b.store,
		Refused: func(why string) { b.note(Note{Level: "error", Text: why}) },
		Answered: func(u *whatwg.Url, answer *site.Response) {
			if why := site.Personal(answer.Header); why != "" && !b.branch {
				b.personal[u.Href(true)] = why
			}
		},
	}
}

// bindClock binds the clock to the browser's limits.
func (b *Browser) bindClock() {
	b.clock.Limit = b.runLimit
	b.clock.OnTired = func() { b.exhaust(script.ErrEndless) }
}

// Close ends every worker. The browser is of no use afterwards.
func (b *Browser) Close() {
	for _, w := range b.workers {
		if w.realm != nil {
			w.realm.close()
		}
	}
	for _, r := range b.closing {
		r.close()
	}
	if !b.branch {
		b.warmEngines.drop()
	}
}

// Branch copies what the browser keeps, its storage and registrations, into a browser of its own; scripts start again in it.
func (b *Browser) Branch() *Browser {
	n := &Browser{clock: &clock.Clock{Context: b.net.Context, Now: b.clock.Now}, full: b.full, limits: b.limits, strain: b.strain, store: b.store.Branch(), queue: map[string][]func(func()){}, personal: b.personal, reader: b.reader, kind: b.kind, asks: b.asks, present: b.present, unreadRegistrations: slices.Clone(b.unreadRegistrations), gaps: slices.Clone(b.gaps), exhausted: slices.Clone(b.exhausted), nextID: b.nextID, nextWorker: b.nextWorker, warmEngines: b.warmEngines, branch: true}
	n.net = &network.Network{Context: b.net.Context, Hosts: b.net.Hosts, Condition: b.net.Condition, Clock: n.clock}
	n.fetcher = n.newFetcher(b.fetcher.Cache.Branch())
	n.bindClock()
	for _, g := range b.regs {
		c := *g
		c.messages = g.messages.branch()
		for _, slot := range []**Worker{&c.Installing, &c.Waiting, &c.Active} {
			if *slot != nil {
				w := **slot
				w.reg, w.realm, w.waiters = &c, nil, nil
				if w.original == nil {
					w.original = *slot
				}
				*slot = &w
				n.workers = append(n.workers, &w)
			}
		}
		// A worker that was being installed does not survive the end of the browser.
		c.Installing = nil
		n.regs = append(n.regs, &c)
	}
	return n
}

// SetCondition changes the state of the network.
func (b *Browser) SetCondition(c condition.Condition) { b.net.Condition = c }

// StopWorkers ends all running workers, as browsers do with idle ones.
func (b *Browser) StopWorkers() {
	for _, w := range b.workers {
		if w.State == Activated || w.State == Installed {
			b.terminateServiceWorker(w)
		}
	}
	b.clock.Settle(0, 0)
}

// maxNotes bounds what is remembered of chatty scripts.
const maxNotes = 500

func (b *Browser) note(n Note) {
	if b.listen != nil {
		b.listen(n)
	}
	if n.Level != "state" {
		b.recordEvent(Event{Kind: EventConsole, Level: n.Level, Text: n.Text, Where: n.place()})
	}
	if n.Level == "error" {
		b.lastError = n
	}
	if len(b.notes) < maxNotes {
		n.Text = n.Text[:min(len(n.Text), 2000)]
		b.notes = append(b.notes, n)
	}
}

func (b *Browser) pageRegisters(c *client, r page.Registration) {
	c.view.Registers = true
	if b.noWorkers {
		return
	}
	if c.opaque {
		c.view.RegisterErrors = append(c.view.RegisterErrors, "SecurityError: the page is sandboxed and has no origin of its own, so it may not register a worker")
		return
	}
	if !c.policy.Allows("serviceworker", r.Script, "") {
		refusal := "SecurityError: the page's Content-Security-Policy does not allow the worker " + r.Script
		c.view.RegisterErrors = append(c.view.RegisterErrors, refusal)
		b.note(Note{Level: "error", Text: refusal, Where: r.From})
		return
	}
	b.startRegister(r, weburl.OriginOf(c.url), func(err error) {
		if g := b.matchServiceWorkerRegistration(c.url); err == nil && g != nil {
			b.deliverToWaiting(g)
		}
		if err != nil {
			c.view.RegisterErrors = append(c.view.RegisterErrors, err.Error())
			b.note(Note{Level: "error", Text: err.Error(), Where: r.From})
		}
	})
}
