package document

import (
	"slices"

	"tachyform/internal/page"
)

// noteRequests takes down what can't be read of a script that a page runs.
func (c *window) noteRequests(s *page.Script) {
	v := c.top().view
	if v == nil {
		v = c.view
	}
	v.Unread = append(v.Unread, s.Unread...)
	v.ScriptsDraw = v.ScriptsDraw || s.Draws
	w := c.in
	if w.Present != nil {
		return
	}
	for _, at := range s.UnreadRegistrations {
		if !slices.Contains(w.UnreadRegistrations, at) {
			w.UnreadRegistrations = append(w.UnreadRegistrations, at)
		}
	}
}
