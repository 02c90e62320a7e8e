package serviceworker

import (
	"slices"

	"tachyform/internal/useragent/account"
	"tachyform/internal/weburl"
)

// ClearSiteData takes the registrations of an origin away at once, as the header Clear-Site-Data asks (Clear Site Data,
// 4.2.3; Service Workers, "Clear Registration"). It says whether there were any.
func (s *Container) ClearSiteData(origin string) (had bool) {
	for _, g := range slices.Clone(s.registrations) {
		if weburl.OriginOf(g.Scope) != origin {
			continue
		}
		had = true
		g.gone = true
		workers := []*Worker{g.Installing, g.Waiting, g.Active}
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
		for _, w := range workers {
			if w != nil {
				w.updateWorkerState(account.Redundant)
				w.terminateServiceWorker()
			}
		}
		for _, slot := range []**Worker{&g.Installing, &g.Waiting, &g.Active} {
			g.updateRegistrationState(slot, nil)
		}
		s.clearRegistration(g)
	}
	return had
}
