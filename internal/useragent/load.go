package useragent

import (
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

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
