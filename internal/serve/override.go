package serve

import (
	"fmt"
	"net/http"
	"time"

	"tachyform/internal/pattern"
)

// Override has requests whose path fits a pattern answered late, or with a status of its own.
type Override struct {
	Match string `json:"match"`
	// Status is that of the answer, 0 for the host's own; Delay comes before it.
	Status int           `json:"status"`
	Delay  time.Duration `json:"-"`

	pattern *pattern.Pattern
}

// Bounds of overrides.
const (
	MostOverrides = 50
	MostDelay     = 10 * time.Minute
)

// SetOverrides has overrides hold from now on; the first that fits counts.
func (s *Server) SetOverrides(list []Override) error {
	if len(list) > MostOverrides {
		return fmt.Errorf("more than %d patterns", MostOverrides)
	}
	for i := range list {
		o := &list[i]
		if o.Status != 0 && (o.Status < 200 || o.Status > 599) {
			return fmt.Errorf("%d is no status of an answer: it lies between 200 and 599", o.Status)
		}
		if o.Delay < 0 || o.Delay > MostDelay {
			return fmt.Errorf("a delay lies between 0 and %v", MostDelay)
		}
		var err error
		if o.pattern, err = pattern.New(o.Match, s.origin); err != nil {
			return err
		}
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.answers = list
	return nil
}

// Overrides gives those that hold.
func (s *Server) Overrides() []Override {
	s.mu.Lock()
	defer s.mu.Unlock()
	return append([]Override{}, s.answers...)
}

// overridden waits as an override says, and answers if it has a status; false where the host answers.
func (s *Server) overridden(w http.ResponseWriter, r *http.Request) bool {
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
		http.Error(w, fmt.Sprintf("Status %d, as the control page of tachyform serve says for %s.", o.Status, o.Match), o.Status)
		return true
	}
	return false
}
