package useragent

import (
	"fmt"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/page"
	"tachyform/internal/script"
	"tachyform/internal/site"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// startRegister checks a registration and schedules the job for it (Service Workers, "Start Register"). done is called when the promise
// of register() would settle.
func (b *Browser) startRegister(r page.Registration, origin string, done func(error)) {
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
		b.register(scope, script, r, func(err error) { finish(); done(err) })
	})
}

// register is the job that finds or makes a registration (Service Workers, "Register").
func (b *Browser) register(scope, script *whatwg.Url, r page.Registration, resolve func(error)) {
	g := b.getRegistration(scope.Href(false))
	if g != nil {
		if n := g.getNewestWorker(); n != nil && n.Script == script.Href(true) && g.UpdateViaCache == r.UpdateViaCache && n.Type == r.Type {
			resolve(nil)
			return
		}
	} else {
		g = b.setRegistration(scope.Href(false))
	}
	g.UpdateViaCache, g.Type = r.UpdateViaCache, r.Type
	b.update(g, script, r.Type, resolve)
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

// install runs the install event (Service Workers, "Install").
func (b *Browser) install(g *Registration, w *Worker, end func(error)) {
	b.updateRegistrationState(g, &g.Installing, w)
	w.State = Installing // told below, once the promise of register() is settled
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
			b.updateWorkerState(w, Redundant)
			b.updateRegistrationState(g, &g.Installing, nil)
			b.terminateServiceWorker(w)
			if g.getNewestWorker() == nil {
				b.clearRegistration(g)
			}
			return
		}
		if g.Waiting != nil {
			b.terminateServiceWorker(g.Waiting)
			b.updateWorkerState(g.Waiting, Redundant)
		}
		b.updateRegistrationState(g, &g.Waiting, w)
		b.updateRegistrationState(g, &g.Installing, nil)
		b.updateWorkerState(w, Installed)
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
