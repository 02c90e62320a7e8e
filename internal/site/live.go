package site

import (
	"compress/flate"
	"compress/gzip"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"syscall"
	"time"
)

// maxLiveBody bounds what is read of one answer of a live host.
const maxLiveBody = 64 << 20

// maxLiveKept bounds what is remembered of a live host's answers.
const maxLiveKept = 256 << 20

// Live is a host that is asked over HTTP. It is never sent anything but GET and HEAD, and the same request only once:
// all pages are judged by one state of the site, and the host is spared.
type Live struct {
	// Header is sent with every request, such as a cookie of somebody who is signed in.
	Header http.Header

	origin    string
	within    time.Duration
	transport *http.Transport
	mu        sync.Mutex
	given     map[string]*liveAnswer
	kept      int64
	sent      int
	patience  *patience
}

// liveAnswer is an answer that is there or on its way.
type liveAnswer struct {
	done chan struct{}
	resp *Response
	err  error
}

// chooses are the request headers that an answer may depend on.
var chooses = []string{"Cookie", "Range", "Accept", "Origin", "Authorization", "If-None-Match", "If-Modified-Since",
	"If-Range"}

// AnswerWithin is how long one answer of a live host may take, its body included, where nothing else is said.
const AnswerWithin = 20 * time.Second

// maxLiveHeaders bounds the headers of one answer, in bytes, as browsers do.
const maxLiveHeaders = 256 << 10

// NewLive gives the host at an origin. within is how long each answer may take, 0 for AnswerWithin.
func NewLive(origin string, within time.Duration) *Live {
	if within <= 0 {
		within = AnswerWithin
	}
	return &Live{origin: origin, within: within, given: map[string]*liveAnswer{}, transport: &http.Transport{
		MaxConnsPerHost: 6, MaxIdleConnsPerHost: 6, MaxResponseHeaderBytes: maxLiveHeaders, TLSClientConfig: &tls.Config{},
		Proxy: http.ProxyFromEnvironment}}
}

// errElsewhere says that a server behind the host is not on this machine.
var errElsewhere = errors.New("the server is on another machine")

// newBackend gives a server behind the host. A project that came from somebody else must not have this machine ask
// others, so without elsewhere only loopback addresses are connected to, whatever a name resolves to, and no proxy is used.
func newBackend(origin string, elsewhere bool) *Live {
	l := NewLive(origin, 0)
	if elsewhere {
		return l
	}
	dialer := &net.Dialer{Control: func(_, address string, _ syscall.RawConn) error {
		if at, err := netip.ParseAddrPort(address); err != nil || !at.Addr().Unmap().IsLoopback() {
			return errElsewhere
		}
		return nil
	}}
	l.transport.Proxy, l.transport.DialContext = nil, dialer.DialContext
	return l
}

// SignedOut is the host as those see it who have not signed in: without the headers that were given for this run.
func (l *Live) SignedOut() Host {
	if len(l.Header) == 0 {
		return l
	}
	return NewLive(l.origin, l.within)
}

// Origin is the origin that is asked.
func (l *Live) Origin() string { return l.origin }

// ErrNotSent says of a request to a live host that it was not sent, since it might change something there.
var ErrNotSent = errors.New("live hosts are sent nothing but GET and HEAD")

// ErrTooMany says that a live host was asked as often in this run as it may be.
var ErrTooMany = fmt.Errorf("the host was asked %d times, which is as often as it may be in one run", mostLiveRequests)

// mostLiveRequests bounds how often a live host is asked in one run, so that no script asks it without end.
const mostLiveRequests = 5000

// Answer asks the host. Methods other than GET and HEAD are not sent: the error is ErrNotSent.
func (l *Live) Answer(ctx context.Context, r *Request) (*Response, error) {
	if r.Method != "GET" && r.Method != "HEAD" {
		return nil, ErrNotSent
	}
	key := r.Method + " " + r.URL.Href(true)
	for _, name := range chooses {
		key += "\n" + strings.Join(r.Header[name], ",")
	}
	l.mu.Lock()
	a := l.given[key]
	if a == nil && l.sent >= mostLiveRequests {
		l.mu.Unlock()
		return nil, ErrTooMany
	}
	if a == nil {
		l.sent++
		a = &liveAnswer{done: make(chan struct{})}
		l.given[key] = a
		l.mu.Unlock()
		a.resp, a.err = l.ask(ctx, r)
		l.mu.Lock()
		if a.err == nil {
			l.kept += a.resp.Body.Len()
		}
		// A failure stays one for this run: a host that never answers is not waited for again and again.
		if ctx.Err() != nil || l.kept > maxLiveKept {
			delete(l.given, key)
		}
		l.mu.Unlock()
		close(a.done)
	} else {
		l.mu.Unlock()
		select {
		case <-a.done:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
	if a.err != nil {
		return nil, a.err
	}
	resp := *a.resp
	resp.Header = resp.Header.Clone()
	return &resp, nil
}

// FaultKind tells what is wrong with a live host's answer.
type FaultKind int

const (
	Unreachable FaultKind = iota // nothing listens, or the connection breaks
	Slow                         // no whole answer in time
	Certificate                  // the connection can't be trusted
	Encoded                      // the content is not what Content-Encoding says
	Short                        // it breaks off before its end
	Headers                      // they are larger than browsers take
	Switches                     // status 101, which nobody asked for
	Endless                      // more than is read of one answer
)

// Fault is an answer of a live host that can't be used.
type Fault struct {
	Kind FaultKind
	// Within is how long was waited.
	Within time.Duration
	Err    error
}

func (f *Fault) Error() string {
	if f.Err == nil {
		return "the answer cannot be used"
	}
	return f.Err.Error()
}

// Unwrap gives the cause.
func (f *Fault) Unwrap() error { return f.Err }

// fault finds out what an error of the transport, or of reading a body, means.
func (l *Live) fault(ctx context.Context, err error) error {
	f := &Fault{Kind: Unreachable, Within: l.within, Err: err}
	var certificate *tls.CertificateVerificationError
	switch {
	case errors.Is(ctx.Err(), context.DeadlineExceeded):
		f.Kind = Slow
	case errors.As(err, &certificate):
		f.Kind = Certificate
	case errors.Is(err, io.ErrUnexpectedEOF):
		f.Kind = Short
	case errors.Is(err, gzip.ErrHeader), errors.Is(err, gzip.ErrChecksum), errors.As(err, new(flate.CorruptInputError)):
		f.Kind = Encoded
	case strings.Contains(err.Error(), "server response headers exceeded"): // the transport has no error of its own for it
		f.Kind = Headers
	}
	return f
}

// ask sends one request.
func (l *Live) ask(outer context.Context, r *Request) (*Response, error) {
	defer l.patience.await()()
	ctx, cancel := context.WithTimeout(outer, l.within)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, r.Method, r.URL.Href(true), nil)
	if err != nil {
		return nil, err
	}
	for name, values := range r.Header {
		req.Header[name] = values
	}
	for name, values := range l.Header {
		if name == "Cookie" && req.Header.Get("Cookie") != "" {
			values = []string{strings.Join(values, "; ") + "; " + req.Header.Get("Cookie")}
		}
		req.Header[name] = values
	}
	answer, err := l.transport.RoundTrip(req)
	if err != nil {
		return nil, l.fault(ctx, err)
	}
	defer answer.Body.Close()
	if answer.StatusCode == http.StatusSwitchingProtocols {
		return nil, &Fault{Kind: Switches, Within: l.within, Err: errors.New("it answers with status 101 and speaks " +
			"another protocol from then on")}
	}
	if Essence(answer.Header.Get("Content-Type")) == "text/event-stream" {
		// It goes on for as long as somebody listens; what it says is not waited for.
		return &Response{Status: answer.StatusCode, StatusText: http.StatusText(answer.StatusCode), Header: answer.Header, Body: Bytes(nil)}, nil
	}
	body, err := io.ReadAll(io.LimitReader(answer.Body, maxLiveBody+1))
	if err != nil {
		return nil, l.fault(ctx, err)
	}
	if len(body) > maxLiveBody {
		return nil, &Fault{Kind: Endless, Within: l.within, Err: fmt.Errorf("it sends more than %d MB", maxLiveBody>>20)}
	}
	return &Response{Status: answer.StatusCode, StatusText: http.StatusText(answer.StatusCode), Header: answer.Header,
		Body: Bytes(body), Compressed: answer.Uncompressed || answer.Header.Get("Content-Encoding") != ""}, nil
}
