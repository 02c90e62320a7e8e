package useragent

import (
	"context"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/page"
)

// Probe is a request that shows what a worker does to requests of its kind.
type Probe struct {
	// URL is absolute.
	URL string
	// Method is "" for GET. Range is the value of a Range header, "" for none.
	Method, Range string
	// Mode and Destination are those of the request (Fetch, 2.2.5); the mode navigate opens a page.
	Mode, Destination string
}

// Probed is what a probe led to, online, with the site's worker and in a browser without any. A status of 0 is a network error; that of
// an opaque answer is the one behind it.
type Probed struct {
	Probe
	With, Without int
	// WithBytes and WithoutBytes are the lengths of the bodies.
	WithBytes, WithoutBytes int64
	// Took and TookWithout are the virtual times until the answer.
	Took, TookWithout time.Duration
	// Reason says why it failed with the worker.
	Reason Failure
}

// Health is what probing showed.
type Health struct {
	Probed []Probed
	// Caches is what is kept after the probes.
	Caches []CacheContent
	// Grown says by the address of a series how many entries its requests left, of how many requests.
	Grown map[string][2]int
	// NextRelease is what a next release came to, nil where none could be tried.
	NextRelease *NextRelease
}

// Bounds of a series: a worker whose store has not grown with the first requests is left at that.
const firstOfSeries, allOfSeries = 24, 360

// probe sends the rehearsal's probes and series, in a branch of the browser that visited the site, from a page that the worker controls.
func (r *Rehearsal) probe(ctx context.Context, b *Browser, reader *page.Reader) *Health {
	defer b.Close()
	plain := r.bare(ctx, reader)
	defer plain.Close()
	b.foreground, plain.foreground = true, true
	tab := b.Open(r.Visit[0], nil)
	bare := plain.Open(r.Visit[0], nil)
	out := &Health{Grown: map[string][2]int{}}
	for _, p := range r.Probes {
		if ctx.Err() != nil || b.spentUp() {
			return out
		}
		got := Probed{Probe: p}
		began := b.clock.now
		got.With, got.WithBytes, got.Reason = b.probe(tab, p)
		got.Took = b.clock.now - began
		began = plain.clock.now
		got.Without, got.WithoutBytes, _ = plain.probe(bare, p)
		got.TookWithout = plain.clock.now - began
		out.Probed = append(out.Probed, got)
	}
	b.Settle()
	out.Caches = b.cacheContents()
	for _, p := range r.Series {
		before := b.entries()
		sent := 0
		for sent < allOfSeries && ctx.Err() == nil && !b.spentUp() {
			one := p
			one.URL += "?probe=" + number36(sent)
			b.probe(tab, one)
			if sent++; sent == firstOfSeries {
				b.Settle()
				if b.entries()-before < firstOfSeries {
					break
				}
			}
		}
		b.Settle()
		out.Grown[p.URL] = [2]int{b.entries() - before, sent}
	}
	return out
}

// probe sends one request from the page in a tab, or asks for a page as opening it would.
func (b *Browser) probe(tab *Tab, p Probe) (status int, size int64, reason Failure) {
	if p.Mode == "navigate" {
		// The document alone tells enough.
		b.nextID++
		c := &client{id: b.nextID, url: p.URL, seen: map[string]*Load{}, view: &View{URL: p.URL}}
		done := false
		b.navigate(c, p.URL, 0, func(resp *Response, _ *Registration, why Failure) {
			if done, reason = true, why; resp != nil {
				status, size = resp.Actual().Status, bodyLen(resp.Actual().Body)
			}
		})
		b.clock.run(func() bool { return done }, b.clock.now+DocumentLimit)
		if !done {
			reason = Failure{Kind: NoDocument}
		}
		return status, size, reason
	}
	req := &Request{URL: p.URL, Method: p.Method, Mode: p.Mode, Destination: p.Destination, Credentials: "same-origin", Cache: "default", Redirect: "follow", Referrer: "about:client"}
	if req.Method == "" {
		req.Method = "GET"
	}
	if p.Range != "" {
		req.Header = append(req.Header, [2]string{"range", p.Range})
	}
	done := false
	b.clientFetch(tab.client, req, func(resp *Response, how Answerer) {
		done = true
		if resp == nil {
			reason = failed(how)
			return
		}
		status, size = resp.Actual().Status, bodyLen(resp.Actual().Body)
	})
	b.clock.run(func() bool { return done }, b.clock.now+DocumentLimit)
	if !done {
		reason = Failure{Kind: NoAnswer}
	}
	return status, size, reason
}

func (b *Browser) entries() (n int) {
	for _, name := range b.store.names {
		n += len(b.store.caches[name].entries)
	}
	return n
}

func number36(n int) string {
	const digits = "0123456789abcdefghijklmnopqrstuvwxyz"
	return string([]byte{digits[n/36%36], digits[n%36]})
}

// Awake opens pages offline one after the other in the browser that visited the site, whose worker was not stopped in between: what
// works then and not after a stop was kept in the worker's variables only.
func (r *Rehearsal) Awake(ctx context.Context, pages []string) (map[string]*PageOutcome, error) {
	b, reader := r.browser(ctx)
	defer b.Close()
	if _, err := r.visit(ctx, b, false); err != nil {
		return nil, err
	}
	b.SetCondition(condition.Offline)
	b.foreground = true
	out := map[string]*PageOutcome{}
	for _, url := range pages {
		reference := r.reference(ctx, url, reader, b)
		t := b.Open(url, nil)
		out[url] = b.judge(t.View, reference.View)
		b.CloseTab(t)
	}
	return out, ctx.Err()
}
