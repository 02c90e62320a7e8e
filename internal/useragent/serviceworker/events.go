package serviceworker

import "slices"

// shouldSkipEvent is "Should Skip Event" (Service Workers): a worker that had no listener for an event when it was installed is
// not started for it.
func (w *Worker) shouldSkipEvent(event string) bool { return !slices.Contains(w.handled, event) }

// fireFunctionalEvent is "Fire Functional Event" (Service Workers) for an event that needs no page: the active worker of a
// registration is started for it. It reports whether there is such a worker.
func (g *Registration) fireFunctionalEvent(event string, detail map[string]any) bool {
	w := g.Active
	if w == nil {
		return false
	}
	if w.shouldSkipEvent(event) {
		return true
	}
	w.runServiceWorker(func(global Global, err error) {
		if err == nil {
			global.Dispatch(event, detail, func(bool) {})
		}
	})
	return true
}
