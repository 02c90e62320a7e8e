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

// activate makes the waiting worker the active one and lets it hear of it (Service Workers, "Activate").
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
	w.runServiceWorker(func(global Global, err error) {
		finish := func(bool) {
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
			s.clock().After(0, func() { g.TryActivate() })
		}
		if err != nil {
			finish(false)
			return
		}
		s.clock().After(0, func() {
			if w.global != global {
				finish(false)
				return
			}
			global.Dispatch("activate", map[string]any{}, finish)
		})
	})
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

// Unregister takes a registration away; it goes on serving the pages it controls until they are closed (Service
// Workers, "Unregister").
func (g *Registration) Unregister() {
	g.gone = true
	if g.container.KeptClients == KeptClientsCount {
		g.letGoOfKept()
	}
	g.tryClearRegistration()
}

// tryClearRegistration clears a registration that was taken away and that no client uses (Service Workers, "Try Clear
// Registration").
func (g *Registration) tryClearRegistration() {
	if !g.gone || g.isUsed() {
		return
	}
	if g.container.KeptClients == KeptClientsGiveWay {
		g.letGoOfKept()
	}
	for _, w := range []*Worker{g.Installing, g.Waiting, g.Active} {
		if w != nil {
			w.updateWorkerState(account.Redundant)
			w.terminateWhenIdle()
		}
	}
	for _, slot := range []**Worker{&g.Installing, &g.Waiting, &g.Active} {
		g.updateRegistrationState(slot, nil)
	}
	g.container.clearRegistration(g)
}

// clearRegistration takes a registration out of the list, after "Clear Registration" has ended its workers.
func (s *Container) clearRegistration(g *Registration) {
	for i, other := range s.registrations {
		if other == g {
			s.registrations = append(s.registrations[:i:i], s.registrations[i+1:]...)
			return
		}
	}
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
