package document

import (
	"slices"
	"strings"
	"time"

	"tachyform/internal/page"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Tab is a tab with the page it shows (HTML, 7.3.1.4: a top-level traversable).
type Tab struct {
	*View
	navigable
	hops  int       // pages that sent it on
	trail []*window // that it has shown since it was last sent somewhere
	// steps are the joint history of it and all frames in it.
	steps steps
	kept  []*keptDocument // in the order in which they were left
}

// newTab makes a tab that shows nothing yet.
func (w *Windows) newTab() *Tab {
	t := &Tab{}
	t.navigable.in, t.navigable.place = w, t
	w.tabs = append(w.tabs, t)
	return t
}

// Limit is the virtual time after which a page without a document counts as stuck, and a document as all that comes.
const Limit = 10 * time.Second

// Open opens a URL in a tab, a new one when old is nil. The page that the tab showed before is closed once the new one
// takes its place.
func (w *Windows) Open(url string, old *Tab) *Tab {
	return w.open(url, old, passage{})
}

// open opens a URL, waits for its document and for what that asks for.
func (w *Windows) open(url string, tab *Tab, by passage) *Tab {
	if tab == nil {
		tab = w.newTab()
	}
	if tab.hops == 0 {
		tab.trail, tab.moves = nil, 0
	}
	if w.withinDocument(tab, url, by) {
		return tab
	}
	start := w.clock().Now
	done := false
	c := tab.navigate(url, nil, by, func(*window) { done = true })
	v := c.view
	w.clock().Run(func() bool { return done }, start+Limit)
	if !done {
		v.Stuck, v.Reason = true, fetch.Failure{Kind: fetch.NoDocument}
		if w.clock().Tired {
			v.Reason = fetch.Failure{Kind: fetch.BusyWorker}
		}
		tab.stopLoading()
		tab.show(c)
	} else if !v.Failed && c.runs() {
		c.draw()
		if shown := tab.window; shown != c && shown != nil {
			// Its scripts have sent the tab on.
			shown.draw()
			c, v = shown, shown.view
		} else if to := c.leadsOn(); to != "" && tab.hops < 20 {
			tab.hops++
			defer func() { tab.hops-- }()
			return w.open(to, tab, c.passage())
		}
	} else if !v.Failed {
		w.clock().Run(func() bool { return c.pending == 0 }, w.clock().Now+Limit)
		if to := c.leadsOn(); to != "" && tab.hops < 20 {
			// A tab that is sent on shows the page that it is sent to.
			tab.hops++
			defer func() { tab.hops-- }()
			return w.open(to, tab, c.passage())
		}
	}
	v.Elapsed = w.clock().Now - start
	v.Controlled = c.Controller != nil
	tab.Take()
	return tab
}

// withinDocument goes to another fragment of the page that a tab shows, if that is all that a URL asks for (HTML,
// 7.4.2.3.3).
func (w *Windows) withinDocument(tab *Tab, url string, by passage) bool {
	c := tab.window
	if c == nil || c.Closed || !c.runs() || by.reload || by.handling.back || !strings.Contains(url, "#") ||
		weburl.WithoutFragment(url) != weburl.WithoutFragment(c.URL) {
		return false
	}
	// What was seen of it before stays as it was.
	now := *c.view
	now.URL, now.Loads = url, nil
	c.view = &now
	c.command("navigateTo", url)
	c.draw()
	tab.Take()
	return true
}

// immediateRefresh is how long a page that is about to send its visitor on counts as on its way; one that stays longer
// was meant to be read.
const immediateRefresh = 2 * time.Second

// leadsOn gives the address to which a page sends its visitor at once by a refresh, "" when it stays.
func (c *window) leadsOn() string {
	if c.document == nil {
		return ""
	}
	r := c.document.Refresh
	if header := c.response.Actual().Get("refresh"); header != "" {
		r, _ = page.ParseRefresh(c.URL, header)
	}
	if r == nil || r.After > immediateRefresh || weburl.WithoutFragment(r.URL) == weburl.WithoutFragment(c.URL) {
		return ""
	}
	return r.URL
}

// newWindow makes the window of a document that is on its way into the tab.
func (t *Tab) newWindow(url string) *window {
	if u, ok := page.Resolve(url, url); ok && strings.ContainsFunc(url, func(r rune) bool { return r <= ' ' || r > '~' }) {
		url = u // as the address bar writes it
	}
	c := t.in.newWindow(url)
	c.tab = t
	if t.window != nil {
		c.Previous = t.window.Client
	}
	return c
}

// begin has nobody wait for a navigation: the tab shows what it showed until there is a document.
func (t *Tab) begin(*window) (release func()) { return func() {} }

// finalize is "finalize a cross-document navigation" (HTML, 7.4.2.2): the tab shows the document, or why there is none.
func (t *Tab) finalize(c *window, p navigationParams) {
	v := c.view
	if p.why.Kind != fetch.NoFailure {
		v.Failed, v.Reason = true, p.why
		c.Closed = true
	} else {
		v.At = t.in.clock().Now - c.began
		c.createAndInitialize(p)
		t.in.Workers.AddClient(c.Client)
		v.FinalURL, v.Status, v.Source, v.Response = c.URL, c.response.Actual().Status, c.response.Source, c.response
		if mediaType := computedType(c.response.Actual()); isHTML(mediaType) { // others it draws itself
			d := c.loadDocument(p, mediaType)
			v.Document, v.Title = d, d.Title
			c.start(d, mediaType, t.in.StartRealm != nil && !c.settings.scriptless && hasScripts(d) && !t.in.onlyKnown(d))
		}
	}
	t.show(c)
}

// show makes a window the one that the tab shows.
func (t *Tab) show(c *window) { t.in.put(t, c, t.leadsBack(c), c.shown) }

// put has a tab show a window, and keeps the one before it for going back if an entry of the history leads there; enter takes
// in what is shown now.
func (w *Windows) put(tab *Tab, c *window, leadsBack bool, enter func()) {
	old := tab.window
	goes := old != nil && old != c
	keeps := goes && leadsBack && old.salvageable()
	switch {
	case keeps:
		tab.keep(old)
	case goes:
		old.leave(false)
		old.end()
	}
	tab.trail = append(tab.trail, c)
	tab.window, tab.View = c, c.view
	enter()
	tab.prune()
	if goes && !keeps {
		w.Workers.HandleServiceWorkerClientUnload(old.Client)
	}
}

// CloseTab closes a tab.
func (w *Windows) CloseTab(t *Tab) {
	t.letGoOfKept()
	t.stopLoading()
	if t.window != nil {
		t.window.leave(false)
		t.window.end()
		w.Workers.HandleServiceWorkerClientUnload(t.window.Client)
	}
	w.tabs = slices.DeleteFunc(w.tabs, func(o *Tab) bool { return o == t })
}
