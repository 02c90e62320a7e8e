package fetch

import (
	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/csp"
	"tachyform/internal/request"
	"tachyform/internal/weburl"
)

// fetching is one fetch on its way through redirects (Fetch, 2: fetch params).
type fetching struct {
	*Fetcher
	req *Request
	// urls is the request's URL list, at the one that it is at now.
	urls []string
	at   *whatwg.Url
	// tainted is true once the request has left the asking origin (response tainting, Fetch, 2.2.5).
	tainted bool
	// redirect is the answer whose redirect is followed next by who asked.
	redirect *Response
	done     func(*Response, Error)
}

func (f *fetching) networkError(why Failure) {
	f.after(0, func() { f.done(nil, Error{Failure: why}) })
}

// refuse ends the fetch with a network error since what came may not be read; text, if set, is told to developers.
func (f *fetching) refuse(why Failure, answer *Response, text string) {
	if text != "" {
		f.Refused(text)
	}
	f.done(nil, Error{why, answer})
}

// mainFetch is "main fetch" (Fetch, 4.1).
func (f *fetching) mainFetch(u *whatwg.Url) {
	// 5–7: mixed content is upgraded or blocked, policies are asked.
	f.req.upgradeMixedContent(u)
	f.at, f.req.URL = u, u.Href(false)
	f.urls = append(f.urls, u.Href(true))
	if shouldBeBlockedAsMixedContent(f.req, u) {
		f.Refused("the page at " + f.req.Client.Origin + " was loaded over https: browsers do not ask for " + f.req.URL)
		f.networkError(Failure{Kind: MixedContent})
		return
	}
	if shouldBeBlocked(f.req, len(f.urls) > 1) {
		f.Refused("the Content-Security-Policy of the page or worker that asks does not allow " + f.req.URL)
		f.networkError(Failure{Kind: PolicyForbids})
		return
	}
	// 8 and 9: the referrer.
	f.req.determineReferrer()
	// 12
	switch f.at.Scheme() {
	case "data", "blob":
		f.schemeFetch()
		return
	case "http", "https":
	default:
		f.networkError(Failure{Kind: NetworkFailed})
		return
	}
	if weburl.Origin(u) != f.req.Client.Origin {
		f.tainted = true
	}
	if f.cross() && (f.req.Mode == request.SameOrigin || f.req.Mode == request.NoCORS && f.req.Redirect != "follow") {
		f.networkError(Failure{Kind: NetworkFailed})
		return
	}
	f.httpFetch()
}

// finish is the end of "main fetch" (Fetch, 4.1, from step 14 on): the response is filtered and checked.
func (f *fetching) finish(resp *Response) {
	internal := resp.Actual()
	if len(internal.URLs) == 0 {
		internal.URLs, internal.Made = f.urls, true
		resp.URLs, resp.Made = f.urls, true
	}
	if resp.Type == "default" && !f.cross() {
		resp.Type = "basic" // a filtered response
	}
	if why := f.req.blockedByType(internal); why.Kind != NoFailure {
		f.refuse(why, internal, "")
		return
	}
	if why := CheckIntegrity(f.req.Integrity, resp); why.Kind != NoFailure {
		f.refuse(why, internal, "the content of "+f.req.URL+" does not match its integrity attribute")
		return
	}
	f.done(resp, Error{})
}

// shouldBeBlocked is "should request be blocked by Content Security Policy" (CSP 3, 4.1.2) for a request at the URL that it is at.
func shouldBeBlocked(req *Request, redirected bool) bool {
	return !req.Client.Policy.Allows(csp.Request{Destination: req.Destination, URL: weburl.WithoutFragment(req.URL), Nonce: req.Nonce, ParserInserted: req.ParserInserted,
		Redirected: redirected})
}

// cross says whether the answer comes from another origin than who asks, which counts for all but page loads.
func (f *fetching) cross() bool { return f.tainted && f.req.Mode != request.Navigate }

// schemeFetch is "scheme fetch" (Fetch, 4.2) for data: and blob: URLs. What a blob's address names is looked up at once:
// it may be revoked meanwhile.
func (f *fetching) schemeFetch() {
	var resp *Response
	if f.at.Scheme() == "blob" {
		resp = f.blobResponse()
	} else {
		resp = dataResponse(f.at.Href(true))
	}
	if resp == nil {
		f.networkError(Failure{Kind: NetworkFailed})
		return
	}
	f.after(0, func() { f.finish(resp) })
}
