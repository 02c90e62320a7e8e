package serve

import (
	"cmp"
	"fmt"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"strings"
)

// Forward passes requests on to a server behind the host, with all methods, cookies and web sockets, and gives its answers as those of
// the server here. Requests that other pages cause are refused: they may change something there.
type Forward struct {
	backend *url.URL
	proxy   *httputil.ReverseProxy
	// Names says that requests for names other than this machine's own are passed on too.
	Names bool
}

// NewForward forwards to an origin.
func NewForward(origin string) (*Forward, error) {
	u, err := url.Parse(origin)
	if err != nil {
		return nil, err
	}
	f := &Forward{backend: &url.URL{Scheme: u.Scheme, Host: u.Host}}
	f.proxy = &httputil.ReverseProxy{Rewrite: f.rewrite, ModifyResponse: f.modify, ErrorHandler: func(w http.ResponseWriter, _ *http.Request, err error) {
		http.Error(w, fmt.Sprintf("The server at %s does not answer: %v", origin, err), http.StatusBadGateway)
	}}
	return f, nil
}

// own is the origin under which a request has come.
func own(r *http.Request) string { return "http://" + r.Host }

// foreign says whether a page of another origin causes a request that may change something: all but page loads with GET.
func foreign(r *http.Request) bool {
	navigation := r.Method == http.MethodGet && r.Header.Get("Sec-Fetch-Mode") == "navigate" && r.Header.Get("Upgrade") == ""
	if navigation {
		return false
	}
	origin := r.Header.Get("Origin")
	return origin != "" && !strings.EqualFold(origin, own(r)) || r.Header.Get("Sec-Fetch-Site") == "cross-site"
}

// local says whether a request names this machine itself.
func local(r *http.Request) bool {
	host, _, err := net.SplitHostPort(r.Host)
	if err != nil {
		host = r.Host
	}
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return strings.EqualFold(host, "localhost") || ip != nil && ip.IsLoopback()
}

// ServeHTTP implements http.Handler.
func (f *Forward) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch {
	case foreign(r):
		http.Error(w, "A page of another origin has asked for this. tachyform serve passes such requests on to nobody.", http.StatusForbidden)
	case !f.Names && !local(r):
		http.Error(w, "Requests for this name are not passed on to the server behind; --lan-backend allows it.", http.StatusForbidden)
	default:
		f.proxy.ServeHTTP(w, r)
	}
}

func (f *Forward) rewrite(r *httputil.ProxyRequest) {
	here, there := own(r.In), f.backend.Scheme+"://"+f.backend.Host
	r.SetURL(f.backend)
	r.Out.Host = f.backend.Host
	for _, name := range []string{"Origin", "Referer"} {
		if value := r.In.Header.Get(name); strings.HasPrefix(value, here) {
			r.Out.Header.Set(name, there+strings.TrimPrefix(value, here))
		}
	}
	r.Out.Header.Del("Accept-Encoding") // answers are read here
}

// modify has an answer speak of the server here instead of the one behind it.
func (f *Forward) modify(resp *http.Response) error {
	there := f.backend.Scheme + "://" + f.backend.Host
	if location := resp.Header.Get("Location"); location != "" && strings.HasPrefix(location, there) {
		resp.Header.Set("Location", cmp.Or(strings.TrimPrefix(location, there), "/"))
	}
	cookies := resp.Header.Values("Set-Cookie")
	for i, c := range cookies {
		cookies[i] = withoutDomain(c)
	}
	return nil
}

// withoutDomain takes the attribute Domain out of a cookie, which then belongs to the host that it came from.
func withoutDomain(cookie string) string {
	parts := strings.Split(cookie, ";")
	kept := parts[:1]
	for _, p := range parts[1:] {
		if name, _, _ := strings.Cut(strings.TrimSpace(p), "="); !strings.EqualFold(name, "domain") {
			kept = append(kept, p)
		}
	}
	return strings.Join(kept, ";")
}
