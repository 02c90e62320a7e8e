package fetch

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/site"
)

// forbiddenHeaders are set by the browser itself (Fetch, 2.2.2): they ask for no preflight.
var forbiddenHeaders = map[string]bool{"origin": true, "referer": true, "host": true, "cookie": true,
	"connection": true, "content-length": true, "date": true, "te": true, "via": true, "user-agent": true,
	"accept-encoding": true}

// safelistedMethods are the CORS-safelisted methods (Fetch, 2.2.1).
var safelistedMethods = []string{"GET", "HEAD", "POST"}

// corsUnsafe lists the names of the headers of a request that are no safelisted ones (Fetch, 2.2.2: CORS-unsafe
// request-header names).
func corsUnsafe(header [][2]string) (names []string) {
	size := 0
	for _, h := range header {
		name, value := strings.ToLower(h[0]), h[1]
		if forbiddenHeaders[name] || strings.HasPrefix(name, "sec-") || strings.HasPrefix(name, "proxy-") ||
			strings.HasPrefix(name, "access-control-request-") {
			continue
		}
		if size += len(value); len(value) <= 128 && size <= 1024 && Safelisted(name, value) {
			continue
		}
		names = append(names, name)
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// Safelisted is Fetch, 2.2.2: CORS-safelisted request-header.
func Safelisted(name, value string) bool {
	unsafe := strings.ContainsFunc(value, func(r rune) bool {
		return r < 0x20 && r != '\t' || strings.ContainsRune(`"():<>?@[\]{}`, r) || r == 0x7f
	})
	switch name {
	case "accept":
		return !unsafe
	case "accept-language", "content-language":
		return !strings.ContainsFunc(value, func(r rune) bool {
			return !(r >= '0' && r <= '9' || r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z' || strings.ContainsRune(" *,-.;=", r))
		})
	case "content-type":
		return !unsafe && slices.Contains([]string{"application/x-www-form-urlencoded", "multipart/form-data", "text/plain"},
			site.Essence(value))
	case "range":
		from, to, ok := strings.Cut(strings.TrimPrefix(value, "bytes="), "-")
		return ok && strings.HasPrefix(value, "bytes=") && from != "" && strings.Trim(from+to, "0123456789") == ""
	}
	return false
}

// needsPreflight says whether a cross-origin request has to be allowed by the host first (Fetch, 4.1, HTTP fetch).
func (f *fetching) needsPreflight() bool {
	return !slices.Contains(safelistedMethods, f.req.Method) || len(corsUnsafe(f.req.Header)) > 0
}

// corsPreflightFetch is "CORS-preflight fetch" (Fetch, 4.8). The preflight cache is left out: it saves requests and
// changes no answer.
func (f *fetching) corsPreflightFetch(u *whatwg.Url, allowed func()) {
	names := corsUnsafe(f.req.Header)
	header := http.Header{"Accept": {"*/*"}, "Access-Control-Request-Method": {f.req.Method},
		"Origin": {f.req.Client.Origin}}
	if len(names) > 0 {
		header.Set("Access-Control-Request-Headers", strings.Join(names, ","))
	}
	f.Network.Send(&site.Request{Method: "OPTIONS", URL: u, Header: header}, func(answer *site.Response) {
		refused := ""
		switch {
		case answer == nil:
			f.done(nil, Error{Failure: Failure{Kind: NetworkFailed}})
			return
		case !CORSCheck(answer.Header, f.req.Client.Origin, f.req.Credentials):
			refused = "its answer to the preflight (OPTIONS) has no fitting Access-Control-Allow-Origin header"
		case answer.Status < 200 || answer.Status > 299:
			refused = fmt.Sprintf("it answers the preflight (OPTIONS) with status %d", answer.Status)
		default:
			refused = f.refusedBy(answer.Header, names)
		}
		if refused != "" {
			f.refuse(Failure{Kind: NetworkFailed}, nil, u.Href(true)+" may not be asked by this site: "+refused)
			return
		}
		allowed()
	})
}

// refusedBy says what of a request the answer to its preflight does not allow, "" for nothing.
func (f *fetching) refusedBy(h http.Header, names []string) string {
	list := func(name string) (out []string) {
		for _, part := range strings.Split(strings.Join(h.Values(name), ","), ",") {
			out = append(out, strings.TrimSpace(part))
		}
		return out
	}
	any := f.req.Credentials != "include"
	methods := list("Access-Control-Allow-Methods")
	if !slices.Contains(methods, f.req.Method) && !(any && slices.Contains(methods, "*")) &&
		!slices.Contains(safelistedMethods, f.req.Method) {
		return "Access-Control-Allow-Methods lacks " + f.req.Method
	}
	headers := list("Access-Control-Allow-Headers")
	for _, name := range names {
		if !slices.ContainsFunc(headers, func(s string) bool { return strings.EqualFold(s, name) }) &&
			!(any && slices.Contains(headers, "*") && name != "authorization") {
			return "Access-Control-Allow-Headers lacks " + name
		}
	}
	return ""
}
