package serve

import (
	"fmt"
	"net/http"
	"net/http/httputil"
	"net/url"
	"strings"

	"tachyform/internal/weburl"
)

// Forward is a reverse proxy for the server that renders a site. It forwards all methods, cookies and web sockets, and translates
// origins in both directions. It rejects requests that pages of other origins cause, because they could change something there.
type Forward struct {
	origin string
	proxy  *httputil.ReverseProxy
	// Fitted, if set, adds the results of a fit to pages.
	Fitted *Fitted
	// Names also forwards requests for host names other than those of this machine.
	Names bool
}

// NewForward returns a proxy for an origin such as http://localhost:3000.
func NewForward(origin string) (*Forward, error) {
	u, err := url.Parse(origin)
	if err != nil {
		return nil, err
	}
	f := &Forward{origin: u.Scheme + "://" + u.Host}
	f.proxy = &httputil.ReverseProxy{ModifyResponse: f.modify, Rewrite: func(r *httputil.ProxyRequest) {
		r.SetURL(&url.URL{Scheme: u.Scheme, Host: u.Host})
		r.Out.Host = u.Host
		if f.Fitted != nil {
			// The transport then requests and decodes compressed responses.
			r.Out.Header.Del("Accept-Encoding")
		}
		for _, name := range []string{"Origin", "Referer"} {
			r.Out.Header.Del(name)
			if value := r.In.Header.Get(name); value != "" {
				r.Out.Header.Set(name, translate(value, ownOrigin(r.In), f.origin))
			}
		}
	}, ErrorHandler: func(w http.ResponseWriter, _ *http.Request, err error) {
		http.Error(w, fmt.Sprintf("The server at %s does not respond: %v. Start it and reload.", origin, err), http.StatusBadGateway)
	}}
	return f, nil
}

// ownOrigin returns the origin that a request was sent to.
func ownOrigin(r *http.Request) string { return "http://" + r.Host }

// translate replaces the origin of a URL, if that is from, by to.
func translate(url, from, to string) string {
	switch path := weburl.Local(url, from); {
	case url == from:
		return to
	case path != url:
		return to + path
	}
	return url
}

// isForeign reports whether a page of another origin causes a request that could change something. Top-level GET navigations
// are not foreign.
func isForeign(r *http.Request) bool {
	if r.Method == http.MethodGet && r.Header.Get("Sec-Fetch-Mode") == "navigate" && r.Header.Get("Upgrade") == "" {
		return false
	}
	origin := r.Header.Get("Origin")
	return origin != "" && !strings.EqualFold(origin, ownOrigin(r)) || r.Header.Get("Sec-Fetch-Site") == "cross-site"
}

// ServeHTTP implements http.Handler.
func (f *Forward) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch {
	case isForeign(r):
		http.Error(w, "A page of another origin sent this request. tachyform serve does not forward it.", http.StatusForbidden)
	case !f.Names && !weburl.Loopback(weburl.HostName(ownOrigin(r))):
		http.Error(w, "Requests for this host name are not forwarded. Start tachyform serve with --lan-backend to forward them.", http.StatusForbidden)
	default:
		f.proxy.ServeHTTP(w, r)
	}
}

// modify replaces the backend's origin in a response.
func (f *Forward) modify(resp *http.Response) error {
	if location := resp.Header.Get("Location"); location != "" {
		resp.Header.Set("Location", weburl.Local(location, f.origin))
	}
	cookies := resp.Header.Values("Set-Cookie")
	for i, c := range cookies {
		cookies[i] = withoutDomain(c)
	}
	if f.Fitted != nil {
		return f.Fitted.editPage(resp)
	}
	return nil
}

// withoutDomain removes the Domain attribute of a Set-Cookie value, so that the cookie belongs to the host of the response.
func withoutDomain(cookie string) string {
	parts := strings.Split(cookie, ";")
	rest := parts[:1]
	for _, p := range parts[1:] {
		if name, _, _ := strings.Cut(strings.TrimSpace(p), "="); !strings.EqualFold(name, "domain") {
			rest = append(rest, p)
		}
	}
	return strings.Join(rest, ";")
}
