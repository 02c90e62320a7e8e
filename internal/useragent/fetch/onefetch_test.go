package fetch

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/csp"
	"tachyform/internal/request"
	"tachyform/internal/site"
)

// What requests are refused for, and whether anything was asked, or came (Fetch, 4.1; Mixed Content, 4).
func TestWhyRequestsFail(t *testing.T) {
	paths := map[string]string{
		"/sheet": "200\nContent-Type: text/css\n\np {}", "/plain": "200\nContent-Type: text/plain\n\ntides", "/loose": "200\nContent-Type: text/plain\nX-Content-Type-Options: nosniff\n\ntides",
		"/picture": "200\nContent-Type: image/png\n\nx", "/script": "200\nContent-Type: text/javascript\nX-Content-Type-Options: nosniff\n\n1", "/loop": "302\nLocation: /loop", "/mail": "302\nLocation: mailto:x",
	}
	for name, c := range map[string]struct {
		url, destination, integrity, policy string
		mode                                request.Mode
		want                                FailureKind
		asked, came                         bool
	}{
		"a script":                       {url: here + "/script", destination: "script", asked: true},
		"a text as a script":             {url: here + "/plain", destination: "script", asked: true},
		"a text that is no script":       {url: here + "/loose", destination: "script", want: WrongScriptType, asked: true, came: true},
		"a text as a worker":             {url: here + "/loose", destination: "worker", want: WrongScriptType, asked: true, came: true},
		"a picture as a script":          {url: here + "/picture", destination: "script", want: WrongScriptType, asked: true, came: true},
		"a text as a sheet":              {url: here + "/plain", destination: "style", asked: true},
		"a text that is no sheet":        {url: here + "/loose", destination: "style", want: WrongStyleType, asked: true, came: true},
		"a text as a picture":            {url: here + "/loose", destination: "image", asked: true},
		"other content":                  {url: here + "/plain", integrity: "sha256-abc", want: WrongIntegrity, asked: true, came: true},
		"content that cannot be checked": {url: there + "/plain", mode: "no-cors", integrity: "sha256-abc", want: UncheckedIntegrity, asked: true, came: true},
		"a policy":                       {url: here + "/plain", policy: "connect-src 'none'", want: PolicyForbids},
		"data without security":          {url: "http://line.example/plain", want: MixedContent},
		"a frame without security":       {url: "http://line.example/plain", destination: "iframe", mode: "navigate", want: MixedContent},
		"a page without security":        {url: "http://line.example/plain", destination: "document", mode: "navigate", asked: false},
		"this machine":                   {url: "http://localhost/plain", mode: "no-cors"},
		"a picture asked for safely":     {url: "http://line.example/plain", destination: "image", mode: "no-cors", asked: true},
		"a picture at a number":          {url: "http://10.0.0.1/plain", destination: "image", mode: "no-cors", want: MixedContent},
		"redirects without end":          {url: here + "/loop", want: TooManyRedirects, asked: true},
		"a redirect to a program":        {url: here + "/mail", want: RedirectsElsewhere, asked: true},
	} {
		f, asked, _ := fetcher(nil)
		for _, at := range []string{here, there} {
			f.Network.Hosts[at] = table{at, paths, asked}
		}
		if c.mode == "" {
			c.mode = "cors"
		}
		req := &Request{URL: c.url, Method: "GET", Mode: c.mode, Redirect: "follow", Destination: request.Destination(c.destination), Integrity: c.integrity,
			Client: Settings{URL: here + "/", Origin: here, Policy: csp.Parse(here, []string{c.policy})}}
		var resp *Response
		var why Error
		f.Fetch(req, func(r *Response, e Error) { resp, why = r, e })
		f.Clock.Run(func() bool { return false }, time.Minute)
		assert.Equal(t, c.want, why.Kind, name)
		assert.Equal(t, c.want == NoFailure, resp != nil, name)
		assert.Equal(t, c.asked, len(*asked) > 0, "%s: %v", name, *asked)
		assert.Equal(t, c.came, why.Answer != nil, name)
	}
}

// What comes of the answers of service workers (Fetch, 4.3, step 5), and which requests they are asked about.
func TestServiceWorkersAnswer(t *testing.T) {
	made := func(status int, location string) *Response {
		r := &Response{Type: "default", Status: status, Body: site.Bytes("worker")}
		if location != "" {
			r.Header = [][2]string{{"location", location}}
		}
		return r
	}
	opaque := &Response{Type: "opaque", Internal: &Response{Type: "basic", URLs: []string{there + "/a"}, Status: 200}}
	redirected := &Response{Type: "basic", URLs: []string{here + "/x", here + "/a"}, Status: 200}
	hidden := &Response{Type: "opaqueredirect", Internal: made(302, "/a")}
	for name, c := range map[string]struct {
		req      Request
		answers  map[string]*Response // by path; others are left alone
		want     string               // type, status and who answered, or why nothing came
		heard    string
		netAsked string
	}{
		"its own":                      {Request{URL: here + "/a#part", Mode: "cors"}, map[string]*Response{"/a#part": made(200, "")}, "basic 200 worker", "/a#part", ""},
		"left alone":                   {Request{URL: here + "/a", Mode: "cors"}, nil, "basic 200 network", "/a", "GET /a"},
		"left alone, then redirected":  {Request{URL: here + "/moved", Mode: "cors"}, nil, "basic 200 network", "/moved", "GET /moved, GET /a"},
		"a redirect of its own":        {Request{URL: here + "/x", Mode: "cors"}, map[string]*Response{"/x": made(302, "/y"), "/y": made(200, "")}, "basic 200 worker", "/x, /y", ""},
		"a redirect to the network":    {Request{URL: here + "/x", Mode: "cors"}, map[string]*Response{"/x": made(302, "/a")}, "basic 200 network", "/x, /a", "GET /a"},
		"a redirect nobody follows":    {Request{URL: here + "/x", Mode: "cors", Redirect: "manual"}, map[string]*Response{"/x": made(302, "/a")}, "opaqueredirect 0 worker", "/x", ""},
		"a redirect that is refused":   {Request{URL: here + "/x", Mode: "cors", Redirect: "error"}, map[string]*Response{"/x": made(302, "/a")}, "the network failed", "/x", ""},
		"an opaque answer":             {Request{URL: here + "/x", Mode: "no-cors"}, map[string]*Response{"/x": opaque}, "opaque 0 worker", "/x", ""},
		"an opaque one where it reads": {Request{URL: here + "/x", Mode: "cors"}, map[string]*Response{"/x": opaque}, Failure{Kind: WorkerFailed}.String(), "/x", ""},
		"an opaque page":               {Request{URL: here + "/x", Mode: "navigate", Redirect: "manual"}, map[string]*Response{"/x": opaque}, Failure{Kind: OpaqueDocument}.String(), "/x", ""},
		"an opaque one, embedded": {Request{URL: here + "/x", Mode: "no-cors", Client: Settings{EmbedderPolicy: "require-corp"}}, map[string]*Response{"/x": opaque},
			Failure{Kind: WorkerFailed}.String(), "/x", ""},
		"a page that was redirected":  {Request{URL: here + "/x", Mode: "navigate", Redirect: "manual"}, map[string]*Response{"/x": redirected}, Failure{Kind: RedirectedDocument}.String(), "/x", ""},
		"a file that was redirected":  {Request{URL: here + "/x", Mode: "cors"}, map[string]*Response{"/x": redirected}, "basic 200 worker", "/x", ""},
		"one that was, where none is": {Request{URL: here + "/x", Mode: "cors", Redirect: "error"}, map[string]*Response{"/x": redirected}, Failure{Kind: WorkerFailed}.String(), "/x", ""},
		"a redirect that was hidden":  {Request{URL: here + "/x", Mode: "cors"}, map[string]*Response{"/x": hidden}, Failure{Kind: WorkerFailed}.String(), "/x", ""},
		"an error":                    {Request{URL: here + "/x", Mode: "cors"}, map[string]*Response{"/x": {Type: "error"}}, Failure{Kind: WorkerFailed}.String(), "/x", ""},
		"plugins pass it by":          {Request{URL: here + "/a", Mode: "no-cors", Destination: "object"}, nil, "basic 200 network", "", "GET /a"},
		"data passes it by":           {Request{URL: "data:,x", Mode: "cors"}, nil, "basic 200 network", "", ""},
		"another origin":              {Request{URL: there + "/x", Mode: "cors"}, map[string]*Response{"/x": made(200, "")}, "default 200 worker", "/x", ""},
		"a picture as a script":       {Request{URL: here + "/x", Mode: "no-cors", Destination: "script"}, map[string]*Response{"/x": {Type: "default", Status: 200, Header: [][2]string{{"content-type", "image/png"}}}}, Failure{Kind: WrongScriptType, Detail: "image/png"}.String(), "/x", ""},
	} {
		f, asked, _ := fetcher(nil)
		var heard []string
		req := c.req
		req.Method, req.Client.Origin = "GET", here
		if req.Redirect == "" {
			req.Redirect = "follow"
		}
		req.HandleFetch = func(r *Request, done func(*Response, Answerer)) {
			path := strings.TrimPrefix(strings.TrimPrefix(r.URL, here), there)
			heard = append(heard, path)
			if a := c.answers[path]; a != nil {
				answer := *a
				done(&answer, ByWorker)
				return
			}
			done(nil, Nobody)
		}
		got := "nothing"
		f.Fetch(&req, func(r *Response, e Error) {
			if got = e.String(); r != nil {
				got = strings.Join([]string{r.Type, map[int]string{0: "0", 200: "200"}[r.Status], AnsweredBy(r, e.Failure).String()}, " ")
			}
		})
		f.Clock.Run(func() bool { return false }, time.Minute)
		assert.Equal(t, c.want, got, name)
		assert.Equal(t, c.heard, strings.Join(heard, ", "), name)
		assert.Equal(t, c.netAsked, strings.Join(*asked, ", "), name)
	}
}

// A navigation follows redirects one by one ("process the next manual redirect").
func TestManualRedirects(t *testing.T) {
	f, asked, _ := fetcher(nil)
	req := &Request{URL: here + "/moved#part", Method: "POST", Mode: "navigate", Redirect: "manual", Content: site.Bytes("x"), Header: [][2]string{{"content-type", "text/plain"}}}
	var at []string
	var status int
	f.Fetch(req, func(r *Response, e Error) {
		require.NotNil(t, r, e.String())
		if status = r.Actual().Status; r.Actual().Location(req.URL) != "" {
			at = append(at, r.Actual().Location(here+"/moved#part"))
			req.ProcessNextManualRedirect()
		}
	})
	f.Clock.Run(func() bool { return false }, time.Minute)
	assert.Equal(t, []string{here + "/a#part"}, at)
	assert.Equal(t, 200, status)
	assert.Equal(t, "POST /moved text/plain, GET /a", strings.Join(*asked, ", "))
	assert.Equal(t, "GET", req.Method)
}

// A script that waits in the middle of its turn gets its answer before anything else goes on.
func TestFetchNow(t *testing.T) {
	f, _, _ := fetcher(nil)
	f.Network.Condition.Latency = time.Second
	other := false
	f.Clock.After(time.Millisecond, func() { other = true })
	resp, why := f.FetchNow(&Request{URL: here + "/moved", Method: "GET", Mode: "no-cors", Redirect: "follow", Client: Settings{Origin: here}})
	require.NotNil(t, resp, why.String())
	assert.Equal(t, "tides", string(resp.Bytes()))
	assert.Equal(t, 2*time.Second, f.Clock.Now, "two requests")
	assert.False(t, other)
	f.Network.Condition.Stalls = true
	resp, why = f.FetchNow(&Request{URL: here + "/a", Method: "GET", Mode: "no-cors", Redirect: "follow", Client: Settings{Origin: here}})
	assert.Nil(t, resp)
	assert.Equal(t, NetworkFailed, why.Kind)
	f.Clock.Run(func() bool { return other }, time.Minute)
	assert.True(t, other)
}
