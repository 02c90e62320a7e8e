package fetch

import (
	"context"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"net/http"
	"strings"
	"testing"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"

	"tachyform/internal/condition"
	"tachyform/internal/csp"
	"tachyform/internal/site"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/network"
)

// table is a host that answers by path: a status, then headers as "Name: value", then after an empty line the body.
type table struct {
	origin string
	paths  map[string]string
	asked  *[]string
}

func (h table) Origin() string { return h.origin }

func (h table) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	line := r.Method + " " + r.URL.Pathname()
	if c := r.Header.Get("Cookie"); c != "" {
		line += " with " + c
	}
	for _, name := range []string{"Content-Type", "Authorization"} {
		if v := r.Header.Get(name); v != "" {
			line += " " + v
		}
	}
	*h.asked = append(*h.asked, line)
	head, body, _ := strings.Cut(h.paths[r.URL.Pathname()], "\n\n")
	lines := strings.Split(head, "\n")
	resp := &site.Response{Status: map[string]int{"": 404, "200": 200, "204": 204, "301": 301, "302": 302, "303": 303,
		"307": 307}[lines[0]], Header: http.Header{}, Body: site.Bytes(body)}
	for _, l := range lines[1:] {
		name, value, _ := strings.Cut(l, ": ")
		resp.Header.Add(name, value)
	}
	return resp, nil
}

// jar holds one cookie for each host.
type jar map[string]string

func (j jar) Retrieve(u *whatwg.Url, _ Crossing, _ time.Duration) string { return j[u.Hostname()] }
func (j jar) SetCookies(u *whatwg.Url, h http.Header, _ time.Duration) {
	if c := h.Get("Set-Cookie"); c != "" {
		j[u.Hostname()] = c
	}
}

const here, there = "https://line.example", "https://tiles.example"

// fetcher reaches two hosts; asked takes down what they were asked.
func fetcher(cache *HTTPCache) (f *Fetcher, asked, refused *[]string) {
	asked, refused = &[]string{}, &[]string{}
	paths := map[string]string{
		"/a":    "200\nContent-Type: text/plain\nX-Tide: low\n\ntides",
		"/open": "200\nAccess-Control-Allow-Origin: *\nX-Tide: low\nAccess-Control-Expose-Headers: x-tide\n\ntides",
		"/mine": "200\nAccess-Control-Allow-Origin: " + here +
			"\nAccess-Control-Allow-Credentials: true\n\ntides", "/corp": "200\nCross-Origin-Resource-Policy: " +
			"same-origin\n\ntides",
		"/moved": "302\nLocation: /a", "/moved303": "303\nLocation: /a", "/moved307": "307\nLocation: /a",
		"/away": "302\nLocation: " + there + "/open", "/back": "302\nLocation: " + here + "/open",
		"/loop": "302\nLocation: /loop", "/odd": "302\nLocation: mailto:a@line.example",
		"/data": "302\nLocation: data:text/plain,x", "/none": "204\n\nx",
		"/login": "200\nSet-Cookie: member=1\n\nin", "/fresh": "200\nCache-Control: max-age=60\n\ntides", "/nowhere": "302",
	}
	k := &clock.Clock{}
	hosts := map[string]site.Host{here: table{here, paths, asked}, there: table{there, paths, asked}}
	return &Fetcher{
		Clock: k, Network: &network.Network{Context: context.Background(), Hosts: hosts, Condition: condition.Online,
			Clock: k}, Cache: cache,
		Cookies: jar{"line.example": "home=1",
			"tiles.example": "theirs=1"}, Refused: func(why string) {
			*refused = append(*refused,
				why)
		}, Answered: func(*whatwg.Url, *site.Response) {},
	}, asked, refused
}

func result(f *Fetcher, req Request) *Response {
	req.Client.Origin = here
	var got *Response
	done := false
	f.Fetch(&req, func(r *Response, _ Error) { got, done = r, true })
	f.Clock.Run(func() bool { return done }, f.Clock.Now+time.Minute)
	if !done {
		panic("no end with " + req.URL)
	}
	return got
}

// What comes of a request by its mode, and what the hosts were asked for it.
func TestFetch(t *testing.T) {
	for _, c := range []struct {
		name  string
		req   Request
		want  string // type, status and number of addresses; "" for a network error
		asked string
	}{
		{"own origin", Request{URL: here + "/a", Mode: "cors", Credentials: "same-origin"}, "basic 200 1",
			"GET /a with home=1"},
		{"no credentials", Request{URL: here + "/a", Mode: "cors", Credentials: "omit"}, "basic 200 1", "GET /a"},
		{"not found", Request{URL: here + "/x", Mode: "cors"}, "basic 404 1", "GET /x"},
		{"no content", Request{URL: here + "/none", Mode: "cors"}, "basic 204 1", "GET /none"},
		{"followed", Request{URL: here + "/moved", Mode: "cors"}, "basic 200 2", "GET /moved, GET /a"},
		{"redirect refused", Request{URL: here + "/moved", Mode: "cors", Redirect: "error"}, "", "GET /moved"},
		{"redirect left to scripts", Request{URL: here + "/moved", Mode: "cors", Redirect: "manual"}, "opaqueredirect 0 1",
			"GET /moved"},
		{"redirect left to a page load", Request{URL: here + "/moved", Mode: "navigate", Redirect: "manual"}, "basic 302 1",
			"GET /moved"},
		{"without an address", Request{URL: here + "/nowhere", Mode: "cors"}, "basic 302 1", "GET /nowhere"},
		{"for ever", Request{URL: here + "/loop", Mode: "cors"}, "",
			strings.TrimSuffix(strings.Repeat("GET /loop, ", 21), ", ")},
		{"to no web address", Request{URL: here + "/odd", Mode: "cors"}, "", "GET /odd"},
		{"to data", Request{URL: here + "/data", Mode: "cors"}, "", "GET /data"},
		{"POST, 302", Request{URL: here + "/moved", Method: "POST", Mode: "cors"}, "basic 200 2", "POST /moved, GET /a"},
		{"PUT, 303", Request{URL: here + "/moved303", Method: "PUT", Mode: "cors"}, "basic 200 2", "PUT /moved303, GET /a"},
		{"POST, 307", Request{URL: here + "/moved307", Method: "POST", Mode: "cors"}, "basic 200 2",
			"POST /moved307, POST /a"},
		{"the type of what is not sent any more", Request{URL: here + "/moved", Method: "POST", Mode: "cors", Header: [][2]string{{"Content-Type", "text/plain"}}},
			"basic 200 2", "POST /moved text/plain, GET /a"},
		{"the type of what is sent again", Request{URL: here + "/moved307", Method: "POST", Mode: "cors", Header: [][2]string{{"content-type", "text/plain"}}},
			"basic 200 2", "POST /moved307 text/plain, POST /a text/plain"},
		{"a password stays at its origin", Request{URL: here + "/away", Mode: "navigate", Header: [][2]string{{"authorization", "Basic x"}}}, "basic 200 2",
			"GET /away Basic x, GET /open"},
		{"a password goes on", Request{URL: here + "/moved", Mode: "cors", Header: [][2]string{{"authorization", "Basic x"}}}, "basic 200 2",
			"GET /moved Basic x, GET /a Basic x"},
		{"policy", Request{URL: here + "/a", Mode: "cors", Client: Settings{Policy: csp.Parse(here, []string{"connect-src 'none'"})}}, "", ""},
		{"policy, redirected elsewhere", Request{URL: here + "/away", Mode: "cors", Client: Settings{Policy: csp.Parse(here, []string{"connect-src 'self'"})}}, "", "GET /away"},
		{"policy, redirected past its path", Request{URL: here + "/moved", Mode: "cors", Client: Settings{Policy: csp.Parse(here, []string{"connect-src " + here + "/moved"})}},
			"basic 200 2", "GET /moved, GET /a"},
		{"other origin, not shared", Request{URL: there + "/a", Mode: "cors"}, "", "GET /a"},
		{"other origin, shared with all", Request{URL: there + "/open", Mode: "cors", Credentials: "same-origin"},
			"cors 200 1", "GET /open"},
		{"shared with all, but not with credentials", Request{URL: there + "/open", Mode: "cors", Credentials: "include"}, "",
			"GET /open with theirs=1"},
		{"shared with this one", Request{URL: there + "/mine", Mode: "cors", Credentials: "include"}, "cors 200 1",
			"GET /mine with theirs=1"},
		{"other origin, same-origin", Request{URL: there + "/open", Mode: "same-origin"}, "", ""},
		{"other origin, opaque", Request{URL: there + "/a", Mode: "no-cors", Credentials: "include"}, "opaque 0 0",
			"GET /a with theirs=1"},
		{"opaque, credentialless", Request{URL: there + "/a", Mode: "no-cors", Credentials: "include",
			Client: Settings{EmbedderPolicy: "credentialless"}}, "opaque 0 0", "GET /a"},
		{"opaque, for itself alone", Request{URL: there + "/corp", Mode: "no-cors"}, "", "GET /corp"},
		{"opaque, embedder asks", Request{URL: there + "/a", Mode: "no-cors",
			Client: Settings{EmbedderPolicy: "require-corp"}}, "", "GET /a"},
		{"opaque and not followed", Request{URL: there + "/a", Mode: "no-cors", Redirect: "manual"}, "", ""},
		{"away and back is tainted", Request{URL: there + "/back", Mode: "cors"}, "", "GET /back"},
		{"away", Request{URL: here + "/away", Mode: "cors", Credentials: "same-origin"}, "cors 200 2",
			"GET /away with home=1, GET /open"},
		{"a page load goes anywhere", Request{URL: there + "/a", Mode: "navigate", Credentials: "include"}, "basic 200 1",
			"GET /a with theirs=1"},
		{"data", Request{URL: "data:text/plain;base64,dGlkZXM=", Mode: "cors"}, "basic 200 1", ""},
		{"damaged data", Request{URL: "data:text/plain;base64,dGl%%%", Mode: "cors"}, "", ""},
		{"no address", Request{URL: "http://[", Mode: "cors"}, "", ""},
		{"another scheme", Request{URL: "ftp://line.example/", Mode: "cors"}, "", ""},
		{"integrity", Request{URL: here + "/a", Mode: "cors", Integrity: "sha256-abc"}, "", "GET /a"},
	} {
		t.Run(c.name, func(t *testing.T) {
			f, asked, refused := fetcher(nil)
			if c.req.Method == "" {
				c.req.Method = "GET"
			}
			if c.req.Redirect == "" {
				c.req.Redirect = "follow"
			}
			got := ""
			if r := result(f, c.req); r != nil {
				got = strings.Join([]string{r.Type, map[int]string{0: "0", 200: "200", 204: "204", 302: "302",
					404: "404"}[r.Status], string(rune('0' + len(r.URLs)))}, " ")
				if r.Type == "opaque" {
					assert.Equal(t, 200, r.Actual().Status, "the response behind it")
					assert.Empty(t, r.Header)
				}
				if r.Type == "cors" {
					assert.Empty(t, r.Get("access-control-allow-origin"), "not exposed")
				}
			}
			assert.Equal(t, c.want, got, "%v", *refused)
			assert.Equal(t, c.asked, strings.Join(*asked, ", "))
		})
	}
	f, _, _ := fetcher(nil)
	assert.Equal(t, "low", result(f, Request{URL: there +
		"/open", Method: "GET", Mode: "cors", Redirect: "follow"}).Get("x-tide"), "exposed by name")
	result(f, Request{URL: here + "/login", Method: "GET", Mode: "cors", Redirect: "follow", Credentials: "same-origin"})
	assert.Equal(t, "member=1", f.Cookies.(jar)["line.example"])
}

// The HTTP cache answers while an answer is fresh, as the request's cache mode has it (Fetch, 4.5).
func TestHTTPCacheModes(t *testing.T) {
	f, asked, _ := fetcher(NewHTTPCache())
	get := func(path, mode string) (answered bool, network int) {
		before := len(*asked)
		r := result(f, Request{URL: here + path, Method: "GET", Mode: "same-origin", Redirect: "follow", Cache: mode})
		return r != nil, len(*asked) - before
	}
	for _, c := range []struct {
		path, mode string
		answered   bool
		network    int
	}{
		{"/fresh", "only-if-cached", false, 0}, {"/fresh", "default", true, 1}, {"/fresh", "default", true, 0}, {"/fresh",
			"only-if-cached", true, 0},
		{"/fresh", "no-cache", true, 1}, {"/fresh", "reload", true, 1}, {"/fresh", "default", true, 0}, {"/fresh", "no-store",
			true, 1}, {"/a", "default", true, 1}, {"/a", "default", true, 1},
	} {
		answered, network := get(c.path, c.mode)
		assert.Equal(t, c.answered, answered, c.path+" "+c.mode)
		assert.Equal(t, c.network, network, c.path+" "+c.mode)
	}
	f.Clock.Pass(2 * time.Minute)
	answered, network := get("/fresh", "force-cache")
	assert.True(t, answered && network == 0, "old ones too")
	branch := f.Cache.Branch()
	_, network = get("/fresh", "default")
	assert.Equal(t, 1, network, "it is not fresh any more")
	assert.NotNil(t, branch)
	assert.Nil(t, (*HTTPCache)(nil).Branch())
}

// Of the hashes in integrity metadata those of the strongest algorithm count, however many others match (Subresource Integrity, 3.3).
func TestIntegrity(t *testing.T) {
	sum256, sum512 := sha256.Sum256([]byte("tides")), sha512.Sum512([]byte("tides"))
	right256, right512 := "sha256-"+base64.StdEncoding.EncodeToString(sum256[:]), "sha512-"+base64.StdEncoding.EncodeToString(sum512[:])
	const wrong256, wrong512 = "sha256-AAAA", "sha512-AAAA"
	for metadata, want := range map[string]bool{
		"": true, "md5-AAAA": true, right256: true, wrong256: false, right512 + "?ct": true, wrong256 + " " + right256: true,
		right256 + " " + wrong512: false, wrong256 + " " + right512: true, wrong512 + " " + right256: false, strings.Replace(right256, "sha", "SHA", 1): true,
		strings.NewReplacer("+", "-", "/", "_").Replace(right512): true,
	} {
		assert.Equal(t, want, IntegrityHolds(metadata, site.Bytes("tides")), metadata)
	}
}
