package serviceworker

import "tachyform/internal/useragent/account"

// install is "Install" (Service Workers).
func (g *Registration) install(w *Worker, j *job) {
	s := g.container
	g.updateRegistrationState(&g.Installing, w)
	w.State = account.Installing         // told below, once the promise of register() is settled
	s.Account.LastError = account.Note{} // what is reported from here on is about this installation
	j.resolveJobPromise()
	w.tellState()
	view := g.View()
	g.tell(nil, func(o observer) { o.RegistrationChanged(view, true) })
	done := func(ok bool) {
		g.installed(w, ok)
		s.finishJob(j)
		if ok {
			g.TryActivate()
		}
	}
	// The worker has to know its state before it hears of the installation.
	s.clock().After(0, func() {
		switch {
		case w.global == nil:
			done(false)
		case w.shouldSkipEvent("install"):
			done(true)
		default:
			w.global.Dispatch("install", map[string]any{}, done)
		}
	})
}

// installed is "Install" (Service Workers) once the worker has finished with its event.
func (g *Registration) installed(w *Worker, ok bool) {
	s := g.container
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
			g.clearRegistration()
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
}
