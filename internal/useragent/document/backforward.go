package document

import (
	"maps"
	"slices"
	"strings"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/useragent/fetch"
)

// BackForwardCache says which documents a kind of browser keeps as they are when its tabs go elsewhere, so that going back
// shows them again without loading anything (HTML, 7.4.6.2: "salvageable"). The standard leaves most of it open;
// docs/conformance.md tells what real ones were seen to do.
type BackForwardCache struct {
	// Most is how many documents a tab keeps, the last ones that were left, For how long.
	Most int
	For  time.Duration
	// DespiteUnload keeps documents that listen for unload, DespiteStatus those of answers with a status other than 200 or to
	// what a form sent, DespiteLocks those that hold locks.
	DespiteUnload, DespiteStatus, DespiteLocks bool
	// NoStore is what becomes of documents whose answers may not be stored.
	NoStore KeptNoStore
	// Requests is what becomes of requests that scripts wait for.
	Requests KeptRequests
	// DespiteContact keeps documents that others send something: it is lost. Else they are let go of.
	DespiteContact bool
	// Freezes fires freeze and resume (Page Lifecycle, 3), HearsLater gives a document the storage events that it missed.
	Freezes, HearsLater bool
}

// KeptNoStore says what becomes of documents whose answers may not be stored (Cache-Control: no-store).
type KeptNoStore int

// What may become of them.
const (
	KeptNoStoreNever KeptNoStore = iota
	// KeptNoStoreWithCookies keeps them as long as the cookies of their site stay as they were: nobody has signed out.
	KeptNoStoreWithCookies
	KeptNoStoreAlways
)

// KeptRequests says what becomes of the requests that a document's scripts wait for when its tab goes elsewhere.
type KeptRequests int

// What may become of them.
const (
	KeptRequestsGoOn KeptRequests = iota // the document hears of them when it is shown again
	KeptRequestsForbid
	KeptRequestsFail
)

// keptDocument is one that is kept for going back.
type keptDocument struct {
	*window
	// document is its number in the history of the tab, place that of the entry it was left at, since when.
	document, place int
	since           time.Duration
	cookies         string
}

// inside lists a page's window with those of all its frames and workers.
func (c *window) inside() []*window {
	list := []*window{c}
	for _, f := range c.frames() {
		list = append(list, f.inside()...)
	}
	for _, w := range c.workers {
		list = append(list, w.inside()...)
	}
	return list
}

// leadsBack says whether an entry will lead back to the document that a tab shows once next has taken its place.
func (t *Tab) leadsBack(next *window) bool {
	h := &t.history
	return !next.by.reload && len(h.entries) > 0 && (!next.by.handling.replace || slices.ContainsFunc(h.entries, func(e historyEntry) bool {
		return h.within(h.at) && e.document == h.entries[h.at].document && e.step != h.entries[h.at].step
	}))
}

// salvageable says whether the page that a tab shows may be kept.
func (c *window) salvageable() bool {
	rules := c.in.BackForward
	if rules == nil || c.Closed || c.response == nil {
		return false
	}
	for _, w := range c.inside() {
		if w.Closed || !w.Worker && !w.mayStay(rules) {
			return false
		}
	}
	return true
}

// mayStay says whether a document may be kept.
func (c *window) mayStay(rules *BackForwardCache) bool {
	if c.frame == nil {
		actual := c.response.Actual()
		if (actual.Status != 200 || c.by.body != nil) && !rules.DespiteStatus || c.noStore() && rules.NoStore == KeptNoStoreNever {
			return false
		}
	} else if c.frame.ongoing != nil {
		return false
	}
	if !c.runs() {
		return c.pending == 0
	}
	s := c.scripts
	if !s.loaded || s.realm.Stop() != nil || rules.Requests == KeptRequestsForbid && s.fetching > 0 ||
		s.realm.HoldsLocks() && !rules.DespiteLocks {
		return false
	}
	unload, answered := c.command("hearsUnload").(bool)
	return answered && (!unload || rules.DespiteUnload)
}

func (c *window) noStore() bool {
	return strings.Contains(strings.ToLower(c.response.Actual().Get("cache-control")), "no-store")
}

func (c *window) cookies() string {
	u, err := whatwg.Parse(c.URL)
	if err != nil {
		return ""
	}
	return c.in.Workers.Store.Retrieve(u, fetch.Crossing{}, c.in.clock().Now)
}

// keep sets the page that a tab shows aside.
func (t *Tab) keep(c *window) {
	c.leave(true)
	for _, w := range c.inside() {
		if c.in.BackForward.Requests == KeptRequestsFail {
			w.failRequests()
		}
		c.in.Workers.KeepClient(w.Client)
		if w.runs() {
			w.scripts.realm.Freeze()
		}
	}
	t.kept = append(t.kept, &keptDocument{c, t.history.entries[t.history.at].document, t.history.at, c.in.clock().Now, c.cookies()})
}

// keptAt gives the kept document of an entry, nil for none.
func (t *Tab) keptAt(place int) *keptDocument {
	i := slices.IndexFunc(t.kept, func(k *keptDocument) bool { return k.document == t.history.entries[place].document })
	if i < 0 {
		return nil
	}
	k := t.kept[i]
	rules := k.in.BackForward
	if k.in.clock().Now-k.since > rules.For ||
		k.noStore() && rules.NoStore == KeptNoStoreWithCookies && k.cookies != k.window.cookies() {
		k.LetGo()
		return nil
	}
	return k
}

// prune lets go of documents that no entry leads back to any more, and of the first ones where there are too many.
func (t *Tab) prune() {
	for _, k := range slices.Clone(t.kept) {
		leadsThere := slices.ContainsFunc(t.history.entries, func(e historyEntry) bool { return e.document == k.document })
		if !leadsThere || len(t.kept) > k.in.BackForward.Most {
			k.LetGo()
		}
	}
}

// LetGo ends a document that is kept for going back; going there loads it anew.
func (c *window) LetGo() {
	c = c.top()
	if t := c.tab; t != nil && t.forget(c) {
		inside := c.inside()
		c.end()
		for _, w := range inside {
			c.in.Workers.HandleServiceWorkerClientUnload(w.Client)
		}
	}
}

// LetGoOfKept ends all documents that are kept for going back.
func (w *Windows) LetGoOfKept() {
	for _, t := range w.tabs {
		t.letGoOfKept()
	}
}

func (t *Tab) letGoOfKept() {
	for _, k := range slices.Clone(t.kept) {
		k.LetGo()
	}
}

// forget takes a document out of those that are kept; it says whether it was one.
func (t *Tab) forget(c *window) bool {
	before := len(t.kept)
	t.kept = slices.DeleteFunc(t.kept, func(k *keptDocument) bool { return k.window == c })
	return len(t.kept) < before
}

// reactivate shows a kept document again, at a step of the joint history ("reactivate a document", HTML, 7.4.6.1).
func (w *Windows) reactivate(t *Tab, k *keptDocument, step int) {
	c := k.window
	t.forget(c)
	now := *c.view
	now.Source, now.FromWorker, now.At, now.Elapsed = fetch.Source{Kind: fetch.HistorySource}, false, 0, 0
	c.view = &now
	w.put(t, c, true, func() { t.history.at = k.place })
	for _, inner := range c.inside() {
		inner.view, inner.asked = &now, nil
		w.Workers.ReturnClient(inner.Client)
		if inner.runs() {
			inner.scripts.realm.Thaw()
		}
	}
	for _, inner := range c.inside() {
		if !inner.Worker {
			inner.command("comeBack", w.BackForward.Freezes)
		}
	}
	t.goTo(step)
}

// failRequests ends what the scripts of a page wait for with a network error.
func (c *window) failRequests() {
	for _, number := range slices.Sorted(maps.Keys(c.waiting)) {
		c.waiting[number]()
	}
	c.waiting = map[int]func(){}
}

// Contacted tells that somebody sends a document something that is kept for going back, or wants what it holds. It gives
// whether that ends it.
func (p *Page) Contacted() (ends bool) {
	c := p.c
	if c.in.BackForward.DespiteContact {
		return false
	}
	c.in.clock().After(0, c.LetGo)
	return true
}
