package serviceworker

import (
	"fmt"
	"strings"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/page"
	"tachyform/internal/weburl"
)

// RegisterError is the refusal of a registration, with the name that the rejected promise's error has.
type RegisterError struct {
	Name, Message string
}

func (e *RegisterError) Error() string { return e.Name + ": " + e.Message }

func refusal(name, format string, args ...any) *RegisterError {
	return &RegisterError{name, fmt.Sprintf(format, args...)}
}

// StartRegister is "Start Register" (Service Workers): it checks a registration and schedules the job for it. done is called
// when the promise of register() settles.
func (s *Container) StartRegister(r page.Registration, origin string, done func(error)) {
	script, scope, refused := s.checkRegistration(r, origin)
	if refused != nil {
		s.clock().After(0, func() { done(refused) })
		return
	}
	s.noteRegistration(scope.Href(false), script.Href(true))
	j := createJob(registerJob, scope.Href(false), script, done)
	j.workerType, j.updateViaCache = r.Type, r.UpdateViaCache
	s.scheduleJob(j)
}

// checkRegistration reads the addresses of a registration, and says why it is refused.
func (s *Container) checkRegistration(r page.Registration, origin string) (script, scope *whatwg.Url, refused *RegisterError) {
	script, err := whatwg.Parse(r.Script)
	if err != nil {
		return nil, nil, refusal("TypeError", "%q is not a URL", r.Script)
	}
	text := r.Scope
	if text == "" {
		dir, _ := script.Parse("./")
		text = dir.Href(true)
	}
	if scope, err = whatwg.Parse(text); err != nil {
		return nil, nil, refusal("TypeError", "%q is not a URL", text)
	}
	scope.SetHash("")
	for _, u := range []*whatwg.Url{script, scope} {
		if p := strings.ToLower(u.Pathname()); strings.Contains(p, "%2f") || strings.Contains(p, "%5c") {
			return nil, nil, refusal("TypeError", "%s holds an escaped slash", u.Pathname())
		}
	}
	scheme := scope.Scheme()
	switch {
	case scheme != "http" && scheme != "https":
		refused = refusal("TypeError", "the scope %s is no http address", text)
	case weburl.Origin(script) != origin:
		refused = refusal("SecurityError", "the worker's script %s lies on another origin than the page", r.Script)
	case weburl.Origin(scope) != origin:
		refused = refusal("SecurityError", "the scope %s lies on another origin than the page", text)
	case r.Type == "module" && s.ClassicOnly:
		refused = refusal("TypeError", "this browser runs no module workers")
	}
	return script, scope, refused
}

// register is "Register" (Service Workers), the job that finds or makes a registration.
func (s *Container) register(j *job) {
	g := s.GetRegistration(j.scope)
	if g != nil {
		if n := g.GetNewestWorker(); n != nil && n.Script == j.script.Href(true) && g.UpdateViaCache == j.updateViaCache && n.Type == j.workerType {
			j.resolveJobPromise()
			s.finishJob(j)
			return
		}
	} else {
		g = s.setRegistration(j.scope)
	}
	g.UpdateViaCache, g.Type = j.updateViaCache, j.workerType
	j.registration = g
	s.update(j)
}
