package serviceworker

import (
	"tachyform/internal/useragent/account"
)

// TryActivate activates the waiting worker when nothing holds it back (Service Workers, "Try Activate").
func (g *Registration) TryActivate() {
	w := g.Waiting
	if w == nil || g.Active != nil && g.Active.State == account.Activating {
		return
	}
	if g.Active == nil || w.skip || !g.isUsed() {
		g.activate()
	}
}

// activate is "Activate" (Service Workers): the waiting worker becomes the active one and hears of it.
func (g *Registration) activate() {
	s := g.container
	w, old := g.Waiting, g.Active
	g.updateRegistrationState(&g.Active, w)
	g.updateRegistrationState(&g.Waiting, nil)
	if old != nil {
		old.updateWorkerState(account.Redundant)
		old.terminateWhenIdle()
	}
	w.updateWorkerState(account.Activating)
	for _, c := range s.clients {
		if c.Controller != nil && c.Controller.Registration == g {
			c.NotifyControllerChange(w)
		}
	}
	g.takeOverKept(w)
	if w.shouldSkipEvent("activate") {
		s.clock().After(0, w.activated)
		return
	}
	w.runServiceWorker(func(global Global, err error) {
		if err != nil {
			w.activated()
			return
		}
		s.clock().After(0, func() {
			if w.global != global {
				w.activated()
				return
			}
			global.Dispatch("activate", map[string]any{}, func(bool) { w.activated() })
		})
	})
}

// activated is the end of "Activate" (Service Workers).
func (w *Worker) activated() {
	s := w.Registration.container
	w.updateWorkerState(account.Activated)
	ready := s.onActive
	s.onActive = nil
	for _, f := range ready {
		s.clock().After(0, f)
	}
	waiters := w.waiters
	w.waiters = nil
	for _, f := range waiters {
		f()
	}
	// Another that came meanwhile could not be activated: it is tried again, as at the end of "Install".
	s.clock().After(0, w.Registration.TryActivate)
}

// updateRegistrationState puts a worker into one of a registration's slots, or empties it (Service Workers, "Update
// Registration State"). Scripts see the slots as they are: no registration object of theirs keeps a copy.
func (g *Registration) updateRegistrationState(slot **Worker, w *Worker) {
	*slot = w
	view := g.View()
	g.tell(nil, func(o observer) { o.RegistrationChanged(view, false) })
}

// isUsed says whether a client is controlled by one of a registration's workers (Service Workers, 2.2: "service worker
// client … uses").
func (g *Registration) isUsed() bool {
	for _, c := range g.container.clients {
		if c.Controller != nil && c.Controller.Registration == g {
			return true
		}
	}
	return g.container.KeptClients == KeptClientsCount && len(g.keptUnder()) > 0
}

// updateWorkerState changes the state of a worker, which hears of it (Service Workers, "Update Worker State").
func (w *Worker) updateWorkerState(state account.State) {
	w.State = state
	w.tellState()
	view := w.View()
	w.Registration.tell(w, func(o observer) { o.WorkerChanged(view) })
}

// tellState lets a running worker know its own state.
func (w *Worker) tellState() {
	s := w.Registration.container
	s.Account.Note(account.Note{Level: "state", Text: string(w.State), Where: w.Script})
	s.Account.Record(account.Event{Worker: w.ID, Kind: account.EventWorkerState, State: w.State})
	if g, view := w.global, w.View(); g != nil {
		s.clock().After(0, func() {
			if w.global == g && g.Alive() {
				g.WorkerChanged(view)
			}
		})
	}
}
