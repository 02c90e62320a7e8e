package fetch

import (
	"net"
	"net/http"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"golang.org/x/net/publicsuffix"

	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// IsRedirect says whether a status is a redirect status (Fetch, 2.2.3).
func IsRedirect(status int) bool {
	return status == 301 || status == 302 || status == 303 || status == 307 || status == 308
}

// CORSCheck is the CORS check (Fetch, 4.10).
func CORSCheck(h http.Header, origin, credentials string) bool {
	allowed := h.Get("Access-Control-Allow-Origin")
	if allowed == "*" {
		return credentials != "include"
	}
	return allowed == origin && (credentials != "include" || h.Get("Access-Control-Allow-Credentials") == "true")
}

// CrossOriginResourcePolicyCheck is the cross-origin resource policy check (Fetch, 3.7) for an answer from another
// origin.
func CrossOriginResourcePolicyCheck(origin string, u *whatwg.Url, policy, embedder string) bool {
	switch strings.ToLower(strings.TrimSpace(policy)) {
	case "cross-origin":
		return true
	case "same-origin":
		return false
	case "same-site":
		asking, err := whatwg.Parse(origin)
		return err == nil && SiteOf(asking) == SiteOf(u) && (asking.Scheme() == "https" || u.Scheme() != "https")
	}
	return embedder != "require-corp"
}

// SiteOf is the registrable domain of a URL's host, or the host where it has none.
func SiteOf(u *whatwg.Url) string {
	if domain, err := publicsuffix.EffectiveTLDPlusOne(u.Hostname()); err == nil && net.ParseIP(u.Hostname()) == nil {
		return domain
	}
	return u.Hostname()
}

// blockedByType says whether a response is blocked "due to its MIME type" or "due to nosniff" (Fetch, 2.10 and 3.6.1).
func (req *Request) blockedByType(internal *Response) Failure {
	if internal.Unknown {
		return Failure{} // nothing can be said of its type
	}
	essence := site.Essence(internal.Get("content-type"))
	nosniff := internal.Nosniff()
	switch {
	case scriptLike(req.Destination) && (nosniff && !site.IsJavaScript(essence) ||
		strings.HasPrefix(essence, "image/") || strings.HasPrefix(essence, "audio/") || strings.HasPrefix(essence, "video/") || essence == "text/csv"):
		return Failure{Kind: WrongScriptType, Detail: essence}
	case req.Destination == request.Style && nosniff && essence != "text/css":
		return Failure{Kind: WrongStyleType, Detail: essence}
	}
	return Failure{}
}

// scriptLike says whether a destination is script-like (Fetch, 2.2.5).
func scriptLike(d request.Destination) bool {
	switch d {
	case request.Script, request.Worker, request.SharedWorker, request.ServiceWorker:
		return true
	}
	return false
}

// Nosniff is "determine nosniff" (Fetch, 3.6).
func (r *Response) Nosniff() bool {
	first, _, _ := strings.Cut(r.Get("x-content-type-options"), ",")
	return strings.EqualFold(strings.TrimSpace(first), "nosniff")
}

// CheckIntegrity checks what a response holds against integrity metadata (Fetch, 4.1, step 22).
func CheckIntegrity(metadata string, resp *Response) Failure {
	switch {
	case metadata == "" || resp.Actual().Unknown:
		return Failure{}
	case resp.Type == "opaque":
		return Failure{Kind: UncheckedIntegrity}
	case !IntegrityHolds(metadata, resp.Body):
		return Failure{Kind: WrongIntegrity}
	}
	return Failure{}
}

// prohibitsMixedContent says whether who asks may load nothing that is not secure (Mixed Content, 4.3).
func (req *Request) prohibitsMixedContent() bool {
	return strings.HasPrefix(req.Client.URL, "https:") || strings.HasPrefix(req.Client.Origin, "https:")
}

// upgradeMixedContent is "upgrade a mixed content request to a potentially trustworthy URL, if appropriate" (Mixed Content, 4.1).
func (req *Request) upgradeMixedContent(u *whatwg.Url) {
	switch req.Destination {
	case request.Image, request.Audio, request.Video:
	default:
		return
	}
	if req.prohibitsMixedContent() && u.Scheme() == "http" && !weburl.Trustworthy(u) && net.ParseIP(strings.Trim(u.Hostname(), "[]")) == nil {
		u.SetProtocol("https")
	}
}

// shouldBeBlockedAsMixedContent is "should fetching request be blocked as mixed content" (Mixed Content, 4.4).
func shouldBeBlockedAsMixedContent(req *Request, u *whatwg.Url) bool {
	return req.prohibitsMixedContent() && u.Scheme() == "http" && !weburl.Trustworthy(u) && !(req.Mode == request.Navigate && req.Destination == request.Document)
}

// locationURL is a response's location URL (Fetch, 2.2.6) for a request at a URL, whose fragment goes on where the new one has
// none; has is false where the response leads nowhere.
func (r *Response) locationURL(from *whatwg.Url) (u *whatwg.Url, has bool, err error) {
	location := r.Get("location")
	if !IsRedirect(r.Status) || location == "" {
		return nil, false, nil
	}
	base := from
	if at := r.URL(); at != "" {
		if base, err = whatwg.Parse(at); err != nil {
			return nil, true, err
		}
	}
	u, err = base.Parse(location)
	return u, true, err
}

// Location is where a response redirects to, "" where it does not; fragment is that of the request. An address that cannot be read
// is given as it stands.
func (r *Response) Location(from string) string {
	base, err := whatwg.Parse(from)
	if err != nil {
		return ""
	}
	u, has, err := r.locationURL(base)
	switch {
	case !has:
		return ""
	case err != nil:
		return r.Get("location")
	}
	if u.Hash() == "" && base.Hash() != "" {
		u.SetHash(base.Hash())
	}
	return u.Href(false)
}
