package site

import (
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"net/http"
	"time"
)

// maxLiveBody bounds what is read of one answer of a live host.
const maxLiveBody = 64 << 20

// Live is a host that is asked over HTTP. It is never sent anything but GET and HEAD.
type Live struct {
	origin string
	client *http.Client
}

// NewLive gives the host at an origin.
func NewLive(origin string) *Live {
	return &Live{origin: origin, client: &http.Client{
		Timeout:       20 * time.Second,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		Transport:     &http.Transport{MaxConnsPerHost: 6, MaxIdleConnsPerHost: 6, TLSClientConfig: &tls.Config{}},
	}}
}

// Origin is the origin that is asked.
func (l *Live) Origin() string { return l.origin }

// Answer asks the host. Methods other than GET and HEAD are not sent: they are answered with status 405 here.
func (l *Live) Answer(ctx context.Context, r *Request) (*Response, error) {
	if r.Method != "GET" && r.Method != "HEAD" {
		return plain(405), nil
	}
	req, err := http.NewRequestWithContext(ctx, r.Method, r.URL.Href(true), nil)
	if err != nil {
		return nil, err
	}
	for name, values := range r.Header {
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
		return nil, fmt.Errorf("%s sends more than %d MB", r.URL.Href(true), maxLiveBody>>20)
	}
	return &Response{Status: answer.StatusCode, StatusText: http.StatusText(answer.StatusCode), Header: answer.Header, Body: Bytes(body)}, nil
}
