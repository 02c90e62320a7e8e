package serviceworker

import (
	"tachyform/internal/request"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/storage"
	"tachyform/internal/weburl"
)

// HandleFetch is "Handle Fetch" (Service Workers) for a request that a client makes: the worker was found before. done is told as
// a fetch.Handler tells.
func (w *Worker) HandleFetch(c *Client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	// A worker that is being activated is waited for.
	if w.State == account.Activating && (!w.shouldSkipEvent("fetch") || len(w.routes) > 0) {
		w.waiters = append(w.waiters, func() { w.HandleFetch(c, req, done) })
		return
	}
	// Static routes decide first.
	source := w.getRouterSource(req)
	if source == nil {
		w.createFetchEventAndDispatch(c, req, done)
		return
	}
	s := w.Registration.container
	switch source.Source {
	case "network":
		done(nil, fetch.Nobody)
	case "cache":
		if resp := w.fromCaches(source, req); resp != nil {
			s.clock().After(storage.CacheDelay, func() { done(resp, fetch.ByWorker) })
			return
		}
		done(nil, fetch.Nobody)
	case "race-network-and-fetch-handler":
		w.race(c, req, done)
	default:
		w.createFetchEventAndDispatch(c, req, done)
	}
}

// race asks the network and the worker at the same time; the first of them that has an answer answers.
func (w *Worker) race(c *Client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	settled, left := false, 2
	finish := func(resp *fetch.Response, by fetch.Answerer) {
		left--
		if !settled && (resp != nil || left == 0) {
			settled = true
			done(resp, by)
		}
	}
	raced := *req
	raced.HandleFetch = nil
	w.Registration.container.Fetcher.Fetch(&raced, func(resp *fetch.Response, _ fetch.Error) { finish(resp, fetch.ByNetwork) })
	w.createFetchEventAndDispatch(c, req, func(resp *fetch.Response, by fetch.Answerer) {
		if by == fetch.Nobody {
			by = fetch.ByNetwork // which is on its way
		}
		finish(resp, by)
	})
}

// createFetchEventAndDispatch is "Create Fetch Event and Dispatch" (Service Workers).
func (w *Worker) createFetchEventAndDispatch(c *Client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) {
	// A worker that listens to no fetch event is not started.
	if w.shouldSkipEvent("fetch") {
		done(nil, fetch.Nobody)
		return
	}
	s := w.Registration.container
	w.runServiceWorker(func(g Global, err error) {
		if err != nil {
			done(nil, fetch.Nobody)
			return
		}
		g.DispatchFetch(w.fetchEvent(c, req), func(resp *fetch.Response, what account.Answer) {
			if what == account.Answered && resp != nil && fetch.ResponseAllowed(req, resp).Kind == fetch.WorkerFailed {
				resp, what = nil, account.AnsweredError
			}
			e := account.Event{Worker: w.ID, Kind: account.EventAnswer, URL: weburl.WithoutFragment(req.URL), Answer: what}
			if resp != nil {
				e.Source = resp.Source
			}
			s.Account.Record(e)
			if what == account.LeftAlone {
				done(nil, fetch.Nobody)
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
