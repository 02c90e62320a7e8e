package useragent

import (
	"slices"
	"strings"

	"tachyform/internal/page"
	"tachyform/internal/weburl"
)

// DoubtKind tells why an outcome can't be relied on.
type DoubtKind int

const (
	// DoubtStopped: scripts were stopped by our bounds; Err says by which.
	DoubtStopped DoubtKind = iota
	// DoubtGap: scripts used what this user agent lacks, which Gap names.
	DoubtGap
	// DoubtRegistration: a page registers a worker, or seems to, and which can't be read at Where.
	DoubtRegistration
	// DoubtDrawn: the page's scripts draw it, and they are only read.
	DoubtDrawn
	// DoubtRequests: the page's scripts ask for what can't be read at Where.
	DoubtRequests
)

// Doubt is why the outcome of a page is not known.
type Doubt struct {
	Kind  DoubtKind
	Err   error
	Gap   string
	Where page.Place
}

// noteRequests takes down what can't be read of a script that a page runs.
func (c *client) noteRequests(b *Browser, s *page.Script) {
	v := c.top().view
	if v == nil {
		v = c.view
	}
	v.Unread = append(v.Unread, s.Unread...)
	v.drawn = v.drawn || s.Draws
	if b.present == nil {
		for _, at := range s.UnreadRegistrations {
			if !slices.Contains(b.unreadRegistrations, at) {
				b.unreadRegistrations = append(b.unreadRegistrations, at)
			}
		}
	}
}

// doubt says why the outcome of a page that this browser opened can't be relied on, nil where it can.
func (b *Browser) doubt(v *View, outcome Outcome) *Doubt {
	switch {
	case len(b.exhausted) > 0:
		return &Doubt{Kind: DoubtStopped, Err: b.exhausted[0]}
	case len(b.gaps) > 0:
		return &Doubt{Kind: DoubtGap, Gap: b.gaps[0]}
	case len(b.regs) == 0 && len(b.failures) == 0 && len(b.unreadRegistrations) > 0:
		return &Doubt{Kind: DoubtRegistration, Where: b.unreadRegistrations[0]}
	case v.Document == nil || outcome == Lost || outcome == Stuck || b.asked(v.FinalURL):
		return nil
	case v.drawn && v.Document.Drawn():
		return &Doubt{Kind: DoubtDrawn}
	case len(v.Unread) > 0:
		return &Doubt{Kind: DoubtRequests, Where: v.Unread[0]}
	}
	return nil
}

// asked says whether somebody told what a page asks for once its scripts run.
func (b *Browser) asked(url string) bool {
	for at := range b.asks {
		if prefix, open := strings.CutSuffix(at, "*"); at == weburl.WithoutFragment(url) || open && strings.HasPrefix(url, prefix) {
			return true
		}
	}
	return false
}
