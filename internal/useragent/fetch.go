package useragent

import (
	"encoding/base64"
	"net"
	"net/http"
	"net/url"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"golang.org/x/net/publicsuffix"

	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// fetch performs a request over the network, past any service worker (Fetch, 4.1 and 4.4). origin is that of who asks.
// done gets nil for a network error.
func (b *Browser) fetch(req *Request, origin string, done func(*Response)) {
	if strings.HasPrefix(req.URL, "data:") {
		b.clock.After(0, func() { done(dataResponse(req.URL)) })
		return
	}
	u, err := whatwg.Parse(req.URL)
	if err != nil || u.Scheme() != "http" && u.Scheme() != "https" {
		b.clock.After(0, func() { done(nil) })
		return
	}
	f := &fetching{b: b, req: req, origin: origin, done: done}
	f.hop(u)
}

// fetching is one fetch on its way through redirects.
type fetching struct {
	b      *Browser
	req    *Request
	origin string
	urls   []string
	// tainted is true once the request has left the asking origin.
	tainted bool
	done    func(*Response)
}

func (f *fetching) fail() { f.b.clock.After(0, func() { f.done(nil) }) }

func (f *fetching) hop(u *whatwg.Url) {
	f.urls = append(f.urls, u.Href(true))
	if weburl.Origin(u) != f.origin {
		f.tainted = true
	}
	cross := f.tainted && f.req.Mode != "navigate"
	if cross && f.req.Mode == "same-origin" || cross && f.req.Mode == "no-cors" && f.req.Redirect != "follow" {
		f.fail()
		return
	}
	header := toHTTP(f.req.Header)
	if cross && f.req.Mode == "cors" {
		header.Set("Origin", f.origin)
	}
	blind := cross && f.req.Mode == "no-cors" && f.req.embedder == "credentialless"
	if f.req.Credentials == "include" && !blind || f.req.Credentials == "same-origin" && !f.tainted {
		asking, err := whatwg.Parse(f.origin)
		from := crosses{site: err != nil || siteOf(asking) != siteOf(u), navigation: f.req.Mode == "navigate" && (f.req.Method == "GET" || f.req.Method == "HEAD")}
		if c := f.b.store.retrieve(u, from, f.b.clock.Now); c != "" {
			header.Set("Cookie", c)
		}
	}
	if cross && f.req.Mode == "cors" && f.needsPreflight() {
		f.preflight(u, func() { f.ask(u, header, cross) })
		return
	}
	f.ask(u, header, cross)
}

// ask sends one request, or takes the answer from the HTTP cache (Fetch, 4.5).
func (f *fetching) ask(u *whatwg.Url, header http.Header, cross bool) {
	sent := &site.Request{Method: f.req.Method, URL: u, Header: header}
	if kept, refuse := f.b.http.get(sent, f.req.Cache, f.b.clock.Now); kept != nil {
		f.b.clock.After(time.Millisecond, func() { f.received(u, kept, cross) })
		return
	} else if refuse {
		f.fail()
		return
	}
	f.b.net.Send(sent, func(answer *site.Response) {
		if answer == nil {
			f.done(nil)
			return
		}
		f.b.http.put(sent, answer, f.req.Cache, f.b.clock.Now)
		f.received(u, answer, cross)
	})
}

func (f *fetching) received(u *whatwg.Url, answer *site.Response, cross bool) {
	f.b.store.setCookies(u, answer.Header, f.b.clock.Now)
	if why := site.Personal(answer.Header); why != "" && !f.b.branch {
		f.b.personal[u.Href(true)] = why
	}
	if cross && f.req.Mode == "cors" && !corsAllows(answer.Header, f.origin, f.req.Credentials) {
		f.b.note(Note{Level: "error", Text: "the answer of " + u.Href(true) + " may not be read: it has no fitting Access-Control-Allow-Origin header"})
		f.done(nil)
		return
	}
	if cross && f.req.Mode == "no-cors" && !sharedWith(f.origin, u, answer.Header.Get("Cross-Origin-Resource-Policy"), f.req.embedder) {
		f.b.note(Note{Level: "error", Text: u.Href(true) + " is not for pages of other origins: its Cross-Origin-Resource-Policy and the page's Cross-Origin-Embedder-Policy forbid it"})
		f.done(nil)
		return
	}
	resp := &Response{Type: "basic", URLs: f.urls, Status: answer.Status, StatusText: answer.StatusText, Header: fromHTTP(answer.Header), Body: answer.Body, Source: Source{Kind: NetworkSource}, unknown: answer.Unknown}
	location := answer.Header.Get("Location")
	if isRedirect(answer.Status) && location != "" {
		switch f.req.Redirect {
		case "error":
			f.done(nil)
			return
		case "manual":
			if f.req.Mode == "navigate" {
				f.done(resp)
				return
			}
			f.done(&Response{Type: "opaqueredirect", URLs: f.urls[:1], Header: [][2]string{}, Source: Source{Kind: NetworkSource}, hidden: resp})
			return
		}
		next, err := u.Parse(location)
		if err != nil || len(f.urls) > 20 || next.Scheme() != "http" && next.Scheme() != "https" {
			f.done(nil)
			return
		}
		if answer.Status == 303 && f.req.Method != "HEAD" || (answer.Status == 301 || answer.Status == 302) && f.req.Method == "POST" {
			f.req.Method, f.req.body = "GET", nil
		}
		f.hop(next)
		return
	}
	if f.req.Method == "HEAD" {
		resp.Body = site.Bytes("") // browsers give an empty body where the standard has none
	}
	if answer.Status == 204 || answer.Status == 304 {
		resp.Body = nil
	}
	if f.req.Integrity != "" && !integrityHolds(f.req.Integrity, resp.Body) {
		f.b.note(Note{Level: "error", Text: "the content of " + u.Href(true) + " does not match its integrity attribute"})
		f.done(nil)
		return
	}
	f.done(filter(resp, f.req, cross))
}

// filter gives a response the form in which the request's mode lets it be seen (Fetch, 2.2.6).
func filter(resp *Response, req *Request, cross bool) *Response {
	hide := map[string]bool{"set-cookie": true, "set-cookie2": true}
	kept := [][2]string{}
	switch {
	case cross && req.Mode == "no-cors":
		return &Response{Type: "opaque", Header: [][2]string{}, Source: resp.Source, hidden: resp}
	case cross:
		resp.Type = "cors"
		exposed := map[string]bool{"cache-control": true, "content-language": true, "content-length": true, "content-type": true, "expires": true, "last-modified": true, "pragma": true}
		for _, name := range strings.Split(headerGet(resp.Header, "Access-Control-Expose-Headers"), ",") {
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

func isRedirect(status int) bool {
	return status == 301 || status == 302 || status == 303 || status == 307 || status == 308
}

// corsAllows is the CORS check (Fetch, 4.10).
func corsAllows(h http.Header, origin, credentials string) bool {
	allowed := h.Get("Access-Control-Allow-Origin")
	if allowed == "*" {
		return credentials != "include"
	}
	return allowed == origin && (credentials != "include" || h.Get("Access-Control-Allow-Credentials") == "true")
}

// sharedWith is the cross-origin resource policy check (Fetch, 3.7) for an answer from another origin.
func sharedWith(origin string, u *whatwg.Url, policy, embedder string) bool {
	switch strings.ToLower(strings.TrimSpace(policy)) {
	case "cross-origin":
		return true
	case "same-origin":
		return false
	case "same-site":
		asking, err := whatwg.Parse(origin)
		return err == nil && siteOf(asking) == siteOf(u) && (asking.Scheme() == "https" || u.Scheme() != "https")
	}
	return embedder != "require-corp"
}

// siteOf is the registrable domain of a URL's host, or the host where it has none.
func siteOf(u *whatwg.Url) string {
	if domain, err := publicsuffix.EffectiveTLDPlusOne(u.Hostname()); err == nil && net.ParseIP(u.Hostname()) == nil {
		return domain
	}
	return u.Hostname()
}

// dataResponse answers a data: URL (Fetch, 6).
func dataResponse(ref string) *Response {
	head, data, ok := strings.Cut(strings.TrimPrefix(ref, "data:"), ",")
	if !ok {
		return nil
	}
	mime := strings.TrimSpace(head)
	var body []byte
	text, err := url.PathUnescape(data)
	if err != nil {
		text = data
	}
	if m, is := strings.CutSuffix(mime, ";base64"); is {
		mime = m
		body, err = base64.RawStdEncoding.DecodeString(strings.TrimRight(strings.Join(strings.Fields(text), ""), "="))
		if err != nil {
			return nil
		}
	} else {
		body = []byte(text)
	}
	if mime == "" || strings.HasPrefix(mime, ";") {
		mime = "text/plain" + mime
		if mime == "text/plain" {
			mime += ";charset=US-ASCII"
		}
	}
	return &Response{Type: "basic", URLs: []string{ref}, Status: 200, StatusText: "OK", Header: [][2]string{{"content-type", mime}}, Body: site.Bytes(body), Source: Source{Kind: NetworkSource}}
}
