package cli

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/require"
)

// BenchmarkServeUnderLoad measures tachyform serve with 200 clients, 50 of them slow, and 20 open web sockets, while the network
// conditions change: the most memory, unexpected errors, and how long it takes to close all connections when it goes offline.
func BenchmarkServeUnderLoad(b *testing.B) {
	large := strings.Repeat("tide ", 2_000_000)
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/socket":
			c, err := websocket.Accept(w, r, nil)
			if err != nil {
				return
			}
			defer c.CloseNow()
			for {
				kind, data, err := c.Read(r.Context())
				if err != nil {
					return
				}
				_ = c.Write(r.Context(), kind, data)
			}
		case "/large":
			_, _ = io.WriteString(w, large)
		default:
			_, _ = io.WriteString(w, "<!doctype html><title>Tides</title>")
		}
	}))
	defer behind.Close()
	var closing []time.Duration
	var unexpected, answered atomic.Int64
	memory := 0.0
	for b.Loop() {
		s := startServe(b, b.TempDir(), behind.URL)
		address := strings.TrimSuffix(strings.TrimPrefix(s.site, "http://"), "/")
		stop := make(chan struct{})
		var wait sync.WaitGroup
		online := atomic.Bool{}
		online.Store(true)
		for i := range 150 {
			wait.Go(func() {
				client := http.Client{Timeout: 3 * time.Second}
				for n := 0; ; n++ {
					select {
					case <-stop:
						return
					default:
					}
					before := online.Load()
					resp, err := client.Get(fmt.Sprintf("%s%d-%d", s.site, i, n))
					if err == nil {
						_, _ = io.Copy(io.Discard, resp.Body) // the connection may be closed meanwhile
						resp.Body.Close()
						answered.Add(1)
					}
					if (err != nil || resp.StatusCode != 200) && before && online.Load() {
						unexpected.Add(1)
					}
					time.Sleep(5 * time.Millisecond)
				}
			})
		}
		// Slow clients and web sockets record when their connection is closed.
		ends := make(chan time.Time, 200)
		slow := func() {
			conn, err := net.Dial("tcp", address)
			if err != nil {
				ends <- time.Time{}
				return
			}
			defer conn.Close()
			_ = conn.(*net.TCPConn).SetReadBuffer(4096) // otherwise the rest is read from the buffer
			fmt.Fprintf(conn, "GET /large HTTP/1.1\r\nHost: %s\r\n\r\n", address)
			buffer := make([]byte, 1024)
			for {
				if _, err := conn.Read(buffer); err != nil {
					ends <- time.Now()
					return
				}
				time.Sleep(2 * time.Millisecond)
			}
		}
		socket := func() {
			c, _, err := websocket.Dial(context.Background(), "ws://"+address+"/socket", nil)
			if err != nil {
				ends <- time.Time{}
				return
			}
			defer c.CloseNow()
			for {
				err := c.Write(context.Background(), websocket.MessageText, []byte("tide"))
				if err == nil {
					_, _, err = c.Read(context.Background())
				}
				if err != nil {
					ends <- time.Now()
					return
				}
				time.Sleep(2 * time.Millisecond)
			}
		}
		for range 10 {
			for _, name := range []string{"slow", "stalled", "flaky", "online"} {
				online.Store(false)
				s.switchTo("/condition", `{"condition": "`+name+`"}`)
				online.Store(name == "online")
				time.Sleep(100 * time.Millisecond)
			}
		}
		for range 50 {
			go slow()
		}
		for range 20 {
			go socket()
		}
		time.Sleep(time.Second)
		online.Store(false)
		begin := time.Now()
		s.switchTo("/condition", `{"condition": "offline"}`)
		for range 70 {
			end := <-ends
			require.False(b, end.IsZero(), "a connection did not open")
			require.False(b, end.Before(begin), "a connection ended %v too early", begin.Sub(end))
			closing = append(closing, end.Sub(begin))
		}
		close(stop)
		wait.Wait()
		text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.command.Process.Pid))
		require.NoError(b, err)
		if m := regexp.MustCompile(`VmHWM:\s+(\d+) kB`).FindSubmatch(text); m != nil {
			var kilobytes float64
			fmt.Sscan(string(m[1]), &kilobytes)
			memory = max(memory, kilobytes/1000)
		}
		s.end()
	}
	most := time.Duration(0)
	for _, d := range closing {
		most = max(most, d)
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(float64(most.Microseconds())/1000, "ms-to-close-all")
	b.ReportMetric(memory, "MB")
	b.ReportMetric(float64(unexpected.Load()), "unexpected-errors")
	b.ReportMetric(float64(answered.Load()), "answers")
}
