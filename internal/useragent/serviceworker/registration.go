package serviceworker

import (
	"maps"
	"slices"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/useragent/clock"
	"tachyform/internal/weburl"
)

// Registration ties a scope to up to three workers (Service Workers, 2.2).
type Registration struct {
	ID             int
	Scope          string
	Type           string
	UpdateViaCache string
	Installing     *Worker
	Waiting        *Worker
	Active         *Worker
	// Preload switches navigation preload on, PreloadHeader is what such requests say in their header.
	Preload       bool
	PreloadHeader string
	// Messages is what reaches it without a page.
	Messages Messages

	container *Container
	gone      bool          // unregistered; it may still serve pages
	checked   time.Duration // when the network was last asked for the script
	// checkLater is a check for a new version that is to come.
	checkLater *clock.Task
}

// Gone says whether it was unregistered; it may still serve the pages it controls.
func (g *Registration) Gone() bool { return g.gone }

// Registrations lists the registrations, with those that are unregistered and still used.
func (s *Container) Registrations() []*Registration { return s.registrations }

// GetNewestWorker is "Get Newest Worker" (Service Workers).
func (g *Registration) GetNewestWorker() *Worker {
	switch {
	case g.Installing != nil:
		return g.Installing
	case g.Waiting != nil:
		return g.Waiting
	}
	return g.Active
}

// MatchServiceWorkerRegistration gives the registration with the longest scope that the URL lies in (Service Workers,
// "Match Service Worker Registration").
func (s *Container) MatchServiceWorkerRegistration(url string) *Registration {
	var best *Registration
	for _, g := range s.registrations {
		if !g.gone && strings.HasPrefix(url, g.Scope) && (best == nil || len(g.Scope) > len(best.Scope)) {
			best = g
		}
	}
	return best
}

// setRegistration makes a registration (Service Workers, "Set Registration").
func (s *Container) setRegistration(scope string) *Registration {
	g := &Registration{ID: s.NewID(), Scope: scope, PreloadHeader: "true", container: s}
	s.registrations = append(s.registrations, g)
	return g
}

// GetRegistration gives the registration of a scope, nil for none (Service Workers, "Get Registration"). One that was
// unregistered and still serves open pages is no longer found.
func (s *Container) GetRegistration(scope string) *Registration {
	for _, g := range s.registrations {
		if g.Scope == scope && !g.gone {
			return g
		}
	}
	return nil
}

func scopePath(scope string) string {
	u, err := whatwg.Parse(scope)
	if err != nil {
		return scope
	}
	return u.Pathname()
}

// maxScope is the path that scopes must begin with; ok is false where the host allows none.
func maxScope(script *whatwg.Url, allowed string) (path string, ok bool) {
	ref := "./"
	if allowed != "" {
		ref = allowed
	}
	u, err := script.Parse(ref)
	if err != nil || weburl.Origin(u) != weburl.Origin(script) {
		return "", false
	}
	return u.Pathname(), true
}

// Rival is a scope for which pages registered several workers.
type Rival struct {
	Scope   string
	Scripts []string
}

// noteRegistration takes down which scripts are registered for a scope.
func (s *Container) noteRegistration(scope, script string) {
	if s.registered == nil {
		s.registered = map[string][]string{}
	}
	if !slices.Contains(s.registered[scope], script) {
		s.registered[scope] = append(s.registered[scope], script)
	}
}

// Rivals lists the scopes that workers compete for.
func (s *Container) Rivals() (list []Rival) {
	for _, scope := range slices.Sorted(maps.Keys(s.registered)) {
		if scripts := s.registered[scope]; len(scripts) > 1 {
			list = append(list, Rival{scope, scripts})
		}
	}
	return list
}

// WorkerView and RegistrationView are workers and registrations as scripts see them, at one moment.
type WorkerView struct {
	ID     int    `json:"id"`
	Script string `json:"script"`
	State  string `json:"state"`
}

// RegistrationView is a registration with its slots.
type RegistrationView struct {
	ID         int         `json:"id"`
	Scope      string      `json:"scope"`
	Via        string      `json:"via"`
	Installing *WorkerView `json:"installing"`
	Waiting    *WorkerView `json:"waiting"`
	Active     *WorkerView `json:"active"`
}

// View gives the worker as scripts see it now, nil for none.
func (w *Worker) View() *WorkerView {
	if w == nil {
		return nil
	}
	return &WorkerView{w.ID, w.Script, string(w.State)}
}

// View gives the registration as scripts see it now.
func (g *Registration) View() RegistrationView {
	return RegistrationView{g.ID, g.Scope, g.UpdateViaCache, g.Installing.View(), g.Waiting.View(), g.Active.View()}
}
