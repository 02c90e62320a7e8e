package useragent

// tryActivate activates the waiting worker when nothing holds it back (Service Workers, "Try Activate").
func (b *Browser) tryActivate(g *Registration) {
	w := g.Waiting
	if w == nil || g.Active != nil && g.Active.State == Activating {
		return
	}
	if g.Active == nil || w.skip || !b.isUsed(g) {
		b.activate(g)
	}
}

// activate makes the waiting worker the active one and lets it hear of it (Service Workers, "Activate").
func (b *Browser) activate(g *Registration) {
	w, old := g.Waiting, g.Active
	b.updateRegistrationState(g, &g.Active, w)
	b.updateRegistrationState(g, &g.Waiting, nil)
	if old != nil {
		b.updateWorkerState(old, Redundant)
		b.terminateWhenIdle(old)
	}
	b.updateWorkerState(w, Activating)
	for _, c := range b.clients {
		if c.controller != nil && c.controller.reg == g {
			b.notifyControllerChange(c, w)
		}
	}
	b.runServiceWorker(w, func(r *realm, err error) {
		finish := func(bool) {
			b.updateWorkerState(w, Activated)
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

// updateRegistrationState puts a worker into one of a registration's slots, or empties it (Service Workers, "Update Registration State").
// Scripts see the slots as they are: no registration object of theirs keeps a copy.
func (b *Browser) updateRegistrationState(_ *Registration, slot **Worker, w *Worker) { *slot = w }

// isUsed says whether a client is controlled by one of a registration's workers (Service Workers, 2.2: "service worker client … uses").
func (b *Browser) isUsed(g *Registration) bool {
	for _, c := range b.clients {
		if c.controller != nil && c.controller.reg == g {
			return true
		}
	}
	return false
}

// unregister takes a registration away; it goes on serving the pages it controls until they are closed (Service Workers, "Unregister").
func (b *Browser) unregister(g *Registration) {
	g.gone = true
	b.tryClearRegistration(g)
}

// tryClearRegistration clears a registration that was taken away and that no client uses (Service Workers, "Try Clear Registration").
func (b *Browser) tryClearRegistration(g *Registration) {
	if !g.gone || b.isUsed(g) {
		return
	}
	for _, w := range []*Worker{g.Installing, g.Waiting, g.Active} {
		if w != nil {
			b.updateWorkerState(w, Redundant)
			b.terminateWhenIdle(w)
		}
	}
	for _, slot := range []**Worker{&g.Installing, &g.Waiting, &g.Active} {
		b.updateRegistrationState(g, slot, nil)
	}
	b.clearRegistration(g)
}

// clearRegistration takes a registration out of the list, after "Clear Registration" has ended its workers.
func (b *Browser) clearRegistration(g *Registration) {
	for i, other := range b.regs {
		if other == g {
			b.regs = append(b.regs[:i:i], b.regs[i+1:]...)
			return
		}
	}
}

// updateWorkerState changes the state of a worker, which hears of it (Service Workers, "Update Worker State").
func (b *Browser) updateWorkerState(w *Worker, state State) {
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
