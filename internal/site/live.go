package site

import (
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"time"
)

// maxLiveBody bounds what is read of one answer of a live host.
const maxLiveBody = 64 << 20

// ErrEndless tells that a live host sends more than is read of one answer.
var ErrEndless = fmt.Errorf("it sends more than %d MB", maxLiveBody>>20)

// maxLiveKept bounds what is remembered of a live host's answers.
const maxLiveKept = 256 << 20

// Live is a host that is asked over HTTP. It is never sent anything but GET and HEAD, and the same request only once: all pages are
// judged by one state of the site, and the host is spared.
type Live struct {
	// Header is sent with every request, such as a cookie of somebody who is signed in.
	Header http.Header

	origin string
	client *http.Client
	mu     sync.Mutex
	given  map[string]*liveAnswer
	kept   int64
}

// liveAnswer is an answer that is there or on its way.
type liveAnswer struct {
	done chan struct{}
	resp *Response
	err  error
}

// chooses are the request headers that an answer may depend on.
var chooses = []string{"Cookie", "Range", "Accept", "Origin", "Authorization", "If-None-Match", "If-Modified-Since", "If-Range"}

// NewLive gives the host at an origin.
func NewLive(origin string) *Live {
	return &Live{origin: origin, given: map[string]*liveAnswer{}, client: &http.Client{
		Timeout:       20 * time.Second,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		Transport:     &http.Transport{MaxConnsPerHost: 6, MaxIdleConnsPerHost: 6, TLSClientConfig: &tls.Config{}},
	}}
}

// SignedOut is the host as those see it who have not signed in: without the headers that were given for this run.
func (l *Live) SignedOut() Host {
	if len(l.Header) == 0 {
		return l
	}
	return NewLive(l.origin)
}

// Origin is the origin that is asked.
func (l *Live) Origin() string { return l.origin }

// Answer asks the host. Methods other than GET and HEAD are not sent: they are answered with status 405 here.
func (l *Live) Answer(ctx context.Context, r *Request) (*Response, error) {
	if r.Method != "GET" && r.Method != "HEAD" {
		return plain(405), nil
	}
	key := r.Method + " " + r.URL.Href(true)
	for _, name := range chooses {
		key += "\n" + strings.Join(r.Header[name], ",")
	}
	l.mu.Lock()
	a := l.given[key]
	if a == nil {
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

// ask sends one request.
func (l *Live) ask(ctx context.Context, r *Request) (*Response, error) {
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
	answer, err := l.client.Do(req)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	body, err := io.ReadAll(io.LimitReader(answer.Body, maxLiveBody+1))
	if err != nil {
		return nil, err
	}
	if len(body) > maxLiveBody {
		return nil, fmt.Errorf("%s: %w", r.URL.Href(true), ErrEndless)
	}
	return &Response{Status: answer.StatusCode, StatusText: http.StatusText(answer.StatusCode), Header: answer.Header, Body: Bytes(body), Compressed: answer.Uncompressed || answer.Header.Get("Content-Encoding") != ""}, nil
}
