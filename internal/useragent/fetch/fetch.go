// Package fetch performs requests as the Fetch standard has it, past service workers: redirects, CORS with preflights,
// policies, integrity and the HTTP cache.
package fetch

import (
	"net"
	"net/http"
	"slices"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"golang.org/x/net/publicsuffix"

	"tachyform/internal/csp"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/network"
	"tachyform/internal/weburl"
)

// CookieJar is where a browser keeps its cookies.
type CookieJar interface {
	// Retrieve gives the cookies for a request to u as a Cookie header, "" for none (RFC 6265bis, 5.8.3).
	Retrieve(u *whatwg.Url, from Crossing, now time.Duration) string
	// SetCookies keeps what an answer's headers set (RFC 6265bis, 5.6).
	SetCookies(u *whatwg.Url, h http.Header, now time.Duration)
}

// Fetcher performs requests over the network, past any service worker.
type Fetcher struct {
	Clock   *clock.Clock
	Network *network.Network
	// Cache is the HTTP cache, nil when it is switched off.
	Cache   *HTTPCache
	Cookies CookieJar
	// Blob resolves a blob: URL to content and its type; without it there are none.
	Blob func(url string) (body site.Body, mime string, ok bool)
	// Refused is told in words why an answer is kept from who asked.
	Refused func(why string)
	// Answered is told of every answer of the network.
	Answered func(u *whatwg.Url, answer *site.Response)
}

// Fetch performs a request for its client (Fetch, 4). done gets nil for a network error.
func (f *Fetcher) Fetch(req *Request, done func(*Response)) {
	n := &fetching{Fetcher: f, req: req, done: done}
	u, err := whatwg.Parse(req.URL)
	if err != nil {
		n.networkError()
		return
	}
	n.mainFetch(u)
}

// fetching is one fetch on its way through redirects.
type fetching struct {
	*Fetcher
	req *Request
	// urls is the request's URL list.
	urls []string
	// tainted is true once the request has left the asking origin (response tainting, Fetch, 2.2.5).
	tainted bool
	done    func(*Response)
}

func (f *fetching) networkError() { f.Clock.After(0, func() { f.done(nil) }) }

// mainFetch is "main fetch" (Fetch, 4.1), as far as it concerns what workers and pages see: mixed content and
// referrers are left out.
func (f *fetching) mainFetch(u *whatwg.Url) {
	f.urls = append(f.urls, u.Href(true))
	if ShouldBeBlocked(f.req, u.Href(true), len(f.urls) > 1) {
		f.Refused("the Content-Security-Policy of the page or worker that asks does not allow " + u.Href(true))
		f.networkError()
		return
	}
	if (u.Scheme() == "data" || u.Scheme() == "blob") && len(f.urls) == 1 {
		f.schemeFetch(u.Scheme())
		return
	}
	if u.Scheme() != "http" && u.Scheme() != "https" {
		f.networkError()
		return
	}
	if weburl.Origin(u) != f.req.Client.Origin {
		f.tainted = true
	}
	if f.cross() && (f.req.Mode == request.SameOrigin || f.req.Mode == request.NoCORS && f.req.Redirect != "follow") {
		f.networkError()
		return
	}
	f.httpFetch(u)
}

// ShouldBeBlocked is "should request be blocked by Content Security Policy" (CSP 3, 4.1.2) for a request at one of the URLs of its list.
func ShouldBeBlocked(req *Request, url string, redirected bool) bool {
	return !req.Client.Policy.Allows(csp.Request{Destination: req.Destination, URL: url, Nonce: req.Nonce, ParserInserted: req.ParserInserted,
		Redirected: redirected})
}

// cross says whether the answer comes from another origin than who asks, which counts for all but page loads.
func (f *fetching) cross() bool { return f.tainted && f.req.Mode != request.Navigate }

// schemeFetch is "scheme fetch" (Fetch, 4.2) for data: and blob: URLs. What a blob's address names is looked up at once:
// it may be revoked meanwhile.
func (f *fetching) schemeFetch(scheme string) {
	answer := dataResponse
	if scheme == "blob" {
		resp := f.blobResponse()
		answer = func(string) *Response { return resp }
	}
	f.Clock.After(0, func() { f.done(answer(f.req.URL)) })
}

// httpFetch is "HTTP fetch" (Fetch, 4.3) from its step 5 on: service workers were asked before.
func (f *fetching) httpFetch(u *whatwg.Url) {
	if f.cross() && f.req.Mode == request.CORS && f.needsPreflight() {
		f.corsPreflightFetch(u, func() { f.httpNetworkOrCacheFetch(u) })
		return
	}
	f.httpNetworkOrCacheFetch(u)
}

// httpNetworkOrCacheFetch is "HTTP-network-or-cache fetch" (Fetch, 4.5).
func (f *fetching) httpNetworkOrCacheFetch(u *whatwg.Url) {
	header := ToHTTP(f.req.Header)
	if strings.HasPrefix(f.req.Referrer, "http") {
		header.Set("Referer", f.req.Referrer)
	}
	if f.cross() && f.req.Mode == request.CORS {
		header.Set("Origin", f.req.Client.Origin)
	}
	if f.includesCredentials() {
		asking, err := whatwg.Parse(f.req.Client.Origin)
		from := Crossing{Site: err != nil || SiteOf(asking) != SiteOf(u), Navigation: f.req.Mode == request.Navigate &&
			(f.req.Method == "GET" || f.req.Method == "HEAD")}
		if c := f.Cookies.Retrieve(u, from, f.Clock.Now); c != "" {
			header.Set("Cookie", c)
		}
	}
	sent := &site.Request{Method: f.req.Method, URL: u, Header: header, Body: f.req.Content}
	if kept, refuse := f.Cache.Get(sent, f.req.Cache, f.Clock.Now); kept != nil {
		f.Clock.After(time.Millisecond, func() { f.received(u, kept) })
		return
	} else if refuse {
		f.networkError()
		return
	}
	f.httpNetworkFetch(u, sent)
}

// includesCredentials says whether cookies go with the request (Fetch, 4.5, step 8.20; credentialless embedders send
// none elsewhere).
func (f *fetching) includesCredentials() bool {
	blind := f.cross() && f.req.Mode == request.NoCORS && f.req.Client.EmbedderPolicy == "credentialless"
	return f.req.Credentials == "include" && !blind || f.req.Credentials == "same-origin" && !f.tainted
}

// httpNetworkFetch is "HTTP-network fetch" (Fetch, 4.6).
func (f *fetching) httpNetworkFetch(u *whatwg.Url, sent *site.Request) {
	f.Network.Send(sent, func(answer *site.Response) {
		if answer == nil {
			f.done(nil)
			return
		}
		f.Cache.Put(sent, answer, f.req.Cache, f.Clock.Now)
		f.received(u, answer)
	})
}

// received goes on with an answer, by the rest of the steps of "HTTP fetch" and "main fetch".
func (f *fetching) received(u *whatwg.Url, answer *site.Response) {
	f.Cookies.SetCookies(u, answer.Header, f.Clock.Now)
	f.Answered(u, answer)
	if f.cross() && f.req.Mode == request.CORS && !CORSCheck(answer.Header, f.req.Client.Origin, f.req.Credentials) {
		f.Refused("the answer of " + u.Href(true) + " may not be read: it has no fitting Access-Control-Allow-Origin header")
		f.done(nil)
		return
	}
	if f.cross() && f.req.Mode == request.NoCORS && !CrossOriginResourcePolicyCheck(f.req.Client.Origin, u,
		answer.Header.Get("Cross-Origin-Resource-Policy"), f.req.Client.EmbedderPolicy) {
		f.Refused(u.Href(true) + " is not for pages of other origins: its Cross-Origin-Resource-Policy and the page's " +
			"Cross-Origin-Embedder-Policy forbid it")
		f.done(nil)
		return
	}
	resp := &Response{
		Type: "basic", URLs: f.urls, Status: answer.Status, StatusText: answer.StatusText, Header: FromHTTP(answer.Header),
		Body: answer.Body, Source: Source{Kind: NetworkSource}, Unknown: answer.Unknown,
	}
	if location := answer.Header.Get("Location"); IsRedirect(answer.Status) && location != "" {
		f.httpRedirectFetch(u, resp, location)
		return
	}
	if f.req.Method == "HEAD" {
		resp.Body = site.Bytes("") // browsers give an empty body where the standard has none
	}
	if answer.Status == 204 || answer.Status == 304 {
		resp.Body = nil
	}
	if f.req.Integrity != "" && !IntegrityHolds(f.req.Integrity, resp.Body) {
		f.Refused("the content of " + u.Href(true) + " does not match its integrity attribute")
		f.done(nil)
		return
	}
	f.done(filter(resp, f.req, f.cross()))
}

// httpRedirectFetch is "HTTP-redirect fetch" (Fetch, 4.4), and what the redirect mode makes of a redirect before
// ("HTTP fetch", step 6).
func (f *fetching) httpRedirectFetch(u *whatwg.Url, resp *Response, location string) {
	switch {
	case f.req.Redirect == "error":
		f.done(nil)
		return
	case f.req.Redirect == "manual" && f.req.Mode == request.Navigate:
		f.done(resp)
		return
	case f.req.Redirect == "manual":
		f.done(&Response{Type: "opaqueredirect", URLs: f.urls[:1], Header: [][2]string{}, Source: Source{Kind: NetworkSource},
			Internal: resp})
		return
	}
	next, err := u.Parse(location)
	if err != nil || len(f.urls) > 20 {
		f.done(nil)
		return
	}
	if resp.Status == 303 && f.req.Method != "HEAD" || (resp.Status == 301 || resp.Status == 302) &&
		f.req.Method == "POST" {
		f.req.Method, f.req.Content = "GET", nil
		f.dropHeaders("content-encoding", "content-language", "content-location", "content-type")
	}
	if weburl.Origin(next) != weburl.Origin(u) {
		f.dropHeaders("authorization")
	}
	if policy := ParseReferrerPolicy(HeaderValue(resp.Header, "Referrer-Policy")); policy != "" {
		f.req.ReferrerPolicy = policy
	}
	if f.req.Referrer != NoReferrer {
		f.req.Referrer = DetermineReferrer(f.req.ReferrerPolicy, f.req.Referrer, next.Href(true))
	}
	f.mainFetch(next)
}

// dropHeaders takes headers, by their names in lower case, out of the request.
func (f *fetching) dropHeaders(names ...string) {
	f.req.Header = slices.DeleteFunc(slices.Clone(f.req.Header), func(h [2]string) bool { return slices.Contains(names, strings.ToLower(h[0])) })
}

// filter gives a response the form in which the request's mode lets it be seen (Fetch, 2.2.6).
func filter(resp *Response, req *Request, cross bool) *Response {
	hide := map[string]bool{"set-cookie": true, "set-cookie2": true}
	kept := [][2]string{}
	switch {
	case cross && req.Mode == request.NoCORS:
		return &Response{Type: "opaque", Header: [][2]string{}, Source: resp.Source, Internal: resp}
	case cross:
		resp.Type = "cors"
		exposed := map[string]bool{"cache-control": true, "content-language": true, "content-length": true,
			"content-type": true, "expires": true, "last-modified": true, "pragma": true}
		for _, name := range strings.Split(HeaderValue(resp.Header, "Access-Control-Expose-Headers"), ",") {
			exposed[strings.ToLower(strings.TrimSpace(name))] = true
		}
		all := exposed["*"] && req.Credentials != "include"
		for _, h := range resp.Header {
			if (all || exposed[h[0]]) && !hide[h[0]] {
				kept = append(kept, h)
			}
		}
	default:
		for _, h := range resp.Header {
			if !hide[h[0]] {
				kept = append(kept, h)
			}
		}
	}
	resp.Header = kept
	return resp
}

// IsRedirect says whether a status is a redirect status (Fetch, 2.2.3).
func IsRedirect(status int) bool {
	return status == 301 || status == 302 || status == 303 || status == 307 || status == 308
}

// CORSCheck is the CORS check (Fetch, 4.10).
func CORSCheck(h http.Header, origin, credentials string) bool {
	allowed := h.Get("Access-Control-Allow-Origin")
	if allowed == "*" {
		return credentials != "include"
	}
	return allowed == origin && (credentials != "include" || h.Get("Access-Control-Allow-Credentials") == "true")
}

// CrossOriginResourcePolicyCheck is the cross-origin resource policy check (Fetch, 3.7) for an answer from another
// origin.
func CrossOriginResourcePolicyCheck(origin string, u *whatwg.Url, policy, embedder string) bool {
	switch strings.ToLower(strings.TrimSpace(policy)) {
	case "cross-origin":
		return true
	case "same-origin":
		return false
	case "same-site":
		asking, err := whatwg.Parse(origin)
		return err == nil && SiteOf(asking) == SiteOf(u) && (asking.Scheme() == "https" || u.Scheme() != "https")
	}
	return embedder != "require-corp"
}

// SiteOf is the registrable domain of a URL's host, or the host where it has none.
func SiteOf(u *whatwg.Url) string {
	if domain, err := publicsuffix.EffectiveTLDPlusOne(u.Hostname()); err == nil && net.ParseIP(u.Hostname()) == nil {
		return domain
	}
	return u.Hostname()
}
