package useragent

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/page"
	"tachyform/internal/script"
	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Worker is one service worker: a script in one of its versions, and the state of its life.
type Worker struct {
	ID     int
	Script string
	Type   string
	// State is parsed, installing, installed, activating, activated or redundant (Service Workers, 2.1).
	State State
	// Failure says in words why the worker could not be installed or was ended.
	Failure string
	// failureName is the name of the error that it was, where it was one.
	failureName string

	reg      *Registration
	scripts  map[string]scriptText
	policy   *page.Policy // of its script's headers; it holds for what the worker fetches and imports
	requests int          // that it made until it was installed
	embedder string       // its Cross-Origin-Embedder-Policy
	hasFetch bool
	routes   []route
	skip     bool
	realm    *realm
	original *Worker  // in a branch: the worker that this one is a copy of
	waiters  []func() // called when the worker has left the state activating
}

type scriptText struct{ text, contentType string }

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

// register starts or finds a registration (Service Workers, "Start Register"). done is called when the promise of register() would settle.
func (b *Browser) register(r page.Registration, origin string, done func(error)) {
	fail := func(name, format string, args ...any) {
		b.clock.After(0, func() { done(&RegisterError{name, fmt.Sprintf(format, args...)}) })
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
	if weburl.Origin(script) != origin {
		fail("SecurityError", "the worker's script %s lies on another origin than the page", r.Script)
		return
	}
	if weburl.Origin(scope) != origin {
		fail("SecurityError", "the scope %s lies on another origin than the page", scopeText)
		return
	}
	if r.Type == "module" && b.kind.lacks("module workers") {
		fail("TypeError", "this browser runs no module workers")
		return
	}
	b.noteRegistration(scope.Href(false), script.Href(true))
	b.scheduleJob(scope.Href(false), func(finish func()) {
		end := func(err error) { finish(); done(err) }
		var g *Registration
		for _, other := range b.regs {
			// One that was unregistered and still serves open pages is no longer found (Service Workers, "Unregister").
			if other.Scope == scope.Href(false) && !other.gone {
				g = other
			}
		}
		if g != nil {
			if n := g.getNewestWorker(); n != nil && n.Script == script.Href(true) && g.UpdateViaCache == r.UpdateViaCache && n.Type == r.Type {
				end(nil)
				return
			}
		} else {
			b.nextID++
			g = &Registration{ID: b.nextID, Scope: scope.Href(false)}
			b.regs = append(b.regs, g)
		}
		g.UpdateViaCache, g.Type = r.UpdateViaCache, r.Type
		b.update(g, script, r.Type, end)
	})
}

// scheduleJob runs one job after the other for a scope (Service Workers, "Schedule Job").
func (b *Browser) scheduleJob(scope string, job func(finish func())) {
	b.queue[scope] = append(b.queue[scope], job)
	if len(b.queue[scope]) == 1 {
		b.clock.After(0, func() { b.runJob(scope) })
	}
}

func (b *Browser) runJob(scope string) {
	b.queue[scope][0](func() {
		b.queue[scope] = b.queue[scope][1:]
		if len(b.queue[scope]) > 0 {
			b.clock.After(0, func() { b.runJob(scope) })
		}
	})
}

// softUpdate checks for a new version, as browsers do after a navigation.
func (b *Browser) softUpdate(g *Registration) {
	n := g.getNewestWorker()
	if n == nil || g.gone {
		return
	}
	b.scheduleJob(g.Scope, func(finish func()) {
		script, err := whatwg.Parse(n.Script)
		if err != nil || g.gone || b.getRegistration(g.Scope) != g {
			finish()
			return
		}
		b.update(g, script, g.Type, func(error) { finish() })
	})
}

func (b *Browser) getRegistration(scope string) *Registration {
	for _, g := range b.regs {
		if g.Scope == scope && !g.gone {
			return g
		}
	}
	return nil
}

// update fetches the script, and installs it when it differs from the newest worker (Service Workers, "Update").
func (b *Browser) update(g *Registration, address *whatwg.Url, kind string, end func(error)) {
	newest := g.getNewestWorker()
	refuse := func(name, format string, args ...any) {
		if newest == nil {
			b.clearRegistration(g)
		}
		end(&RegisterError{name, fmt.Sprintf(format, args...)})
	}
	req := &fetch.Request{URL: address.Href(true), Method: "GET", Header: [][2]string{{"Service-Worker", "script"}}, Mode: "same-origin", Credentials: "same-origin", Redirect: "error", Destination: "serviceworker", Cache: "no-cache"}
	// A day after the last check the HTTP cache is not believed any more.
	stale := newest != nil && b.clock.Now-g.checked > 24*time.Hour
	if g.UpdateViaCache == "all" && !stale {
		req.Cache = "default"
	}
	req.Client.Origin = weburl.Origin(address)
	b.fetcher.Fetch(req, func(resp *fetch.Response) {
		switch {
		case resp == nil:
			refuse("TypeError", "the worker's script %s could not be fetched", address.Pathname())
			return
		case resp.Status != 200:
			refuse("TypeError", "the worker's script %s answered with status %d", address.Pathname(), resp.Status)
			return
		case !site.IsJavaScript(site.Essence(resp.Get("content-type"))):
			refuse("SecurityError", "the worker's script %s is served as %q, not as JavaScript", address.Pathname(), resp.Get("content-type"))
			return
		}
		if limit := maxScope(address, resp.Get("service-worker-allowed")); !strings.HasPrefix(scopePath(g.Scope), limit) {
			refuse("SecurityError", "the scope %s lies outside %s, the widest that a worker at %s may have", scopePath(g.Scope), limit, address.Pathname())
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
		g.checked = b.clock.Now
		w := &Worker{Script: address.Href(true), Type: kind, State: Parsed, reg: g, scripts: map[string]scriptText{address.Href(true): {string(text), resp.Get("content-type")}}}
		w.policy, w.embedder = page.ParsePolicy(w.Script, []string{resp.Get("content-security-policy")}), site.Essence(resp.Get("cross-origin-embedder-policy"))
		if newest != nil && newest.Script == w.Script && newest.Type == kind && b.sameScripts(newest, w, imports) {
			end(nil)
			return
		}
		b.nextWorker++
		w.ID = b.nextWorker
		r, err := b.startRealm(w)
		if err != nil {
			w.Failure = err.Error()
			b.failures = append(b.failures, w)
			if script.Fatal(err) {
				refuse("TypeError", "%v", err)
			} else {
				refuse("TypeError", "the worker's script throws: %v", err)
			}
			return
		}
		w.realm = r
		w.hasFetch = r.listens("fetch")
		b.workers = append(b.workers, w)
		b.install(g, w, end)
	})
}

// sameScripts says whether the new text, and every script that the old worker imported, are byte for byte the same.
func (b *Browser) sameScripts(old, w *Worker, mode string) bool {
	if old.scripts[old.Script].text != w.scripts[w.Script].text {
		return false
	}
	for url, s := range old.scripts {
		if url == old.Script {
			continue
		}
		u, err := whatwg.Parse(url)
		if err != nil {
			continue
		}
		resp := b.fetchNow(u, mode)
		if resp == nil || resp.Status != 200 || resp.Body == nil {
			continue
		}
		if text, err := resp.Body.Bytes(); err == nil && string(text) != s.text {
			return false
		}
	}
	return true
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

// install runs the install event (Service Workers, "Install").
func (b *Browser) install(g *Registration, w *Worker, end func(error)) {
	g.Installing = w
	w.State = Installing
	b.lastError = Note{} // what is reported from here on is about this installation
	end(nil)
	b.tellState(w)
	done := func(ok bool) {
		if !ok {
			if w.Failure == "" {
				w.Failure = "the promise given to waitUntil in the install event was rejected"
				if b.lastError.Text != "" {
					w.Failure, w.failureName = b.lastError.Text, b.lastError.ErrorName
				}
			}
			b.failures = append(b.failures, w)
			b.setState(w, Redundant)
			g.Installing = nil
			b.terminateServiceWorker(w)
			if g.getNewestWorker() == nil {
				b.clearRegistration(g)
			}
			return
		}
		if g.Waiting != nil {
			b.setState(g.Waiting, Redundant)
			b.terminateServiceWorker(g.Waiting)
		}
		g.Waiting, g.Installing = w, nil
		b.setState(w, Installed)
		b.tryActivate(g)
		b.deliverToWaiting(g)
	}
	// The worker has to know its state before it hears of the installation.
	b.clock.After(0, func() {
		if w.realm == nil {
			done(false)
			return
		}
		w.realm.event("install", map[string]any{}, nil, done)
	})
}

// tryActivate activates the waiting worker when nothing holds it back (Service Workers, "Try Activate").
func (b *Browser) tryActivate(g *Registration) {
	w := g.Waiting
	if w == nil || g.Active != nil && g.Active.State == Activating {
		return
	}
	if g.Active != nil && !w.skip && b.isUsed(g) {
		return
	}
	old := g.Active
	g.Active, g.Waiting = w, nil
	if old != nil {
		b.setState(old, Redundant)
		b.terminateWhenIdle(old)
	}
	b.setState(w, Activating)
	for _, c := range b.clients {
		if c.controller != nil && c.controller.reg == g {
			b.notifyControllerChange(c, w)
		}
	}
	b.runServiceWorker(w, func(r *realm, err error) {
		finish := func(bool) {
			b.setState(w, Activated)
			ready := b.onActive
			b.onActive = nil
			for _, f := range ready {
				b.clock.After(0, f)
			}
			waiters := w.waiters
			w.waiters = nil
			for _, f := range waiters {
				f()
			}
			// Another that came meanwhile could not be activated: it is tried again, as at the end of "Install".
			b.clock.After(0, func() { b.tryActivate(g) })
		}
		if err != nil {
			finish(false)
			return
		}
		b.clock.After(0, func() {
			if w.realm != r {
				finish(false)
				return
			}
			r.event("activate", map[string]any{}, nil, finish)
		})
	})
}

func (b *Browser) isUsed(g *Registration) bool {
	for _, c := range b.clients {
		if c.controller != nil && c.controller.reg == g {
			return true
		}
	}
	return false
}

// unregister takes a registration away; it goes on serving the pages it controls until they are closed.
func (b *Browser) unregister(g *Registration) {
	g.gone = true
	b.tryClearRegistration(g)
}

func (b *Browser) tryClearRegistration(g *Registration) {
	if !g.gone || b.isUsed(g) {
		return
	}
	for _, w := range []*Worker{g.Installing, g.Waiting, g.Active} {
		if w != nil {
			b.setState(w, Redundant)
			b.terminateWhenIdle(w)
		}
	}
	g.Installing, g.Waiting, g.Active = nil, nil, nil
	b.clearRegistration(g)
}

func (b *Browser) clearRegistration(g *Registration) {
	for i, other := range b.regs {
		if other == g {
			b.regs = append(b.regs[:i:i], b.regs[i+1:]...)
			return
		}
	}
}

func (b *Browser) setState(w *Worker, state State) {
	w.State = state
	b.tellState(w)
}

// tellState lets a running worker know its own state.
func (b *Browser) tellState(w *Worker) {
	b.note(Note{Level: "state", Text: string(w.State), Where: w.Script})
	b.record(w, Event{Kind: EventWorkerState, State: w.State})
	if r := w.realm; r != nil {
		b.clock.After(0, func() {
			if w.realm == r && r.stopped == nil {
				if _, err := r.runTask("state", string(w.State)); err != nil {
					r.failed(err)
				}
			}
		})
	}
}

// runServiceWorker calls f with the worker's realm, started if need be.
func (b *Browser) runServiceWorker(w *Worker, f func(*realm, error)) {
	if w.realm != nil && w.realm.stopped == nil {
		f(w.realm, nil)
		return
	}
	if w.State == Redundant {
		f(nil, errors.New("the worker is redundant"))
		return
	}
	r, err := b.startRealm(w)
	if err != nil {
		b.note(Note{Level: "error", Text: "the worker could not be started again: " + err.Error(), Where: w.Script})
		f(nil, err)
		return
	}
	w.realm = r
	f(r, nil)
}

// terminateServiceWorker ends a worker's realm at once; a browser may do so at any time.
func (b *Browser) terminateServiceWorker(w *Worker) {
	if r := w.realm; r != nil {
		w.realm = nil
		r.finish()
		// The engine may be in the middle of a turn that asked for this.
		b.clock.After(0, r.close)
		b.closing = append(b.closing, r)
	}
}

// terminateWhenIdle ends a worker's realm once its open events are through.
func (b *Browser) terminateWhenIdle(w *Worker) {
	if w.realm == nil {
		return
	}
	if len(w.realm.events) == 0 {
		b.terminateServiceWorker(w)
		return
	}
	b.clock.After(50*time.Millisecond, func() {
		if w.State == Redundant {
			b.terminateWhenIdle(w)
		}
	})
}

// fetchNow asks for a script in the middle of a turn, through the HTTP cache where there is one.
func (b *Browser) fetchNow(u *whatwg.Url, mode string) *site.Response {
	req := &site.Request{Method: "GET", URL: u}
	if kept, _ := b.fetcher.Cache.Get(req, mode, b.clock.Now); kept != nil {
		return kept
	}
	resp := b.net.SendNow(req)
	b.fetcher.Cache.Put(req, resp, mode, b.clock.Now)
	return resp
}

// importText gives the text of an imported script: from what the worker was installed with, else from the network during its first run.
func (w *Worker) importText(r *realm, url string) (any, error) {
	if s, ok := w.scripts[url]; ok {
		return s.text, nil
	}
	if w.State != Parsed && w.State != Installing {
		return nil, fmt.Errorf("NetworkError: %s was not imported when the worker was installed", url)
	}
	u, err := whatwg.Parse(url)
	if err != nil {
		return nil, fmt.Errorf("SyntaxError: %s is not a URL", url)
	}
	if !w.policy.Allows("script", url, "") {
		return nil, fmt.Errorf("NetworkError: the Content-Security-Policy of the worker's script does not allow %s", url)
	}
	mode := "default"
	if w.reg.UpdateViaCache == "none" {
		mode = "no-cache"
	}
	for range 20 {
		resp := r.b.fetchNow(u, mode)
		if resp == nil || resp.Body == nil {
			return nil, fmt.Errorf("NetworkError: %s could not be fetched", url)
		}
		if fetch.IsRedirect(resp.Status) {
			if u, err = u.Parse(resp.Header.Get("Location")); err != nil {
				break
			}
			continue
		}
		if resp.Status != 200 {
			return nil, fmt.Errorf("NetworkError: %s answered with status %d", url, resp.Status)
		}
		if !site.IsJavaScript(site.Essence(resp.Header.Get("Content-Type"))) {
			return nil, fmt.Errorf("NetworkError: %s is served as %q, not as JavaScript", url, resp.Header.Get("Content-Type"))
		}
		text, err := resp.Body.Bytes()
		if err != nil {
			return nil, err
		}
		w.scripts[url] = scriptText{string(text), resp.Header.Get("Content-Type")}
		return string(text), nil
	}
	return nil, fmt.Errorf("NetworkError: %s could not be fetched", url)
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
