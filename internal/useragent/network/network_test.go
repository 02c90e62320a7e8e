package network

import (
	"context"
	"errors"
	"net/http"
	"testing"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/site"
	"tachyform/internal/useragent/clock"
)

// echo answers with a thousand bytes; /gone can't be reached.
type echo struct{}

func (echo) Origin() string { return "https://line.example" }

func (echo) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	if r.URL.Pathname() == "/gone" {
		return nil, errors.New("no answer")
	}
	return &site.Response{Status: 200, Header: http.Header{}, Body: site.Bytes(make([]byte, 3000))}, nil
}

func request(t *testing.T, method, url string) *site.Request {
	t.Helper()
	u, err := whatwg.Parse(url)
	require.NoError(t, err)
	return &site.Request{Method: method, URL: u, Header: http.Header{}}
}

func newNetwork(c condition.Condition) (*Network, *[]int) {
	k := &clock.Clock{}
	var statuses []int // of what left and came back, 0 for nothing
	n := &Network{Context: context.Background(), Hosts: map[string]site.Host{"https://line.example": echo{}}, Condition: c,
		Clock: k}
	n.Seen = func(_ *site.Request, resp *site.Response) {
		if resp == nil {
			statuses = append(statuses, 0)
		} else {
			statuses = append(statuses, resp.Status)
		}
	}
	return n, &statuses
}

// What comes back and when, under each condition.
func TestSend(t *testing.T) {
	byRate := func(c condition.Condition) time.Duration {
		return c.Latency + time.Duration(2*bytesPerPacket*int64(time.Second)/c.BytesPerSecond)
	}
	for _, c := range []struct {
		under  condition.Condition
		method string
		path   string
		comes  bool // an answer or a failure
		status int
		after  time.Duration
	}{
		{condition.Online, "GET", "/", true, 200, byRate(condition.Online)},
		{condition.Online, "HEAD", "/", true, 200, condition.Online.Latency},
		{condition.Online, "GET", "/gone", true, 0, condition.Online.Latency},
		{condition.Slow, "GET", "/", true, 200, byRate(condition.Slow)},
		{condition.Offline, "GET", "/", true, 0, time.Millisecond},
		{condition.Stalled, "GET", "/", false, 0, 0},
		{condition.Condition{Name: "all lost", Fails: 1, Latency: time.Second}, "GET", "/", true, 0, time.Second},
	} {
		n, seen := newNetwork(c.under)
		came, status := false, 0
		n.Send(request(t, c.method, "https://line.example"+c.path), func(resp *site.Response) {
			if came = true; resp != nil {
				status = resp.Status
			}
		})
		n.Clock.Run(func() bool { return came }, time.Hour)
		name := c.under.Name + " " + c.method + " " + c.path
		assert.Equal(t, c.comes, came, name)
		assert.Equal(t, c.status, status, name)
		assert.Equal(t, c.after, n.Clock.Now, name)
		assert.Equal(t, 1, n.Count, name)
		assert.Len(t, *seen, 1, name)
		resp := n.SendNow(request(t, c.method, "https://line.example"+c.path))
		assert.Equal(t, c.status != 0, resp != nil, name+", at once")
	}
}

// A flaky network drops the same requests each time, and about as many as it says.
func TestFlaky(t *testing.T) {
	lost := func() (list []int) {
		n, _ := newNetwork(condition.Flaky)
		for i := range 400 {
			n.Send(request(t, "GET", "https://line.example/"), func(resp *site.Response) {
				if resp == nil {
					list = append(list, i)
				}
			})
			n.Clock.Settle(0, time.Hour)
			n.Clock.Pass(time.Second)
		}
		return list
	}
	first := lost()
	assert.Equal(t, first, lost())
	assert.InDelta(t, 400*condition.Flaky.Fails, len(first), 40)
}

// Origins of which nothing is known answer all, with content that is not known and to whoever asks; addresses where
// nothing listens fail.
func TestUnknownOrigins(t *testing.T) {
	n, _ := newNetwork(condition.Online)
	r := request(t, "OPTIONS", "https://tiles.example/a")
	r.Header = http.Header{"Origin": {"https://line.example"}, "Access-Control-Request-Method": {"PUT"},
		"Access-Control-Request-Headers": {"x-tide"}}
	resp := n.SendNow(r)
	require.NotNil(t, resp)
	assert.True(t, resp.Unknown)
	assert.Equal(t, "PUT", resp.Header.Get("Access-Control-Allow-Methods"))
	assert.Equal(t, "x-tide", resp.Header.Get("Access-Control-Allow-Headers"))
	assert.Equal(t, "https://line.example", resp.Header.Get("Access-Control-Allow-Origin"))
	assert.Empty(t, resp.Header.Get("Content-Type"), "a type would be judged")
	n.Refuses = func(url string) bool { return url == "https://tiles.example/b" }
	failed := false
	n.Send(request(t, "GET", "https://tiles.example/b"), func(resp *site.Response) { failed = resp == nil })
	n.Clock.Settle(time.Second, time.Minute)
	assert.True(t, failed)
}
