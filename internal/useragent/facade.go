package useragent

import (
	"cmp"
	"context"
	"slices"
	"sort"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/network"
	"tachyform/internal/useragent/storage"
	"tachyform/internal/weburl"
)

// Options say what kind of browser it is. The zero value is a desktop Chromium that runs service workers, without an HTTP cache.
type Options struct {
	// Kind, if set, is the kind of browser.
	Kind *Kind
	// Reader, if set, has read the site's files already.
	Reader *page.Reader
	// Present is the worker that pages register, where their scripts don't tell.
	Present *page.Registration
	// Asks lists requests that pages make only when their scripts run, by the page's address, which may end in *.
	Asks map[string][]string
	// HTTPCache switches the browser's HTTP cache on.
	HTTPCache bool
	// Steps, if set, bounds what scripts compute without a pause, in steps of the engine; else script.TurnSteps.
	Steps int
	// WithoutWorkers is a browser that knows no service workers.
	WithoutWorkers bool
	// ScriptsOnly leaves away all that pages ask for but their scripts.
	ScriptsOnly bool
}

// New gives a browser with a fresh profile that reaches the given hosts; other origins count as reachable, with unknown content.
func New(ctx context.Context, hosts []site.Host, o Options) *Browser {
	b := &Browser{
		clock: &clock.Clock{Context: ctx}, store: storage.New(), queue: map[string][]func(func()){}, personal: map[string]string{}, warmEngines: &warmEngines{},
		full: fullLimits, limits: fullLimits, reader: cmp.Or(o.Reader, &page.Reader{}), kind: cmp.Or(o.Kind, defaultKind),
		asks: o.Asks, present: o.Present, noWorkers: o.WithoutWorkers, scriptsOnly: o.ScriptsOnly,
	}
	b.net = &network.Network{Context: ctx, Hosts: map[string]site.Host{}, Condition: condition.Online, Clock: b.clock}
	for _, h := range hosts {
		b.net.Hosts[h.Origin()] = h
	}
	if o.Steps > 0 {
		b.full.steps, b.limits.steps = o.Steps, o.Steps
	}
	var cache *fetch.HTTPCache
	if o.HTTPCache {
		cache = fetch.NewHTTPCache()
	}
	b.fetcher = b.newFetcher(cache)
	b.bindClock()
	return b
}

// Now is the virtual time since the profile began.
func (b *Browser) Now() time.Duration { return b.clock.Now }

// Pass lets virtual time pass, with all that comes about in it.
func (b *Browser) Pass(d time.Duration) { b.clock.Pass(d) }

// Reload loads what a tab shows anew; pastWorker is a reload that asks the network alone.
func (b *Browser) Reload(t *Tab, pastWorker bool) *Tab {
	mode := ""
	if pastWorker {
		mode = forceReload
	}
	return b.open(cmp.Or(t.FinalURL, t.View.URL), t, mode)
}

// SetForeground leaves away, from here on, what pages ask for in the background, such as icons: nobody waits for it.
func (b *Browser) SetForeground() { b.foreground = true }

// Host is the host that answers at an origin, nil for one of which nothing is known.
func (b *Browser) Host(origin string) site.Host { return b.net.Hosts[origin] }

// Deploy puts hosts in the place of those with the same origin.
func (b *Browser) Deploy(hosts ...site.Host) {
	all := map[string]site.Host{} // branches share the old list
	for at, h := range b.net.Hosts {
		all[at] = h
	}
	for _, h := range hosts {
		all[h.Origin()] = h
	}
	b.net.Hosts = all
}

// Evict throws away what the profile keeps: caches, databases, cookies or everything. Registrations go with everything, as when a
// visitor clears a site's data.
func (b *Browser) Evict(what string) {
	if what == "caches" || what == "everything" {
		b.store.Names, b.store.Caches = nil, map[string]*storage.Cache{}
		if b.fetcher.Cache != nil {
			b.fetcher.Cache = fetch.NewHTTPCache()
		}
	}
	if what == "databases" || what == "everything" {
		b.store.Databases = map[string]string{}
	}
	if what == "cookies" || what == "everything" {
		b.store.Cookies = nil
	}
	if what == "everything" {
		for _, g := range slices.Clone(b.regs) {
			b.unregister(g)
		}
	}
}

// SetCookie keeps a cookie for the host of an origin.
func (b *Browser) SetCookie(origin, name, value string) {
	b.store.SetCookie(weburl.HostName(origin), name, value)
}

// Cookies gives what the visitor brings to a URL, "" for none.
func (b *Browser) Cookies(u *whatwg.Url) string {
	return b.store.Retrieve(u, fetch.Crossing{}, b.clock.Now)
}

// CopyCookies takes over the cookies of another profile.
func (b *Browser) CopyCookies(from *Browser) { b.store.Cookies = slices.Clone(from.store.Cookies) }

// WorkerState is a worker as a value.
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

func (w *Worker) describe(scope string) *WorkerState {
	if w == nil {
		return nil
	}
	return &WorkerState{
		ID: w.ID, Script: w.Script, Scope: scope, State: w.State, Error: w.Failure, ErrorName: w.failureName,
		Imports: w.imports(), Requests: w.requests,
	}
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

// RegistrationState is a registration as a value; slots that hold no worker are nil.
type RegistrationState struct {
	Scope                       string
	Installing, Waiting, Active *WorkerState
}

// Newest is the registration's newest worker (Service Workers, "Get Newest Worker"), nil when it has none.
func (r RegistrationState) Newest() *WorkerState { return cmp.Or(r.Installing, r.Waiting, r.Active) }

func (g *Registration) value() RegistrationState {
	return RegistrationState{g.Scope, g.Installing.describe(g.Scope), g.Waiting.describe(g.Scope), g.Active.describe(g.Scope)}
}

// Registrations lists the registrations that pages can have; those that are unregistered and still used are not among them.
func (b *Browser) Registrations() (list []RegistrationState) {
	for _, g := range b.regs {
		if !g.gone {
			list = append(list, g.value())
		}
	}
	return list
}

// RegistrationFor is the registration whose scope holds a URL; ok is false where there is none.
func (b *Browser) RegistrationFor(url string) (r RegistrationState, ok bool) {
	g := b.matchServiceWorkerRegistration(url)
	if g == nil {
		return r, false
	}
	return g.value(), true
}

// Failures lists the workers that could not be installed, oldest first.
func (b *Browser) Failures() (list []*WorkerState) {
	for _, w := range b.failures {
		list = append(list, w.describe(w.reg.Scope))
	}
	return list
}

// KnowsWorkers says whether any worker was registered, or could not be installed.
func (b *Browser) KnowsWorkers() bool { return len(b.regs)+len(b.failures) > 0 }

// SpentUp says whether scripts were stopped so often that trying more of the same shows nothing new.
func (b *Browser) SpentUp() bool { return len(b.exhausted) >= 4 }

// Strain sets the limits for a browser on whose site so many limits were exhausted elsewhere.
func (b *Browser) Strain(by int) {
	b.strain = by - len(b.exhausted)
	b.limits = b.full.after(b.strain + len(b.exhausted))
}

// CheckForUpdate looks for a new version of the worker of a scope, as browsers do after a navigation (Service Workers, "Soft Update").
func (b *Browser) CheckForUpdate(scope string) {
	if g := b.getRegistration(scope); g != nil {
		b.softUpdate(g)
	}
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

// Caches lists what the profile's caches hold, in the order in which they were made.
func (b *Browser) Caches() []CacheContent {
	list := []CacheContent{}
	for _, name := range b.store.Names {
		c := CacheContent{Name: name}
		for _, e := range b.store.Caches[name].Entries {
			actual := e.Response.Actual()
			c.Entries = append(c.Entries, CachedEntry{
				URL: e.Request.URL, Status: actual.Status, Type: e.Response.Type, Redirect: len(actual.URLs) > 1, Bytes: fetch.BodyLen(actual.Body),
				Personal: cmp.Or(b.personal[e.Request.URL], b.personal[weburl.WithoutQuery(e.Request.URL)]), // a worker may keep it under a query of its own
			})
		}
		sort.Slice(c.Entries, func(i, j int) bool { return c.Entries[i].URL < c.Entries[j].URL })
		list = append(list, c)
	}
	return list
}

// CacheEntries counts the entries of all caches.
func (b *Browser) CacheEntries() (n int) {
	for _, name := range b.store.Names {
		n += len(b.store.Caches[name].Entries)
	}
	return n
}

// AddCache makes a cache with the first entry of another, where there is none of its name.
func (b *Browser) AddCache(name, like string) {
	if b.store.Caches[name] == nil {
		entries := b.store.Caches[like].Entries
		b.store.Open(name).Entries = entries[:min(1, len(entries))]
	}
}

// Notification is one that is shown.
type Notification struct{ Title, Tag string }

// Notifications lists those that are shown.
func (b *Browser) Notifications() (list []Notification) {
	for _, g := range b.regs {
		for _, n := range g.messages.notifications {
			list = append(list, Notification{n.text("title"), n.text("tag")})
		}
	}
	return list
}

// Deliver gives every active worker an event that needs no page. It reports whether there is any.
func (b *Browser) Deliver(name string, detail map[string]any) (delivered bool) {
	for _, g := range b.regs {
		delivered = b.send(g, name, detail) || delivered
	}
	return delivered
}

// Record takes down from here on all that comes about; times count from now.
func (b *Browser) Record(events *[]Event) {
	b.events, b.began = events, b.clock.Now
	b.net.Seen = func(r *site.Request, resp *site.Response) {
		e := Event{Kind: EventNetwork, URL: r.URL.Href(true), Method: r.Method}
		if resp != nil {
			e.Status = resp.Status
		}
		b.recordEvent(e)
	}
}

// Watch calls seen with each request that leaves from here on and with what came back, nil for a failure.
func (b *Browser) Watch(seen func(*site.Request, *site.Response)) { b.net.Seen = seen }

// RequestsSent counts the requests that left for the network.
func (b *Browser) RequestsSent() int { return b.net.Count }

// Notes is what scripts said and what became of workers.
func (b *Browser) Notes() []Note { return b.notes }

// Stored is what scripts put into caches, in order.
func (b *Browser) Stored() []Stored { return b.stored }

// Gaps lists what scripts used and this user agent lacks.
func (b *Browser) Gaps() []string { return b.gaps }

// Exhausted lists why scripts were stopped by our bounds, in order.
func (b *Browser) Exhausted() []error { return b.exhausted }

// Personal says by address what made the host's answers ones for a single person.
func (b *Browser) Personal() map[string]string { return b.personal }

// UnreadRegistrations are calls of register whose worker can't be read.
func (b *Browser) UnreadRegistrations() []page.Place { return b.unreadRegistrations }

// Asked says whether Options told what a page asks for once its scripts run.
func (b *Browser) Asked(url string) bool {
	for at := range b.asks {
		if prefix, open := strings.CutSuffix(at, "*"); at == weburl.WithoutFragment(url) || open && strings.HasPrefix(url, prefix) {
			return true
		}
	}
	return false
}

// Fetch makes a request as the page at a URL, or the one that a tab shows, would. done is false when no answer came within DocumentLimit;
// resp is nil for a network error.
func (b *Browser) Fetch(from *Tab, url string, req *fetch.Request) (resp *fetch.Response, by fetch.Answerer, done bool) {
	var c *client
	if from != nil {
		c = from.client
	} else {
		b.nextID++
		c = &client{id: b.nextID, url: url, seen: map[string]*Load{}, view: &View{URL: url}}
		if g := b.matchServiceWorkerRegistration(url); g != nil {
			c.controller = g.Active
		}
	}
	b.clientFetch(c, req, func(r *fetch.Response, how fetch.Answerer) { resp, by, done = r, how, true })
	b.clock.Run(func() bool { return done }, b.clock.Now+DocumentLimit)
	return resp, by, done
}

// Navigate asks for a page as opening it would, without showing it. done is false when no document came within DocumentLimit; resp is
// nil for a network error page, with its reason.
func (b *Browser) Navigate(url string) (resp *fetch.Response, by fetch.Answerer, reason fetch.Failure, done bool) {
	b.nextID++
	c := &client{id: b.nextID, url: url, seen: map[string]*Load{}, view: &View{URL: url}}
	b.navigate(c, url, 0, func(r *fetch.Response, _ *Registration, why fetch.Failure) { resp, reason, done = r, why, true })
	b.clock.Run(func() bool { return done }, b.clock.Now+DocumentLimit)
	by = fetch.ByNetwork
	if c.view.FromWorker {
		by = fetch.ByWorker
	}
	return resp, by, reason, done
}

// Finish lets come to rest what an answer leaves to be done, such as keeping a copy.
func (b *Browser) Finish() { b.clock.Settle(time.Second, 5*time.Second) }

// ReadDocument gives a page's document without loading what it asks for, nil when it is no HTML page with status 200.
func (b *Browser) ReadDocument(url string) *page.Document {
	var d *page.Document
	done := false
	b.fetcher.Fetch(&fetch.Request{URL: url, Method: "GET", Mode: "navigate", Credentials: "include", Redirect: "follow", Client: fetch.Settings{Origin: weburl.OriginOf(url)}}, func(resp *fetch.Response) {
		done = true
		if resp != nil && resp.Status == 200 && site.IsHTML(resp.Get("content-type")) && resp.Body != nil {
			if text, err := resp.Body.Bytes(); err == nil {
				d = b.reader.Document(resp.URL(), resp.Get("content-type"), text)
			}
		}
	})
	b.clock.Run(func() bool { return done }, b.clock.Now+DocumentLimit)
	return d
}

// IsControlled says whether a worker controls the page that the tab shows now.
func (t *Tab) IsControlled() bool { return t.client != nil && t.client.controller != nil }

// Shows says whether the tab still shows the page of an earlier view.
func (t *Tab) Shows(v *View) bool { return t.View == v }
