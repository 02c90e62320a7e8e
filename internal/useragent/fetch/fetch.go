// Package fetch performs requests as the Fetch standard has it: policies, referrers, service workers, redirects, CORS with
// preflights, the HTTP cache, integrity, and the checks of media types.
package fetch

import (
	"context"
	"net/http"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/condition"
	"tachyform/internal/site"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/network"
)

// CookieJar is where a browser keeps its cookies.
type CookieJar interface {
	// Retrieve gives the cookies for a request to u as a Cookie header, "" for none (RFC 6265bis, 5.8.3).
	Retrieve(u *whatwg.Url, from Crossing, now time.Duration) string
	// SetCookies keeps what an answer's headers set (RFC 6265bis, 5.6).
	SetCookies(u *whatwg.Url, h http.Header, now time.Duration)
}

// Fetcher performs requests. The first fields are what it is made with.
type Fetcher struct {
	Clock *clock.Clock
	// Network carries what is sent.
	Network *Network
	// Cache is the HTTP cache, nil when it is switched off.
	Cache   *HTTPCache
	Cookies CookieJar
	// Blob resolves a blob: URL to content and its type; without it there are none.
	Blob func(url string) (body site.Body, mime string, ok bool)
	// Refused is told in words why an answer is kept from who asked.
	Refused func(why string)
	// Answered is told of every answer of the network.
	Answered func(u *whatwg.Url, answer *site.Response)

	// own is the clock of a request that a script waits for in the middle of its turn, nil for none.
	own *clock.Clock
}

// Network carries requests to hosts.
type Network = network.Network

// NewNetwork gives the network of a browser, which reaches the given hosts by origin; others count as reachable, with unknown
// content.
func NewNetwork(ctx context.Context, hosts map[string]site.Host, c condition.Condition) *Network {
	return &Network{Context: ctx, Hosts: hosts, Condition: c}
}

// Error is why a fetch came to a network error. Its zero value is none.
type Error struct {
	Failure
	// Answer is what came and may not be read, nil where nothing came.
	Answer *Response
}

// Handler is "Handle Fetch" (Service Workers) for a request: it lets the service worker answer that is there for it. done is told
// what came of it: by is Nobody where no worker answers, so that the network does, and ByNetwork where a worker's route had asked
// the network already.
type Handler func(req *Request, done func(resp *Response, by Answerer))

// Fetch performs a request (Fetch, 4, "fetch"). done gets nil and the reason for a network error. The request is changed as it
// goes on: its referrer, and its method, headers and body by redirects.
func (f *Fetcher) Fetch(req *Request, done func(*Response, Error)) {
	n := &fetching{Fetcher: f, req: req, done: done}
	req.fetching = n
	u, err := whatwg.Parse(req.URL)
	if err != nil {
		n.networkError(Failure{Kind: NetworkFailed})
		return
	}
	n.mainFetch(u)
}

// longestWait is how long a script may wait for a request in the middle of its turn, in virtual time.
const longestWait = time.Minute

// FetchNow is Fetch for a script that waits in the middle of its turn: nothing else goes on, and the clock is put forward by the
// time that it takes. A request that nobody answers is a network error at once.
func (f *Fetcher) FetchNow(req *Request) (resp *Response, why Error) {
	inside := &clock.Clock{Context: f.Clock.Context, Now: f.Clock.Now}
	outer, network := f.own, f.Network.Clock
	f.own, f.Network.Clock = inside, inside
	done := false
	f.Fetch(req, func(r *Response, e Error) { resp, why, done = r, e, true })
	inside.Run(func() bool { return done }, inside.Now+longestWait)
	f.own, f.Network.Clock = outer, network
	if !done {
		return nil, Error{Failure: Failure{Kind: NetworkFailed}}
	}
	f.Clock.Now = max(f.Clock.Now, inside.Now)
	return resp, why
}

// after runs a step of a fetch in a task of its own.
func (f *Fetcher) after(d time.Duration, step func()) { f.clock().After(d, step) }

func (f *Fetcher) clock() *clock.Clock {
	if f.own != nil {
		return f.own
	}
	return f.Clock
}

// Online says whether the network takes connections, so that what waits for one may go on.
func (f *Fetcher) Online() bool { return !f.Network.Condition.Refuses }

// Context ends all that is under way.
func (f *Fetcher) Context() context.Context { return f.Network.Context }

// ProcessNextManualRedirect is "process the next manual redirect" (Fetch, 2) for a navigation whose last answer was one; it goes
// on as Fetch does.
func (req *Request) ProcessNextManualRedirect() {
	req.fetching.httpRedirectFetch(req.fetching.redirect)
}
