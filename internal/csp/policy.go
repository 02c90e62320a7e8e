// Package csp reads content security policies and says what they let through (CSP 3).
package csp

import (
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	neturl "net/url"
	"slices"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/request"
	"tachyform/internal/weburl"
)

// Policy is what Content-Security-Policy headers and meta elements allow together (CSP 3); nil allows everything.
type Policy struct {
	origin string
	list   []map[string][]string // each policy: directive to sources
}

// Parse reads policies, each as one header field or the content of a meta element. url is that of the document or
// script they hold for.
func Parse(url string, texts []string) *Policy {
	p := &Policy{origin: originOf(url)}
	for _, text := range texts {
		for _, one := range strings.Split(text, ",") {
			directives := map[string][]string{}
			for _, d := range strings.Split(one, ";") {
				fields := strings.Fields(d)
				if len(fields) == 0 {
					continue
				}
				if name := strings.ToLower(fields[0]); directives[name] == nil {
					directives[name] = append([]string{}, fields[1:]...)
				}
			}
			if len(directives) > 0 {
				p.list = append(p.list, directives)
			}
		}
	}
	if len(p.list) == 0 {
		return nil
	}
	return p
}

// Sandbox says of a document's Content-Security-Policy header whether it takes the document its origin and its scripts
// (CSP 3, 6.3.2; in a meta element the directive has no effect).
func Sandbox(header string) (opaque, scriptless bool) {
	for _, one := range strings.Split(header, ",") {
		for _, d := range strings.Split(one, ";") {
			if fields := strings.Fields(strings.ToLower(d)); len(fields) > 0 && fields[0] == "sandbox" {
				opaque = opaque || !holds(fields[1:], "allow-same-origin")
				scriptless = scriptless || !holds(fields[1:], "allow-scripts")
			}
		}
	}
	return opaque, scriptless
}

// MayFrame says whether headers let a document at url stand in a frame of a page (CSP 3, 6.4.2; HTML, 7.4.6.3).
func MayFrame(url, policy, frameOptions, holder string) bool {
	p := Parse(url, []string{policy})
	if p != nil {
		said := false
		for _, policy := range p.list {
			if sources, ok := policy["frame-ancestors"]; ok {
				said = true
				if !p.matchesAny(sources, originOf(holder)+"/", false) {
					return false
				}
			}
		}
		if said {
			return true
		}
	}
	switch strings.ToLower(strings.TrimSpace(frameOptions)) {
	case "deny":
		return false
	case "sameorigin":
		return originOf(url) == originOf(holder)
	}
	return true
}

func originOf(url string) string {
	u, err := whatwg.Parse(url)
	if err != nil {
		return ""
	}
	return weburl.Origin(u)
}

// fallbacks are where a directive's sources come from when it is not there (CSP 3, 6.1).
var fallbacks = map[string][]string{
	"worker-src": {"child-src", "script-src", "default-src"}, "frame-src": {"child-src",
		"default-src"}, "script-src-elem": {"script-src", "default-src"},
	"style-src-elem": {"style-src", "default-src"}, "style-src-attr": {"style-src",
		"default-src"}, "manifest-src": {"default-src"}, "connect-src": {"default-src"},
	"img-src": {"default-src"}, "font-src": {"default-src"}, "media-src": {"default-src"}, "object-src": {"default-src"},
	"script-src": {"default-src"},
}

// DirectiveFor names the directive that governs a destination (CSP 3, 6.8.1).
func DirectiveFor(destination request.Destination) string {
	switch destination {
	case request.Style:
		return "style-src-elem"
	case request.Script:
		return "script-src-elem"
	case request.Image:
		return "img-src"
	case request.Font:
		return "font-src"
	case request.Audio, request.Video, request.Track:
		return "media-src"
	case request.Frame:
		return "frame-src"
	case request.Embed, request.Object:
		return "object-src"
	case request.Manifest:
		return "manifest-src"
	case request.Worker, request.SharedWorker, request.ServiceWorker:
		return "worker-src"
	case request.Data:
		return "connect-src"
	}
	return ""
}

// Request is what a policy is asked about (CSP 3, 4.1.2).
type Request struct {
	Destination request.Destination
	URL         string
	// Nonce is that of the element that asks; ParserInserted says that the parser made it, rather than a script.
	Nonce          string
	ParserInserted bool
	// Redirected says that a redirect leads to URL: the paths of source expressions do not count then.
	Redirected bool
}

// Allows says whether a request may be made ("should request be blocked by Content Security Policy", CSP 3, 4.1.2). What scripts fetch, whose
// destination is "", is governed by connect-src.
func (p *Policy) Allows(r Request) bool {
	if p == nil {
		return true
	}
	for _, policy := range p.list {
		if !p.preRequestCheck(policy, r) {
			return false
		}
	}
	return true
}

// preRequestCheck is the pre-request check of the directive of a policy that governs a request (CSP 3, 6.1).
func (p *Policy) preRequestCheck(policy map[string][]string, r Request) bool {
	directive := DirectiveFor(r.Destination)
	name, sources, ok := effective(policy, directive)
	switch {
	case !ok:
		return true
	case strings.HasPrefix(name, "script-src") || strings.HasPrefix(directive, "script-src"):
		return p.scriptPreRequestCheck(sources, r)
	case strings.HasPrefix(directive, "style-src") && hasNonce(sources, r.Nonce):
		return true
	}
	return p.matchesAny(sources, r.URL, r.Redirected)
}

// scriptPreRequestCheck is the "script directives pre-request check" (CSP 3, 6.7.1.1).
func (p *Policy) scriptPreRequestCheck(sources []string, r Request) bool {
	switch {
	case hasNonce(sources, r.Nonce):
		return true
	case holds(sources, "'strict-dynamic'"):
		return !r.ParserInserted
	}
	return p.matchesAny(sources, r.URL, r.Redirected)
}

// hasNonce is "does nonce match source list" (CSP 3, 6.7.2.3): nonces are compared letter by letter.
func hasNonce(sources []string, nonce string) bool {
	const prefix = "'nonce-"
	return nonce != "" && slices.ContainsFunc(sources, func(s string) bool {
		return len(s) > len(prefix) && strings.EqualFold(s[:len(prefix)], prefix) && s[len(prefix):] == nonce+"'"
	})
}

func effective(policy map[string][]string, directive string) (string, []string, bool) {
	for _, name := range append([]string{directive}, fallbacks[directive]...) {
		if sources, ok := policy[name]; ok {
			return name, sources, true
		}
	}
	return "", nil, false
}

func holds(sources []string, word string) bool {
	for _, s := range sources {
		if strings.EqualFold(s, word) {
			return true
		}
	}
	return false
}

// AllowsInline says whether an inline script may run: by 'unsafe-inline', its nonce, or the hash of its text (CSP 3,
// 6.7.3).
func (p *Policy) AllowsInline(text, nonce string) bool {
	if p == nil {
		return true
	}
	for _, policy := range p.list {
		if _, sources, ok := effective(policy, "script-src-elem"); ok && !doesElementMatchSourceList(sources, nonce, text) {
			return false
		}
	}
	return true
}

// doesElementMatchSourceList is "does element match source list for type and source" (CSP 3, 6.7.3.3) for scripts.
func doesElementMatchSourceList(sources []string, nonce, text string) bool {
	if allowsAllInline(sources) || hasNonce(sources, nonce) {
		return true
	}
	return slices.ContainsFunc(sources, func(s string) bool {
		return strings.HasPrefix(strings.ToLower(s), "'sha") && hashMatches(strings.Trim(s, "'"), text)
	})
}

// allowsAllInline is "does a source list allow all inline behavior for type" (CSP 3, 6.7.3.2) for scripts.
func allowsAllInline(sources []string) bool {
	unsafe := false
	for _, s := range sources {
		switch lower := strings.ToLower(s); {
		case lower == "'unsafe-inline'":
			unsafe = true
		case lower == "'strict-dynamic'", strings.HasPrefix(lower, "'nonce-"), strings.HasPrefix(lower, "'sha"):
			return false
		}
	}
	return unsafe
}

// AllowsEval says whether a text may become a script by eval and its like (Content Security Policy 3, 4.4).
func (p *Policy) AllowsEval() bool {
	if p == nil {
		return true
	}
	for _, policy := range p.list {
		if _, sources, ok := effective(policy, "script-src"); ok && !slices.ContainsFunc(sources, func(s string) bool {
			return strings.EqualFold(s, "'unsafe-eval'")
		}) {
			return false
		}
	}
	return true
}

func hashMatches(source, text string) bool {
	algorithm, want, _ := strings.Cut(source, "-")
	var sum []byte
	switch strings.ToLower(algorithm) {
	case "sha256":
		s := sha256.Sum256([]byte(text))
		sum = s[:]
	case "sha384":
		s := sha512.Sum384([]byte(text))
		sum = s[:]
	case "sha512":
		s := sha512.Sum512([]byte(text))
		sum = s[:]
	}
	want = strings.NewReplacer("-", "+", "_", "/").Replace(want)
	return sum != nil && base64.StdEncoding.EncodeToString(sum) == want
}

func (p *Policy) matchesAny(sources []string, url string, redirected bool) bool {
	u, err := whatwg.Parse(url)
	if err != nil {
		return false
	}
	for _, s := range sources {
		if p.matches(strings.TrimSpace(s), u, redirected) {
			return true
		}
	}
	return false
}

// matches compares a URL with a source expression (CSP 3, 6.7.2.8).
func (p *Policy) matches(source string, u *whatwg.Url, redirected bool) bool {
	lower := strings.ToLower(source)
	scheme := strings.TrimSuffix(u.Protocol(), ":")
	self := p.origin
	switch {
	case lower == "*":
		return scheme == "http" || scheme == "https" || scheme == "ws" || scheme == "wss" ||
			strings.HasPrefix(self, scheme+":")
	case lower == "'self'":
		at := weburl.Origin(u)
		return at == self || strings.Replace(at, "https://", "http://", 1) == self
	case strings.HasPrefix(lower, "'"):
		return false
	case strings.HasSuffix(lower, ":") && !strings.Contains(lower, "//"):
		want := strings.TrimSuffix(lower, ":")
		return scheme == want || want == "http" && scheme == "https"
	}
	want, rest, named := strings.Cut(source, "://")
	if !named {
		want, _, _ = strings.Cut(self, ":")
		rest = source
	}
	host, path, hasPath := strings.Cut(rest, "/")
	name, port := host, ""
	if i := strings.LastIndexByte(host, ':'); i >= 0 && !strings.HasSuffix(host, "]") {
		name, port = host[:i], host[i+1:]
	}
	schemes, ports := schemePartMatches(strings.ToLower(want), scheme), portPartMatches(port, u)
	// An upgrade to a secure scheme is one of the port as well.
	if schemes == noMatch || ports == noMatch || schemes == upgrade && ports == exact || ports == upgrade &&
		schemes == exact {
		return false
	}
	return hostPartMatches(strings.ToLower(name), u.Hostname()) &&
		(!hasPath || path == "" || redirected || pathPartMatches("/"+path, u.Pathname()))
}

// partMatch is how a part of a source expression matches that of a URL.
type partMatch int

const (
	noMatch partMatch = iota
	exact
	upgrade  // the URL's is the secure one that belongs to the expression's
	wildcard // any does
)

// schemePartMatches compares schemes (CSP 3, 6.7.2.10).
func schemePartMatches(source, scheme string) partMatch {
	switch {
	case source == scheme:
		return exact
	case source == "http" && scheme == "https", source == "ws" &&
		(scheme == "wss" || scheme == "http" || scheme == "https"), source == "wss" && scheme == "https":
		return upgrade
	}
	return noMatch
}

// portPartMatches compares ports (CSP 3, 6.7.2.12).
func portPartMatches(source string, u *whatwg.Url) partMatch {
	port := u.Port()
	switch {
	case source == "*", source == "" && port == "":
		return wildcard
	case source == "":
		return noMatch
	}
	if port == "" {
		port = map[string]string{"http": "80", "ws": "80", "https": "443", "wss": "443", "ftp": "21"}[u.Scheme()]
	}
	switch {
	case source == "443" && port == "443":
		return wildcard // written or not, it is that of the secure scheme
	case source == port:
		return exact
	case source == "80" && port == "443":
		return upgrade
	}
	return noMatch
}

// hostPartMatches compares host names (CSP 3, 6.7.2.11).
func hostPartMatches(source, host string) bool {
	if domain, ok := strings.CutPrefix(source, "*."); ok {
		return strings.HasSuffix(host, "."+domain)
	}
	return source == "*" || source == host
}

// pathPartMatches compares paths (CSP 3, 6.7.2.13): what ends with a slash is a folder.
func pathPartMatches(source, path string) bool {
	if decoded, err := neturl.PathUnescape(source); err == nil {
		source = decoded
	}
	if decoded, err := neturl.PathUnescape(path); err == nil {
		path = decoded
	}
	if strings.HasSuffix(source, "/") {
		return strings.HasPrefix(path, source)
	}
	return path == source
}
