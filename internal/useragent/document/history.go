package document

import (
	"slices"

	"tachyform/internal/useragent/sessionhistory"
	"tachyform/internal/useragent/structured"
	"tachyform/internal/weburl"
)

// history is the session history of a tab or a frame (HTML, 7.4.1.1): what it has shown.
type history struct {
	entries []historyEntry
	at      int
	// documents counts those that it has shown.
	documents int
}

// historyEntry is something that was shown. Entries with the same document are places within one.
type historyEntry struct {
	step     int
	document int
	url      string
	state    *structured.Value // that scripts gave it, nil for null
	// key is the same for what takes the place of an entry, id is not; kept is its state for the navigation API.
	key, id int
	kept    *structured.Value
}

// handling is how a navigation changes the history (HTML, 7.4.2.2): what comes follows what is shown, takes its place, or
// is an entry that was there before.
type handling struct {
	replace bool
	// kept is the state that the navigation API gives the entry, nil for none.
	kept *structured.Value
	// back is set for an entry, whose place is to.
	back bool
	to   int
}

// steps are the joint history of a tab and all frames in it (HTML, 7.4.1.3: traversable navigables).
type steps struct {
	used []int
	now  int
	// names counts the names of entries.
	names int
}

func (s *steps) name() int {
	s.names++
	return s.names
}

// journal gives the history of the tab or frame that shows a window, nil for none.
func (c *window) journal() *history {
	switch {
	case c.frame != nil:
		return &c.frame.history
	case c.tab != nil:
		return &c.tab.history
	}
	return nil
}

// histories are those of a tab and of all frames in it.
func (t *Tab) histories() []*history {
	list := []*history{&t.history}
	if t.window != nil {
		for _, f := range t.window.allFrames() {
			list = append(list, &f.history)
		}
	}
	return list
}

func (c *window) allFrames() (list []*frame) {
	for _, f := range c.children {
		list = append(list, f)
		if f.window != nil {
			list = append(list, f.window.allFrames()...)
		}
	}
	return list
}

// push adds an entry behind the one that is shown; what lay ahead is gone, in all frames (HTML, 7.4.1.3, "clear the forward
// session history"). The first one of a frame comes with the step that there is.
func (t *Tab) push(h *history, e historyEntry) {
	if len(h.entries) > 0 {
		for _, other := range t.histories() {
			other.entries = slices.DeleteFunc(other.entries, func(o historyEntry) bool { return o.step > t.steps.now })
		}
		t.steps.used = slices.DeleteFunc(t.steps.used, func(step int) bool { return step > t.steps.now })
		t.steps.now++
	}
	if !slices.Contains(t.steps.used, t.steps.now) {
		t.steps.used = append(t.steps.used, t.steps.now)
	}
	e.step, e.key, e.id = t.steps.now, t.steps.name(), t.steps.name()
	h.entries = append(h.entries, e)
	h.at = len(h.entries) - 1
	t.trim()
}

// mostSteps is how many steps a tab remembers, as Chromium and Firefox have it.
const mostSteps = 50

// trim forgets the first steps if there are too many, with the entries that none of the others shows.
func (t *Tab) trim() {
	if len(t.steps.used) <= mostSteps {
		return
	}
	t.steps.used = slices.Clone(t.steps.used[len(t.steps.used)-mostSteps:])
	first := t.steps.used[0]
	for _, h := range t.histories() {
		forgotten := 0
		for forgotten < h.at && h.entries[forgotten+1].step <= first {
			forgotten++
		}
		h.entries = slices.Delete(h.entries, 0, forgotten)
		h.at -= forgotten
	}
}

// shown takes in that a tab or frame shows the document of a window.
func (c *window) shown() {
	h, t := c.journal(), c.top().tab
	if h == nil || t == nil {
		return
	}
	h.documents++
	e := historyEntry{document: h.documents, url: c.URL, kept: c.by.handling.kept}
	switch {
	case len(h.entries) == 0, !c.by.reload && !c.by.handling.back && !c.by.handling.replace:
		t.push(h, e)
		return
	case c.by.handling.back:
		h.at = min(c.by.handling.to, len(h.entries)-1)
	case c.by.handling.replace:
		t.replaceEntry(h, e)
		return
	}
	// All places within the document that was there are ones within this.
	for i, was := range h.entries {
		if i != h.at && was.document == h.entries[h.at].document {
			h.entries[i].document = e.document
		}
	}
	h.entries[h.at].document, h.entries[h.at].url = e.document, c.URL
}

// startState is what scripts gave the entry that a new document belongs to.
func (c *window) startState() *structured.Value {
	h := c.journal()
	switch {
	case h == nil || len(h.entries) == 0:
		return nil
	case c.by.handling.back && c.by.handling.to < len(h.entries):
		return h.entries[c.by.handling.to].state
	case c.by.reload:
		return h.entries[h.at].state
	}
	return nil
}

// ChangeHistory is "URL and history update steps" (HTML, 7.4.4): a new address within the document, with a state.
func (p *Page) ChangeHistory(url string, replace bool, state *structured.Value) {
	c := p.c
	c.URL = url
	h, t := c.journal(), c.top().tab
	if h == nil || t == nil || len(h.entries) == 0 {
		return
	}
	e := historyEntry{document: h.entries[h.at].document, url: url, state: state}
	if replace {
		e.kept = h.entries[h.at].kept
		t.replaceEntry(h, e)
		return
	}
	t.push(h, e)
}

// replaceEntry puts an entry in the place of the one that is shown.
func (t *Tab) replaceEntry(h *history, e historyEntry) {
	was := h.entries[h.at]
	e.step, e.key, e.id = was.step, was.key, t.steps.name()
	h.entries[h.at] = e
}

// HistoryEntries lists the entries around the one that is shown that have its origin, and tells which of them that is.
func (p *Page) HistoryEntries() (list []sessionhistory.Entry, at int) {
	h := p.c.journal()
	if h == nil || len(h.entries) == 0 {
		return nil, 0
	}
	from, to := h.at, h.at
	near := func(i int) bool { return weburl.OriginOf(h.entries[i].url) == p.c.origin() }
	for from > 0 && near(from-1) {
		from--
	}
	for to < len(h.entries)-1 && near(to+1) {
		to++
	}
	for i, e := range h.entries[from : to+1] {
		list = append(list, sessionhistory.Entry{URL: e.url, Key: e.key, ID: e.id, Same: h.within(from + i), State: e.kept})
	}
	return list, h.at - from
}

// KeepState gives the entry that is shown a state for the navigation API.
func (p *Page) KeepState(state *structured.Value) {
	if h := p.c.journal(); h != nil && len(h.entries) > 0 {
		h.entries[h.at].kept = state
	}
}

// HistoryLength is how many steps there are (HTML, 7.2.5: history.length).
func (p *Page) HistoryLength() int {
	if t := p.c.top().tab; t != nil {
		return max(1, len(t.steps.used))
	}
	return 1
}

// TraverseHistory is "traverse the history by a delta" (HTML, 7.4.3), which comes about in a task of its own.
func (p *Page) TraverseHistory(delta int) {
	c := p.c
	c.in.clock().After(0, func() {
		if t := c.top().tab; t != nil && !c.Closed {
			if step, ok := t.stepBy(delta); ok {
				t.goTo(step)
			}
		}
	})
}

// stepBy is the step that lies some steps ahead, or back; ok is false where there are not so many.
func (t *Tab) stepBy(delta int) (step int, ok bool) {
	i := slices.Index(t.steps.used, t.steps.now) + delta
	if i < 0 || i >= len(t.steps.used) || t.window == nil {
		return 0, false
	}
	return t.steps.used[i], true
}

// goTo shows a step, in the tab and in its frames ("apply the traverse history step").
func (t *Tab) goTo(step int) {
	t.steps.now = step
	if to := t.history.placeAt(step); to != t.history.at {
		t.window.traverseTo(&t.history, to)
		return
	}
	for _, f := range t.window.allFrames() {
		if to := f.history.placeAt(step); to != f.history.at && f.window != nil {
			f.window.traverseTo(&f.history, to)
		}
	}
}

// placeAt is the place of the entry that is shown at a step: the last one that is not younger.
func (h *history) placeAt(step int) int {
	place := h.at
	for i, e := range h.entries {
		if e.step <= step {
			place = i
		}
	}
	return place
}

// traverseTo shows another entry: within the document, or by loading the one that it belongs to anew, as browsers do that
// keep no pages alive.
func (c *window) traverseTo(h *history, to int) {
	e := h.entries[to]
	if t := c.tab; t != nil && h == &t.history && !h.within(to) && t.keptAt(to) != nil {
		c.goBackTo(to)
		return
	}
	if !h.within(to) || !c.runs() {
		c.leaveFor(e.url, h.passageTo(to, c))
		return
	}
	h.at = to
	c.URL = e.url
	c.scripts.realm.(WindowRealm).Traverse(e.url, e.state, e.key)
}

// goBackTo goes to a document that is kept, in a task of its own; if that has gone by then, it is loaded anew.
func (c *window) goBackTo(place int) {
	t := c.tab
	step := t.steps.now
	if t.moves++; t.moves > maxNavigations {
		return
	}
	c.command("fireAt", "window", "beforeunload", false)
	c.in.clock().After(0, func() {
		if c.Closed || t.window != c {
			return
		}
		if k := t.keptAt(place); k != nil {
			c.in.reactivate(t, k, step)
			return
		}
		c.leaveFor(t.history.entries[place].url, t.history.passageTo(place, c))
	})
}

// within says whether an entry is a place within the document that is shown.
func (h *history) within(to int) bool { return h.entries[to].document == h.entries[h.at].document }

func (h *history) passageTo(to int, from *window) passage {
	return passage{referrer: from.by.referrer, handling: handling{back: true, to: to}}
}

// Traverse lets a person go back or ahead in a tab by a number of steps; it gives whether there are so many.
func (w *Windows) Traverse(t *Tab, delta int) bool {
	step, ok := t.stepBy(delta)
	if !ok {
		return false
	}
	h, c := &t.history, t.window
	if to := h.placeAt(step); to != h.at && (!h.within(to) || !c.runs()) {
		t.steps.now = step
		if k := t.keptAt(to); k != nil {
			t.trail, t.moves = nil, 0
			c.command("fireAt", "window", "beforeunload", false)
			w.reactivate(t, k, step)
			k.draw()
			t.View.Controlled = k.Controller != nil
			t.Take()
			return true
		}
		w.open(h.entries[to].url, t, h.passageTo(to, c))
		return true
	}
	t.trail, t.moves = nil, 0
	// What was seen of it before stays as it was.
	now := *c.view
	now.Loads = nil
	c.view = &now
	t.goTo(step)
	now.URL = c.URL
	c.draw()
	t.Take()
	return true
}
