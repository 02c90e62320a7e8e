// Package network carries requests to hosts under a condition of the network, on virtual time.
package network

import (
	"context"
	"errors"
	"hash/fnv"
	"net/http"
	"slices"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/condition"
	"tachyform/internal/site"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/weburl"
)

// Network carries requests to hosts under a condition.
type Network struct {
	Context   context.Context
	Hosts     map[string]site.Host
	Condition condition.Condition
	Clock     *clock.Clock
	Count     int
	Asked     map[string]bool // addresses without their queries, of which it knows no end otherwise
	// Refuses, if set, tells addresses at which nothing listens.
	Refuses func(url string) bool
	// Seen is told of each request that leaves and of what came back; the response is nil for a failure.
	Seen func(*site.Request, *site.Response)
	// NotSent are requests that a host was not asked, since they might change something there: method and address.
	NotSent []string
}

// unknown answers for origins of which nothing is known but that pages ask them: reachable, content unknown.
type unknown struct{ origin string }

func (u unknown) Origin() string { return u.origin }
func (u unknown) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	// Whatever is asked of it is allowed: nothing is known that speaks against it. It names no type, which would be
	// judged.
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

func (n *Network) host(u *whatwg.Url) site.Host {
	origin := weburl.Origin(u)
	if h := n.Hosts[origin]; h != nil {
		return h
	}
	return unknown{origin}
}

// Send carries one request; done gets nil when the connection fails. Under a stalled network done is never called.
func (n *Network) Send(r *site.Request, done func(*site.Response)) {
	n.ask(r)
	switch {
	case n.Condition.Refuses, n.Refuses != nil && n.Refuses(r.URL.Href(true)):
		n.note(r, nil)
		n.Clock.After(time.Millisecond, func() { done(nil) })
		return
	case n.Condition.Stalls:
		n.note(r, nil)
		return
	case n.fails(r):
		n.note(r, nil)
		n.Clock.After(n.Condition.Latency, func() { done(nil) })
		return
	}
	resp, err := n.host(r.URL).Answer(n.Context, r)
	if err != nil {
		n.held(r, err)
		n.note(r, nil)
		n.Clock.After(n.Condition.Latency, func() { done(nil) })
		return
	}
	n.note(r, resp)
	n.Clock.After(n.takes(r, resp), func() { done(resp) })
}

// held notes a request that was not sent.
func (n *Network) held(r *site.Request, err error) {
	if what := r.Method + " " + r.URL.Href(true); errors.Is(err, site.ErrNotSent) && !slices.Contains(n.NotSent, what) {
		n.NotSent = append(n.NotSent, what)
	}
}

func (n *Network) ask(r *site.Request) {
	n.Count++
	if n.Asked == nil {
		n.Asked = map[string]bool{}
	}
	n.Asked[r.URL.Pathname()] = true
}

func (n *Network) note(r *site.Request, resp *site.Response) {
	if n.Seen != nil {
		n.Seen(r, resp)
	}
}

// SendNow asks in the middle of a turn, which needs a script's text before it goes on: the clock is put forward by the
// time that it takes.
func (n *Network) SendNow(r *site.Request) *site.Response {
	n.ask(r)
	if n.Condition.Refuses || n.Condition.Stalls {
		n.note(r, nil)
		return nil
	}
	if n.fails(r) {
		n.note(r, nil)
		n.Clock.Now += n.Condition.Latency
		return nil
	}
	resp, err := n.host(r.URL).Answer(n.Context, r)
	if err != nil {
		n.held(r, err)
		resp = nil
	}
	n.note(r, resp)
	// Whoever asks waits for it, and all else waits too.
	n.Clock.Now += n.takes(r, resp)
	return resp
}

// fails says whether a flaky network drops a request.
func (n *Network) fails(r *site.Request) bool {
	if n.Condition.Fails <= 0 {
		return false
	}
	h := fnv.New32a()
	h.Write([]byte(r.URL.Href(true)))
	h.Write([]byte{byte(n.Count), byte(n.Count >> 8)})
	return float64(h.Sum32()%1000)/1000 < n.Condition.Fails
}

// bytesPerPacket is about what one packet of a network holds.
const bytesPerPacket = 1400

// takes is how long an answer is on its way.
func (n *Network) takes(r *site.Request, resp *site.Response) time.Duration {
	delay := n.Condition.Latency
	if resp != nil {
		delay += resp.Delay
	}
	if resp != nil && n.Condition.BytesPerSecond > 0 && r.Method != "HEAD" && resp.Body != nil {
		// What fits into the packet of its head is there with it, so that short answers come in the order of the requests.
		packets := resp.Body.Len() / bytesPerPacket
		delay += time.Duration(packets * bytesPerPacket * int64(time.Second) / n.Condition.BytesPerSecond)
	}
	return delay
}
