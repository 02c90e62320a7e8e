package useragent

import (
	"context"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
)

// answering is a host that gives the same answers to everything, by method.
type answering struct {
	origin string
	by     map[string]*site.Response
	asked  *[]string
}

func (a answering) Origin() string { return a.origin }

func (a answering) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	*a.asked = append(*a.asked, strings.TrimSpace(r.Method+" "+r.Header.Get("Access-Control-Request-Method")+" "+
		r.Header.Get("Access-Control-Request-Headers")))
	resp := a.by[r.Method]
	if resp == nil {
		resp = &site.Response{Status: 405, Header: http.Header{}, Body: site.Bytes("")}
	}
	out := *resp
	return &out, nil
}

func answer(status int, headers ...string) *site.Response {
	h := http.Header{}
	for i := 0; i < len(headers); i += 2 {
		h.Set(headers[i], headers[i+1])
	}
	return &site.Response{Status: status, Header: h, Body: site.Bytes("tides")}
}

// Requests to other origins that a form could not make are asked about beforehand, and made only where that is allowed.
func TestPreflights(t *testing.T) {
	const other, own = "https://data.example", "https://line.example"
	allowing := answer(200, "Access-Control-Allow-Origin", own)
	for _, c := range []struct {
		name      string
		req       fetch.Request
		preflight *site.Response
		asked     string
		comes     bool
	}{
		{"a plain request", fetch.Request{Method: "GET"}, nil, "GET", true},
		{"a form's kind of content", fetch.Request{Method: "POST",
			Header: [][2]string{{"content-type", "text/plain;charset=utf-8"}}}, nil, "POST", true},
		{"a part of a file", fetch.Request{Method: "GET", Header: [][2]string{{"range", "bytes=0-99"}}}, nil, "GET", true},
		{"a header of its own, not allowed", fetch.Request{Method: "GET", Header: [][2]string{{"x-pier", "1"}}}, nil,
			"OPTIONS GET x-pier", false},
		{"a header of its own", fetch.Request{Method: "GET", Header: [][2]string{{"x-pier", "1"}}},
			answer(204, "Access-Control-Allow-Origin", own, "Access-Control-Allow-Headers",
				"X-Pier, X-Other"), "OPTIONS GET x-pier, GET", true},
		{"another header than allowed", fetch.Request{Method: "GET", Header: [][2]string{{"x-pier", "1"}}},
			answer(204, "Access-Control-Allow-Origin", own, "Access-Control-Allow-Headers",
				"X-Other"), "OPTIONS GET x-pier", false},
		{"data", fetch.Request{Method: "POST", Header: [][2]string{{"content-type", "application/json"}}},
			answer(200, "Access-Control-Allow-Origin", "*", "Access-Control-Allow-Headers",
				"*"), "OPTIONS POST content-type, POST", true},
		{"a method", fetch.Request{Method: "PUT"},
			answer(200, "Access-Control-Allow-Origin", own, "Access-Control-Allow-Methods",
				"GET, PUT"), "OPTIONS PUT, PUT", true},
		{"another method than allowed", fetch.Request{Method: "DELETE"},
			answer(200, "Access-Control-Allow-Origin", own, "Access-Control-Allow-Methods",
				"GET, PUT"), "OPTIONS DELETE", false},
		{"a star allows no credentials", fetch.Request{Method: "PUT", Credentials: "include"},
			answer(200, "Access-Control-Allow-Origin", own, "Access-Control-Allow-Credentials", "true",
				"Access-Control-Allow-Methods", "*"), "OPTIONS PUT", false},
		{"a star is no name and password", fetch.Request{Method: "GET", Header: [][2]string{{"authorization", "x"}}},
			answer(200, "Access-Control-Allow-Origin", own, "Access-Control-Allow-Headers",
				"*"), "OPTIONS GET authorization", false},
		{"an answer with an error", fetch.Request{Method: "PUT"},
			answer(403, "Access-Control-Allow-Origin", own, "Access-Control-Allow-Methods", "PUT"), "OPTIONS PUT", false},
		{"an answer for somebody else", fetch.Request{Method: "PUT"},
			answer(200, "Access-Control-Allow-Origin", "https://third.example", "Access-Control-Allow-Methods",
				"PUT"), "OPTIONS PUT", false},
	} {
		var asked []string
		host := answering{other, map[string]*site.Response{"GET": allowing, "POST": allowing, "PUT": allowing,
			"DELETE": allowing, "OPTIONS": c.preflight}, &asked}
		if c.req.Credentials == "include" {
			host.by["PUT"] = answer(200, "Access-Control-Allow-Origin", own, "Access-Control-Allow-Credentials", "true")
		}
		b := New(context.Background(), []site.Host{host}, Options{})
		c.req.URL, c.req.Mode, c.req.Redirect = other+"/x", "cors", "follow"
		var got *fetch.Response
		done := false
		c.req.Client.Origin = own
		b.fetcher.Fetch(&c.req, func(r *fetch.Response, _ fetch.Error) { got, done = r, true })
		b.Settle()
		require.True(t, done, c.name)
		assert.Equal(t, c.comes, got != nil, c.name)
		assert.Equal(t, c.asked, strings.Join(asked, ", "), c.name)
		b.Close()
	}
	// Of a host that nobody knows nothing is held against the site.
	b := New(context.Background(), nil, Options{})
	defer b.Close()
	var got *fetch.Response
	b.fetcher.Fetch(&fetch.Request{Client: fetch.Settings{Origin: own}, URL: other + "/x", Method: "PUT", Mode: "cors",
		Credentials: "include", Redirect: "follow", Header: [][2]string{{"x-a", "1"}}}, func(r *fetch.Response, _ fetch.Error) { got = r })
	b.Settle()
	require.NotNil(t, got)
	assert.True(t, got.Actual().Unknown)
}

// Scripts that a worker imports take their time on a slow network, and may fail on a flaky one.
func TestImportsOnBadNetworks(t *testing.T) {
	f := siteWith(t, "importScripts('/a.js', '/b.js');", "a.js", "// "+strings.Repeat("tide ", 10_000), "b.js",
		"self.b = 1")
	install := func(c condition.Condition) (took time.Duration, failed bool) {
		b := New(context.Background(), []site.Host{f}, Options{})
		defer b.Close()
		b.SetCondition(c)
		b.Open(home, nil)
		b.Settle()
		return b.clock.Now, len(b.workers.Failures()) > 0
	}
	quick, failed := install(condition.Online)
	assert.False(t, failed)
	slow, failed := install(condition.Slow)
	assert.False(t, failed)
	assert.Greater(t, slow, quick+time.Second, "50 kB at 50 kB a second, twice 400 ms")
	_, failed = install(condition.Condition{Name: "flaky", Fails: 1})
	assert.False(t, failed, "the page itself did not come")
	some := false
	for i := range 20 {
		// Which requests fail depends on their order and address.
		g := siteWith(t, "importScripts('/a"+strings.Repeat("a", i)+".js');", "a"+strings.Repeat("a", i)+".js", "")
		b := New(context.Background(), []site.Host{g}, Options{})
		b.SetCondition(condition.Flaky)
		b.Open(home, nil)
		b.Settle()
		some = some || len(b.workers.Failures()) > 0 && strings.Contains(b.workers.Failures()[0].Failure, "Network")
		b.Close()
	}
	assert.True(t, some, "importing never failed on a flaky network")
}

// A worker that wants to take over while the one before is still activating does so once that is through.
func TestTakeoverWhileActivating(t *testing.T) {
	code := "// 1\naddEventListener('install', () => skipWaiting()); addEventListener('activate', (e) => " +
		"e.waitUntil(new Promise((ok) => setTimeout(ok, 3000))));"
	f := siteWith(t, code)
	b := New(context.Background(), []site.Host{f}, Options{ReadScripts: true}) // for whose rest nobody waits
	defer b.Close()
	b.Open(home, nil)
	b.clock.Pass(500 * time.Millisecond)
	require.Equal(t, "-/-/1", states(b))
	require.Equal(t, account.Activating, b.workers.Registrations()[0].Active.State)
	b.net.Hosts["https://line.example"] = siteWith(t, strings.Replace(code, "// 1", "// 2", 1))
	b.workers.Registrations()[0].SoftUpdate()
	b.clock.Pass(500 * time.Millisecond)
	assert.Equal(t, "-/2/1", states(b))
	b.Settle()
	assert.Equal(t, "-/-/2", states(b))
	assert.Equal(t, account.Activated, b.workers.Registrations()[0].Active.State)
}
