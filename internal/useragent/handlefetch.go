package useragent

import (
	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// handleFetch lets a worker answer a request, or the network if the worker leaves it alone (Service Workers, "Handle Fetch"). The
// subresource case and that of page loads are one here; the worker was found before.
func (b *Browser) handleFetch(w *Worker, c *client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	// A worker that is being activated is waited for.
	if w.State == Activating && (w.hasFetch || len(w.routes) > 0) {
		w.waiters = append(w.waiters, func() { b.handleFetch(w, c, req, done) })
		return
	}
	// Static routes decide first.
	if b.routed(w, c, req, done) {
		return
	}
	b.dispatchFetch(w, c, req, done)
}

// dispatchFetch gives the worker a fetch event ("Handle Fetch", the steps from "Create Fetch Event and Dispatch" on).
func (b *Browser) dispatchFetch(w *Worker, c *client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	network := func() { b.fetcher.Fetch(req, func(r *fetch.Response) { done(r, fetch.ByNetwork) }) }
	// A worker that listens to no fetch event is not started.
	if !w.hasFetch {
		network()
		return
	}
	b.runServiceWorker(w, func(r *realm, err error) {
		if err != nil {
			network()
			return
		}
		r.event("fetch", b.fetchEventInit(r, c, req), func(resp *fetch.Response, what eventAnswer) {
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

// fetchEventInit is what a fetch event is made with: the request, the client that asks and the one that may result, the preload.
func (b *Browser) fetchEventInit(r *realm, c *client, req *fetch.Request) map[string]any {
	init := map[string]any{"request": r.encodeRequest(req)}
	switch {
	case req.Mode == "navigate":
		init["resultingClientId"] = clientID(c.id)
		if c.previous != nil && !c.previous.closed && weburl.OriginOf(c.previous.url) == weburl.OriginOf(req.URL) {
			init["clientId"] = clientID(c.previous.id)
		}
		if r.w.reg.preload {
			init["preload"] = r.preload(req)
		}
	case req.Destination == "worker" || req.Destination == "sharedworker":
		b.nextID++
		init["resultingClientId"] = clientID(b.nextID)
		fallthrough
	default:
		init["clientId"] = clientID(c.id)
	}
	return init
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
