package rehearsal

import (
	"cmp"
	"context"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/request"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
)

// Probe is a request that shows what a worker does to requests of its kind.
type Probe struct {
	// URL is absolute.
	URL string
	// Method is "" for GET. Range is the value of a Range header, "" for none.
	Method, Range string
	// Mode and Destination are those of the request (Fetch, 2.2.5); the mode navigate opens a page.
	Mode        request.Mode
	Destination request.Destination
}

// Probed is what a probe led to, online, with the site's worker and in a browser without any. A status of 0 is a
// network error; that of an opaque answer is the one behind it.
type Probed struct {
	Probe
	With, Without int
	// WithBytes and WithoutBytes are the lengths of the bodies.
	WithBytes, WithoutBytes int64
	// Took and TookWithout are the virtual times until the answer.
	Took, TookWithout time.Duration
	// Reason says why it failed with the worker.
	Reason fetch.Failure
}

// Health is what probing showed.
type Health struct {
	Probed []Probed
	// Caches is what is kept after the probes.
	Caches []useragent.CacheContent
	// Grown says by the address of a series how many entries its requests left, of how many requests.
	Grown map[string][2]int
	// NextRelease is what a next release came to, nil where none could be tried.
	NextRelease *NextRelease
}

// Bounds of a series: a worker whose store has not grown with the first requests is left at that.
const firstOfSeries, allOfSeries = 24, 360

// probe sends the rehearsal's probes and series, in a branch of the browser that visited the site, from a page that
// the worker controls.
func (r *Rehearsal) probe(ctx context.Context, b *useragent.Browser) *Health {
	defer b.Close()
	plain := useragent.New(ctx, r.Hosts, r.plainOptions())
	defer plain.Close()
	plain.Strain(b.Strained())
	b.SetForeground()
	plain.SetForeground()
	tab := b.Open(r.Visit[0], nil)
	bare := plain.Open(r.Visit[0], nil)
	out := &Health{Grown: map[string][2]int{}}
	for _, p := range r.Probes {
		if ctx.Err() != nil || b.SpentUp() {
			return out
		}
		got := Probed{Probe: p}
		began := b.Now()
		got.With, got.WithBytes, got.Reason = probe(b, tab, p)
		got.Took = b.Now() - began
		began = plain.Now()
		got.Without, got.WithoutBytes, _ = probe(plain, bare, p)
		got.TookWithout = plain.Now() - began
		out.Probed = append(out.Probed, got)
	}
	b.Settle()
	out.Caches = b.Caches()
	for _, p := range r.Series {
		before := b.CacheEntries()
		sent := 0
		for sent < allOfSeries && ctx.Err() == nil && !b.SpentUp() {
			one := p
			one.URL += "?probe=" + number36(sent)
			probe(b, tab, one)
			if sent++; sent == firstOfSeries {
				b.Settle()
				if b.CacheEntries()-before < firstOfSeries {
					break
				}
			}
		}
		b.Settle()
		out.Grown[p.URL] = [2]int{b.CacheEntries() - before, sent}
	}
	return out
}

// probe sends one request from the page in a tab, or asks for a page as opening it would.
func probe(b *useragent.Browser, tab *document.Tab, p Probe) (status int, size int64, reason fetch.Failure) {
	if p.Mode == request.Navigate {
		// The document alone tells enough.
		resp, reason, done := b.Navigate(p.URL)
		switch {
		case !done:
			return 0, 0, fetch.Failure{Kind: fetch.NoDocument}
		case resp == nil:
			return 0, 0, reason
		}
		return resp.Actual().Status, resp.Actual().Len(), reason
	}
	req := &fetch.Request{
		URL: p.URL, Method: cmp.Or(p.Method, "GET"), Mode: p.Mode, Destination: p.Destination, Credentials: "same-origin",
		Cache: "default", Redirect: "follow", Referrer: "about:client",
	}
	if p.Range != "" {
		req.Header = append(req.Header, [2]string{"range", p.Range})
	}
	resp, why, done := b.Fetch(tab, "", req)
	switch {
	case !done:
		return 0, 0, fetch.Failure{Kind: fetch.NoAnswer}
	case resp == nil:
		return 0, 0, why
	}
	return resp.Actual().Status, resp.Actual().Len(), fetch.Failure{}
}

func number36(n int) string {
	const digits = "0123456789abcdefghijklmnopqrstuvwxyz"
	return string([]byte{digits[n/36%36], digits[n%36]})
}

// Awake opens pages offline one after the other in the browser that visited the site, whose worker was not stopped in
// between: what works then and not after a stop was kept in the worker's variables only.
func (r *Rehearsal) Awake(ctx context.Context, pages []string) (map[string]*PageOutcome, error) {
	b := r.browser(ctx)
	defer b.Close()
	if _, err := r.visit(ctx, b, false, nil); err != nil {
		return nil, err
	}
	b.SetCondition(condition.Offline)
	b.SetForeground()
	out := map[string]*PageOutcome{}
	for _, url := range pages {
		reference := r.reference(ctx, url, b)
		t := b.Open(url, nil)
		out[url] = judge(b, t.View, reference.View)
		b.CloseTab(t)
	}
	return out, ctx.Err()
}
