package serve

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"tachyform/internal/condition"
)

// Server serves a handler on a loopback port and simulates network conditions. The condition can change at any time.
type Server struct {
	origin  string
	handler atomic.Value // of answering
	// Log records the requests.
	Log *Log
	// KeepPort keeps the port open while the server is offline, so that no other program can take it. New connections are then
	// reset instead of refused.
	KeepPort bool

	mu        sync.Mutex
	server    *http.Server
	listener  net.Listener // nil while the port is closed
	conns     map[*conn]bool
	condition condition.Condition
	changed   chan struct{} // closed when the condition changes
	overrides []Override
	closed    bool
}

// answering keeps handlers of several types in one atomic value.
type answering struct{ http.Handler }

// plain is the condition without delays, unlike condition.Online, which simulates a real network.
var plain = condition.Condition{Name: condition.Online.Name}

// Start serves a handler on a free loopback port.
func Start(h http.Handler) (*Server, error) { return StartAt("127.0.0.1:0", h) }

// StartAt serves a handler at a host and port.
func StartAt(address string, h http.Handler) (*Server, error) {
	s := &Server{Log: &Log{}, conns: map[*conn]bool{}, condition: plain, changed: make(chan struct{})}
	s.server = &http.Server{Handler: http.HandlerFunc(s.serve), ReadHeaderTimeout: 10 * time.Second}
	s.Answer(h)
	return s, s.listen(address)
}

// Origin returns the origin, such as http://127.0.0.1:8080. It does not change while the server is offline.
func (s *Server) Origin() string { return s.origin }

// Answer replaces the handler.
func (s *Server) Answer(h http.Handler) { s.handler.Store(answering{h}) }

// Ports that StartNear tries.
const firstPort, lastPort = 8301, 8399

// StartNear serves a handler on the first free port of a small range, or on any free port.
func StartNear(h http.Handler) (s *Server, err error) {
	for port := firstPort; port <= lastPort; port++ {
		if s, err = StartAt(fmt.Sprintf("127.0.0.1:%d", port), h); err == nil {
			return s, nil
		}
	}
	return Start(h)
}

// listen opens the port. mu is held once the server is in use.
func (s *Server) listen(address string) error {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return err
	}
	s.origin, s.listener = "http://"+listener.Addr().String(), listener
	go s.server.Serve(&cuttable{listener, s}) // returns when the listener is closed
	return nil
}

// Condition returns the current condition.
func (s *Server) Condition() condition.Condition {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.condition
}

// SetCondition changes the condition, also for pending requests. A condition that refuses connections closes all open ones.
func (s *Server) SetCondition(c condition.Condition) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.closed {
		return errors.New("the server was stopped")
	}
	s.condition = c
	close(s.changed)
	s.changed = make(chan struct{})
	if c.Refuses {
		s.cut()
		return nil
	}
	if s.listener != nil {
		return nil
	}
	return s.listen(strings.TrimPrefix(s.origin, "http://"))
}

// cut closes all connections and, without KeepPort, the port. mu is held.
func (s *Server) cut() {
	if s.listener != nil && (!s.KeepPort || s.closed) {
		s.listener.Close()
		s.listener = nil
	}
	for c := range s.conns {
		if tcp, is := c.Conn.(*net.TCPConn); is {
			tcp.SetLinger(0) // send RST; otherwise the kernel goes on sending what is buffered
		}
		c.Conn.Close()
	}
	clear(s.conns)
}

// Close stops the server.
func (s *Server) Close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.closed {
		return
	}
	s.closed = true
	close(s.changed)
	s.changed = make(chan struct{})
	s.cut()
}

// Online, Offline and Stall set these conditions. Offline closes all connections; Stall accepts requests and never responds.
func (s *Server) Online() error { return s.SetCondition(plain) }
func (s *Server) Offline()      { _ = s.SetCondition(condition.Offline) }
func (s *Server) Stall() error  { return s.SetCondition(condition.Stalled) }

// Asked returns the requests since the previous call, as "GET /path?query".
func (s *Server) Asked() (list []string) {
	for _, e := range s.Log.Drain() {
		list = append(list, e.Method+" "+e.Path)
	}
	return list
}

// serve handles a request under the current condition.
func (s *Server) serve(w http.ResponseWriter, r *http.Request) {
	entry := s.Log.begin(r)
	counted := &counting{ResponseWriter: w}
	defer func() { s.Log.end(entry, counted.status, counted.bytes) }()
	if !s.passes(r.Context()) {
		// This closes the connection without a response.
		counted.status = 0
		panic(http.ErrAbortHandler)
	}
	if s.override(counted, r) {
		return
	}
	s.handler.Load().(answering).ServeHTTP(counted, r)
}

// passes waits for as long as the condition delays a request. It reports false if the request is lost.
func (s *Server) passes(ctx context.Context) bool {
	late := false
	for {
		s.mu.Lock()
		c, changed := s.condition, s.changed
		s.mu.Unlock()
		switch {
		case c.Refuses:
			return false
		case c.Stalls:
			select {
			case <-ctx.Done():
				return false
			case <-changed:
				continue
			}
		case c.Latency > 0 && !late:
			late = true
			select {
			case <-ctx.Done():
				return false
			case <-time.After(c.Latency):
				continue
			case <-changed:
				continue
			}
		}
		return c.Fails <= 0 || rand.Float64() >= c.Fails
	}
}

// cuttable is a listener that registers its connections, so that cut can close them.
type cuttable struct {
	net.Listener
	s *Server
}

func (l *cuttable) Accept() (net.Conn, error) {
	for {
		c, err := l.Listener.Accept()
		if err != nil {
			return nil, err
		}
		if registered := l.register(c); registered != nil {
			return registered, nil
		}
		if tcp, is := c.(*net.TCPConn); is {
			tcp.SetLinger(0) // send RST
		}
		c.Close()
	}
}

// register adds a connection to those of the server. It returns nil while the server is offline.
func (l *cuttable) register(c net.Conn) *conn {
	l.s.mu.Lock()
	defer l.s.mu.Unlock()
	if l.s.listener != l.Listener || l.s.condition.Refuses {
		return nil
	}
	registered := &conn{Conn: c, s: l.s}
	l.s.conns[registered] = true
	return registered
}

// conn is a connection that is limited to the rate of the condition.
type conn struct {
	net.Conn
	s *Server
}

func (c *conn) Close() error {
	c.s.mu.Lock()
	delete(c.s.conns, c)
	c.s.mu.Unlock()
	return c.Conn.Close()
}

// perSecond is the number of writes per second on a limited connection.
const perSecond = 20

func (c *conn) Write(data []byte) (n int, err error) {
	for len(data) > 0 {
		rate := c.s.Condition().BytesPerSecond
		piece := data
		if most := int(rate / perSecond); rate > 0 && len(piece) > max(most, 1) {
			piece = piece[:max(most, 1)]
		}
		written, err := c.Conn.Write(piece)
		n += written
		if err != nil {
			return n, err
		}
		if data = data[len(piece):]; rate > 0 {
			time.Sleep(time.Duration(len(piece)) * time.Second / time.Duration(rate))
		}
	}
	return n, nil
}
