package storage

import (
	"net"
	"net/http"
	"slices"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"golang.org/x/net/publicsuffix"

	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Cookie is one that a host or a script has set (RFC 6265bis, 5.5).
type Cookie struct {
	Name, Value string
	// Domain is that of the hosts it is for, the only one where hostOnly is set; path is what their paths begin with.
	Domain, Path     string
	hostOnly         bool
	secure, httpOnly bool
	sameSite         http.SameSite
	// expires is the virtual time at which it goes; 0 for the end of the session, which here is that of the profile.
	expires time.Duration
}

// Pair is the cookie as it is sent; one without a name is its value alone.
func (c Cookie) Pair() string {
	if c.Name == "" {
		return c.Value
	}
	return c.Name + "=" + c.Value
}

// parseCookie reads a Set-Cookie header of an answer from u (RFC 6265bis, 5.6 and 5.7); false means that it is ignored.
func parseCookie(line string, u *whatwg.Url, now time.Duration) (c Cookie, ok bool) {
	pair, rest, _ := strings.Cut(line, ";")
	name, value, named := strings.Cut(pair, "=")
	if !named {
		name, value = "", pair
	}
	nameless := strings.TrimSpace(name) == "" && strings.TrimSpace(value) != ""
	if nameless { // the library wants a name
		line = "x=" + strings.TrimSpace(value) + ";" + rest
	}
	set, err := http.ParseSetCookie(line)
	if err != nil {
		return c, false
	}
	if nameless {
		set.Name = ""
	}
	host := u.Hostname()
	c = Cookie{Name: set.Name, Value: set.Value, Domain: host, hostOnly: true, Path: set.Path, secure: set.Secure,
		httpOnly: set.HttpOnly, sameSite: set.SameSite}
	if domain := strings.TrimPrefix(strings.ToLower(set.Domain), "."); domain != "" {
		if !domainMatches(host, domain) {
			return c, false
		}
		if suffix, _ := publicsuffix.PublicSuffix(domain); suffix == domain && domain != host {
			return c, false
		}
		c.Domain, c.hostOnly = domain, domain == host && net.ParseIP(host) != nil
	}
	if !strings.HasPrefix(c.Path, "/") {
		c.Path = defaultPath(u.Pathname())
	}
	switch {
	case set.MaxAge < 0:
		c.expires = -1
	case set.MaxAge > 0:
		c.expires = now + time.Duration(min(set.MaxAge, 400*24*3600))*time.Second
	case !set.Expires.IsZero():
		if c.expires = set.Expires.Sub(clock.Epoch); c.expires <= now {
			c.expires = -1
		}
	}
	if c.secure && !weburl.Trustworthy(u) || c.sameSite == http.SameSiteNoneMode && !c.secure {
		return c, false
	}
	lower := strings.ToLower(c.Name)
	if strings.HasPrefix(lower, "__secure-") && !c.secure || strings.HasPrefix(lower, "__host-") &&
		(!c.secure || !c.hostOnly || set.Path != "/") {
		return c, false
	}
	return c, true
}

// domainMatches is RFC 6265bis, 5.1.3.
func domainMatches(host, domain string) bool {
	return host == domain || strings.HasSuffix(host, "."+domain) && net.ParseIP(host) == nil
}

// defaultPath is RFC 6265bis, 5.1.4.
func defaultPath(path string) string {
	if i := strings.LastIndexByte(path, '/'); i > 0 {
		return path[:i]
	}
	return "/"
}

// pathMatches is RFC 6265bis, 5.1.4.
func pathMatches(path, prefix string) bool {
	return path == prefix || strings.HasPrefix(path, prefix) &&
		(strings.HasSuffix(prefix, "/") || path[len(prefix)] == '/')
}

// goesTo says whether a cookie is sent to a URL, or visible to scripts there.
func (c Cookie) goesTo(u *whatwg.Url, now time.Duration) bool {
	host := u.Hostname()
	return (c.expires == 0 || c.expires > now) && (host == c.Domain || !c.hostOnly && domainMatches(host, c.Domain)) &&
		pathMatches(u.Pathname(), c.Path) && (!c.secure || weburl.Trustworthy(u))
}

// Retrieve gives the cookies for a request, those with longer paths first (RFC 6265bis, 5.8.3).
func (s *Storage) Retrieve(u *whatwg.Url, from fetch.Crossing, now time.Duration) string {
	var list []Cookie
	for _, c := range s.Cookies {
		if !c.goesTo(u, now) || from.Site && c.sameSite != http.SameSiteNoneMode && (c.sameSite == http.SameSiteStrictMode ||
			!from.Navigation) {
			continue
		}
		list = append(list, c)
	}
	slices.SortStableFunc(list, func(a, b Cookie) int { return len(b.Path) - len(a.Path) })
	var parts []string
	for _, c := range list {
		parts = append(parts, c.Pair())
	}
	return strings.Join(parts, "; ")
}

// keepCookie keeps a cookie, or takes away the one that it replaces (RFC 6265bis, 5.7).
func (s *Storage) keepCookie(c Cookie) {
	i := slices.IndexFunc(s.Cookies, func(o Cookie) bool {
		return o.Name == c.Name && o.Domain == c.Domain &&
			o.Path == c.Path
	})
	switch {
	case c.expires < 0:
		if i >= 0 {
			s.Cookies = slices.Delete(slices.Clone(s.Cookies), i, i+1)
		}
	case i >= 0:
		s.Cookies = slices.Clone(s.Cookies)
		s.Cookies[i] = c
	default:
		s.Cookies = append(s.Cookies[:len(s.Cookies):len(s.Cookies)], c)
	}
}

// ForScripts gives the cookies that scripts of a page or worker at u may read.
func (s *Storage) ForScripts(u *whatwg.Url, now time.Duration) (list []Cookie) {
	for _, c := range s.Cookies {
		if !c.httpOnly && c.goesTo(u, now) {
			list = append(list, c)
		}
	}
	return list
}

// SetCookies keeps what an answer sets.
func (s *Storage) SetCookies(u *whatwg.Url, h http.Header, now time.Duration) {
	for _, line := range h["Set-Cookie"] {
		if c, ok := parseCookie(line, u, now); ok {
			s.keepCookie(c)
		}
	}
}

// SetCookie sets one for all pages of a host; an empty value takes it away.
func (s *Storage) SetCookie(host, name, value string) {
	c := Cookie{Name: name, Value: value, Domain: host, hostOnly: true, Path: "/"}
	if value == "" {
		c.expires = -1
	}
	s.keepCookie(c)
}
