package site

import (
	"context"
	"net/http"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
)

// Request is what a host is asked. The URL is absolute and on the host's origin.
type Request struct {
	Method string
	URL    *whatwg.Url
	Header http.Header
	// Body is what is sent along, nil for nothing. A live host is never sent one.
	Body Body
}

// Body is content that is read only when somebody asks for it.
type Body interface {
	// Bytes gives the whole content; the caller must not change it.
	Bytes() ([]byte, error)
	// Len is the length in bytes.
	Len() int64
}

// Response is what a host answers.
type Response struct {
	Status     int
	StatusText string
	Header     http.Header
	Body       Body
	// Unknown tells that nobody asked the host: it is one of which only the address is known.
	Unknown bool
	// Compressed tells that a live host sent the body compressed.
	Compressed bool
	// Delay is how long the host takes to answer, beside what the network adds, in virtual time.
	Delay time.Duration
}

// Host answers requests for one origin, as the deployed server would.
type Host interface {
	// Origin is the serialised origin, such as https://skerry-line.example.
	Origin() string
	// Answer never follows redirects. An error means that the host could not be reached.
	Answer(ctx context.Context, r *Request) (*Response, error)
}

// Bytes is a Body held in memory.
type Bytes []byte

// Bytes gives the content itself.
func (b Bytes) Bytes() ([]byte, error) { return b, nil }

// Len is the length in bytes.
func (b Bytes) Len() int64 { return int64(len(b)) }
