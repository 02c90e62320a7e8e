// Package useragent is a browser without a screen: it runs service workers and visits pages under any network, on a virtual clock.
package useragent

import (
	"net/http"
	"regexp"
	"slices"
	"strings"
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

// client is an open page or a frame in one.
type client struct {
	id                 int
	url                string
	controller         *Worker
	frame              bool
	closed             bool
	seen               map[string]*Load // by address and destination
	view               *View
	pending            int
	mode               string  // cache mode of requests: reload for a page that was reloaded past the caches
	parent             *client // of a frame: the page it stands in
	tab                *Tab    // that shows the page
	document           *page.Document
	sheets             map[string]*page.Style // that have come, by address
	styling            int                    // style sheets under way
	response           *fetch.Response        // of the document
	policy             *page.Policy
	addedElements      []page.Tag         // elements that scripts added
	changedAttributes  []page.Changed     // attributes that they changed
	embedder           string             // its Cross-Origin-Embedder-Policy
	opaque             bool               // sandboxed away from its own origin
	controlledAtLoad   bool               // it had a worker from the start
	workerMessages     []string           // messages for a new worker that waits, as JSON
	reloads            bool               // when another worker takes it over
	onControllerChange []page.Reference   // asked for then
	previous           *client            // the page that its tab showed before
	referrer           string             // that its document is asked for with
	sandboxed          bool               // a frame in a sandbox
	scriptless         bool               // sandboxed without scripts
	modules            map[string]*module // by address
	graphs             []*moduleGraph     // that wait for their modules
	wanted             map[string]bool    // modules that are to run although they were first asked for otherwise
}

// top is the page that waits for the client's loads.
func (c *client) top() *client {
	if c.parent != nil {
		return c.parent
	}
	return c
}

// origin is that of the document, null when it is kept apart from its own.
func (c *client) origin() string {
	if c.opaque {
		return "null"
	}
	return weburl.OriginOf(c.url)
}

// Load is one request that a page made, and what came of it.
type Load struct {
	page.Reference
	// Status is that of the answer, 0 for a network error; of an opaque answer the one behind it.
	Status int
	Source fetch.Source
	Bytes  int64
	// Missing says that the page did not get what it asked for, Why in what way.
	Missing bool
	// Refused says that it came and is not taken for what it should be, because of its media type or its content.
	Refused bool
	Why     fetch.Failure
	// Done is false while no answer has come.
	Done bool
	// Anyway tells of a missing load that it fails online and without a worker too.
	Anyway bool
}

// View is what opening a page led to.
type View struct {
	URL string
	// FinalURL is the address after redirects.
	FinalURL string
	Status   int
	Title    string
	// Source tells where the document came from.
	Source fetch.Source
	// FromWorker is true when a service worker answered.
	FromWorker bool
	// Failed is true for a network error page, Stuck when no document came in time; Reason says why.
	Failed, Stuck bool
	Reason        fetch.Failure
	Document      *page.Document
	// Response is the document's response.
	Response *fetch.Response
	Loads    []*Load
	// Controlled tells whether a worker controls the page once it is loaded.
	Controlled bool
	// At is when the document was there, Elapsed when everything was.
	At, Elapsed time.Duration
	// Registers tells that the page called navigator.serviceWorker.register.
	Registers bool
	// RegisterErrors are refusals of registrations that the page tried.
	RegisterErrors []string
	// Unread are requests of its scripts whose addresses can't be read.
	Unread []page.Place
	// ScriptsDraw tells that one of its scripts may have put something on it.
	ScriptsDraw bool
}

// Missing lists the URLs that the page asked for and did not get, without what is fetched in the background.
func (v *View) Missing() []string {
	var list []string
	seen := map[string]bool{}
	for _, l := range v.Loads {
		if (l.Missing || !l.Done) && !l.Background && !seen[l.URL] {
			seen[l.URL] = true
			list = append(list, l.URL)
		}
	}
	return list
}

// DocumentLimit is the virtual time after which a page without a document counts as stuck, and a document as all that comes.
const DocumentLimit = 10 * time.Second

// Open opens a URL in a tab, a new one when old is nil. The page that the tab showed before is closed once the new one takes its place.
func (b *Browser) Open(url string, old *Tab) *Tab {
	return b.open(url, old, "")
}

// open opens a URL, waits for its document and for what that asks for. mode is the cache mode of the page's own requests.
func (b *Browser) open(url string, tab *Tab, mode string) *Tab {
	if tab == nil {
		tab = &Tab{}
		b.tabs = append(b.tabs, tab)
	}
	start := b.clock.Now
	done := false
	c := b.startNavigation(url, tab, mode, func() { done = true })
	v := c.view
	b.clock.Run(func() bool { return done }, start+DocumentLimit)
	if !done {
		v.Stuck, v.Reason = true, fetch.Failure{Kind: fetch.NoDocument}
		if b.clock.Tired {
			v.Reason = fetch.Failure{Kind: fetch.BusyWorker}
		}
		c.closed = true
		b.show(tab, c)
	} else if !v.Failed {
		b.clock.Run(func() bool { return c.pending == 0 }, b.clock.Now+DocumentLimit)
		if to := c.leadsOn(); to != "" && tab.hops < 20 {
			// A tab that is sent on shows the page that it is sent to.
			tab.hops++
			defer func() { tab.hops-- }()
			return b.open(to, tab, "")
		}
	}
	v.Elapsed = b.clock.Now - start
	v.Controlled = c.controller != nil
	return tab
}

// immediateRefresh is how long a page that is about to send its visitor on counts as on its way; one that stays longer was meant to be read.
const immediateRefresh = 2 * time.Second

// leadsOn gives the address to which a page sends its visitor at once by a refresh, "" when it stays.
func (c *client) leadsOn() string {
	if c.document == nil {
		return ""
	}
	r := c.document.Refresh
	if header := c.response.Actual().Get("refresh"); header != "" {
		r, _ = page.ParseRefresh(c.url, header)
	}
	if r == nil || r.After > immediateRefresh || weburl.WithoutFragment(r.URL) == weburl.WithoutFragment(c.url) {
		return ""
	}
	return r.URL
}

// startNavigation starts to open a URL in a tab; committed is called once the tab shows it, or its error page.
func (b *Browser) startNavigation(url string, tab *Tab, mode string, committed func()) *client {
	start := b.clock.Now
	if u, ok := page.Resolve(url, url); ok && strings.ContainsFunc(url, func(r rune) bool { return r <= ' ' || r > '~' }) {
		url = u // as the address bar writes it
	}
	b.nextID++
	c := &client{id: b.nextID, url: url, seen: map[string]*Load{}, view: &View{URL: url}, tab: tab, mode: mode, previous: tab.client}
	b.navigate(c, url, 0, func(resp *fetch.Response, g *Registration, reason fetch.Failure) {
		if c.closed {
			return
		}
		if resp == nil {
			c.view.Failed, c.view.Reason = true, reason
			c.closed = true
		} else {
			c.view.At = b.clock.Now - start
			b.commit(c, g, resp)
		}
		b.show(tab, c)
		committed()
	})
	return c
}

// show makes a client the one that a tab shows.
func (b *Browser) show(tab *Tab, c *client) {
	old := tab.client
	tab.client, tab.View = c, c.view
	if old != c {
		b.closeClient(old)
	}
}

// Tab is a tab with the page it shows.
type Tab struct {
	*View
	client *client
	hops   int // pages that sent it on
}

// Settle lets everything that is under way come to rest: loads, installations, timers below five seconds.
func (b *Browser) Settle() { b.clock.Settle(5*time.Second, 60*time.Second) }

// CloseTab closes a tab.
func (b *Browser) CloseTab(t *Tab) {
	b.closeClient(t.client)
	b.tabs = slices.DeleteFunc(b.tabs, func(o *Tab) bool { return o == t })
}

// forceReload is the cache mode of a page reloaded past worker and caches (Service Workers, 2.4: "force reload").
const forceReload = "reload"

func (b *Browser) closeClient(c *client) {
	if c == nil || c.closed {
		return
	}
	c.closed = true
	for i, other := range b.clients {
		if other == c {
			b.clients = append(b.clients[:i:i], b.clients[i+1:]...)
			break
		}
	}
	if c.controller != nil {
		g := c.controller.reg
		c.controller = nil
		b.clock.After(0, func() {
			b.tryClearRegistration(g)
			if !g.gone {
				b.tryActivate(g)
			}
		})
	}
}

// navigate finds the document for a URL (HTML, 7.4.5; Service Workers, "Handle Fetch"). done gets nil and a reason for a network error.
func (b *Browser) navigate(c *client, url string, hops int, done func(*fetch.Response, *Registration, fetch.Failure)) {
	if hops > 20 {
		b.clock.After(0, func() { done(nil, nil, fetch.Failure{Kind: fetch.TooManyRedirects}) })
		return
	}
	destination := "document"
	if c.frame {
		destination = "iframe"
	}
	req := &fetch.Request{URL: weburl.WithoutFragment(url), Method: "GET", Cache: c.mode, Header: [][2]string{{"accept", "text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8"}}, Mode: "navigate", Credentials: "include", Redirect: "manual", Destination: destination, Referrer: "no-referrer"}
	if c.referrer != "" {
		req.Referrer = c.referrer
	}
	req.Client.Origin = weburl.OriginOf(url)
	var g *Registration
	if !c.sandboxed {
		g = b.matchServiceWorkerRegistration(req.URL)
	}
	received := func(resp *fetch.Response, how fetch.Answerer) {
		switch {
		case resp == nil:
			done(nil, g, fetch.FailureBy(how))
			return
		case how == fetch.ByWorker && resp.Type == "opaque":
			done(nil, g, fetch.Failure{Kind: fetch.OpaqueDocument})
			return
		case how == fetch.ByWorker && len(resp.URLs) > 1:
			done(nil, g, fetch.Failure{Kind: fetch.RedirectedDocument})
			return
		}
		actual := resp.Actual()
		if location := actual.Get("location"); fetch.IsRedirect(actual.Status) && location != "" {
			base := url
			if u := actual.URL(); u != "" {
				base = u
			}
			next, ok := page.Resolve(base, location)
			if !ok {
				done(nil, g, fetch.Failure{Kind: fetch.RedirectsElsewhere, Detail: location})
				return
			}
			c.url = next
			b.navigate(c, next, hops+1, done)
			return
		}
		if actual.Status == 204 || actual.Status == 205 {
			done(nil, g, fetch.Failure{Kind: fetch.NoContent, Status: actual.Status})
			return
		}
		c.view.FromWorker = how == fetch.ByWorker
		done(resp, g, fetch.Failure{})
	}
	if g == nil || g.Active == nil || c.mode == forceReload {
		b.fetcher.Fetch(req, func(r *fetch.Response) { received(r, fetch.ByNetwork) })
		return
	}
	b.handleFetch(g.Active, c, req, received)
	// The check for a new worker comes a little after each navigation in scope.
	b.clock.After(b.kind.UpdateDelay, func() { b.softUpdate(g) })
}

// handleFetch lets a worker answer a request, or the network if the worker leaves it alone.
func (b *Browser) handleFetch(w *Worker, c *client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	if w.State == Activating && (w.hasFetch || len(w.routes) > 0) {
		w.waiters = append(w.waiters, func() { b.handleFetch(w, c, req, done) })
		return
	}
	if b.routed(w, c, req, done) {
		return
	}
	b.dispatchFetch(w, c, req, done)
}

// dispatchFetch gives the worker a fetch event (Service Workers, "Handle Fetch").
func (b *Browser) dispatchFetch(w *Worker, c *client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	network := func() { b.fetcher.Fetch(req, func(r *fetch.Response) { done(r, fetch.ByNetwork) }) }
	if !w.hasFetch {
		network()
		return
	}
	b.runServiceWorker(w, func(r *realm, err error) {
		if err != nil {
			network()
			return
		}
		detail := map[string]any{"request": r.encodeRequest(req)}
		if req.Mode == "navigate" {
			detail["resultingClientId"] = clientID(c.id)
			if c.previous != nil && !c.previous.closed && weburl.OriginOf(c.previous.url) == weburl.OriginOf(req.URL) {
				detail["clientId"] = clientID(c.previous.id)
			}
			if w.reg.preload {
				detail["preload"] = r.preload(req)
			}
		} else {
			detail["clientId"] = clientID(c.id)
			if req.Destination == "worker" || req.Destination == "sharedworker" {
				b.nextID++
				detail["resultingClientId"] = clientID(b.nextID)
			}
		}
		r.event("fetch", detail, func(resp *fetch.Response, what eventAnswer) {
			switch {
			case what == leftAlone:
				b.record(w, Event{Kind: EventAnswer, URL: req.URL})
				network()
			case resp == nil || !responseAllowed(req, resp) || !b.mayEmbed(req, resp):
				b.record(w, Event{Kind: EventAnswer, URL: req.URL, Answer: answeredError})
				done(nil, fetch.ByWorker)
			default:
				b.record(w, Event{Kind: EventAnswer, URL: req.URL, Answer: answered, Source: resp.Source})
				done(resp, fetch.ByWorker)
			}
		}, nil)
	})
}

// preload asks the network for a page at the same time as the worker is asked (navigation preload). It gives the number of the
// promise that the event's preloadResponse is.
func (r *realm) preload(req *fetch.Request) int {
	r.next++
	id := -r.next
	ahead := *req
	ahead.Header = append(append([][2]string{}, req.Header...), [2]string{"Service-Worker-Navigation-Preload", "true"})
	r.b.fetcher.Fetch(&ahead, func(resp *fetch.Response) {
		if resp == nil {
			r.settle(id, nil, "NetworkError: the preload of "+req.URL+" failed")
			return
		}
		r.settle(id, r.encode(resp), "")
	})
	return id
}

// mayEmbed is the cross-origin resource policy check for an opaque answer of a worker (Fetch, 4.3).
func (b *Browser) mayEmbed(req *fetch.Request, resp *fetch.Response) bool {
	if resp.Type != "opaque" || req.Client.EmbedderPolicy == "" {
		return true
	}
	actual := resp.Actual()
	u, err := whatwg.Parse(actual.URL())
	return err != nil || fetch.CrossOriginResourcePolicyCheck(req.Client.Origin, u, fetch.HeaderValue(actual.Header, "Cross-Origin-Resource-Policy"), req.Client.EmbedderPolicy)
}

// responseAllowed says whether a worker's response may be given to a request (Fetch, 4.3, the checks after the service worker's answer).
func responseAllowed(req *fetch.Request, resp *fetch.Response) bool {
	switch {
	case resp.Type == "error",
		req.Mode == "same-origin" && resp.Type == "cors",
		req.Mode != "no-cors" && resp.Type == "opaque" && req.Mode != "navigate",
		req.Redirect != "manual" && resp.Type == "opaqueredirect",
		req.Redirect != "follow" && len(resp.URLs) > 1 && req.Mode != "navigate":
		return false
	}
	return true
}

// commit makes the response the client's document and starts all that it asks for.
func (b *Browser) commit(c *client, g *Registration, resp *fetch.Response) {
	v := c.view
	b.clients = append(b.clients, c)
	actual := resp.Actual()
	c.opaque, c.scriptless = page.Sandbox(actual.Get("content-security-policy"))
	if g != nil && g.Active != nil && !g.gone && c.mode != forceReload && !c.opaque {
		c.controller = g.Active
		c.controlledAtLoad = true
	}
	v.FinalURL, v.Status, v.Source, v.Response = c.url, actual.Status, resp.Source, resp
	c.response = resp
	var text []byte
	if actual.Body != nil {
		text, _ = actual.Body.Bytes()
	}
	contentType := actual.Get("content-type")
	e := site.Essence(contentType)
	if e == "" && !strings.EqualFold(actual.Get("x-content-type-options"), "nosniff") {
		e = site.Essence(http.DetectContentType(text)) // MIME Sniffing, 7
	}
	switch e {
	case "text/html", "application/xhtml+xml":
		v.Document = b.reader.Document(c.url, contentType, text)
		v.Title = v.Document.Title
		b.loadSubresources(c, v.Document, 0)
	}
}

// loadSubresources starts the loads of a document.
func (b *Browser) loadSubresources(c *client, d *page.Document, depth int) {
	policies := d.Policies()
	if c.response != nil {
		if csp := c.response.Actual().Get("content-security-policy"); csp != "" {
			policies = append(policies, csp)
		}
	}
	c.document, c.sheets, c.policy = d, map[string]*page.Style{}, page.ParsePolicy(c.url, policies)
	if c.response != nil {
		c.embedder = site.Essence(c.response.Actual().Get("cross-origin-embedder-policy"))
	}
	c.styling++ // until all of the page's own are under way
	for _, r := range d.References {
		if r.Inline == nil {
			b.load(c, r, depth)
		}
	}
	c.styling--
	b.style(c)
	for at, urls := range b.asks {
		if prefix, open := strings.CutSuffix(at, "*"); at == weburl.WithoutFragment(c.url) || open && strings.HasPrefix(c.url, prefix) {
			for _, u := range urls {
				b.load(c, page.Reference{URL: u, Mode: "cors", Credentials: "same-origin", From: c.url, Runs: true}, depth)
			}
		}
	}
	for _, s := range d.Scripts {
		switch {
		case c.scriptless:
		case !c.policy.AllowsInline(s.Text, s.Nonce):
			b.note(Note{Level: "error", Text: "an inline script is not run: the page's Content-Security-Policy does not allow it", Where: c.url})
		case s.Module:
			b.module(c, s.Script, depth)
		default:
			b.runs(c, s.Script, depth)
		}
	}
	if p := b.present; p != nil && !c.frame && !c.scriptless && weburl.OriginOf(c.url) == weburl.OriginOf(p.Script) {
		b.pageRegisters(c, *p)
	}
}

// runs does what is known of a script that runs: its requests and registrations.
func (b *Browser) runs(c *client, s *page.Script, depth int) {
	if c.scriptless {
		return
	}
	c.noteScript(b, s)
	for _, r := range s.References {
		b.load(c, r, depth+1)
	}
	for _, r := range s.Registrations {
		b.pageRegisters(c, r)
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
	b.register(r, weburl.OriginOf(c.url), func(err error) {
		if g := b.matchServiceWorkerRegistration(c.url); err == nil && g != nil {
			b.deliverToWaiting(g)
		}
		if err != nil {
			c.view.RegisterErrors = append(c.view.RegisterErrors, err.Error())
			b.note(Note{Level: "error", Text: err.Error(), Where: r.From})
		}
	})
}

// load fetches one thing that a page asks for, and then what that asks for.
func (b *Browser) load(c *client, ref page.Reference, depth int) {
	if ref.AfterChange {
		ref.AfterChange = false
		c.onControllerChange = append(c.onControllerChange, ref)
		return
	}
	if ref.ByHand || ref.ByWorker || b.scriptsOnly && ref.Destination != "script" || b.foreground && ref.Background {
		return
	}
	if ref.AfterReady && !b.noWorkers {
		if g := b.matchServiceWorkerRegistration(c.url); g == nil || g.Active == nil || g.Active.State != Activated {
			later := ref
			later.AfterReady = false
			b.onActive = append(b.onActive, func() {
				if !c.closed {
					b.load(c, later, depth)
				}
			})
			return
		}
	}
	key := ref.URL + " " + ref.Destination
	if earlier := c.seen[key]; earlier != nil {
		// What was fetched in the background first may be needed for the page too.
		earlier.Background = earlier.Background && ref.Background
		if ref.ModuleRoot() {
			b.wantModule(c, ref.URL, depth)
		}
		return
	}
	if depth > 12 {
		return
	}
	l := &Load{Reference: ref}
	c.seen[key] = l
	c.view.Loads = append(c.view.Loads, l)
	if ref.Destination == "iframe" {
		b.loadFrame(c, l, depth)
		return
	}
	if !c.policy.Allows(ref.Destination, ref.URL, ref.Nonce) {
		l.Done, l.Missing, l.Why = true, true, fetch.Failure{Kind: fetch.PolicyForbids}
		b.moduleCame(c, l, nil, depth)
		return
	}
	c.top().pending++
	if ref.Destination == "style" {
		c.styling++
	}
	req := c.createRequest(ref)
	b.clientFetch(c, req, func(resp *fetch.Response, how fetch.Answerer) {
		c.top().pending--
		b.processResponse(c, l, resp, how, depth)
		if l.Refused {
			b.moduleCame(c, l, nil, depth)
		}
		if l.Missing {
			b.moduleCame(c, l, nil, depth)
			if l.Else != nil {
				b.load(c, *l.Else, depth)
			}
		}
		if ref.Destination == "style" {
			c.styling--
			b.style(c)
		}
	})
}

// style asks for the pictures and fonts that the page's style sheets call for, once none of those is under way any more.
func (b *Browser) style(c *client) {
	if c.styling > 0 || c.document == nil || c.closed {
		return
	}
	for _, r := range b.reader.Applied(c.document, c.sheets) {
		b.load(c, r, 1)
	}
}

// clientFetch is a fetch by a page: through the worker that controls it, if one does.
func (b *Browser) clientFetch(c *client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	req.Client = fetch.Settings{Origin: c.origin(), EmbedderPolicy: c.embedder}
	if c.controller == nil || req.Destination == "object" || req.Destination == "embed" { // no worker hears of plugins (Fetch, 4.1)
		b.fetcher.Fetch(req, func(r *fetch.Response) { done(r, fetch.ByNetwork) })
		return
	}
	hops := 0
	var received func(*fetch.Response, fetch.Answerer)
	received = func(resp *fetch.Response, how fetch.Answerer) {
		if resp != nil && how == fetch.ByWorker && req.Redirect == "follow" && fetch.IsRedirect(resp.Status) && resp.Get("location") != "" {
			if next, ok := page.Resolve(req.URL, resp.Get("location")); ok && hops < 20 {
				hops++
				again := *req
				again.URL = next
				req = &again
				b.handleFetch(c.controller, c, req, received)
				return
			}
			resp = nil
		}
		done(resp, how)
	}
	b.handleFetch(c.controller, c, req, received)
}

func (b *Browser) processResponse(c *client, l *Load, resp *fetch.Response, how fetch.Answerer, depth int) {
	l.Done = true
	if resp == nil {
		l.Missing, l.Why = true, fetch.FailureBy(how)
		return
	}
	actual := resp.Actual()
	l.Status, l.Source, l.Bytes = actual.Status, resp.Source, fetch.BodyLen(actual.Body)
	contentType := actual.Get("content-type")
	essence := site.Essence(contentType)
	nosniff := strings.EqualFold(strings.TrimSpace(actual.Get("x-content-type-options")), "nosniff")
	switch {
	case actual.Unknown: // nothing can be said of its type or content
	case actual.Status >= 400:
		l.Missing, l.Why = true, fetch.Failure{Kind: fetch.BadStatus, Status: actual.Status}
		return
	case l.Integrity != "" && resp.Type == "opaque":
		l.Refused, l.Why = true, fetch.Failure{Kind: fetch.UncheckedIntegrity}
		return
	case l.Integrity != "" && !fetch.IntegrityHolds(l.Integrity, actual.Body):
		l.Refused, l.Why = true, fetch.Failure{Kind: fetch.WrongIntegrity}
		return
	case l.Destination == "style" && essence != "text/css" && (nosniff || essence != ""):
		// Under nosniff the load itself fails; else the file comes and is not taken.
		l.Missing, l.Refused, l.Why = nosniff, true, fetch.Failure{Kind: fetch.WrongStyleType, Detail: essence}
		return
	case l.Destination == "script" && (l.Module || nosniff) && !site.IsJavaScript(essence) && essence != "application/json":
		l.Refused, l.Why = true, fetch.Failure{Kind: fetch.WrongScriptType, Detail: essence}
		return
	case l.Destination == "script" && (strings.HasPrefix(essence, "image/") || strings.HasPrefix(essence, "audio/") || strings.HasPrefix(essence, "video/") || essence == "text/csv"):
		l.Refused, l.Why = true, fetch.Failure{Kind: fetch.WrongScriptType, Detail: essence}
		return
	}
	if actual.Body == nil || c.closed {
		return
	}
	if resp.Type == "opaque" && l.Destination != "style" && l.Destination != "script" {
		return
	}
	switch l.Destination {
	case "json":
		b.moduleCame(c, l, &page.Script{Valid: true}, depth)
	case "worker", "sharedworker":
		// What a worker asks for counts for the page that started it, whose service worker hears of it too.
		if text, err := actual.Body.Bytes(); err == nil && site.IsJavaScript(essence) {
			for _, r := range b.reader.Script(l.URL, text).References {
				r.ByWorker = false
				b.load(c, r, depth+1)
			}
		}
	case "style":
		if text, err := actual.Body.Bytes(); err == nil {
			s := b.reader.Style(l.URL, text)
			c.sheets[l.URL] = s
			for _, r := range s.Imports {
				b.load(c, r, depth+1)
			}
		}
	case "script":
		text, err := actual.Body.Bytes()
		if err != nil {
			return
		}
		base, imports := c.url, (*page.ImportMap)(nil)
		if c.document != nil {
			base, imports = c.document.Base, c.document.Imports
		}
		read := b.reader.Script
		if weburl.OriginOf(l.URL) != weburl.OriginOf(c.url) {
			read = b.reader.ForeignScript
		}
		s := read(l.URL, text).At(base, imports)
		if l.Module {
			b.moduleCame(c, l, s, depth)
		} else {
			b.runs(c, s, depth)
		}
	}
}

// loadFrame opens a frame: a navigation of its own, in a client of its own.
func (b *Browser) loadFrame(c *client, l *Load, depth int) {
	b.nextID++
	inner := &client{id: b.nextID, url: l.URL, frame: true, referrer: c.url, sandboxed: l.Sandboxed, opaque: l.Sandboxed, seen: map[string]*Load{}, view: &View{URL: l.URL}}
	if !c.policy.Allows("iframe", l.URL, "") {
		l.Done, l.Missing, l.Why = true, true, fetch.Failure{Kind: fetch.PolicyForbids}
		return
	}
	c.top().pending++
	b.navigate(inner, l.URL, 0, func(resp *fetch.Response, g *Registration, reason fetch.Failure) {
		c.top().pending--
		l.Done = true
		if resp == nil {
			l.Missing, l.Why = true, reason
			return
		}
		actual := resp.Actual()
		l.Status, l.Source, l.Bytes = actual.Status, resp.Source, fetch.BodyLen(actual.Body)
		if !page.MayFrame(inner.url, actual.Get("content-security-policy"), actual.Get("x-frame-options"), c.url) {
			l.Missing, l.Why = true, fetch.Failure{Kind: fetch.FrameForbids}
			return
		}
		if actual.Status >= 400 {
			l.Missing, l.Why = true, fetch.Failure{Kind: fetch.BadStatus, Status: actual.Status}
		}
		if !site.IsHTML(actual.Get("content-type")) || actual.Body == nil || c.closed {
			return
		}
		if text, err := actual.Body.Bytes(); err == nil {
			d := b.reader.Document(inner.url, actual.Get("content-type"), text)
			// What the frame asks for goes through the worker of its own scope, and counts for the page that holds it.
			if g != nil && g.Active != nil {
				inner.controller = g.Active
			}
			inner.view, inner.seen, inner.parent, inner.response = c.view, c.seen, c.top(), resp
			b.loadSubresources(inner, d, depth+1)
		}
	})
}
