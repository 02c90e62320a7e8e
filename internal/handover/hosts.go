package handover

import (
	"context"
	"slices"
	"sync"

	"tachyform/internal/manifest"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
)

// Hosts as they answer while a deployment is not what it should be.

// inParts answers with the pages of one release and all else of another: half a deployment.
type inParts struct{ pages, rest site.Host }

func (h inParts) Origin() string { return h.pages.Origin() }

// Answer implements site.Host.
func (h inParts) Answer(ctx context.Context, r *site.Request) (*site.Response, error) {
	resp, err := h.pages.Answer(ctx, r)
	if err != nil || site.IsHTML(resp.Header.Get("Content-Type")) {
		return resp, err
	}
	return h.rest.Answer(ctx, r)
}

// keeping answers with the files of an earlier release where the new one has none.
type keeping struct{ now, earlier site.Host }

func (h keeping) Origin() string { return h.now.Origin() }

// Answer implements site.Host.
func (h keeping) Answer(ctx context.Context, r *site.Request) (*site.Response, error) {
	resp, err := h.now.Answer(ctx, r)
	if err != nil || resp.Status != 404 {
		return resp, err
	}
	if old, err := h.earlier.Answer(ctx, r); err == nil && old.Status < 400 && !site.IsHTML(old.Header.Get("Content-Type")) {
		return old, nil
	}
	return resp, nil
}

// holding answers at some addresses as an earlier release did, as caches between host and visitor do.
type holding struct {
	site.Host
	earlier site.Host
	urls    []string
}

// Answer implements site.Host.
func (h holding) Answer(ctx context.Context, r *site.Request) (*site.Response, error) {
	if slices.Contains(h.urls, r.URL.Href(true)) {
		return h.earlier.Answer(ctx, r)
	}
	return h.Host.Answer(ctx, r)
}

// replacing answers at one address with a script of ours.
type replacing struct {
	site.Host
	url  string
	code []byte
}

// Answer implements site.Host.
func (h replacing) Answer(ctx context.Context, r *site.Request) (*site.Response, error) {
	resp, err := h.Host.Answer(ctx, r)
	if err != nil || r.URL.Href(true) != h.url {
		return resp, err
	}
	out := *resp
	out.Status, out.StatusText, out.Body = 200, "OK", site.Bytes(h.code)
	out.Header = out.Header.Clone()
	out.Header.Set("Content-Type", "text/javascript")
	return &out, nil
}

// Remembering asks a live host for each address once, and answers all scenarios alike with what came.
func Remembering(h site.Host) site.Host {
	return &remembering{Host: h, known: map[string]*site.Response{}}
}

type remembering struct {
	site.Host
	mu    sync.Mutex
	known map[string]*site.Response
}

// Answer implements site.Host.
func (h *remembering) Answer(ctx context.Context, r *site.Request) (*site.Response, error) {
	if r.Method != "GET" || r.Header.Get("Range") != "" {
		return h.Host.Answer(ctx, r)
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	url := r.URL.Href(true)
	if resp, known := h.known[url]; known {
		out := *resp
		out.Header = resp.Header.Clone()
		return &out, nil
	}
	resp, err := h.Host.Answer(ctx, r)
	if err == nil {
		h.known[url] = resp
	}
	return resp, err
}

// manifestIcons are the addresses of a manifest's icons.
func manifestIcons(b *useragent.Browser, url string) (list []string) {
	resp, _, _ := b.Navigate(url)
	if actual := resp.Actual(); actual != nil && actual.Status == 200 {
		m, _ := manifest.Process(actual.Bytes(), url, url, manifest.Standard)
		for _, i := range m.Icons {
			list = append(list, i.Src)
		}
	}
	return list
}
