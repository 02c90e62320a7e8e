package useragent

import (
	"maps"
	"slices"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

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
	gone           bool
	preload        bool
	messages       messages
	checked        time.Duration // when the network was last asked for the script
}

// getNewestWorker is "Get Newest Worker" (Service Workers).
func (g *Registration) getNewestWorker() *Worker {
	switch {
	case g.Installing != nil:
		return g.Installing
	case g.Waiting != nil:
		return g.Waiting
	}
	return g.Active
}

// matchServiceWorkerRegistration gives the registration with the longest scope that the URL lies in (Service Workers, "Match Service Worker Registration").
func (b *Browser) matchServiceWorkerRegistration(url string) *Registration {
	var best *Registration
	for _, g := range b.regs {
		if !g.gone && strings.HasPrefix(url, g.Scope) && (best == nil || len(g.Scope) > len(best.Scope)) {
			best = g
		}
	}
	return best
}

// RegisterError is the refusal of a registration, with the name that the rejected promise's error has.
type RegisterError struct {
	Name, Message string
}

func (e *RegisterError) Error() string { return e.Name + ": " + e.Message }

// setRegistration makes a registration (Service Workers, "Set Registration").
func (b *Browser) setRegistration(scope string) *Registration {
	b.nextID++
	g := &Registration{ID: b.nextID, Scope: scope}
	b.regs = append(b.regs, g)
	return g
}

// getRegistration gives the registration of a scope, nil for none (Service Workers, "Get Registration"). One that was unregistered and
// still serves open pages is no longer found.
func (b *Browser) getRegistration(scope string) *Registration {
	for _, g := range b.regs {
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

// maxScope is the path that scopes must begin with.
func maxScope(script *whatwg.Url, allowed string) string {
	ref := "./"
	if allowed != "" {
		ref = allowed
	}
	u, err := script.Parse(ref)
	if err != nil || weburl.Origin(u) != weburl.Origin(script) {
		return "\x00"
	}
	return u.Pathname()
}

// Rival is a scope for which pages registered several workers.
type Rival struct {
	Scope   string
	Scripts []string
}

// noteRegistration takes down which scripts are registered for a scope.
func (b *Browser) noteRegistration(scope, script string) {
	if b.registered == nil {
		b.registered = map[string][]string{}
	}
	if !slices.Contains(b.registered[scope], script) {
		b.registered[scope] = append(b.registered[scope], script)
	}
}

// Rivals lists the scopes that workers compete for.
func (b *Browser) Rivals() (list []Rival) {
	for _, scope := range slices.Sorted(maps.Keys(b.registered)) {
		if scripts := b.registered[scope]; len(scripts) > 1 {
			list = append(list, Rival{scope, scripts})
		}
	}
	return list
}
