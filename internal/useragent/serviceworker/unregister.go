package serviceworker

import (
	"errors"
	"slices"

	"tachyform/internal/useragent/account"
	"tachyform/internal/weburl"
)

// ErrNoRegistration is what Unregister comes to where there is no registration.
var ErrNoRegistration = errors.New("there is no such registration")

// Unregister is the method unregister() of a registration (Service Workers, 3.2.8): done is told nil, or ErrNoRegistration.
func (g *Registration) Unregister(done func(error)) {
	j := createJob(unregisterJob, g.Scope, nil, done)
	j.registration = g
	g.container.scheduleJob(j)
}

// unregister is "Unregister" (Service Workers).
func (s *Container) unregister(j *job) {
	g := s.GetRegistration(j.scope)
	if g == nil || g != j.registration {
		j.rejectJobPromise(ErrNoRegistration)
		s.finishJob(j)
		return
	}
	g.Remove()
	j.resolveJobPromise()
	s.finishJob(j)
}

// Remove takes a registration away; it goes on serving the pages that it controls until they are closed.
func (g *Registration) Remove() {
	g.gone = true
	if g.container.KeptClients == KeptClientsCount {
		g.letGoOfKept()
	}
	g.tryClearRegistration()
}

// tryClearRegistration is "Try Clear Registration" (Service Workers): a registration that was taken away goes once no client uses
// it any more.
func (g *Registration) tryClearRegistration() {
	if !g.gone || g.isUsed() {
		return
	}
	if g.container.KeptClients == KeptClientsGiveWay {
		g.letGoOfKept()
	}
	g.clearRegistration()
}

// clearRegistration is "Clear Registration" (Service Workers): its workers end, and it is no more. What they have begun is finished.
func (g *Registration) clearRegistration() {
	g.endWorkers((*Worker).terminateWhenIdle)
}

func (g *Registration) endWorkers(end func(*Worker)) {
	for _, slot := range []**Worker{&g.Installing, &g.Waiting, &g.Active} {
		if w := *slot; w != nil {
			w.updateWorkerState(account.Redundant)
			end(w)
			g.updateRegistrationState(slot, nil)
		}
	}
	g.gone = true
	s := g.container
	s.registrations = slices.DeleteFunc(slices.Clone(s.registrations), func(o *Registration) bool { return o == g })
}

// ClearSiteData takes the registrations of an origin away at once, as the header Clear-Site-Data asks (Clear Site Data,
// 4.2.3). It says whether there were any.
func (s *Container) ClearSiteData(origin string) (had bool) {
	for _, g := range slices.Clone(s.registrations) {
		if weburl.OriginOf(g.Scope) != origin {
			continue
		}
		had = true
		for _, c := range s.clients {
			if c.Controller != nil && c.Controller.Registration == g {
				c.Controller = nil
				s.clock().After(0, func() {
					if !c.Closed && c.Window != nil {
						c.Window.ControllerChanged(nil)
					}
				})
			}
		}
		g.endWorkers((*Worker).terminateServiceWorker)
	}
	return had
}
