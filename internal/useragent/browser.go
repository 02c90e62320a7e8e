// Package useragent is a browser without a screen: it runs service workers and visits pages under any network, on a
// virtual clock.
package useragent

import (
	"cmp"
	"context"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/condition"
	"tachyform/internal/crash"
	"tachyform/internal/page"
	"tachyform/internal/script"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/environment"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/realm"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/useragent/storage"
	"tachyform/internal/weburl"
)

// Options say what kind of browser it is. The zero value is a desktop Chromium that runs service workers, without an
// HTTP cache.
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
	// Strained is how many limits scripts have exhausted on the site before; see Browser.Strain.
	Strained int
	// Fitted, if set, is the script that registers the worker; see document.Options.
	Fitted *document.KnownScript
	// KeepsDocuments keeps documents for going back as its kind of browser does; else it is like one that is short of memory.
	KeepsDocuments bool
	// WithoutWorkers is a browser that knows no service workers.
	WithoutWorkers bool
	// ReadScripts has page scripts read rather than run.
	ReadScripts bool
	// Presses has pages tell what can be pressed on them.
	Presses bool
	// HostKnows, if set, says whether a host's settings tell how it answers at a URL; see document.Options.
	HostKnows func(url string) bool
	// ScriptsOnly leaves away all that pages ask for but their scripts.
	ScriptsOnly bool
	// Otherwise has what may not matter answered in another way than usual; see account.Gap.
	Otherwise bool
	// StandsFor, if set, gives the SHA-256 of the content that some bytes stand for, such as those of a picture whose record
	// has its stamp alone.
	StandsFor func(content []byte) (sum []byte, known bool)
}

// Browser is one profile: what it keeps, its workers and its open pages. It belongs to one goroutine. Its methods are
// what others may do with it, which is why there are many; each is short.
type Browser struct {
	clock   *clock.Clock
	net     *fetch.Network
	store   *storage.Storage
	fetcher *fetch.Fetcher
	account *account.Account
	workers *serviceworker.Container
	windows *document.Windows
	bounds  *environment.Bounds
	engines *environment.WarmEngines
	realms  *environment.Platform
	kind    *Kind
	// branch says that engines which have started belong to the browser that this one branched from.
	branch    bool
	standsFor func([]byte) ([]byte, bool)
	// personal says by address what in an answer's headers makes it one for a single person.
	personal map[string]string
}

// New gives a browser with a fresh profile that reaches the given hosts; other origins count as reachable, with
// unknown content.
func New(ctx context.Context, hosts []site.Host, o Options) *Browser {
	b := &Browser{
		store: storage.New(), bounds: environment.NewBounds(o.Steps), engines: &environment.WarmEngines{},
		kind: cmp.Or(o.Kind, defaultKind), personal: map[string]string{}, standsFor: o.StandsFor,
	}
	reached := map[string]site.Host{}
	for _, h := range hosts {
		reached[h.Origin()] = h
	}
	n := fetch.NewNetwork(ctx, reached, condition.Online)
	b.bounds.Strain(o.Strained)
	var cache *fetch.HTTPCache
	if o.HTTPCache {
		cache = fetch.NewHTTPCache()
	}
	b.assemble(&clock.Clock{Context: ctx}, n, cache, &account.Account{})
	b.workers.ClassicOnly = b.kind.lacks(moduleWorkers)
	b.windows = &document.Windows{Workers: b.workers, Options: document.Options{
		Reader: cmp.Or(o.Reader, &page.Reader{}), Present: o.Present, Asks: o.Asks, UpdateDelay: b.kind.UpdateDelay,
		WithoutStyleModules: b.kind.lacks(styleModules), WithoutWorkers: o.WithoutWorkers, Fitted: o.Fitted, ScriptsOnly: o.ScriptsOnly, Presses: o.Presses, HostKnows: o.HostKnows,
		Has: func(url string) bool {
			folder, is := n.Hosts[weburl.OriginOf(url)].(*site.Folder)
			return is && folder.FileAt(url) != nil
		},
		FallsBack: func(url string) bool {
			folder, is := n.Hosts[weburl.OriginOf(url)].(*site.Folder)
			return is && folder.FallsBack(url)
		},
	}}
	if b.workers.Windows, b.workers.KeptClients = b.windows, b.kind.KeptClients; o.KeepsDocuments {
		b.windows.BackForward = &b.kind.BackForward
	}
	b.realms.Otherwise = o.Otherwise
	b.runScripts(!o.ReadScripts)
	return b
}

// assemble puts the parts of a browser together, all but its windows.
func (b *Browser) assemble(c *clock.Clock, n *fetch.Network, cache *fetch.HTTPCache, a *account.Account) {
	n.Clock, a.Clock = c, c
	b.clock, b.net, b.account = c, n, a
	c.Limit = func() int64 { return b.bounds.Run(len(n.Asked)) }
	c.OnTired = func() { b.bounds.Exhaust(script.ErrEndless) }
	c.OnPanic = func(p *crash.Crash) { b.bounds.Exhaust(p) }
	b.bounds.Crashes = crash.LogOf(c.Context)
	b.fetcher = &fetch.Fetcher{
		Clock: c, Network: n, Cache: cache, Cookies: b.store,
		Blob: func(url string) (site.Body, string, bool) {
			blob, ok := b.store.ObjectURLs.Resolve(url)
			return blob.Body, blob.Type, ok
		},
		Refused: func(why string) { a.Note(account.Note{Level: "error", Text: why}) },
		Answered: func(u *whatwg.Url, answer *site.Response) {
			if header := answer.Header.Get("Clear-Site-Data"); header != "" {
				b.clearSiteData(u, header)
			}
			if why := site.Personal(answer.Header); why != "" && !b.branch {
				b.personal[u.Href(true)] = why
			}
		},
	}
	b.store.SetSchedule(func(f func()) { c.After(0, f) })
	b.workers = &serviceworker.Container{Fetcher: b.fetcher, Store: b.store, Account: a}
	b.realms = &environment.Platform{Workers: b.workers, Bounds: b.bounds, Engines: b.engines, Lacks: b.kind.Lacks, StandsFor: b.standsFor}
	b.workers.Start = b.realms.Start
}

// clearSiteData is "clear site data for response" (Clear Site Data, 4.1). What is not quoted names nothing.
func (b *Browser) clearSiteData(u *whatwg.Url, header string) {
	origin := weburl.Origin(u)
	for _, kind := range strings.Split(header, ",") {
		kind = strings.TrimSpace(kind)
		if kind == `"cookies"` || kind == `"*"` {
			b.store.ClearCookies(u.Hostname())
		}
		if kind == `"storage"` || kind == `"*"` {
			b.store.Web.Local(origin).Clear()
			if b.workers.ClearSiteData(origin) {
				b.store.ClearCaches()
				b.store.Databases.Clear()
			}
		}
	}
}

// runScripts has the browser's pages run their scripts, or not.
func (b *Browser) runScripts(yes bool) {
	b.windows.NodeItems = environment.NodeItems
	if !yes {
		return
	}
	b.windows.StartRealm = func(p *document.Page, s realm.Settings, beside document.Realm, successor bool) (document.WindowRealm, error) {
		inside, _ := beside.(pageRealm)
		r, err := b.realms.StartWindow(p, s, inside.Realm, successor)
		if err != nil {
			return nil, err
		}
		return pageRealm{r}, nil
	}
	b.windows.StartWorker = func(p *document.Page, o serviceworker.WorkerOptions) (document.WorkerRealm, error) {
		return b.realms.StartDedicated(p, o)
	}
}

// pageRealm is a window's realm as its page knows it.
type pageRealm struct{ *environment.Realm }

// Restart implements document.Realm.
func (r pageRealm) Restart(p *document.Page, s realm.Settings) error {
	return r.Realm.Restart(p, s)
}

// Close ends every worker. The browser is of no use afterwards.
func (b *Browser) Close() {
	b.attempt(b.windows.Close)
	b.attempt(b.workers.Close)
	if !b.branch {
		b.engines.Drop()
	}
}

// attempt calls a part of the browser. A panic there is recorded like a script that was stopped: what the browser shows
// is unknown from then on.
func (b *Browser) attempt(do func()) {
	defer func() {
		if p := recover(); p != nil {
			b.bounds.Exhaust(crash.From(p))
		}
	}()
	do()
}

// Branch copies what the browser keeps, its storage and registrations, into a browser of its own; scripts start again
// in it.
func (b *Browser) Branch() *Browser {
	n := &Browser{
		store: b.store.Branch(), bounds: b.bounds.Branch(), engines: b.engines, kind: b.kind, personal: b.personal,
		branch: true, standsFor: b.standsFor,
	}
	c := &clock.Clock{Context: b.net.Context, Now: b.clock.Now}
	net := fetch.NewNetwork(b.net.Context, b.net.Hosts, b.net.Condition)
	n.assemble(c, net, b.fetcher.Cache.Branch(), b.account.Branch(c))
	b.workers.Branch(n.workers)
	n.windows = b.windows.Branch(n.workers)
	n.workers.Windows = n.windows
	n.runScripts(b.windows.StartRealm != nil)
	return n
}

// SetCondition changes the state of the network.
func (b *Browser) SetCondition(c condition.Condition) { b.net.Condition = c }

// Refuse tells of addresses at which nothing listens; without it every origin can be reached.
func (b *Browser) Refuse(refused func(url string) bool) { b.net.Refuses = refused }

// SetForeground leaves away, from here on, what pages ask for in the background, such as icons: nobody waits for it.
func (b *Browser) SetForeground() { b.windows.Foreground = true }

// SetKnown tells of a script that registers a worker and draws nothing; see document.KnownScript.
func (b *Browser) SetKnown(known *document.KnownScript) { b.windows.Known = known }

// Now is the virtual time since the profile began.
func (b *Browser) Now() time.Duration { return b.clock.Now }

// Pass lets virtual time pass, with all that comes about in it.
func (b *Browser) Pass(d time.Duration) { b.clock.Pass(d) }

// SetScreen has pages opened from now on another screen.
func (b *Browser) SetScreen(s page.Screen) { b.windows.Reader = &page.Reader{Screen: s} }

// Settle lets everything that is under way come to rest: loads, installations, timers below five seconds.
func (b *Browser) Settle() { b.clock.Settle(5*time.Second, 60*time.Second) }

// Finish lets come to rest what an answer leaves to be done, such as keeping a copy.
func (b *Browser) Finish() { b.clock.Settle(time.Second, 5*time.Second) }

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

// NotSent lists requests that a live host was not asked, since they might change something there.
func (b *Browser) NotSent() []string { return b.net.NotSent }

// SpentUp says whether scripts were stopped so often that trying more of the same shows nothing new.
func (b *Browser) SpentUp() bool { return b.bounds.SpentUp() }

// Strain sets the limits for a browser on whose site so many limits were exhausted elsewhere.
func (b *Browser) Strain(by int) { b.bounds.Strain(by) }

// Strained is how many limits are known to have been exhausted on the site, here and elsewhere.
func (b *Browser) Strained() int { return b.bounds.Strained() }

// StoppedBefore lists why scripts of pages were stopped before this branch began.
func (b *Browser) StoppedBefore() []error { return b.bounds.Before() }

// Exhausted lists why scripts were stopped by our bounds, in order.
func (b *Browser) Exhausted() []error { return b.bounds.Exhausted() }
