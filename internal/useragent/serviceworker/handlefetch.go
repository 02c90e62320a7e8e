package serviceworker

import (
	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/request"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// HandleFetch lets a worker answer a request, or the network if the worker leaves it alone (Service Workers, "Handle
// Fetch"). The subresource case and that of page loads are one here; the worker was found before.
func (w *Worker) HandleFetch(c *Client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	// A worker that is being activated is waited for.
	if w.State == account.Activating && (w.hasFetch || len(w.routes) > 0) {
		w.waiters = append(w.waiters, func() { w.HandleFetch(c, req, done) })
		return
	}
	// Static routes decide first.
	if w.routed(c, req, done) {
		return
	}
	w.dispatchFetch(c, req, done)
}

// dispatchFetch gives the worker a fetch event ("Handle Fetch", the steps from "Create Fetch Event and Dispatch" on).
func (w *Worker) dispatchFetch(c *Client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	s := w.Registration.container
	network := func() { s.Fetcher.Fetch(req, func(r *fetch.Response) { done(r, fetch.ByNetwork) }) }
	// A worker that listens to no fetch event is not started.
	if !w.hasFetch {
		network()
		return
	}
	w.runServiceWorker(func(g Global, err error) {
		if err != nil {
			network()
			return
		}
		g.DispatchFetch(w.fetchEvent(c, req), func(resp *fetch.Response, what account.Answer) {
			if what == account.Answered && (!responseAllowed(req, resp) || !mayEmbed(req, resp)) {
				resp, what = nil, account.AnsweredError
			}
			e := account.Event{Worker: w.ID, Kind: account.EventAnswer, URL: req.URL, Answer: what}
			if resp != nil {
				e.Source = resp.Source
			}
			s.Account.Record(e)
			if what == account.LeftAlone {
				network()
				return
			}
			done(resp, fetch.ByWorker)
		})
	})
}

// fetchEvent is what a fetch event is made with: the request, the client that asks and the one that may result, the
// preload.
func (w *Worker) fetchEvent(c *Client, req *fetch.Request) FetchEvent {
	e := FetchEvent{Request: req}
	switch {
	case req.Mode == request.Navigate:
		e.Resulting, e.Preload = c.IDText(), w.Registration.Preload
		if c.Previous != nil && !c.Previous.Closed && weburl.OriginOf(c.Previous.URL) == weburl.OriginOf(req.URL) {
			e.Client = c.Previous.IDText()
		}
	case req.Destination == request.Worker || req.Destination == request.SharedWorker:
		e.Client, e.Resulting = c.IDText(), idText(w.Registration.container.NewID())
	default:
		e.Client = c.IDText()
	}
	return e
}

// mayEmbed is the cross-origin resource policy check for an opaque answer of a worker (Fetch, 4.3).
func mayEmbed(req *fetch.Request, resp *fetch.Response) bool {
	if resp.Type != "opaque" || req.Client.EmbedderPolicy == "" {
		return true
	}
	actual := resp.Actual()
	u, err := whatwg.Parse(actual.URL())
	return err != nil || fetch.CrossOriginResourcePolicyCheck(req.Client.Origin, u,
		fetch.HeaderValue(actual.Header, "Cross-Origin-Resource-Policy"), req.Client.EmbedderPolicy)
}

// responseAllowed says whether a worker's response may be given to a request (Fetch, 4.3, the checks after the service
// worker's answer).
func responseAllowed(req *fetch.Request, resp *fetch.Response) bool {
	switch {
	case resp.Type == "error",
		req.Mode == request.SameOrigin && resp.Type == "cors",
		req.Mode != request.NoCORS && resp.Type == "opaque" && req.Mode != request.Navigate,
		req.Redirect != "manual" && resp.Type == "opaqueredirect",
		req.Redirect != "follow" && len(resp.URLs) > 1 && req.Mode != request.Navigate:
		return false
	}
	return true
}
