package useragent

import (
	"slices"

	"tachyform/internal/page"
)

// noteRequests takes down what can't be read of a script that a page runs.
func (c *client) noteRequests(b *Browser, s *page.Script) {
	v := c.top().view
	if v == nil {
		v = c.view
	}
	v.Unread = append(v.Unread, s.Unread...)
	v.ScriptsDraw = v.ScriptsDraw || s.Draws
	if b.present == nil {
		for _, at := range s.UnreadRegistrations {
			if !slices.Contains(b.unreadRegistrations, at) {
				b.unreadRegistrations = append(b.unreadRegistrations, at)
			}
		}
	}
}
