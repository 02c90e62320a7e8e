package site

import (
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"io"
	"log"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// liveHost starts a server on this machine.
func liveHost(t *testing.T, handle http.HandlerFunc) *httptest.Server {
	t.Helper()
	s := httptest.NewServer(handle)
	t.Cleanup(s.Close)
	return s
}

// getLive asks a live host for a path.
func getLive(ctx context.Context, t *testing.T, l Host, method, path string, header http.Header) (*Response, error) {
	t.Helper()
	u, err := whatwg.Parse(l.Origin() + path)
	require.NoError(t, err)
	return l.Answer(ctx, &Request{Method: method, URL: u, Header: header})
}

// breakOff answers with raw bytes and hangs up.
func breakOff(raw string) http.HandlerFunc {
	return func(w http.ResponseWriter, _ *http.Request) {
		c, _, err := w.(http.Hijacker).Hijack()
		if err != nil {
			panic(err)
		}
		_, _ = io.WriteString(c, raw)
		_ = c.Close()
	}
}

// What is wrong with an answer that can't be used is told by its kind.
func TestLiveFaults(t *testing.T) {
	var packed bytes.Buffer
	z := gzip.NewWriter(&packed)
	_, _ = z.Write(bytes.Repeat([]byte("tides "), 1000))
	require.NoError(t, z.Close())
	damaged := append([]byte{}, packed.Bytes()...)
	damaged[len(damaged)-6] ^= 0xff // the checksum
	wait := make(chan struct{})
	defer close(wait)
	for name, c := range map[string]struct {
		handle http.HandlerFunc
		want   FaultKind
	}{
		"hangs up at once":     {breakOff(""), Unreachable},
		"no HTTP":              {breakOff("SSH-2.0-odd\r\n"), Unreachable},
		"breaks off":           {breakOff("HTTP/1.1 200 OK\r\nContent-Length: 10\r\n\r\ntide"), Short},
		"breaks off in chunks": {breakOff("HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n10\r\ntide"), Short},
		"headers without end": {breakOff("HTTP/1.1 200 OK\r\nX-A: " + strings.Repeat("a", maxLiveHeaders+5000) + "\r\n\r\n"),
			Headers},
		"switches protocols": {breakOff("HTTP/1.1 101 Switching Protocols\r\nConnection: upgrade\r\nUpgrade: odd\r\n\r\n"),
			Switches},
		"no gzip": {breakOff("HTTP/1.1 200 OK\r\nContent-Encoding: gzip\r\nContent-Length: 30\r\n\r\nthis is plain text, " +
			"not packed"), Encoded},
		"damaged gzip": {func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Encoding", "gzip")
			_, _ = w.Write(damaged)
		}, Encoded},
		"never answers": {func(_ http.ResponseWriter, r *http.Request) {
			select {
			case <-wait:
			case <-r.Context().Done():
			}
		}, Slow},
		"stops in the middle": {func(w http.ResponseWriter, r *http.Request) {
			_, _ = io.WriteString(w, "half")
			w.(http.Flusher).Flush()
			select {
			case <-wait:
			case <-r.Context().Done():
			}
		}, Slow},
	} {
		t.Run(name, func(t *testing.T) {
			within := 10 * time.Second
			if c.want == Slow {
				within = 200 * time.Millisecond
			}
			_, err := getLive(context.Background(), t, NewLive(liveHost(t, c.handle).URL, within), "GET", "/", nil)
			var f *Fault
			require.ErrorAs(t, err, &f)
			assert.Equal(t, c.want, f.Kind, err.Error())
			assert.Equal(t, within, f.Within)
			assert.NotEmpty(t, f.Error())
			assert.Error(t, errors.Unwrap(f))
		})
	}
	secure := httptest.NewUnstartedServer(http.NotFoundHandler())
	secure.Config.ErrorLog = log.New(io.Discard, "", 0)
	secure.StartTLS()
	defer secure.Close()
	_, err := getLive(context.Background(), t, NewLive(secure.URL, 0), "GET", "/", nil)
	var f *Fault
	require.ErrorAs(t, err, &f)
	assert.Equal(t, Certificate, f.Kind)

	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.NoError(t, l.Close())
	_, err = getLive(context.Background(), t, NewLive("http://"+l.Addr().String(), 0), "GET", "/", nil)
	require.ErrorAs(t, err, &f)
	assert.Equal(t, Unreachable, f.Kind)
}

// A host is spared: the same question goes out once, however many ask it at once; a failure is not tried again; what
// only reads is sent.
func TestLiveAsksOnce(t *testing.T) {
	var asked atomic.Int32
	var mu sync.Mutex
	methods := map[string]int{}
	s := liveHost(t, func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		mu.Lock()
		methods[r.Method]++
		mu.Unlock()
		switch r.URL.Path {
		case "/breaks":
			breakOff("")(w, r)
		case "/moved":
			http.Redirect(w, r, "/elsewhere", http.StatusFound)
		default:
			_, _ = io.WriteString(w, r.URL.Path+r.Header.Get("Range"))
		}
	})
	l := NewLive(s.URL, 0)
	ctx := context.Background()
	var all sync.WaitGroup
	for range 20 {
		all.Go(func() {
			resp, err := getLive(ctx, t, l, "GET", "/tides", nil)
			if assert.NoError(t, err) {
				resp.Header.Set("X-Mine", "1") // each has headers of its own
				body, _ := resp.Body.Bytes()
				assert.Equal(t, "/tides", string(body))
			}
		})
	}
	all.Wait()
	assert.EqualValues(t, 1, asked.Load())
	for _, c := range []struct {
		method, path string
		header       http.Header
		sent         int32
	}{
		{"GET", "/tides", nil, 0},
		{"GET", "/tides", http.Header{"X-Any": {"1"}}, 0},
		{"GET", "/tides", http.Header{"Range": {"bytes=0-1"}}, 1},
		{"GET", "/tides", http.Header{"Cookie": {"member=1"}}, 1},
		{"GET", "/tides?day=2", nil, 1},
		{"HEAD", "/tides", nil, 1},
		{"GET", "/moved", nil, 1},
		{"POST", "/tides", nil, 0}, {"DELETE", "/tides", nil, 0}, {"get", "/tides", nil, 0}, {"OPTIONS", "/new", nil, 0},
	} {
		before := asked.Load()
		resp, err := getLive(ctx, t, l, c.method, c.path, c.header)
		assert.Equal(t, c.sent, asked.Load()-before, "%s %s %v", c.method, c.path, c.header)
		if c.method != "GET" && c.method != "HEAD" {
			require.ErrorIs(t, err, ErrNotSent)
			continue
		}
		require.NoError(t, err, c.method+c.path)
		switch {
		case c.path == "/moved":
			assert.Equal(t, 302, resp.Status, "redirects are left to who asked")
			assert.Equal(t, "/elsewhere", resp.Header.Get("Location"))
		default:
			assert.Equal(t, 200, resp.Status)
			assert.Empty(t, resp.Header.Get("X-Mine"))
		}
	}
	before := asked.Load()
	for range 3 {
		_, err := getLive(ctx, t, l, "GET", "/breaks", nil)
		assert.Error(t, err)
	}
	// The transport itself asks again once where a connection that was used before breaks.
	assert.LessOrEqual(t, asked.Load()-before, int32(2))
	mu.Lock()
	defer mu.Unlock()
	for method := range methods {
		assert.Contains(t, []string{"GET", "HEAD"}, method)
	}
}

// A run that was given up leaves no failure behind for the next.
func TestLiveGivenUp(t *testing.T) {
	first := make(chan struct{})
	var asked atomic.Int32
	s := liveHost(t, func(w http.ResponseWriter, r *http.Request) {
		if asked.Add(1) == 1 {
			close(first)
			<-r.Context().Done()
		}
	})
	l := NewLive(s.URL, 0)
	ctx, cancel := context.WithCancel(context.Background())
	go func() { <-first; cancel() }()
	_, err := getLive(ctx, t, l, "GET", "/", nil)
	require.ErrorIs(t, err, context.Canceled)
	resp, err := getLive(context.Background(), t, l, "GET", "/", nil)
	require.NoError(t, err)
	assert.Equal(t, 200, resp.Status)
}

// Headers for somebody who is signed in go with every request, and with none of those who are not.
func TestLiveSignedIn(t *testing.T) {
	s := liveHost(t, func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.WriteString(w, strings.Join(r.Header["Cookie"], "|")+" "+r.Header.Get("Authorization"))
	})
	l := NewLive(s.URL, 0)
	assert.Same(t, l, l.SignedOut(), "without such headers it is the same host")
	l.Header = http.Header{"Cookie": {"member=1"}, "Authorization": {"Basic eA=="}}
	says := func(h Host, header http.Header) string {
		resp, err := getLive(context.Background(), t, h, "GET", "/", header)
		require.NoError(t, err)
		body, err := resp.Body.Bytes()
		require.NoError(t, err)
		return string(body)
	}
	assert.Equal(t, "member=1 Basic eA==", says(l, nil))
	assert.Equal(t, "member=1; tide=low Basic eA==", says(l, http.Header{"Cookie": {"tide=low"}}))
	assert.Equal(t, " ", says(l.SignedOut(), nil))
}

// Whether a live host packs its answers is seen, though the content comes unpacked.
func TestLiveCompressed(t *testing.T) {
	s := liveHost(t, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/packed" && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
			w.Header().Set("Content-Encoding", "gzip")
			z := gzip.NewWriter(w)
			_, _ = io.WriteString(z, "tides")
			_ = z.Close()
			return
		}
		_, _ = io.WriteString(w, "tides")
	})
	for path, want := range map[string]bool{"/packed": true, "/plain": false} {
		resp, err := getLive(context.Background(), t, NewLive(s.URL, 0), "GET", path, nil)
		require.NoError(t, err)
		assert.Equal(t, want, resp.Compressed, path)
		assert.EqualValues(t, 5, resp.Body.Len(), path)
	}
}
