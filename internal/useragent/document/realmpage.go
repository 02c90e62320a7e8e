package document

import (
	"fmt"
	"slices"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/useragent/structured"
	"tachyform/internal/weburl"
)

// Page is a window as its realm knows it; its methods are what the realm asks for, see environment.Page.
type Page struct{ c *window }

// Address is that of the document now.
func (p *Page) Address() string { return p.c.URL }

// Current says whether the page is open.
func (p *Page) Current() bool { return !p.c.Closed }

// Origin is that of the document.
func (p *Page) Origin() string { return p.c.origin() }

// Client is the page as service workers know it.
func (p *Page) Client() *serviceworker.Client { return p.c.Client }

// Session names the storage of the page's tab.
func (p *Page) Session() string { return fmt.Sprintf("%p", p.c.top().tab) }

// Fetch makes a request of a script.
func (p *Page) Fetch(req *fetch.Request, done func(*fetch.Response)) {
	p.c.fetchForScript(req, p.c.fetch, done)
}

func (c *window) fetchForScript(req *fetch.Request, send func(*fetch.Request, func(*fetch.Response, fetch.Error)), done func(*fetch.Response)) {
	l := &Load{Reference: page.Reference{URL: weburl.WithoutFragment(req.URL), Destination: req.Destination, Mode: req.Mode,
		Credentials: req.Credentials, From: c.URL, Runs: true}}
	if req.Method != "GET" && req.Method != "HEAD" {
		l.Method = req.Method
	}
	c.view.add(l)
	if !slices.ContainsFunc(req.Header, func(h [2]string) bool { return strings.EqualFold(h[0], "accept") }) {
		req.Header = append([][2]string{{"accept", "*/*"}}, req.Header...)
	}
	c.pending++
	s := c.scripts
	s.fetching++
	c.asking++
	number, failed := c.asking, false
	c.waiting[number] = func() {
		failed = true
		c.in.clock().After(0, func() { done(nil) })
	}
	send(req, func(resp *fetch.Response, why fetch.Error) {
		delete(c.waiting, number)
		c.pending--
		s.fetching--
		l.Done = true
		if resp == nil {
			l.Missing, l.Why = true, why.Failure
		} else {
			actual := resp.Actual()
			l.take(resp)
			l.Unknown = actual.Unknown
			if actual.Status >= 400 && !actual.Unknown {
				l.Missing, l.Why = true, fetch.Failure{Kind: fetch.BadStatus, Status: actual.Status}
			}
		}
		if !c.Closed && !failed {
			done(resp)
		}
	})
}

// Element loads what an element asks for that a script made.
func (p *Page) Element(text string) { p.c.loadMarkup(text) }

// AllowsInline says whether the page's policies let an inline script run.
func (p *Page) AllowsInline(text, nonce string) bool {
	return p.c.settings.Policy.AllowsInline(text, nonce)
}

// SetBase changes what addresses start from, as scripts have it.
func (p *Page) SetBase(url string) { p.c.scripts.base = url }

// maxNavigations bounds how often scripts send a tab on: a tab that has loaded five documents in one step never comes
// to rest.
const maxNavigations = 4

// Navigate is "Location-object navigate" (HTML, 7.2.4): it leaves the page; with replace what comes takes its place in the history,
// kept is its state for the navigation API.
func (p *Page) Navigate(url string, replace bool, kept *structured.Value) {
	c, by := p.c, p.c.passage()
	by.handling.replace, by.handling.kept = replace, kept
	c.leaveFor(url, by)
}

// leaveFor is a navigation that a script starts.
func (c *window) leaveFor(url string, by passage) {
	if c.frame != nil {
		c.frame.lead(url, nil, by)
		return
	}
	t := c.tab
	if c.Closed || t == nil || t.window != nil && t.window != c || handedOver(url) {
		return
	}
	if t.moves++; t.moves <= maxNavigations {
		t.navigate(url, nil, by, func(*window) {})
	}
}

// Reload loads the page anew.
func (p *Page) Reload() {
	by := p.c.passage()
	by.reload = true
	p.c.leaveFor(p.c.URL, by)
}

// Register is a call of navigator.serviceWorker.register.
func (p *Page) Register(r page.Registration, done func(error)) { p.c.in.registerFor(p.c, r, done) }

// Failed notes an error that no script of the page caught.
func (p *Page) Failed(name, text string) {
	if v := p.c.top().view; len(v.Errors) < mostErrors {
		v.Errors = append(v.Errors, ScriptError{name, text})
	}
}

// mostGaps bounds how many gaps of a page are kept.
const mostGaps = 20

// Gap tells that a script of the page used what this user agent lacks.
func (p *Page) Gap(g account.Gap) { p.c.gap(g) }

func (c *window) gap(g account.Gap) {
	v := c.top().view
	if len(v.Gaps) < mostGaps && !slices.ContainsFunc(v.Gaps, func(o account.Gap) bool { return o.What == g.What && o.Soft == g.Soft }) {
		v.Gaps = append(v.Gaps, g)
	}
	c.in.Workers.Account.Gap(g.What)
}

// PostMessage gives another window a message.
func (p *Page) PostMessage(window int, message, targetOrigin string) {
	c := p.c
	to := c.top().find(window)
	if to == nil || targetOrigin != "*" && targetOrigin != to.origin() {
		return
	}
	c.in.clock().After(0, func() { to.command("windowMessage", message, c.origin(), c.ID) })
}

// StorageChanged tells other windows of a change to an area that they share (HTML, 12.2.1, "broadcast").
func (p *Page) StorageChanged(area, change string) {
	c := p.c
	var tell func(w *window)
	tell = func(w *window) {
		if w == nil {
			return
		}
		if w != c && w.runs() && !w.Worker && w.origin() == c.origin() {
			url := c.URL
			c.in.clock().After(0, func() { w.command("storageEvent", area, change, url) })
		}
		for _, f := range w.frames() {
			tell(f)
		}
	}
	for _, t := range c.in.tabs {
		if area == "local" || t == c.top().tab {
			tell(t.window)
			for _, k := range t.kept {
				if k.in.BackForward.HearsLater {
					tell(k.window)
				}
			}
		}
	}
}

// find gives the window of a number, or the one that a frame shows in its place now, among this one and its frames.
func (c *window) find(id int) *window {
	if c.ID == id {
		return c
	}
	for _, f := range c.children {
		if slices.Contains(f.before, id) {
			return f.window
		}
		if found := f.window.find(id); found != nil {
			return found
		}
	}
	return nil
}

// Matches says whether a media query holds.
func (p *Page) Matches(query string) bool { return p.c.in.Reader.Matches(query) }
