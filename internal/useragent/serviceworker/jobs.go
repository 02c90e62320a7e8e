package serviceworker

import (
	"fmt"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/csp"
	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/script"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// StartRegister checks a registration and schedules the job for it (Service Workers, "Start Register"). done is called
// when the promise of register() would settle.
func (s *Container) StartRegister(r page.Registration, origin string, done func(error)) {
	fail := func(name, format string, args ...any) {
		s.clock().After(0, func() { done(&RegisterError{name, fmt.Sprintf(format, args...)}) })
	}
	script, err := whatwg.Parse(r.Script)
	if err != nil {
		fail("TypeError", "%q is not a URL", r.Script)
		return
	}
	scopeText := r.Scope
	if scopeText == "" {
		dir, _ := script.Parse("./")
		scopeText = dir.Href(true)
	}
	scope, err := whatwg.Parse(scopeText)
	if err != nil {
		fail("TypeError", "%q is not a URL", scopeText)
		return
	}
	scope.SetHash("")
	for _, u := range []*whatwg.Url{script, scope} {
		if p := strings.ToLower(u.Pathname()); strings.Contains(p, "%2f") || strings.Contains(p, "%5c") {
			fail("TypeError", "%s holds an escaped slash", u.Pathname())
			return
		}
	}
	if scheme := scope.Scheme(); scheme != "http" && scheme != "https" {
		fail("TypeError", "the scope %s is no http address", scopeText)
		return
	}
	if weburl.Origin(script) != origin {
		fail("SecurityError", "the worker's script %s lies on another origin than the page", r.Script)
		return
	}
	if weburl.Origin(scope) != origin {
		fail("SecurityError", "the scope %s lies on another origin than the page", scopeText)
		return
	}
	if r.Type == "module" && s.ClassicOnly {
		fail("TypeError", "this browser runs no module workers")
		return
	}
	s.noteRegistration(scope.Href(false), script.Href(true))
	s.scheduleJob(scope.Href(false), func(finish func()) {
		s.register(scope, script, r, func(err error) { finish(); done(err) })
	})
}

// register is the job that finds or makes a registration (Service Workers, "Register").
func (s *Container) register(scope, script *whatwg.Url, r page.Registration, resolve func(error)) {
	g := s.GetRegistration(scope.Href(false))
	if g != nil {
		if n := g.GetNewestWorker(); n != nil && n.Script == script.Href(true) && g.UpdateViaCache == r.UpdateViaCache &&
			n.Type == r.Type {
			resolve(nil)
			return
		}
	} else {
		g = s.setRegistration(scope.Href(false))
	}
	g.UpdateViaCache, g.Type = r.UpdateViaCache, r.Type
	g.update(script, r.Type, resolve)
}

// scheduleJob runs one job after the other for a scope (Service Workers, "Schedule Job").
func (s *Container) scheduleJob(scope string, job func(finish func())) {
	if s.queue == nil {
		s.queue = map[string][]func(func()){}
	}
	s.queue[scope] = append(s.queue[scope], job)
	if len(s.queue[scope]) == 1 {
		s.clock().After(0, func() { s.runJob(scope) })
	}
}

func (s *Container) runJob(scope string) {
	s.queue[scope][0](func() {
		s.queue[scope] = s.queue[scope][1:]
		if len(s.queue[scope]) > 0 {
			s.clock().After(0, func() { s.runJob(scope) })
		}
	})
}

// Update is the method of that name (Service Workers, 3.2.7): done is told what came of the check.
func (g *Registration) Update(done func(error)) {
	n := g.GetNewestWorker()
	if n == nil || g.gone {
		g.container.clock().After(0, func() { done(&RegisterError{"InvalidStateError", "there is no worker to update"}) })
		return
	}
	g.container.scheduleJob(g.Scope, func(finish func()) {
		address, err := whatwg.Parse(n.Script)
		if err != nil || g.gone {
			finish()
			done(&RegisterError{"TypeError", "the registration is gone"})
			return
		}
		g.update(address, g.Type, func(err error) { finish(); done(err) })
	})
}

// SoftUpdateLater checks for a new version after a while. Each navigation begins the wait anew, so that a page which
// reloads at once causes one check. A worker that another one has replaced meanwhile has none.
func (g *Registration) SoftUpdateLater(delay time.Duration) {
	if g.checkLater != nil {
		g.container.clock().Cancel(g.checkLater)
	}
	asked := g.Active
	g.checkLater = g.container.clock().After(delay, func() {
		g.checkLater = nil
		if g.Active == asked {
			g.SoftUpdate()
		}
	})
}

// SoftUpdate checks for a new version, as browsers do after a navigation (Service Workers, "Soft Update").
func (g *Registration) SoftUpdate() {
	s := g.container
	n := g.GetNewestWorker()
	if n == nil || g.gone {
		return
	}
	s.scheduleJob(g.Scope, func(finish func()) {
		script, err := whatwg.Parse(n.Script)
		if err != nil || g.gone || s.GetRegistration(g.Scope) != g {
			finish()
			return
		}
		if g.UpdateViaCache != "all" { // such a check asks the network always
			s.Checks++
		}
		g.update(script, g.Type, func(error) { finish() })
	})
}

// update fetches the script, and installs it when it differs from the newest worker (Service Workers, "Update").
func (g *Registration) update(address *whatwg.Url, kind string, end func(error)) {
	s := g.container
	newest := g.GetNewestWorker()
	refuse := func(name, format string, args ...any) {
		if newest == nil {
			s.clearRegistration(g)
		}
		end(&RegisterError{name, fmt.Sprintf(format, args...)})
	}
	req := &fetch.Request{URL: address.Href(true), Method: "GET", Header: [][2]string{{"Service-Worker", "script"}},
		Mode: request.SameOrigin, Credentials: "same-origin", Redirect: "manual", Destination: request.ServiceWorker, Cache: "no-cache"}
	// A day after the last check the HTTP cache is not believed any more.
	stale := newest != nil && s.clock().Now-g.checked > 24*time.Hour
	if g.UpdateViaCache == "all" && !stale {
		req.Cache = "default"
	}
	req.Client.Origin = weburl.Origin(address)
	s.Fetcher.Fetch(req, func(resp *fetch.Response) {
		switch {
		case resp == nil:
			refuse("TypeError", "the worker's script %s could not be fetched", address.Pathname())
			return
		case resp.Type == "opaqueredirect":
			refuse("SecurityError", "the worker's script %s is redirected, which browsers refuse", address.Pathname())
			return
		case resp.Status != 200:
			refuse("TypeError", "the worker's script %s answered with status %d", address.Pathname(), resp.Status)
			return
		case !site.IsJavaScript(site.Essence(resp.Get("content-type"))):
			refuse("SecurityError", "the worker's script %s is served as %q, not as JavaScript", address.Pathname(),
				resp.Get("content-type"))
			return
		}
		if limit := maxScope(address, resp.Get("service-worker-allowed")); !strings.HasPrefix(scopePath(g.Scope), limit) {
			refuse("SecurityError", "the scope %s lies outside %s, the widest that a worker at %s may have", scopePath(g.Scope),
				limit, address.Pathname())
			return
		}
		text, err := resp.Body.Bytes()
		if err != nil {
			refuse("TypeError", "%v", err)
			return
		}
		imports := "default"
		if g.UpdateViaCache == "none" || stale {
			imports = "no-cache"
		}
		g.checked = s.clock().Now
		w := &Worker{Script: address.Href(true), Type: kind, State: account.Parsed, Registration: g,
			scripts: map[string]scriptText{address.Href(true): {string(text), resp.Get("content-type")}}}
		w.Policy, w.EmbedderPolicy = csp.Parse(w.Script,
			[]string{resp.Get("content-security-policy")}), site.Essence(resp.Get("cross-origin-embedder-policy"))
		w.ReferrerPolicy = fetch.ParseReferrerPolicy(resp.Get("referrer-policy"))
		if newest != nil && newest.Script == w.Script && newest.Type == kind && newest.sameScripts(w, imports) {
			end(nil)
			return
		}
		s.nextWorker++
		w.ID = s.nextWorker
		global, err := s.Start(w)
		if err != nil {
			w.Failure = err.Error()
			s.failures = append(s.failures, w)
			if script.Fatal(err) {
				refuse("TypeError", "%v", err)
			} else {
				refuse("TypeError", "the worker's script throws: %v", err)
			}
			return
		}
		w.global = global
		w.hasFetch = global.ListensTo("fetch")
		s.workers = append(s.workers, w)
		g.install(w, end)
	})
}

// sameScripts says whether the text of the next version, and every script that this worker imported, are byte for byte
// the same.
func (w *Worker) sameScripts(next *Worker, mode string) bool {
	if w.scripts[w.Script].text != next.scripts[next.Script].text {
		return false
	}
	for url, s := range w.scripts {
		if url == w.Script {
			continue
		}
		u, err := whatwg.Parse(url)
		if err != nil {
			continue
		}
		resp := w.Registration.container.fetchNow(u, mode)
		if resp == nil || resp.Status != 200 || resp.Body == nil {
			continue
		}
		if text, err := resp.Body.Bytes(); err == nil && string(text) != s.text {
			return false
		}
	}
	return true
}

// install runs the install event (Service Workers, "Install").
func (g *Registration) install(w *Worker, end func(error)) {
	s := g.container
	g.updateRegistrationState(&g.Installing, w)
	w.State = account.Installing         // told below, once the promise of register() is settled
	s.Account.LastError = account.Note{} // what is reported from here on is about this installation
	end(nil)
	w.tellState()
	view := g.View()
	g.tell(nil, func(o observer) { o.RegistrationChanged(view, true) })
	done := func(ok bool) {
		if !ok {
			if w.Failure == "" {
				w.Failure = "the promise given to waitUntil in the install event was rejected"
				if s.Account.LastError.Text != "" {
					w.Failure, w.FailureName = s.Account.LastError.Text, s.Account.LastError.ErrorName
				}
			}
			s.failures = append(s.failures, w)
			w.updateWorkerState(account.Redundant)
			g.updateRegistrationState(&g.Installing, nil)
			w.terminateServiceWorker()
			if g.GetNewestWorker() == nil {
				s.clearRegistration(g)
			}
			return
		}
		if g.Waiting != nil {
			g.Waiting.terminateServiceWorker()
			g.Waiting.updateWorkerState(account.Redundant)
		}
		g.updateRegistrationState(&g.Waiting, w)
		g.updateRegistrationState(&g.Installing, nil)
		w.updateWorkerState(account.Installed)
		g.TryActivate()
	}
	// The worker has to know its state before it hears of the installation.
	s.clock().After(0, func() {
		if w.global == nil {
			done(false)
			return
		}
		w.global.Dispatch("install", map[string]any{}, done)
	})
}
