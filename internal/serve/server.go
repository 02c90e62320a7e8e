package serve

import (
	"net"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
)

// Server serves a handler on a port of this machine, and can be in the states of the network that a rehearsal knows.
type Server struct {
	origin  string
	handler atomic.Value // of answering
	stalled atomic.Bool

	mu     sync.Mutex
	server *http.Server
	asked  []string
}

// answering keeps handlers of several types in one atomic value.
type answering struct{ http.Handler }

// Start serves a handler on a free port.
func Start(h http.Handler) (*Server, error) {
	s := &Server{}
	s.Answer(h)
	return s, s.Online()
}

// Origin is where it is reached, such as http://127.0.0.1:8080; it stays the same while the server is offline.
func (s *Server) Origin() string { return s.origin }

// Answer lets another handler answer from now on.
func (s *Server) Answer(h http.Handler) { s.handler.Store(answering{h}) }

// Online makes the server reachable and lets it answer.
func (s *Server) Online() error {
	s.stalled.Store(false)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.server != nil {
		return nil
	}
	address := "127.0.0.1:0"
	if s.origin != "" {
		address = strings.TrimPrefix(s.origin, "http://")
	}
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return err
	}
	s.origin = "http://" + listener.Addr().String()
	s.server = &http.Server{Handler: s}
	go s.server.Serve(listener)
	return nil
}

// Offline ends all connections and takes no new ones.
func (s *Server) Offline() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.server != nil {
		s.server.Close()
		s.server = nil
	}
}

// Stall makes the server reachable and never answer.
func (s *Server) Stall() error {
	err := s.Online()
	s.stalled.Store(true)
	return err
}

// Asked gives the requests since it was last called, as "GET /path?query".
func (s *Server) Asked() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	asked := s.asked
	s.asked = nil
	return asked
}

// maxAsked bounds the requests that are kept for Asked.
const maxAsked = 10_000

// ServeHTTP answers as the host does, under the condition that is set.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	if len(s.asked) < maxAsked {
		s.asked = append(s.asked, r.Method+" "+r.URL.RequestURI())
	}
	s.mu.Unlock()
	if s.stalled.Load() {
		<-r.Context().Done()
		return
	}
	s.handler.Load().(answering).ServeHTTP(w, r)
}
