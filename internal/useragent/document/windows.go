// Package document opens pages: it finds their documents, loads what those ask for, and keeps the tabs that show them.
package document

import (
	"slices"
	"strings"
	"time"

	"tachyform/internal/csp"
	"tachyform/internal/markup"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// Options say how pages are opened.
type Options struct {
	// Reader reads documents, style sheets and scripts.
	Reader *page.Reader
	// Present, if set, is the worker that pages register, where their scripts don't tell.
	Present *page.Registration
	// Asks lists requests that pages make only when their scripts run, by the page's address, which may end in *.
	Asks map[string][]string
	// UpdateDelay is how long after a navigation the check for a new worker comes.
	UpdateDelay time.Duration
	// WithoutWorkers is a browser that knows no service workers.
	WithoutWorkers bool
	// ScriptsOnly leaves away all that pages ask for but their scripts.
	ScriptsOnly bool
	// HostKnows, if set, says whether the host's settings tell how it answers at a URL; without it a host is taken at its
	// word.
	HostKnows func(url string) bool
	// WithoutStyleModules rejects imports with the attribute type: 'css'.
	WithoutStyleModules bool
	// Has, if set, says whether the site has a file at a URL; scripts that are only read ask for those that they name.
	Has func(url string) bool
	// FallsBack, if set, says whether the host answers at a URL with the page that it has for addresses without a file.
	FallsBack func(url string) bool
	// Known, if set, is a script of which it is known that it registers a worker and draws nothing: for a page with no other
	// scripts no realm is made.
	Known *KnownScript
	// Fitted, if set, is a script that registers a worker. A page that has it registers the worker even if other scripts of the
	// page are stopped before it runs.
	Fitted *KnownScript
	// BackForward, if set, says which documents are kept for going back.
	BackForward *BackForwardCache
	// Foreground leaves away what pages ask for in the background, such as icons: nobody waits for it.
	Foreground bool
	// Presses has pages tell what can be pressed on them.
	Presses bool
}

// KnownScript is a script that registers a service worker and does nothing else that a visitor sees.
type KnownScript struct {
	URL string
	page.Registration
}

// Windows are the tabs of a browser.
// The algorithms by which pages are found and loaded are its methods, a file for each part.
type Windows struct {
	Options
	Workers *serviceworker.Container
	// UnreadRegistrations are calls of register whose worker can't be read.
	UnreadRegistrations []page.Place

	// StartRealm makes the realm of a page, nil where scripts are only read; NodeItems writes nodes as the realm takes them.
	StartRealm  Start
	StartWorker StartWorker
	NodeItems   func(nodes []*markup.Node, last int) string

	tabs   []*Tab
	shared []*sharedWorker
	ending []Realm // of pages that are closed
}

// Close ends the pages.
func (w *Windows) Close() {
	for _, t := range w.tabs {
		if t.window != nil {
			t.window.Closed = true
			t.window.end()
		}
		for _, k := range t.kept {
			k.Closed = true
			k.end()
		}
	}
	for _, r := range w.ending {
		r.Close()
	}
}

// Branch gives the windows of a branch, which has none open.
func (w *Windows) Branch(workers *serviceworker.Container) *Windows {
	o := w.Options
	o.Foreground, o.ScriptsOnly, o.WithoutWorkers = false, false, false
	return &Windows{Options: o, Workers: workers, UnreadRegistrations: slices.Clone(w.UnreadRegistrations),
		NodeItems: w.NodeItems}
}

func (w *Windows) clock() *clock.Clock { return w.Workers.Fetcher.Clock }

// asksOf lists what Options say that a page asks for once its scripts run; told is false where they say nothing of it.
func (w *Windows) asksOf(url string) (urls []string, told bool) {
	for at, list := range w.Asks {
		prefix, open := strings.CutSuffix(at, "*")
		if at == weburl.WithoutFragment(url) || open && strings.HasPrefix(url, prefix) {
			urls, told = append(urls, list...), true
		}
	}
	return urls, told
}

// Asked says whether Options tell what a page asks for once its scripts run.
func (w *Windows) Asked(url string) bool {
	_, told := w.asksOf(url)
	return told
}

// Navigate sends a worker's client elsewhere; see serviceworker.Windows.
func (w *Windows) Navigate(c *serviceworker.Client, url string, done func(*serviceworker.Client, fetch.Failure)) bool {
	open, _ := c.Window.(*window)
	if open == nil || open.tab == nil {
		return false
	}
	w.navigateFor(url, open.tab, done)
	return true
}

// OpenWindow opens a page in a tab of its own; see serviceworker.Windows.
func (w *Windows) OpenWindow(url string, done func(*serviceworker.Client, fetch.Failure)) {
	w.navigateFor(url, w.newTab(), done)
}

func (w *Windows) navigateFor(url string, tab *Tab, done func(*serviceworker.Client, fetch.Failure)) {
	tab.navigate(url, nil, passage{}, func(c *window) { done(c.Client, c.view.Reason) })
}

// register is a call of navigator.serviceWorker.register that was read in a script.
func (w *Windows) register(c *window, r page.Registration) { w.registerFor(c, r, func(error) {}) }

// registerFor is a call of navigator.serviceWorker.register by a page; done is told when its promise settles.
func (w *Windows) registerFor(c *window, r page.Registration, done func(error)) {
	c.view.Registrations = append(c.view.Registrations, r)
	if w.WithoutWorkers {
		return
	}
	refused := func(err error, tell bool) {
		c.view.RegisterErrors = append(c.view.RegisterErrors, err.Error())
		if tell {
			w.Workers.Account.Note(account.Note{Level: "error", Text: err.Error(), Where: r.From})
		}
		w.clock().After(0, func() { done(err) })
	}
	if c.Opaque {
		refused(&serviceworker.RegisterError{Name: "SecurityError", Message: "the page is sandboxed and has no origin of " +
			"its own, so it may not register a worker"}, false)
		return
	}
	if !c.settings.Policy.Allows(csp.Request{Destination: request.ServiceWorker, URL: r.Script}) {
		refused(&serviceworker.RegisterError{Name: "SecurityError", Message: "the page's Content-Security-Policy does not " +
			"allow the worker " + r.Script}, true)
		return
	}
	w.Workers.StartRegister(r, weburl.OriginOf(c.URL), func(err error) {
		if err != nil {
			refused(err, true)
			return
		}
		done(nil)
	})
}
