package site

import (
	"net"
	"strings"

	weburl "github.com/nlnwa/whatwg-url/url"
)

// Trustworthy says whether a URL's origin counts as secure (Secure Contexts, 3.1).
func Trustworthy(u *weburl.Url) bool { return u.Scheme() == "https" || loopback(u.Hostname()) }

// loopback says whether a host name, as it stands in a URL, is this machine.
func loopback(host string) bool {
	ip := net.ParseIP(strings.Trim(host, "[]"))
	return ip != nil && ip.IsLoopback() || host == "localhost" || strings.HasSuffix(host, ".localhost")
}
