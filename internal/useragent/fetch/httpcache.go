package fetch

import (
	"maps"
	"strings"
	"time"

	"tachyform/internal/site"
	"tachyform/internal/useragent/clock"
)

// HTTPCache is a browser's private HTTP cache (RFC 9111), for answers that say how long they stay fresh.
type HTTPCache struct {
	entries map[string]httpEntry
}

type httpEntry struct {
	answer *site.Response
	at     time.Duration
	fresh  time.Duration
	vary   map[string]string // the request's values of the headers that the answer varies by
}

// NewHTTPCache gives an empty cache.
func NewHTTPCache() *HTTPCache { return &HTTPCache{map[string]httpEntry{}} }

// Branch copies the cache; nil, for none, stays nil.
func (h *HTTPCache) Branch() *HTTPCache {
	if h == nil {
		return nil
	}
	return &HTTPCache{maps.Clone(h.entries)}
}

// Get gives a stored answer that may be used for a request in the given cache mode (Fetch, 4.6), or nil. refuse tells
// that the mode forbids asking the network.
func (h *HTTPCache) Get(r *site.Request, mode string, now time.Duration) (answer *site.Response, refuse bool) {
	if h == nil || r.Method != "GET" || r.Header.Get("Range") != "" {
		return nil, mode == "only-if-cached"
	}
	switch mode {
	case "no-store", "reload", "no-cache":
		return nil, false
	}
	e, ok := h.entries[r.URL.Href(true)]
	if ok {
		for name, value := range e.vary {
			ok = ok && r.Header.Get(name) == value
		}
	}
	forced := mode == "force-cache" || mode == "only-if-cached"
	if ok && (forced || now < e.at+e.fresh) {
		return e.answer, false
	}
	return nil, mode == "only-if-cached"
}

// Put stores what may be stored.
func (h *HTTPCache) Put(r *site.Request, answer *site.Response, mode string, now time.Duration) {
	if h == nil || r.Method != "GET" || mode == "no-store" || answer == nil {
		return
	}
	key := r.URL.Href(true)
	delete(h.entries, key)
	fresh := site.Freshness(answer.Header, clock.Epoch)
	if fresh <= 0 || answer.Status != 200 && answer.Status != 301 && answer.Status != 308 && answer.Status != 404 &&
		answer.Status != 410 {
		return
	}
	vary := map[string]string{}
	for _, name := range strings.Split(answer.Header.Get("Vary"), ",") {
		if name = strings.TrimSpace(name); name == "*" {
			return
		} else if name != "" {
			vary[name] = r.Header.Get(name)
		}
	}
	h.entries[key] = httpEntry{answer, now, fresh, vary}
}
