package document

import (
	"path"
	"slices"

	"tachyform/internal/csp"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Load is one request that a page made, and what came of it.
type Load struct {
	page.Reference
	// Method is that of a script's request, "" for GET.
	Method string
	// Status is that of the answer, 0 for a network error; of an opaque answer the one behind it.
	Status int
	Source fetch.Source
	Bytes  int64
	// Answer is what came, behind a filtered response; nil for a network error.
	Answer *fetch.Response
	// Missing says that the page did not get what it asked for, Why in what way.
	Missing bool
	// Refused says that it came and is not taken for what it should be, because of its media type or its content.
	Refused bool
	Why     fetch.Failure
	// Unknown says that the answer came from a host of which only the address is known.
	Unknown bool
	// Done is false while no answer has come.
	Done bool
	// came is the answer to what was asked for ahead, with what waits for it.
	came    *fetch.Response
	why     fetch.Error
	waiting []func()
	taken   bool
	// Anyway tells of a missing load that it fails online and without a worker too.
	Anyway bool
}

// loadSubresources starts the loads of a document.
func (w *Windows) loadSubresources(c *window, d *page.Document, depth int) {
	policies := d.Policies()
	if c.response != nil {
		if csp := c.response.Actual().Get("content-security-policy"); csp != "" {
			policies = append(policies, csp)
		}
	}
	c.document, c.styles.sheets, c.settings.Policy = d, map[string]*page.Style{}, csp.Parse(c.URL, policies)
	if c.parent == nil {
		c.view.styles = c.styles.sheets
	}
	c.settings.ReferrerPolicy = fetch.ParseReferrerPolicy(d.ReferrerPolicy())
	if c.response != nil && c.settings.ReferrerPolicy == "" {
		c.settings.ReferrerPolicy = fetch.ParseReferrerPolicy(c.response.Actual().Get("referrer-policy"))
	}
	if c.response != nil {
		c.settings.EmbedderPolicy = site.Essence(c.response.Actual().Get("cross-origin-embedder-policy"))
	}
	c.styles.pending++ // until all of the page's own are under way
	for _, r := range d.References {
		// Where scripts run, their elements and those of frames are what asks for them.
		ahead := r.Preload || r.Ahead || r.Hint || r.Background
		if !c.scripted() || r.Destination != request.Frame && (r.Destination != request.Script || ahead) {
			w.load(c, r, depth)
		}
	}
	c.styles.pending--
	w.style(c)
	asks, _ := w.asksOf(c.URL)
	for _, u := range asks {
		w.load(c, page.Reference{URL: u, Mode: request.CORS, Credentials: "same-origin", From: c.URL, Runs: true}, depth)
	}
	if c.scripted() {
		return
	}
	for _, s := range d.Scripts {
		switch {
		case c.settings.scriptless:
		case !c.settings.Policy.AllowsInline(s.Text, s.Nonce):
			w.Workers.Account.Note(account.Note{Level: "error", Text: "an inline script is not run: the page's " +
				"Content-Security-Policy does not allow it", Where: c.URL})
		default:
			w.read(c, s.Script, depth)
		}
	}
	if p := w.Present; p != nil && !c.Frame && !c.settings.scriptless &&
		weburl.OriginOf(c.URL) == weburl.OriginOf(p.Script) {
		w.register(c, *p)
	}
}

// read does what the text of a script tells that can't be run: the modules that it imports, files of the site that it
// names, its registrations.
func (w *Windows) read(c *window, s *page.Script, depth int) {
	if c.settings.scriptless {
		return
	}
	base := c.URL
	if c.document != nil {
		base = c.document.Base
	}
	for _, r := range s.References {
		w.load(c, r, depth+1)
	}
	for _, url := range s.Addresses(base) {
		if destination, is := w.named(url); is {
			w.load(c, page.Reference{URL: url, Destination: destination, Mode: request.CORS, Credentials: "same-origin",
				From: c.URL, Runs: true}, depth+1)
		}
	}
	for _, r := range s.Registrations {
		w.register(c, r)
	}
	if w.Present == nil {
		for _, at := range s.UnreadRegistrations {
			if !slices.Contains(w.UnreadRegistrations, at) {
				w.UnreadRegistrations = append(w.UnreadRegistrations, at)
			}
		}
	}
}

// named says whether a text in a script stands for a file of the site that is none of its pages, and as what it would be
// asked for.
func (w *Windows) named(url string) (request.Destination, bool) {
	if w.Has == nil || !w.Has(url) {
		return "", false
	}
	switch path.Ext(weburl.WithoutQuery(url)) {
	case ".html", ".htm":
		return "", false
	case ".js", ".mjs":
		return request.Script, true
	case ".css":
		return request.Style, true
	case ".png", ".jpg", ".jpeg", ".gif", ".webp", ".avif", ".svg", ".ico":
		return request.Image, true
	case ".woff", ".woff2", ".ttf", ".otf":
		return request.Font, true
	}
	return request.Data, true
}

// loadKey tells what a page has asked for already: the same address for the same, in the same mode.
func loadKey(ref page.Reference) string {
	if ref.Destination == request.Image { // of other things one answer is enough
		return ref.URL + " image " + string(ref.Mode)
	}
	return ref.URL + " " + string(ref.Destination)
}

// load fetches one thing that a page asks for, and then what that asks for.
func (w *Windows) load(c *window, ref page.Reference, depth int) {
	if ref.ByHand || w.ScriptsOnly && ref.Destination != request.Script || w.Foreground && ref.Background {
		return
	}
	key := loadKey(ref)
	if earlier := c.seen[key]; earlier != nil {
		// What was fetched in the background first may be needed for the page too.
		earlier.Background = earlier.Background && ref.Background
		if earlier.Done && c.runs() {
			w.clock().After(0, func() {
				c.command("loaded", earlier.URL, string(earlier.Destination), !earlier.Missing && !earlier.Refused, "", earlier.Mode == request.CORS)
			})
		}
		return
	}
	if depth > 12 {
		return
	}
	l := &Load{Reference: ref}
	c.seen[key] = l
	c.view.add(l)
	if ref.Destination == request.Frame {
		c.loadFrame(l)
		return
	}
	holder := c.holder()
	holder.pending++
	if ref.Destination == request.Style {
		c.styles.pending++
	}
	req := c.createRequest(ref)
	c.fetch(req, func(resp *fetch.Response, why fetch.Error) {
		holder.pending--
		w.processResponse(c, l, resp, why, depth)
		if l.Ahead || l.Preload {
			l.came, l.why = resp, why
			for _, f := range l.waiting {
				w.clock().After(0, f)
			}
			l.waiting = nil
		}
		c.tellLoaded(l, resp)
		if l.Missing && l.Else != nil {
			w.load(c, *l.Else, depth)
		}
		if ref.Destination == request.Style {
			c.styles.pending--
			w.style(c)
			if waiting := c.styles.waiting; c.styles.pending == 0 {
				c.styles.waiting = nil
				for _, f := range waiting {
					w.clock().After(0, f)
				}
			}
		}
		c.settled()
	})
}

// runs says whether the page's scripts run, rather than being read.
func (c *window) runs() bool { return c.scripted() && c.scripts.realm != nil }

// scripted reports that the document's scripts run, or are about to.
func (c *window) scripted() bool { return c.scripts != nil && !c.scripts.ended }

// tellLoaded tells the page's scripts what came of a load.
func (c *window) tellLoaded(l *Load, resp *fetch.Response) {
	if !c.runs() {
		return
	}
	text := ""
	if l.Destination == request.Style && !l.Missing && !l.Refused && resp != nil && resp.Actual().Body != nil {
		data, _ := resp.Actual().Body.Bytes()
		text = string(data)
	}
	c.in.clock().After(0, func() {
		c.command("loaded", l.URL, string(l.Destination), !l.Missing && !l.Refused, text, l.Mode == request.CORS)
	})
}

// style asks for the pictures and fonts that the page's style sheets call for, once none of those is under way any
// more.
func (w *Windows) style(c *window) {
	if c.styles.pending > 0 || c.document == nil || c.Closed {
		return
	}
	for _, r := range w.Reader.Applied(c.document, c.styles.sheets) {
		w.load(c, r, 1)
	}
}

// take notes what came for a load.
func (l *Load) take(resp *fetch.Response) {
	actual := resp.Actual()
	l.Status, l.Source, l.Bytes, l.Answer = actual.Status, resp.Source, fetch.BodyLen(actual.Body), actual
}

// judge says of a load what its answer comes to; it reports whether it came as what it should be.
func (l *Load) judge(resp *fetch.Response, why fetch.Error) bool {
	l.Done = true
	answer := resp
	if answer == nil {
		answer = why.Answer
	}
	if answer == nil {
		l.Missing, l.Why = true, why.Failure
		return false
	}
	actual := answer.Actual()
	l.take(answer)
	essence := site.Essence(actual.Get("content-type"))
	switch {
	case actual.Unknown:
		l.Unknown = true // nothing can be said of its type or content
	case actual.Status >= 400:
		l.Missing, l.Why = true, fetch.Failure{Kind: fetch.BadStatus, Status: actual.Status}
		return false
	case resp == nil: // it came and may not be read
		l.Refused, l.Why = true, why.Failure
		l.Missing = why.Kind == fetch.WrongStyleType
		return false
	case l.Destination == request.Style && essence != "text/css" && essence != "":
		l.Refused, l.Why = true, fetch.Failure{Kind: fetch.WrongStyleType, Detail: essence}
		return false
	case l.Destination == request.Script && l.Module && !site.IsJavaScript(essence) && essence != "application/json":
		l.Refused, l.Why = true, fetch.Failure{Kind: fetch.WrongScriptType, Detail: essence}
		return false
	}
	return true
}

// processResponse goes on with what a load has given.
func (w *Windows) processResponse(c *window, l *Load, resp *fetch.Response, why fetch.Error, depth int) {
	if !l.judge(resp, why) {
		return
	}
	actual := resp.Actual()
	if actual.Body == nil || c.Closed {
		return
	}
	if resp.Type == "opaque" && l.Destination != request.Style && l.Destination != request.Script {
		return
	}
	switch l.Destination {
	case request.Style:
		if text, err := actual.Body.Bytes(); err == nil {
			s := w.Reader.Style(l.URL, text)
			c.styles.sheets[l.URL] = s
			for _, r := range s.Imports {
				w.load(c, r, depth+1)
			}
		}
	case request.Script:
		if c.scripted() {
			return
		}
		if w.Known != nil && l.URL == w.Known.URL && w.StartRealm != nil {
			c.view.Registrations = append(c.view.Registrations, w.Known.Registration)
			return
		}
		text, err := actual.Body.Bytes()
		if err != nil {
			return
		}
		base, imports := c.URL, (*page.ImportMap)(nil)
		if c.document != nil {
			base, imports = c.document.Base, c.document.Imports
		}
		w.read(c, w.Reader.Script(l.URL, text).At(base, imports), depth)
	}
}
