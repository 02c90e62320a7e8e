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

// Server serves a handler on a port of this machine, under a condition of the network that can be changed at any time.
type Server struct {
	origin  string
	handler atomic.Value // of answering
	// Log takes down the requests.
	Log *Log
	// KeepPort has it keep its port while it is offline, so that nobody else takes it: new connections then end at once instead of
	// being refused.
	KeepPort bool

	mu        sync.Mutex
	server    *http.Server
	listener  net.Listener // nil while no connection is taken
	conns     map[*conn]bool
	condition condition.Condition
	changed   chan struct{} // closed when the condition changes
	answers   []Override
	closed    bool
}

// answering keeps handlers of several types in one atomic value.
type answering struct{ http.Handler }

// plain is a network of which nothing is to be noticed, as on one machine.
var plain = condition.Condition{Name: condition.Online.Name}

// Start serves a handler on a free port.
func Start(h http.Handler) (*Server, error) { return StartAt("127.0.0.1:0", h) }

// StartAt serves a handler at an address of this machine.
func StartAt(address string, h http.Handler) (*Server, error) {
	s := &Server{Log: &Log{}, conns: map[*conn]bool{}, condition: plain, changed: make(chan struct{})}
	s.server = &http.Server{Handler: http.HandlerFunc(s.serve), ReadHeaderTimeout: 10 * time.Second}
	s.Answer(h)
	return s, s.listen(address)
}

// Origin is where it is reached, such as http://127.0.0.1:8080; it stays the same while the server is offline.
func (s *Server) Origin() string { return s.origin }

// Answer lets another handler answer from now on.
func (s *Server) Answer(h http.Handler) { s.handler.Store(answering{h}) }

// firstPort and lastPort are those that StartNear looks at.
const firstPort, lastPort = 8301, 8399

// StartNear serves a handler at the first port of this machine that is free.
func StartNear(h http.Handler) (s *Server, err error) {
	for port := firstPort; port <= lastPort; port++ {
		if s, err = StartAt(fmt.Sprintf("127.0.0.1:%d", port), h); err == nil {
			return s, nil
		}
	}
	return Start(h)
}

// listen takes connections at an address. Callers that know that others run hold mu.
func (s *Server) listen(address string) error {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return err
	}
	s.origin, s.listener = "http://"+listener.Addr().String(), listener
	go s.server.Serve(&cuttable{listener, s}) // ends with the listener
	return nil
}

// Condition is the present one.
func (s *Server) Condition() condition.Condition {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.condition
}

// SetCondition puts the network into another condition: requests that are under way come under it. Where it refuses, all
// connections are cut and no new ones are taken.
func (s *Server) SetCondition(c condition.Condition) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.closed {
		return errors.New("the server has ended")
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

// cut ends all connections and takes no new ones; mu is held.
func (s *Server) cut() {
	if s.listener != nil && (!s.KeepPort || s.closed) {
		s.listener.Close()
		s.listener = nil
	}
	for c := range s.conns {
		c.Conn.Close()
	}
	clear(s.conns)
}

// Close ends the server.
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

// Online makes the server reachable and lets it answer, Offline ends all connections and takes no new ones, Stall makes it
// reachable and never answer.
func (s *Server) Online() error { return s.SetCondition(plain) }
func (s *Server) Offline()      { _ = s.SetCondition(condition.Offline) }
func (s *Server) Stall() error  { return s.SetCondition(condition.Stalled) }

// Asked gives the requests since it was last called, as "GET /path?query".
func (s *Server) Asked() (list []string) {
	for _, e := range s.Log.Drain() {
		list = append(list, e.Method+" "+e.Path)
	}
	return list
}

// serve answers as the host does, under the condition that is set.
func (s *Server) serve(w http.ResponseWriter, r *http.Request) {
	entry := s.Log.begin(r)
	counted := &counting{ResponseWriter: w}
	defer func() { s.Log.end(entry, counted.status, counted.bytes) }()
	if !s.passes(r.Context()) {
		// The connection ends as on a network that loses it.
		counted.status = 0
		panic(http.ErrAbortHandler)
	}
	if s.overridden(counted, r) {
		return
	}
	s.handler.Load().(answering).ServeHTTP(counted, r)
}

// passes waits as long as the network holds a request back; false where it loses it.
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

// cuttable is a listener whose connections can be cut.
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
		if kept := l.keep(c); kept != nil {
			return kept, nil
		}
		if tcp, is := c.(*net.TCPConn); is {
			tcp.SetLinger(0) // it is reset
		}
		c.Close()
	}
}

// keep takes a connection in, nil while none is taken.
func (l *cuttable) keep(c net.Conn) *conn {
	l.s.mu.Lock()
	defer l.s.mu.Unlock()
	if l.s.listener != l.Listener || l.s.condition.Refuses {
		return nil
	}
	kept := &conn{Conn: c, s: l.s}
	l.s.conns[kept] = true
	return kept
}

// conn is a connection that passes on no more than the network lets through.
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

// perSecond is in how many pieces what passes in a second is written.
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
