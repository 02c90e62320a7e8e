package rehearsal

import (
	"tachyform/internal/page"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
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

// doubt says why the outcome of a page that a browser opened can't be relied on, nil where it can.
func doubt(b *useragent.Browser, v *document.View, outcome Outcome) *Doubt {
	switch {
	case len(b.Exhausted()) > 0:
		return &Doubt{Kind: DoubtStopped, Err: b.Exhausted()[0]}
	case len(b.Gaps()) > 0:
		return &Doubt{Kind: DoubtGap, Gap: b.Gaps()[0]}
	case !b.KnowsWorkers() && len(b.UnreadRegistrations()) > 0:
		return &Doubt{Kind: DoubtRegistration, Where: b.UnreadRegistrations()[0]}
	case v.Document == nil || outcome == Lost || outcome == Stuck || b.Asked(v.FinalURL):
		return nil
	case v.ScriptsDraw && v.Document.Drawn():
		return &Doubt{Kind: DoubtDrawn}
	case len(v.Unread) > 0:
		return &Doubt{Kind: DoubtRequests, Where: v.Unread[0]}
	}
	return nil
}
