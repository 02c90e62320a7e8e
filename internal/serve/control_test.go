package serve

import (
	"encoding/json"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
)

// ask makes a request with headers as "Name: value" and gives status, headers and content; 0 for no answer.
func ask(t *testing.T, method, url, body string, headers ...string) (int, http.Header, string) {
	t.Helper()
	req, err := http.NewRequest(method, url, strings.NewReader(body))
	require.NoError(t, err)
	for _, h := range headers {
		name, value, _ := strings.Cut(h, ": ")
		if name == "Host" {
			req.Host = value
		}
		req.Header.Set(name, value)
	}
	client := http.Client{Timeout: 2 * time.Second, Transport: &http.Transport{DisableKeepAlives: true},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	resp, err := client.Do(req)
	if err != nil {
		return 0, nil, ""
	}
	defer resp.Body.Close()
	text, _ := io.ReadAll(resp.Body)
	return resp.StatusCode, resp.Header, string(text)
}

// controlled serves a page that says "low" with its control page.
func controlled(t *testing.T) (s *Server, c *Control, panel string) {
	a := &Afresh{}
	s, err := Start(a.Handler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "low") })))
	require.NoError(t, err)
	c = NewControl(s, a)
	p, err := Start(Named(nil, c))
	require.NoError(t, err)
	t.Cleanup(func() { s.Close(); p.Close() })
	return s, c, p.Origin()
}

// Nobody but the control page itself switches anything, and nothing is switched by GET.
func TestWhoMaySwitch(t *testing.T) {
	s, c, panel := controlled(t)
	token, own, kind := "X-Tachyform-Token: "+c.Fragment()[1:], "Origin: "+panel, "Content-Type: application/json"
	const offline = `{"condition": "offline"}`
	for name, x := range map[string]struct {
		method  string
		headers []string
		status  int
	}{
		"without a token":              {"POST", []string{own, kind}, 403},
		"with a wrong token":           {"POST", []string{own, kind, "X-Tachyform-Token: x"}, 403},
		"a token in a cookie":          {"POST", []string{own, kind, "Cookie: X-Tachyform-Token=" + c.Fragment()[1:]}, 403},
		"a page of the site":           {"POST", []string{token, kind, "Origin: " + s.Origin()}, 403},
		"a page of anybody":            {"POST", []string{token, kind, "Origin: https://tiles.example"}, 403},
		"without an origin":            {"POST", []string{token, kind}, 405},
		"by GET":                       {"GET", []string{token, own, kind}, 405},
		"as a form":                    {"POST", []string{token, own, "Content-Type: text/plain"}, 405},
		"under another name":           {"POST", []string{token, own, kind, "Host: pier.example"}, 421},
		"asked whether it may (cors)":  {"OPTIONS", []string{"Origin: " + s.Origin(), "Access-Control-Request-Method: POST"}, 403},
		"with all that the page sends": {"POST", []string{token, own, kind}, 200},
	} {
		require.NoError(t, c.Choose("online"))
		status, header, _ := ask(t, x.method, panel+"/condition", offline, x.headers...)
		assert.Equal(t, x.status, status, name)
		assert.Empty(t, header.Get("Access-Control-Allow-Origin"), name)
		assert.Empty(t, header.Get("Set-Cookie"), name)
		assert.Equal(t, x.status == 200, s.Condition().Refuses, name)
	}
	status, header, text := ask(t, "GET", panel+"/", "")
	assert.Equal(t, 200, status)
	assert.NotContains(t, text, c.Fragment()[1:], "the page does not hold its token")
	assert.Contains(t, header.Get("Content-Security-Policy"), "frame-ancestors 'none'")
	status, _, _ = ask(t, "GET", panel+"/state", "")
	assert.Equal(t, 403, status)
	status, _, _ = ask(t, "POST", panel+"/never", "{}", token, own, kind)
	assert.Equal(t, 404, status)
	status, _, text = ask(t, "POST", panel+"/condition", `{"condition": "foggy"}`, token, own, kind)
	assert.Equal(t, 400, status)
	assert.Contains(t, text, `there is no condition "foggy"; the conditions are online, offline, stalled, slow, flaky`)
}

// What the page shows follows what happens, and what it asks for holds.
func TestControlPage(t *testing.T) {
	s, c, panel := controlled(t)
	deployed := false
	c.Next = func(next bool) error { deployed = next; return nil }
	c.Predict = func(path, at string) (string, bool) { return path + " under " + at, path == "/tides" }
	headers := []string{"X-Tachyform-Token: " + c.Fragment()[1:], "Origin: " + panel, "Content-Type: application/json"}
	post := func(path, body string) string {
		status, _, text := ask(t, "POST", panel+path, body, headers...)
		return map[int]string{200: "", 400: "refused: "}[status] + strings.TrimSpace(text)
	}
	state := func(since string) (st stateJSON) {
		_, _, text := ask(t, "GET", panel+"/state"+since, "", headers...)
		require.NoError(t, json.Unmarshal([]byte(text), &st), text)
		return st
	}
	_, _, _ = ask(t, "GET", s.Origin()+"/tides", "", "Sec-Fetch-Dest: document")
	first := state("")
	require.Len(t, first.Requests, 1)
	assert.Equal(t, []any{"GET", "/tides", "document", ByPage, 200, int64(3)}, []any{first.Requests[0].Method, first.Requests[0].Path, first.Requests[0].Destination,
		first.Requests[0].By, first.Requests[0].Status, first.Requests[0].Bytes})
	assert.Equal(t, []predicted{{"/tides", "/tides under online"}}, first.Predicted)
	go func() {
		time.Sleep(50 * time.Millisecond)
		_, _, _ = ask(t, "GET", s.Origin()+"/later", "")
	}()
	assert.NotEqual(t, first.Change, state("?since="+itoa(first.Change)).Change, "it waits for what comes next")

	post("/next", `{"deployed": true}`)
	assert.True(t, deployed && state("").Deployed)
	assert.Equal(t, "refused: status 99 is not possible; use a status between 200 and 599", post("/overrides", `{"overrides": [{"match": "/x", "status": 99}]}`))
	assert.Equal(t, "refused: the delay must be between 0 and 10m0s", post("/overrides", `{"overrides": [{"match": "/x", "delay_ms": -1}]}`))
	assert.Equal(t, "refused: the request is not JSON", post("/overrides", `x`))
	post("/overrides", `{"overrides": [{"match": "/data/*", "status": 503}, {"match": "/tides", "delay_ms": 120}]}`)
	for path, want := range map[string]int{"/data/now": 503, "/data/now?x": 503, "/tides": 200, "/": 200} {
		start := time.Now()
		status, _, _ := ask(t, "GET", s.Origin()+path, "")
		assert.Equal(t, want, status, path)
		assert.Equal(t, path == "/tides", time.Since(start) >= 120*time.Millisecond, path)
	}
	post("/clear", "{}")
	assert.Empty(t, state("").Requests)
	post("/condition", `{"condition": "offline"}`)
	assert.Contains(t, post("/afresh", "{}"), "choose online first")
}

func itoa(n int) string { text, _ := json.Marshal(n); return string(text) }

// An address to start afresh is valid once, for a while, for POST; a worker that removes itself is handed out once.
func TestAfresh(t *testing.T) {
	s, c, _ := controlled(t)
	clears := func(method, path string) bool {
		_, header, _ := ask(t, method, s.Origin()+path, "")
		return header.Get("Clear-Site-Data") != ""
	}
	assert.False(t, clears("POST", afreshPath+secret()), "nobody made it")
	one := c.Afresh.Address()
	assert.False(t, clears("GET", one))
	assert.False(t, clears("HEAD", one))
	assert.True(t, clears("POST", one))
	assert.False(t, clears("POST", one), "once")
	late := c.Afresh.Address()
	c.Afresh.mu.Lock()
	c.Afresh.valid[late] = time.Now().Add(-time.Millisecond)
	c.Afresh.mu.Unlock()
	assert.False(t, clears("POST", late), "too late")

	worker := func() string {
		_, _, text := ask(t, "GET", s.Origin()+"/w.js", "", "Service-Worker: script")
		return text
	}
	assert.Equal(t, "low", worker())
	c.Afresh.Retire()
	_, _, text := ask(t, "GET", s.Origin()+"/w.js", "")
	assert.Equal(t, "low", text, "no check for a worker")
	text = worker()
	assert.Contains(t, text, "registration.unregister()")
	assert.Equal(t, "low", worker(), "once")
	from := strings.Index(text, afreshPath)
	told := text[from : from+strings.IndexByte(text[from:], '\'')]
	for range 2 { // told once
		_, _, _ = ask(t, "POST", s.Origin()+told, "tides\nsailings")
	}
	assert.Equal(t, []string{"The worker removed itself and these caches: tides, sailings"}, c.messages)
}

// Connections are cut with the network, web sockets too; those under way stall and go on.
func TestCuttingConnections(t *testing.T) {
	s, err := Start(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		conn, _, err := http.NewResponseController(w).Hijack()
		if err == nil {
			_, _ = conn.Write([]byte("HTTP/1.1 101 Switching Protocols\r\nUpgrade: tides\r\nConnection: Upgrade\r\n\r\n"))
		}
	}))
	require.NoError(t, err)
	defer s.Close()
	var open []net.Conn
	for range 20 {
		conn, err := net.Dial("tcp", strings.TrimPrefix(s.Origin(), "http://"))
		require.NoError(t, err)
		_, _ = conn.Write([]byte("GET / HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n"))
		buffer := make([]byte, 12)
		_, err = io.ReadFull(conn, buffer)
		require.NoError(t, err)
		assert.Equal(t, "HTTP/1.1 101", string(buffer))
		open = append(open, conn)
	}
	s.Offline()
	for _, conn := range open {
		_ = conn.SetReadDeadline(time.Now().Add(2 * time.Second))
		_, err := io.Copy(io.Discard, conn)
		netErr, late := err.(net.Error)
		assert.False(t, late && netErr.Timeout(), "cut")
		conn.Close()
	}
	_, err = net.Dial("tcp", strings.TrimPrefix(s.Origin(), "http://"))
	assert.Error(t, err)

	require.NoError(t, s.Online())
	s.KeepPort = true
	s.Offline()
	status, _, _ := ask(t, "GET", s.Origin()+"/", "")
	assert.Zero(t, status)
	_, err = net.Listen("tcp", strings.TrimPrefix(s.Origin(), "http://"))
	assert.Error(t, err, "nobody takes its port meanwhile")

	s.Answer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "low") }))
	require.NoError(t, s.Stall())
	go func() {
		time.Sleep(100 * time.Millisecond)
		_ = s.Online()
	}()
	status, _, text := ask(t, "GET", s.Origin()+"/", "")
	assert.Equal(t, "low", text, "what was held back goes on: %d", status)
	require.NoError(t, s.SetCondition(condition.Condition{Name: "lossy", Fails: 1}))
	status, _, _ = ask(t, "GET", s.Origin()+"/", "")
	assert.Zero(t, status)
	s.Answer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write(make([]byte, 4000)) }))
	require.NoError(t, s.SetCondition(condition.Condition{Name: "narrow", BytesPerSecond: 20_000, Latency: 50 * time.Millisecond}))
	start := time.Now()
	_, _, text = ask(t, "GET", s.Origin()+"/", "")
	assert.Len(t, text, 4000)
	assert.Greater(t, time.Since(start), 200*time.Millisecond)
}

// Who asks, by what a request says of itself.
func TestAskers(t *testing.T) {
	l := &Log{}
	asker := func(path string, headers ...string) Asker {
		r := httptest.NewRequest("GET", "http://127.0.0.1:8300"+path, nil)
		for _, h := range headers {
			name, value, _ := strings.Cut(h, ": ")
			r.Header.Set(name, value)
		}
		return l.begin(r).By
	}
	assert.Equal(t, ByPage, asker("/a", "Referer: http://127.0.0.1:8300/w.js"), "nobody has asked for a worker yet")
	assert.Equal(t, ByUpdate, asker("/w.js?v=1", "Service-Worker: script"))
	assert.Equal(t, ByWorker, asker("/a", "Referer: http://127.0.0.1:8300/w.js?v=1"))
	assert.Equal(t, ByPage, asker("/a", "Referer: http://127.0.0.1:8300/"))
	assert.Equal(t, ByPage, asker("/a", "Referer: http://other.example/w.js"))
	assert.Equal(t, ByPreload, asker("/a", "Service-Worker-Navigation-Preload: true"))
}

// What is passed on to a server behind, and what of its answers.
func TestForward(t *testing.T) {
	var got *http.Request
	var body string
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		data, _ := io.ReadAll(r.Body)
		got, body = r, string(data)
		switch r.URL.Path {
		case "/moved":
			w.Header().Set("Location", "http://"+r.Host+"/tides")
			w.WriteHeader(302)
		case "/elsewhere":
			w.Header().Set("Location", "http://"+r.Host+"0/tides")
			w.WriteHeader(302)
		case "/login":
			w.Header().Add("Set-Cookie", "member=1; Path=/; Domain=line.example; HttpOnly")
		}
	}))
	defer behind.Close()
	f, err := NewForward(behind.URL)
	require.NoError(t, err)
	s, err := Start(f)
	require.NoError(t, err)
	defer s.Close()
	here := s.Origin()
	for name, c := range map[string]struct {
		method  string
		headers []string
		status  int
	}{
		"a page":                           {"GET", []string{"Sec-Fetch-Mode: navigate", "Sec-Fetch-Site: cross-site"}, 200},
		"a script of the site":             {"DELETE", []string{"Origin: " + here, "Sec-Fetch-Site: same-origin"}, 200},
		"a script of somebody else":        {"DELETE", []string{"Origin: https://other.example"}, 403},
		"a picture for somebody else":      {"GET", []string{"Sec-Fetch-Mode: no-cors", "Sec-Fetch-Site: cross-site"}, 403},
		"a form of somebody else":          {"POST", []string{"Sec-Fetch-Mode: navigate", "Sec-Fetch-Site: cross-site", "Origin: https://other.example"}, 403},
		"a web socket of somebody else":    {"GET", []string{"Sec-Fetch-Mode: navigate", "Upgrade: websocket", "Connection: Upgrade", "Origin: https://other.example"}, 403},
		"another port of this machine":     {"POST", []string{"Origin: http://127.0.0.1:1"}, 403},
		"what a program asks":              {"POST", nil, 200},
		"a name that others give the host": {"GET", []string{"Host: pier.example"}, 403},
	} {
		got = nil
		status, _, _ := ask(t, c.method, here+"/tides?day=1", "low", c.headers...)
		assert.Equal(t, c.status, status, name)
		assert.Equal(t, c.status == 200, got != nil, name)
		if got != nil {
			assert.Equal(t, []string{c.method, "/tides?day=1", strings.TrimPrefix(behind.URL, "http://")}, []string{got.Method, got.URL.RequestURI(), got.Host}, name)
			if c.method != "GET" {
				assert.Equal(t, "low", body, name)
			}
			if c.method == "DELETE" {
				assert.Equal(t, behind.URL, got.Header.Get("Origin"), name)
			}
		}
	}
	_, header, _ := ask(t, "GET", here+"/moved", "")
	assert.Equal(t, "/tides", header.Get("Location"))
	_, header, _ = ask(t, "GET", here+"/elsewhere", "")
	assert.Equal(t, behind.URL+"0/tides", header.Get("Location"), "another port that begins alike")
	_, header, _ = ask(t, "GET", here+"/login", "")
	assert.Equal(t, "member=1; Path=/; HttpOnly", header.Get("Set-Cookie"))
	f.Names = true
	status, _, _ := ask(t, "GET", here+"/tides", "", "Host: pier.example")
	assert.Equal(t, 200, status)
	behind.Close()
	status, _, text := ask(t, "GET", here+"/tides", "")
	assert.Equal(t, 502, status)
	assert.Contains(t, text, "does not respond")
}

// Web sockets reach the server behind, and are cut with the network.
func TestForwardedSockets(t *testing.T) {
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		conn, pipe, err := http.NewResponseController(w).Hijack()
		if err != nil {
			return
		}
		defer conn.Close()
		_, _ = conn.Write([]byte("HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n\r\n"))
		_, _ = io.Copy(conn, pipe)
	}))
	defer behind.Close()
	f, err := NewForward(behind.URL)
	require.NoError(t, err)
	s, err := Start(f)
	require.NoError(t, err)
	defer s.Close()
	conn, err := net.Dial("tcp", strings.TrimPrefix(s.Origin(), "http://"))
	require.NoError(t, err)
	defer conn.Close()
	_ = conn.SetDeadline(time.Now().Add(5 * time.Second))
	_, _ = io.WriteString(conn, "GET /live HTTP/1.1\r\nHost: "+strings.TrimPrefix(s.Origin(), "http://")+"\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nOrigin: "+s.Origin()+"\r\n\r\n")
	head := make([]byte, 12)
	_, err = io.ReadFull(conn, head)
	require.NoError(t, err)
	assert.Equal(t, "HTTP/1.1 101", string(head))
	_, _ = io.WriteString(conn, "high water")
	var read strings.Builder
	for !strings.Contains(read.String(), "high water") {
		part := make([]byte, 256)
		n, err := conn.Read(part)
		require.NoError(t, err)
		read.Write(part[:n])
	}
	s.Offline()
	_, err = io.Copy(io.Discard, conn)
	netErr, is := err.(net.Error)
	assert.False(t, is && netErr.Timeout())
}
