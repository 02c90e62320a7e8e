package serviceworker

import (
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/csp"
	"tachyform/internal/request"
	"tachyform/internal/script"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Update is the method update() of a registration (Service Workers, 3.2.7): done is told what came of the check.
func (g *Registration) Update(done func(error)) {
	n := g.GetNewestWorker()
	if n == nil || g.gone {
		g.container.clock().After(0, func() { done(refusal("InvalidStateError", "there is no worker to update")) })
		return
	}
	g.scheduleUpdate(n, false, done)
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

// SoftUpdate is "Soft Update" (Service Workers): it checks for a new version, as browsers do after a navigation.
func (g *Registration) SoftUpdate() {
	if n := g.GetNewestWorker(); n != nil && !g.gone {
		g.scheduleUpdate(n, true, func(error) {})
	}
}

func (g *Registration) scheduleUpdate(newest *Worker, byBrowser bool, done func(error)) {
	address, err := whatwg.Parse(newest.Script)
	if err != nil {
		return
	}
	j := createJob(updateJob, g.Scope, address, done)
	j.registration, j.workerType, j.byBrowser = g, newest.Type, byBrowser
	g.container.scheduleJob(j)
}

// oldestCheck is how long the HTTP cache is believed after the last check that asked the network (Service Workers, 2.2: stale).
const oldestCheck = 24 * time.Hour

// update is "Update" (Service Workers): it fetches the script, and installs it when it differs from the newest worker.
func (s *Container) update(j *job) {
	g := j.registration
	if g.gone || s.GetRegistration(j.scope) != g {
		j.rejectJobPromise(refusal("TypeError", "the registration is gone"))
		s.finishJob(j)
		return
	}
	newest := g.GetNewestWorker()
	refuse := func(why *RegisterError) {
		if newest == nil {
			g.clearRegistration()
		}
		j.rejectJobPromise(why)
		s.finishJob(j)
	}
	if j.kind == updateJob && newest != nil && newest.Script != j.script.Href(true) {
		refuse(refusal("TypeError", "another worker has been registered meanwhile"))
		return
	}
	stale := newest != nil && s.clock().Now-g.checked > oldestCheck
	if j.byBrowser && g.UpdateViaCache != "all" { // such a check asks the network always
		s.Checks++
	}
	req := &fetch.Request{URL: j.script.Href(true), Method: "GET", Header: [][2]string{{"Service-Worker", "script"}}, Mode: request.SameOrigin,
		Credentials: "same-origin", Redirect: "manual", Destination: request.ServiceWorker, Cache: "no-cache", Referrer: fetch.NoReferrer}
	if g.UpdateViaCache == "all" && !stale {
		req.Cache = "default"
	}
	req.Client.Origin = weburl.Origin(j.script)
	s.Fetcher.Fetch(req, func(resp *fetch.Response, why fetch.Error) {
		w, refused := g.readScript(j, resp, why)
		if refused != nil {
			refuse(refused)
			return
		}
		g.checked = s.clock().Now
		cache := "default"
		if g.UpdateViaCache == "none" || stale {
			cache = "no-cache"
		}
		if newest != nil && newest.Script == w.Script && newest.Type == w.Type && newest.sameScripts(w, cache) {
			j.resolveJobPromise()
			s.finishJob(j)
			return
		}
		if err := w.startFirst(); err != nil {
			if script.Fatal(err) {
				refuse(refusal("TypeError", "%v", err))
			} else {
				refuse(refusal("TypeError", "the worker's script throws: %v", err))
			}
			return
		}
		g.install(w, j)
	})
}

// readScript makes a worker of the answer to the request for its script, or says why there is none.
func (g *Registration) readScript(j *job, resp *fetch.Response, why fetch.Error) (*Worker, *RegisterError) {
	path := j.script.Pathname()
	if resp == nil && why.Kind == fetch.WrongScriptType {
		resp = why.Answer
	}
	switch {
	case resp == nil:
		return nil, refusal("TypeError", "the worker's script %s could not be fetched", path)
	case resp.Type == "opaqueredirect":
		return nil, refusal("SecurityError", "the worker's script %s is redirected, which browsers refuse", path)
	case resp.Status != 200:
		return nil, refusal("TypeError", "the worker's script %s answered with status %d", path, resp.Status)
	case !site.IsJavaScript(site.Essence(resp.Get("content-type"))):
		return nil, refusal("SecurityError", "the worker's script %s is served as %q, not as JavaScript", path, resp.Get("content-type"))
	}
	limit, ok := maxScope(j.script, resp.Get("service-worker-allowed"))
	if !ok {
		return nil, refusal("SecurityError", "the header Service-Worker-Allowed of %s names an address on another origin", path)
	}
	if !strings.HasPrefix(scopePath(g.Scope), limit) {
		return nil, refusal("SecurityError", "the scope %s lies outside %s, the widest that a worker at %s may have", scopePath(g.Scope), limit, path)
	}
	text, err := resp.Body.Bytes()
	if err != nil {
		return nil, refusal("TypeError", "%v", err)
	}
	address := j.script.Href(true)
	w := &Worker{Script: address, Type: j.workerType, State: account.Parsed, Registration: g,
		scripts: map[string]scriptText{address: {string(text), resp.Get("content-type")}}}
	w.Policy = csp.Parse(w.Script, []string{resp.Get("content-security-policy")})
	w.EmbedderPolicy = site.Essence(resp.Get("cross-origin-embedder-policy"))
	w.ReferrerPolicy = fetch.ParseReferrerPolicy(resp.Get("referrer-policy"))
	return w, nil
}

// startFirst runs a worker's script for the first time, and takes down the events that it handles.
func (w *Worker) startFirst() error {
	s := w.Registration.container
	s.nextWorker++
	w.ID = s.nextWorker
	global, err := s.Start(w)
	if err != nil {
		w.Failure = err.Error()
		s.failures = append(s.failures, w)
		return err
	}
	w.global, w.handled = global, global.EventTypes()
	s.workers = append(s.workers, w)
	return nil
}

// sameScripts says whether the text of the next version, and every script that this worker imported, are byte for byte
// the same.
func (w *Worker) sameScripts(next *Worker, cache string) bool {
	if w.scripts[w.Script].text != next.scripts[next.Script].text {
		return false
	}
	for url, s := range w.scripts {
		if url == w.Script {
			continue
		}
		resp, _ := w.Registration.container.Fetcher.FetchNow(next.importRequest(url, cache))
		if resp == nil || resp.Actual().Status != 200 {
			continue
		}
		if text := resp.Actual().Bytes(); string(text) != s.text {
			return false
		}
	}
	return true
}
