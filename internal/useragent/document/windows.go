// Package document opens pages: it finds their documents, loads what those ask for, and keeps the tabs that show them.
package document

import (
	"slices"
	"strings"
	"time"

	"tachyform/internal/page"
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
	// Foreground leaves away what pages ask for in the background, such as icons: nobody waits for it.
	Foreground bool
}

// Windows are the tabs of a browser.
// The algorithms by which pages are found and loaded are its methods, a file for each part.
type Windows struct {
	Options
	Workers *serviceworker.Container
	// UnreadRegistrations are calls of register whose worker can't be read.
	UnreadRegistrations []page.Place

	tabs []*Tab
}

// Branch gives the windows of a branch, which has none open.
func (w *Windows) Branch(workers *serviceworker.Container) *Windows {
	o := w.Options
	o.Foreground, o.ScriptsOnly, o.WithoutWorkers = false, false, false
	return &Windows{Options: o, Workers: workers, UnreadRegistrations: slices.Clone(w.UnreadRegistrations)}
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
	tab := &Tab{}
	w.tabs = append(w.tabs, tab)
	w.navigateFor(url, tab, done)
}

func (w *Windows) navigateFor(url string, tab *Tab, done func(*serviceworker.Client, fetch.Failure)) {
	var c *window
	c = w.startNavigation(url, tab, "", func() { done(c.Client, c.view.Reason) })
}

// register is a call of navigator.serviceWorker.register by a page.
func (w *Windows) register(c *window, r page.Registration) {
	c.view.Registers = true
	if w.WithoutWorkers {
		return
	}
	if c.Opaque {
		c.view.RegisterErrors = append(c.view.RegisterErrors, "SecurityError: the page is sandboxed and has no origin of "+
			"its own, so it may not register a worker")
		return
	}
	refused := func(why string) {
		c.view.RegisterErrors = append(c.view.RegisterErrors, why)
		w.Workers.Account.Note(account.Note{Level: "error", Text: why, Where: r.From})
	}
	if !c.settings.policy.Allows("serviceworker", r.Script, "") {
		refused("SecurityError: the page's Content-Security-Policy does not allow the worker " + r.Script)
		return
	}
	w.Workers.StartRegister(r, weburl.OriginOf(c.URL), func(err error) {
		if err != nil {
			refused(err.Error())
		} else if g := w.Workers.MatchServiceWorkerRegistration(c.URL); g != nil {
			g.DeliverToWaiting()
		}
	})
}
