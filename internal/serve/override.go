package serve

import (
	"fmt"
	"net/http"
	"time"

	"tachyform/internal/pattern"
)

// Override changes the responses to requests that match a URL pattern.
type Override struct {
	// Match is a path pattern or a URL pattern.
	Match string
	// Status replaces the host's response unless it is 0. Delay passes before the response.
	Status int
	Delay  time.Duration

	pattern *pattern.Pattern
}

// Limits of overrides.
const (
	MostOverrides = 50
	MostDelay     = 10 * time.Minute
)

// SetOverrides replaces all overrides. The first match is used. An invalid override returns an error and changes nothing.
func (s *Server) SetOverrides(list []Override) error {
	if len(list) > MostOverrides {
		return fmt.Errorf("at most %d patterns are possible; remove one first", MostOverrides)
	}
	for i := range list {
		o := &list[i]
		if o.Status != 0 && (o.Status < 200 || o.Status > 599) {
			return fmt.Errorf("status %d is not possible; use a status between 200 and 599", o.Status)
		}
		if o.Delay < 0 || o.Delay > MostDelay {
			return fmt.Errorf("the delay must be between 0 and %v", MostDelay)
		}
		var err error
		if o.pattern, err = pattern.New(o.Match, s.origin); err != nil {
			return err
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.overrides = list
	return nil
}

// Overrides returns a copy of the current overrides.
func (s *Server) Overrides() []Override {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]Override{}, s.overrides...)
}

// override applies the first matching override: it waits, and writes the response if the override has a status. It reports whether the
// request is finished.
func (s *Server) override(w http.ResponseWriter, r *http.Request) bool {
	for _, o := range s.Overrides() {
		if !o.pattern.Match(s.origin + r.URL.RequestURI()) {
			continue
		}
		if o.Delay > 0 {
			select {
			case <-r.Context().Done():
				return true
			case <-time.After(o.Delay):
			}
		}
		if o.Status == 0 {
			return false
		}
		http.Error(w, fmt.Sprintf("Status %d was set for %s on the control page of tachyform serve.", o.Status, o.Match), o.Status)
		return true
	}
	return false
}
