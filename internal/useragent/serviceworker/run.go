package serviceworker

import (
	"errors"
	"time"

	"tachyform/internal/useragent/account"
)

// runServiceWorker is "Run Service Worker" (Service Workers): it calls f with the worker's global, started if need be.
func (w *Worker) runServiceWorker(f func(Global, error)) {
	if w.global != nil && w.global.Alive() {
		f(w.global, nil)
		return
	}
	if w.State == account.Redundant {
		f(nil, errors.New("the worker is redundant"))
		return
	}
	s := w.Registration.container
	g, err := s.Start(w)
	if err != nil {
		s.Account.Note(account.Note{Level: "error", Text: "the worker could not be started again: " + err.Error(),
			Where: w.Script})
		f(nil, err)
		return
	}
	w.global = g
	f(g, nil)
}

// terminateServiceWorker is "Terminate Service Worker" (Service Workers): it ends a worker's global at once; a browser
// may do so at any time.
func (w *Worker) terminateServiceWorker() {
	if g := w.global; g != nil {
		s := w.Registration.container
		w.global = nil
		g.Finish()
		// The engine may be in the middle of a turn that asked for this.
		s.clock().After(0, g.Close)
		s.closing = append(s.closing, g)
	}
}

// terminateWhenIdle ends a worker's global once its open events are through.
func (w *Worker) terminateWhenIdle() {
	if w.global == nil {
		return
	}
	if !w.global.Busy() {
		w.terminateServiceWorker()
		return
	}
	w.Registration.container.clock().After(50*time.Millisecond, func() {
		if w.State == account.Redundant {
			w.terminateWhenIdle()
		}
	})
}
