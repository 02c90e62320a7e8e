package useragent

import (
	"context"
	"hash/fnv"
	"net/http"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/condition"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// network carries requests to hosts under a condition.
type network struct {
	ctx   context.Context
	hosts map[string]site.Host
	cond  condition.Condition
	clock *clock
	count int
	asked map[string]bool // addresses without their queries, of which it knows no end otherwise
	// refuses, if set, tells addresses at which nothing listens.
	refuses func(url string) bool
	// seen is told of each request that leaves and of what came back; the response is nil for a failure.
	seen func(*site.Request, *site.Response)
}

// unknown answers for origins of which nothing is known but that pages ask them: reachable, content unknown.
type unknown struct{ origin string }

func (u unknown) Origin() string { return u.origin }
func (u unknown) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	// Whatever is asked of it is allowed: nothing is known that speaks against it. It names no type, which would be judged.
	h := http.Header{"Access-Control-Allow-Origin": {"*"}}
	if r.Method == "OPTIONS" {
		h.Set("Access-Control-Allow-Methods", r.Header.Get("Access-Control-Request-Method"))
		h.Set("Access-Control-Allow-Headers", r.Header.Get("Access-Control-Request-Headers"))
	}
	if origin := r.Header.Get("Origin"); origin != "" {
		h.Set("Access-Control-Allow-Origin", origin)
		h.Set("Access-Control-Allow-Credentials", "true")
	}
	return &site.Response{Status: 200, StatusText: "OK", Header: h, Body: site.Bytes(""), Unknown: true}, nil
}

func (n *network) host(u *whatwg.Url) site.Host {
	origin := weburl.Origin(u)
	if h := n.hosts[origin]; h != nil {
		return h
	}
	return unknown{origin}
}

// send carries one request; done gets nil when the connection fails. Under a stalled network done is never called.
func (n *network) send(r *site.Request, done func(*site.Response)) {
	n.ask(r)
	switch {
	case n.cond.Refuses, n.refuses != nil && n.refuses(r.URL.Href(true)):
		n.note(r, nil)
		n.clock.after(time.Millisecond, func() { done(nil) })
		return
	case n.cond.Stalls:
		n.note(r, nil)
		return
	case n.fails(r):
		n.note(r, nil)
		n.clock.after(n.cond.Latency, func() { done(nil) })
		return
	}
	resp, err := n.host(r.URL).Answer(n.ctx, r)
	if err != nil {
		n.note(r, nil)
		n.clock.after(n.cond.Latency, func() { done(nil) })
		return
	}
	n.note(r, resp)
	n.clock.after(n.takes(r, resp), func() { done(resp) })
}

func (n *network) ask(r *site.Request) {
	n.count++
	if n.asked == nil {
		n.asked = map[string]bool{}
	}
	n.asked[r.URL.Pathname()] = true
}

func (n *network) note(r *site.Request, resp *site.Response) {
	if n.seen != nil {
		n.seen(r, resp)
	}
}

// now asks in the middle of a turn, which needs a script's text before it goes on: the clock is put forward by the time that it takes.
func (n *network) now(r *site.Request) *site.Response {
	n.ask(r)
	if n.cond.Refuses || n.cond.Stalls {
		n.note(r, nil)
		return nil
	}
	if n.fails(r) {
		n.note(r, nil)
		n.clock.now += n.cond.Latency
		return nil
	}
	resp, err := n.host(r.URL).Answer(n.ctx, r)
	if err != nil {
		resp = nil
	}
	n.note(r, resp)
	// Whoever asks waits for it, and all else waits too.
	n.clock.now += n.takes(r, resp)
	return resp
}

// fails says whether a flaky network drops a request.
func (n *network) fails(r *site.Request) bool {
	if n.cond.Fails <= 0 {
		return false
	}
	h := fnv.New32a()
	h.Write([]byte(r.URL.Href(true)))
	h.Write([]byte{byte(n.count), byte(n.count >> 8)})
	return float64(h.Sum32()%1000)/1000 < n.cond.Fails
}

// takes is how long an answer is on its way.
func (n *network) takes(r *site.Request, resp *site.Response) time.Duration {
	delay := n.cond.Latency
	if resp != nil && n.cond.BytesPerSecond > 0 && r.Method != "HEAD" && resp.Body != nil {
		delay += time.Duration(resp.Body.Len() * int64(time.Second) / n.cond.BytesPerSecond)
	}
	return delay
}
