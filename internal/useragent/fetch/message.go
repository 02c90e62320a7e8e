package fetch

import (
	"net/http"
	"strings"

	"tachyform/internal/csp"
	"tachyform/internal/request"
	"tachyform/internal/site"
)

// Request is a request as Fetch (2.2.5) has it.
type Request struct {
	URL         string       `json:"url"`
	Method      string       `json:"method"`
	Header      [][2]string  `json:"headers"`
	Mode        request.Mode `json:"mode"`
	Credentials string       `json:"credentials"`
	Cache       string       `json:"cache"`
	Redirect    string       `json:"redirect"`
	Referrer    string       `json:"referrer"`
	// ReferrerPolicy says how much of the referrer is told, "" for what its document or worker says.
	ReferrerPolicy string              `json:"referrerPolicy,omitempty"`
	Destination    request.Destination `json:"destination"`
	Integrity      string              `json:"integrity,omitempty"`
	// Reload is a navigation to the page that was shown before, History one in the history.
	Reload  bool `json:"reload,omitempty"`
	History bool `json:"history,omitempty"`
	// Keepalive lets it outlive its page.
	Keepalive bool `json:"keepalive,omitempty"`
	// BodyHandle is a handle of a realm's body table while the request crosses into it, 0 for none.
	BodyHandle int `json:"body,omitempty"`

	Content site.Body `json:"-"`
	// Client is who asks.
	Client Settings `json:"-"`
	// HandleFetch lets a service worker answer, nil where none may (Fetch, 2.2.5: service-workers mode).
	HandleFetch Handler `json:"-"`
	// Nonce and ParserInserted are the request's cryptographic nonce and parser metadata.
	Nonce          string `json:"-"`
	ParserInserted bool   `json:"-"`

	fetching *fetching // that is under way for it
}

// Settings are what Fetch asks of an environment settings object (HTML, 8.1.3.2): the client of a request.
type Settings struct {
	// URL is its address, as which it refers to itself; "" for nobody.
	URL string
	// Origin is that of the document or worker, null for one that is kept apart from its own.
	Origin string
	// EmbedderPolicy is its Cross-Origin-Embedder-Policy.
	EmbedderPolicy string
	// Policy is its content security policy.
	Policy *csp.Policy
	// ReferrerPolicy is its referrer policy, "" for the usual one.
	ReferrerPolicy string
}

// Response is a response as Fetch (2.2.6) has it. A nil *Response stands for a network error.
type Response struct {
	// Type is basic, cors, default, opaque or opaqueredirect.
	Type string `json:"type"`
	// URLs is the URL list; more than one means that redirects were followed.
	URLs       []string    `json:"urls"`
	Status     int         `json:"status"`
	StatusText string      `json:"statusText"`
	Header     [][2]string `json:"headers"`
	BodyHandle int         `json:"body,omitempty"`
	// Partial tells of an opaque response that its status is 206.
	Partial bool `json:"partial,omitempty"`

	Body site.Body `json:"-"`
	// Source tells where the content came from.
	Source Source `json:"-"`
	// Made says that a script made it, so that it has the addresses of the request.
	Made bool `json:"-"`
	// ByWorker says that a service worker has answered with it.
	ByWorker bool `json:"-"`
	// Key is the address under which a cache kept it, "" when it came from none.
	Key string `json:"-"`
	// Unknown tells that the content is not known, and stands for whatever the host has.
	Unknown bool `json:"-"`
	// Internal holds what an opaque or opaqueredirect response keeps from scripts.
	Internal *Response `json:"-"`
}

// Actual is the response behind a filtered one, or the response itself.
func (r *Response) Actual() *Response {
	if r != nil && r.Internal != nil {
		return r.Internal
	}
	return r
}

// Get gives the value of a header, several joined by commas.
func (r *Response) Get(name string) string { return HeaderValue(r.Header, name) }

// URL is the last of the URL list, or "".
func (r *Response) URL() string {
	if len(r.URLs) == 0 {
		return ""
	}
	return r.URLs[len(r.URLs)-1]
}

// HeaderValue is "get" of a header list (Fetch, 2.2.2): all values of a name, joined by commas; "" where it has none.
func HeaderValue(h [][2]string, name string) string {
	var values []string
	for _, f := range h {
		if strings.EqualFold(f[0], name) {
			values = append(values, f[1])
		}
	}
	return strings.Join(values, ", ")
}

// FromHTTP gives headers as a list, names in lower case and sorted.
func FromHTTP(h http.Header) [][2]string {
	out := [][2]string{}
	for name, values := range h {
		for _, v := range values {
			out = append(out, [2]string{strings.ToLower(name), v})
		}
	}
	sortHeader(out)
	return out
}

func sortHeader(h [][2]string) {
	for i := 1; i < len(h); i++ {
		for j := i; j > 0 && h[j][0] < h[j-1][0]; j-- {
			h[j], h[j-1] = h[j-1], h[j]
		}
	}
}

// ToHTTP is the other way round.
func ToHTTP(h [][2]string) http.Header {
	out := http.Header{}
	for _, f := range h {
		out.Add(f[0], f[1])
	}
	return out
}

// BodyLen is the length of a body in bytes, 0 for none.
func BodyLen(b site.Body) int64 {
	if b == nil {
		return 0
	}
	return b.Len()
}

// Bytes is the content of a response, nil where there is none.
func (r *Response) Bytes() []byte {
	if r == nil || r.Body == nil {
		return nil
	}
	data, _ := r.Body.Bytes()
	return data
}

// Len is the length of a response's content in bytes, 0 where there is none.
func (r *Response) Len() int64 { return BodyLen(r.Body) }
