// Package weburl answers the few questions about URLs that all packages ask: of their origins, and of what they are
// without query or fragment. Parsing itself is the URL library's.
package weburl

import (
	"net"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"
)

// Origin is the serialised origin of a URL that has one (URL, 4.7: http, https, ws, wss, ftp). For others it is the
// scheme and ://, which no host's origin equals.
func Origin(u *whatwg.Url) string { return u.Protocol() + "//" + u.Host() }

// OriginOf is Origin for the text of an absolute URL in its normal form; that of a blob is the one that made it. For what
// is no such URL it gives the text itself.
func OriginOf(url string) string {
	url = strings.TrimPrefix(url, "blob:")
	i := strings.Index(url, "://")
	if i < 0 {
		return url
	}
	if j := strings.IndexAny(url[i+3:], "/?#"); j >= 0 {
		return url[:i+3+j]
	}
	return url
}

// HostName is the host of an origin, without its port; of an address of IPv6 with its brackets.
func HostName(origin string) string {
	_, host, _ := strings.Cut(origin, "://")
	if i := strings.LastIndexByte(host, ':'); i > strings.LastIndexByte(host, ']') {
		host = host[:i]
	}
	return host
}

// WithoutFragment gives a URL without its fragment.
func WithoutFragment(url string) string {
	url, _, _ = strings.Cut(url, "#")
	return url
}

// WithoutQuery gives a URL without its query and fragment.
func WithoutQuery(url string) string {
	url, _, _ = strings.Cut(WithoutFragment(url), "?")
	return url
}

// Local gives a URL of an origin as path, query and fragment, and any other as it is; the origin alone is /.
func Local(url, origin string) string {
	rest, ok := strings.CutPrefix(url, origin)
	switch {
	case !ok || rest != "" && !strings.ContainsAny(rest[:1], "/?#"):
		return url
	case rest == "":
		return "/"
	}
	return rest
}

// Trustworthy says whether a URL's origin counts as secure (Secure Contexts, 3.1).
func Trustworthy(u *whatwg.Url) bool { return u.Scheme() == "https" || Loopback(u.Hostname()) }

// Loopback says whether a host name, as it stands in a URL, is this machine.
func Loopback(host string) bool {
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return ip != nil && ip.IsLoopback() || host == "localhost" || strings.HasSuffix(host, ".localhost")
}

// Hostless says whether an address holds its content or names what a script holds, so that no host is asked (Fetch, 2.1:
// local schemes).
func Hostless(url string) bool { return hasScheme(url, "data:") || hasScheme(url, "blob:") }

func hasScheme(url, scheme string) bool {
	return len(url) > len(scheme) && strings.EqualFold(url[:len(scheme)], scheme)
}
