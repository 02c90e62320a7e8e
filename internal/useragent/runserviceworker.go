package useragent

import (
	"errors"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/site"
)

// runServiceWorker is "Run Service Worker" (Service Workers): it calls f with the worker's realm, started if need be.
func (b *Browser) runServiceWorker(w *Worker, f func(*realm, error)) {
	if w.realm != nil && w.realm.stopped == nil {
		f(w.realm, nil)
		return
	}
	if w.State == Redundant {
		f(nil, errors.New("the worker is redundant"))
		return
	}
	r, err := b.startRealm(w)
	if err != nil {
		b.note(Note{Level: "error", Text: "the worker could not be started again: " + err.Error(), Where: w.Script})
		f(nil, err)
		return
	}
	w.realm = r
	f(r, nil)
}

// terminateServiceWorker is "Terminate Service Worker" (Service Workers): it ends a worker's realm at once; a browser may do so at any time.
func (b *Browser) terminateServiceWorker(w *Worker) {
	if r := w.realm; r != nil {
		w.realm = nil
		r.finish()
		// The engine may be in the middle of a turn that asked for this.
		b.clock.After(0, r.close)
		b.closing = append(b.closing, r)
	}
}

// terminateWhenIdle ends a worker's realm once its open events are through.
func (b *Browser) terminateWhenIdle(w *Worker) {
	if w.realm == nil {
		return
	}
	if len(w.realm.events) == 0 {
		b.terminateServiceWorker(w)
		return
	}
	b.clock.After(50*time.Millisecond, func() {
		if w.State == Redundant {
			b.terminateWhenIdle(w)
		}
	})
}

// fetchNow asks for a script in the middle of a turn, through the HTTP cache where there is one.
func (b *Browser) fetchNow(u *whatwg.Url, mode string) *site.Response {
	req := &site.Request{Method: "GET", URL: u}
	if kept, _ := b.fetcher.Cache.Get(req, mode, b.clock.Now); kept != nil {
		return kept
	}
	resp := b.net.SendNow(req)
	b.fetcher.Cache.Put(req, resp, mode, b.clock.Now)
	return resp
}
