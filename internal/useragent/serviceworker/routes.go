package serviceworker

import (
	"encoding/json"
	"fmt"
	"slices"

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

// matchRouterCondition is "Match Router Condition" (Service Workers).
func (c *routeCondition) matchRouterCondition(req *fetch.Request, running bool) bool {
	if c.Or != nil {
		return slices.ContainsFunc(c.Or, func(o routeCondition) bool { return o.matchRouterCondition(req, running) })
	}
	if c.Not != nil {
		return !c.Not.matchRouterCondition(req, running)
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

// getRouterSource is "Get Router Source" (Service Workers): the first rule whose condition holds, nil for none.
func (w *Worker) getRouterSource(req *fetch.Request) *route {
	for i := range w.routes {
		if r := &w.routes[i]; r.Condition.matchRouterCondition(req, w.global != nil) {
			return r
		}
	}
	return nil
}

// fromCaches is what the caches that a rule names have for a request, nil for nothing.
func (w *Worker) fromCaches(r *route, req *fetch.Request) *fetch.Response {
	store := w.Registration.container.Store
	for _, name := range store.Names {
		if r.CacheName != nil && *r.CacheName != name {
			continue
		}
		if found := store.Caches[name].QueryCache(req, storage.MatchOptions{}); len(found) > 0 {
			resp := *found[0].Response
			resp.Source = fetch.Source{Kind: fetch.CacheSource, Cache: name}
			return &resp
		}
	}
	return nil
}
