package document

import (
	"cmp"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"time"

	"tachyform/internal/csp"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/serviceworker"
	"tachyform/internal/weburl"
)

// View is what opening a page led to.
// It is a value for those who judge; each field is one fact.
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
	// Registrations are the page's calls of navigator.serviceWorker.register.
	Registrations []page.Registration
	// RegisterErrors are refusals of registrations that the page tried.
	RegisterErrors []string
	// Drawn says how far its scripts were run, Documents how many documents its tab has loaded, Asked what these asked for
	// on their own origin; see Tab.Take.
	Drawn     Drawn
	Documents int
	Asked     []string
	// Scripted says that scripts have changed the document.
	Scripted bool
	// Errors are those that no script of the page caught.
	Errors []ScriptError
	// Gaps are what its scripts used and this user agent lacks.
	Gaps []account.Gap
	// Shadows is what stands in shadow trees.
	Shadows Shadows
	// Pressables is what can be pressed on the page, where Options ask for that.
	Pressables []Pressable

	kept      *kept // of a view whose document is gone
	reader    *page.Reader
	hostKnows func(url string) bool
	fallsBack func(url string) bool
	styles    map[string]*page.Style
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

// Limit is the virtual time after which a page without a document counts as stuck, and a document as all that comes.
const Limit = 10 * time.Second

// Open opens a URL in a tab, a new one when old is nil. The page that the tab showed before is closed once the new one
// takes its place.
func (w *Windows) Open(url string, old *Tab) *Tab {
	return w.open(url, old, passage{})
}

// passage is how a tab comes to a page.
type passage struct {
	// cache is the cache mode of the page's own requests: forceReload, or "".
	cache string
	// referrer is the address of the page that leads there, "" for none; policy is its referrer policy.
	referrer, policy string
	// reload is the same page once more.
	reload bool
	// body is what a form sends, nil for a page that is only asked for.
	body *Body
	// handling is how it changes the history.
	handling handling
}

// Body is what a form sends by POST, with its media type.
type Body struct {
	Type string
	Data []byte
}

// passage is the one from a page to where it sends its visitor.
func (c *window) passage() passage {
	return passage{referrer: weburl.WithoutFragment(c.address()), policy: c.settings.referrer}
}

// open opens a URL, waits for its document and for what that asks for.
func (w *Windows) open(url string, tab *Tab, by passage) *Tab {
	if tab == nil {
		tab = &Tab{}
		w.tabs = append(w.tabs, tab)
	}
	if tab.hops == 0 {
		tab.trail, tab.moved = nil, 0
	}
	if w.withinDocument(tab, url, by) {
		return tab
	}
	start := w.clock().Now
	done := false
	c := w.startNavigation(url, tab, by, func() { done = true })
	v := c.view
	w.clock().Run(func() bool { return done }, start+Limit)
	if !done {
		v.Stuck, v.Reason = true, fetch.Failure{Kind: fetch.NoDocument}
		if w.clock().Tired {
			v.Reason = fetch.Failure{Kind: fetch.BusyWorker}
		}
		c.Closed = true
		w.show(tab, c)
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

// startNavigation starts to open a URL in a tab; committed is called once the tab shows it, or its error page.
func (w *Windows) startNavigation(url string, tab *Tab, by passage, committed func()) *window {
	start := w.clock().Now
	if u, ok := page.Resolve(url, url); ok && strings.ContainsFunc(url, func(r rune) bool { return r <= ' ' || r > '~' }) {
		url = u // as the address bar writes it
	}
	c := w.newWindow(url)
	c.tab, c.mode, c.referrer, c.reload, c.body = tab, by.cache, by.referrer, by.reload, by.body
	c.referrerPolicy, c.handling = by.policy, by.handling
	if old := tab.window; old != nil && old.URL == url && !by.handling.back && !by.reload {
		c.handling.replace = true
	}
	if tab.window != nil {
		c.Previous = tab.window.Client
	}
	c.createNavigationParamsByFetching(url, func(resp *fetch.Response, g *serviceworker.Registration, reason fetch.Failure) {
		if c.Closed {
			return
		}
		if resp == nil {
			c.view.Failed, c.view.Reason = true, reason
			c.Closed = true
		} else {
			c.view.At = w.clock().Now - start
			w.commit(c, g, resp)
		}
		w.show(tab, c)
		committed()
	})
	return c
}

// show makes a client the one that a tab shows.
func (w *Windows) show(tab *Tab, c *window) { w.put(tab, c, tab.leadsBack(c), c.shown) }

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

// Tab is a tab with the page it shows.
type Tab struct {
	*View
	window *window
	hops   int       // pages that sent it on
	moved  int       // navigations by scripts
	trail  []*window // that it has shown since it was last sent somewhere
	// history is its own, steps the joint one of it and all frames in it.
	history history
	steps   steps
	kept    []*keptDocument // in the order in which they were left
}

// CloseTab closes a tab.
func (w *Windows) CloseTab(t *Tab) {
	t.letGoOfKept()
	if t.window != nil {
		t.window.leave(false)
		t.window.end()
		w.Workers.HandleServiceWorkerClientUnload(t.window.Client)
	}
	w.tabs = slices.DeleteFunc(w.tabs, func(o *Tab) bool { return o == t })
}

// forceReload is the cache mode of a page reloaded past worker and caches (Service Workers, 2.4: "force reload").
const forceReload = "reload"

// navigationRequest is the request for the document of a window (HTML, 7.4.5, "create navigation params by fetching", step 3).
func (c *window) navigationRequest(url string) *fetch.Request {
	destination := request.Document
	if c.Frame {
		destination = request.Frame
	}
	req := &fetch.Request{URL: weburl.WithoutFragment(url), Method: "GET", Cache: c.mode,
		Header: [][2]string{{"accept", "text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8"}}, Mode: request.Navigate,
		Credentials: "include", Redirect: "manual", Destination: destination, Referrer: cmp.Or(c.referrer, fetch.NoReferrer),
		ReferrerPolicy: c.referrerPolicy, Reload: c.reload, History: c.handling.back}
	if c.handling.back && req.Cache == "" {
		req.Cache = "force-cache" // what is kept is shown as it is
	}
	if c.body != nil {
		req.Method, req.Content = "POST", site.Bytes(c.body.Data)
		req.Header = append(req.Header, [2]string{"content-type", c.body.Type})
	}
	if c.frame != nil {
		req.Client.Policy = c.frame.holder.settings.policy
		req.Client.Origin = c.frame.holder.origin()
	}
	return req
}

// createNavigationParamsByFetching is "create navigation params by fetching" (HTML, 7.4.5). done gets nil and a reason for a
// network error, and the registration whose worker will control the document.
func (c *window) createNavigationParamsByFetching(url string, done func(*fetch.Response, *serviceworker.Registration, fetch.Failure)) {
	w := c.in
	req := c.navigationRequest(url)
	var g *serviceworker.Registration // that the request's address lies in
	req.HandleFetch = func(req *fetch.Request, respond func(*fetch.Response, fetch.Answerer)) {
		c.asked = append(c.asked, req.URL)
		if g = nil; !c.settings.sandboxed {
			g = w.Workers.MatchServiceWorkerRegistration(req.URL)
		}
		if g == nil || g.Active == nil || c.mode == forceReload {
			respond(nil, fetch.Nobody)
			return
		}
		g.Active.HandleFetch(c.Client, req, respond)
		// The check for a new worker comes a little after each navigation in scope.
		g.SoftUpdateLater(w.UpdateDelay)
	}
	w.Workers.Fetcher.Fetch(req, func(resp *fetch.Response, why fetch.Error) {
		if resp == nil {
			done(nil, g, why.Failure)
			return
		}
		if c.referrer != "" {
			c.told = req.Referrer
		}
		actual := resp.Actual()
		if next := actual.Location(url); next != "" {
			if weburl.OriginOf(next) != weburl.OriginOf(url) {
				c.ID = w.Workers.NewID() // step 19: another environment
			}
			url, c.URL = next, next
			req.ProcessNextManualRedirect()
			return
		}
		if req.Method == "GET" {
			c.body = nil
		}
		c.view.FromWorker = resp.ByWorker
		if why := doesNotShow(actual); why.Kind != fetch.NoFailure {
			done(nil, g, why)
			return
		}
		done(resp, g, fetch.Failure{})
	})
}

// doesNotShow says why a browser shows no document for an answer: it has none, or is saved as a file.
func doesNotShow(actual *fetch.Response) fetch.Failure {
	if actual.Status == 204 || actual.Status == 205 {
		return fetch.Failure{Kind: fetch.NoContent, Status: actual.Status}
	}
	if why := downloads(actual); why != "" {
		return fetch.Failure{Kind: fetch.Download, Detail: why}
	}
	return fetch.Failure{}
}

// commit makes the response the client's document and starts all that it asks for.
func (w *Windows) commit(c *window, g *serviceworker.Registration, resp *fetch.Response) {
	v := c.view
	w.Workers.AddClient(c.Client)
	actual := resp.Actual()
	c.Opaque, c.settings.scriptless = csp.Sandbox(actual.Get("content-security-policy"))
	if c.Opaque {
		c.ID = w.Workers.NewID()
	}
	if g != nil && g.Active != nil && !g.Gone() && c.mode != forceReload && !c.Opaque {
		c.Controller = g.Active
	}
	v.FinalURL, v.Status, v.Source, v.Response = c.URL, actual.Status, resp.Source, resp
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
		v.Document = w.Reader.Document(c.URL, contentType, text)
		v.Title = v.Document.Title
		if w.StartRealm != nil && !c.settings.scriptless && hasScripts(text) && !w.onlyKnown(v.Document, text) {
			c.scripts = &scripting{}
			w.loadSubresources(c, v.Document, 0)
			c.scripts = nil
			w.runDocument(c, v.Document, e)
			break
		}
		w.loadSubresources(c, v.Document, 0)
	}
}

// downloads says why a browser saves an answer as a file (HTML, 7.4.5, "load a document": external content), "" if it shows
// the answer.
func downloads(r *fetch.Response) string {
	disposition, _, _ := strings.Cut(r.Get("content-disposition"), ";")
	if d := strings.ToLower(strings.TrimSpace(disposition)); d != "" && d != "inline" {
		return "Content-Disposition: " + d
	}
	e := site.Essence(r.Get("content-type"))
	kind, sub, _ := strings.Cut(e, "/")
	switch {
	case e == "", !strings.Contains(e, "/"), site.IsJavaScript(e), site.IsHTML(e), strings.HasSuffix(e, "+xml"), strings.HasSuffix(e, "+json"):
		return ""
	case slices.Contains([]string{"text", "image", "audio", "video", "multipart"}, kind), slices.Contains([]string{"json", "xml", "pdf"}, sub):
		return ""
	}
	return "the media type " + e
}

// scriptTag finds what may run in a document.
var scriptTag = regexp.MustCompile(`(?i)<script[\s>/]|\son[a-z]+\s*=`)

// onlyKnown says whether the known script is the only one that a document has.
func (w *Windows) onlyKnown(d *page.Document, text []byte) bool {
	if w.Known == nil || len(d.Scripts) > 0 || len(scriptTag.FindAllIndex(text, 2)) != 1 {
		return false
	}
	for _, r := range d.References {
		if r.Destination == request.Script && !r.Preload && !r.Ahead {
			return r.URL == w.Known.URL
		}
	}
	return false
}

func hasScripts(text []byte) bool { return scriptTag.Match(text) }
