package useragent

import (
	"tachyform/internal/page"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

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

// handleServiceWorkerClientUnload closes a client; without it a worker may go, or another come (Service Workers, "Handle Service Worker
// Client Unload").
func (b *Browser) handleServiceWorkerClientUnload(c *client) {
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
