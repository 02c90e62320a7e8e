package fetch

import (
	"slices"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// httpFetch is "HTTP fetch" (Fetch, 4.3).
func (f *fetching) httpFetch() {
	// 5: no worker hears of plugins.
	plugin := f.req.Destination == request.Object || f.req.Destination == request.Embed
	if f.req.HandleFetch == nil || plugin {
		f.pastServiceWorkers()
		return
	}
	f.req.HandleFetch(f.req, func(resp *Response, by Answerer) {
		switch {
		case by == Nobody:
			// 6.2
			if f.req.Redirect == "follow" {
				f.req.HandleFetch = nil
			}
			f.pastServiceWorkers()
		case resp == nil && by == ByNetwork:
			f.done(nil, Error{Failure: Failure{Kind: NetworkFailed}})
		case resp == nil:
			f.done(nil, Error{Failure: Failure{Kind: WorkerFailed}})
		default:
			resp.ByWorker = by == ByWorker
			if why := ResponseAllowed(f.req, resp); why.Kind != NoFailure {
				f.done(nil, Error{Failure: why})
				return
			}
			f.responded(resp)
		}
	})
}

// pastServiceWorkers is "HTTP fetch" (Fetch, 4.3, step 6) where no service worker answers.
func (f *fetching) pastServiceWorkers() {
	if f.cross() && f.req.Mode == request.CORS && f.needsPreflight() {
		f.corsPreflightFetch(f.at, f.httpNetworkOrCacheFetch)
		return
	}
	f.httpNetworkOrCacheFetch()
}

// ResponseAllowed says whether a service worker's response may be given to a request (Fetch, 4.3, step 5.6).
func ResponseAllowed(req *Request, resp *Response) Failure {
	switch {
	case req.Mode == request.Navigate && resp.Type == "opaque":
		return Failure{Kind: OpaqueDocument}
	case req.Mode == request.Navigate && len(resp.URLs) > 1:
		return Failure{Kind: RedirectedDocument}
	case resp.Type == "error",
		req.Mode == request.SameOrigin && resp.Type == "cors",
		req.Mode != request.NoCORS && resp.Type == "opaque",
		req.Redirect != "manual" && resp.Type == "opaqueredirect",
		req.Redirect != "follow" && len(resp.URLs) > 1,
		!mayEmbed(req, resp):
		return Failure{Kind: WorkerFailed}
	}
	return Failure{}
}

// mayEmbed is the cross-origin resource policy check for an opaque answer of a worker (Fetch, 4.3).
func mayEmbed(req *Request, resp *Response) bool {
	if resp.Type != "opaque" || req.Client.EmbedderPolicy == "" {
		return true
	}
	actual := resp.Actual()
	u, err := whatwg.Parse(actual.URL())
	return err != nil || CrossOriginResourcePolicyCheck(req.Client.Origin, u,
		HeaderValue(actual.Header, "Cross-Origin-Resource-Policy"), req.Client.EmbedderPolicy)
}

// responded is "HTTP fetch" (Fetch, 4.3) once there is a response: a redirect is followed, or not, by the request's redirect mode.
func (f *fetching) responded(resp *Response) {
	if !IsRedirect(resp.Actual().Status) || resp.Type == "opaqueredirect" && f.req.Mode != request.Navigate {
		f.finish(resp)
		return
	}
	switch {
	case f.req.Redirect == "error":
		f.done(nil, Error{Failure: Failure{Kind: NetworkFailed}})
	case f.req.Redirect == "manual" && f.req.Mode == request.Navigate:
		f.redirect = resp.Actual()
		f.finish(resp)
	case f.req.Redirect == "manual":
		f.done(&Response{Type: "opaqueredirect", URLs: f.urls[:1], Header: [][2]string{}, Source: resp.Source, ByWorker: resp.ByWorker,
			Internal: resp}, Error{})
	default:
		f.httpRedirectFetch(resp)
	}
}

// httpRedirectFetch is "HTTP-redirect fetch" (Fetch, 4.4).
func (f *fetching) httpRedirectFetch(resp *Response) {
	location, has, err := resp.locationURL(f.at)
	switch {
	case !has:
		f.finish(resp)
		return
	case err != nil, location.Scheme() != "http" && location.Scheme() != "https":
		f.done(nil, Error{Failure: Failure{Kind: RedirectsElsewhere, Detail: resp.Get("location")}})
		return
	case len(f.urls) > 20:
		f.done(nil, Error{Failure: Failure{Kind: TooManyRedirects}})
		return
	}
	if resp.Status == 303 && f.req.Method != "GET" && f.req.Method != "HEAD" || (resp.Status == 301 || resp.Status == 302) &&
		f.req.Method == "POST" {
		f.req.Method, f.req.Content = "GET", nil
		f.dropHeaders("content-encoding", "content-language", "content-location", "content-type")
	}
	if weburl.Origin(location) != weburl.Origin(f.at) {
		f.dropHeaders("authorization")
	}
	// "set request's referrer policy on redirect" (Referrer Policy, 8.2)
	if policy := ParseReferrerPolicy(resp.Get("referrer-policy")); policy != "" {
		f.req.ReferrerPolicy = policy
	}
	f.mainFetch(location)
}

// dropHeaders takes headers, by their names in lower case, out of the request.
func (f *fetching) dropHeaders(names ...string) {
	f.req.Header = slices.DeleteFunc(slices.Clone(f.req.Header), func(h [2]string) bool { return slices.Contains(names, strings.ToLower(h[0])) })
}

// httpNetworkOrCacheFetch is "HTTP-network-or-cache fetch" (Fetch, 4.5).
func (f *fetching) httpNetworkOrCacheFetch() {
	header := ToHTTP(f.req.Header)
	if strings.HasPrefix(f.req.Referrer, "http") {
		header.Set("Referer", f.req.Referrer)
	}
	if f.cross() && f.req.Mode == request.CORS {
		header.Set("Origin", f.req.Client.Origin)
	}
	if f.includesCredentials() {
		if c := f.Cookies.Retrieve(f.at, f.crossing(), f.clock().Now); c != "" {
			header.Set("Cookie", c)
		}
	}
	sent := &site.Request{Method: f.req.Method, URL: f.at, Header: header, Body: f.req.Content}
	if kept, refuse := f.Cache.Get(sent, f.req.Cache, f.clock().Now); kept != nil {
		f.after(time.Millisecond, func() { f.received(kept) })
		return
	} else if refuse {
		f.networkError(Failure{Kind: NetworkFailed})
		return
	}
	f.httpNetworkFetch(sent)
}

// crossing says how the request goes from one site to another, for cookies. A page that a person opens comes from nowhere.
func (f *fetching) crossing() Crossing {
	if f.req.Mode == request.Navigate {
		return Crossing{Navigation: f.req.Method == "GET" || f.req.Method == "HEAD"}
	}
	asking, err := whatwg.Parse(f.req.Client.Origin)
	return Crossing{Site: err != nil || SiteOf(asking) != SiteOf(f.at)}
}

// includesCredentials says whether cookies go with the request (Fetch, 4.5, step 8.20; credentialless embedders send
// none elsewhere).
func (f *fetching) includesCredentials() bool {
	blind := f.cross() && f.req.Mode == request.NoCORS && f.req.Client.EmbedderPolicy == "credentialless"
	return f.req.Credentials == "include" && !blind || f.req.Credentials == "same-origin" && !f.tainted
}

// httpNetworkFetch is "HTTP-network fetch" (Fetch, 4.6).
func (f *fetching) httpNetworkFetch(sent *site.Request) {
	f.Network.Send(sent, func(answer *site.Response) {
		if answer == nil {
			f.done(nil, Error{Failure: Failure{Kind: NetworkFailed}})
			return
		}
		f.Cache.Put(sent, answer, f.req.Cache, f.clock().Now)
		f.received(answer)
	})
}

// received makes a response of what the network or the HTTP cache answered, and goes on with the steps of "HTTP fetch".
func (f *fetching) received(answer *site.Response) {
	f.Cookies.SetCookies(f.at, answer.Header, f.clock().Now)
	f.Answered(f.at, answer)
	resp := &Response{
		Type: "basic", URLs: f.urls, Status: answer.Status, StatusText: answer.StatusText, Header: FromHTTP(answer.Header),
		Body: answer.Body, Source: Source{Kind: NetworkSource}, Unknown: answer.Unknown,
	}
	if f.cross() && f.req.Mode == request.CORS && !CORSCheck(answer.Header, f.req.Client.Origin, f.req.Credentials) {
		f.refuse(Failure{Kind: NetworkFailed}, nil, "the answer of "+f.req.URL+" may not be read: it has no fitting Access-Control-Allow-Origin header")
		return
	}
	if f.cross() && f.req.Mode == request.NoCORS && !CrossOriginResourcePolicyCheck(f.req.Client.Origin, f.at,
		answer.Header.Get("Cross-Origin-Resource-Policy"), f.req.Client.EmbedderPolicy) {
		f.refuse(Failure{Kind: NetworkFailed}, nil, f.req.URL+" is not for pages of other origins: its Cross-Origin-Resource-Policy and the page's "+
			"Cross-Origin-Embedder-Policy forbid it")
		return
	}
	if IsRedirect(answer.Status) && answer.Header.Get("Location") != "" {
		f.responded(resp)
		return
	}
	if f.req.Method == "HEAD" {
		resp.Body = site.Bytes("") // browsers give an empty body where the standard has none
	}
	if answer.Status == 204 || answer.Status == 304 {
		resp.Body = nil
	}
	f.finish(filter(resp, f.req, f.cross()))
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
