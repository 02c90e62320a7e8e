package serviceworker

import (
	"encoding/json"
	"fmt"

	urlpattern "github.com/dunglas/go-urlpattern"

	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/storage"
)

// route is one static routing rule of a worker (Service Workers, "static routing").
type route struct {
	Condition routeCondition `json:"condition"`
	// Source is network, cache, fetch-event or race-network-and-fetch-handler.
	Source string `json:"source"`
	// CacheName limits the source cache to one cache.
	CacheName *string `json:"cacheName"`
}

type routeCondition struct {
	URLPattern         map[string]*string `json:"urlPattern"`
	RequestMethod      *string            `json:"requestMethod"`
	RequestMode        *string            `json:"requestMode"`
	RequestDestination *string            `json:"requestDestination"`
	RunningStatus      *string            `json:"runningStatus"`
	Or                 []routeCondition   `json:"or"`
	Not                *routeCondition    `json:"not"`

	pattern *urlpattern.URLPattern
}

// AddRoutes reads the rules that a worker hands over while it is installed.
func (w *Worker) AddRoutes(text string) error {
	var list []route
	if err := json.Unmarshal([]byte(text), &list); err != nil {
		return fmt.Errorf("TypeError: the routes cannot be read: %w", err)
	}
	for i := range list {
		if err := list[i].Condition.compile(); err != nil {
			return fmt.Errorf("TypeError: %w", err)
		}
	}
	w.routes = append(w.routes, list...)
	return nil
}

func (c *routeCondition) compile() error {
	if c.URLPattern != nil {
		var err error
		p := c.URLPattern
		init := urlpattern.URLPatternInit{
			Protocol: p["protocol"], Username: p["username"], Password: p["password"], Hostname: p["hostname"], Port: p["port"],
			Pathname: p["pathname"], Search: p["search"], Hash: p["hash"], BaseURL: p["baseURL"],
		}
		if c.pattern, err = init.New(&urlpattern.Options{}); err != nil {
			return err
		}
	}
	for i := range c.Or {
		if err := c.Or[i].compile(); err != nil {
			return err
		}
	}
	if c.Not != nil {
		return c.Not.compile()
	}
	return nil
}

func (c *routeCondition) matches(req *fetch.Request, running bool) bool {
	if c.Or != nil {
		for i := range c.Or {
			if c.Or[i].matches(req, running) {
				return true
			}
		}
		return false
	}
	if c.Not != nil {
		return !c.Not.matches(req, running)
	}
	is := func(want *string, have string) bool { return want == nil || *want == have }
	status := "not-running"
	if running {
		status = "running"
	}
	return (c.pattern == nil || c.pattern.Test(req.URL, "")) && is(c.RequestMethod, req.Method) &&
		is(c.RequestMode, string(req.Mode)) &&
		is(c.RequestDestination, string(req.Destination)) && is(c.RunningStatus, status)
}

// routed answers a request by the worker's first fitting route; it reports false when the fetch event decides.
func (w *Worker) routed(c *Client, req *fetch.Request, done func(*fetch.Response, fetch.Answerer)) bool {
	s := w.Registration.container
	for i := range w.routes {
		r := &w.routes[i]
		if !r.Condition.matches(req, w.global != nil) {
			continue
		}
		network := func() { s.Fetcher.Fetch(req, func(resp *fetch.Response) { done(resp, fetch.ByNetwork) }) }
		switch r.Source {
		case "network":
			network()
			return true
		case "cache":
			for _, name := range s.Store.Names {
				if r.CacheName != nil && *r.CacheName != name {
					continue
				}
				if found := s.Store.Caches[name].QueryCache(req, storage.MatchOptions{}); len(found) > 0 {
					resp := *found[0].Response
					resp.Source = fetch.Source{Kind: fetch.CacheSource, Cache: name}
					s.clock().After(storage.CacheDelay, func() { done(&resp, fetch.ByWorker) })
					return true
				}
			}
			network()
			return true
		case "race-network-and-fetch-handler":
			settled, left := false, 2
			finish := func(resp *fetch.Response, how fetch.Answerer) {
				left--
				if !settled && (resp != nil || left == 0) {
					settled = true
					done(resp, how)
				}
			}
			s.Fetcher.Fetch(req, func(resp *fetch.Response) { finish(resp, fetch.ByNetwork) })
			w.dispatchFetch(c, req, finish)
			return true
		}
		return false
	}
	return false
}
