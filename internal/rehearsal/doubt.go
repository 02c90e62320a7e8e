package rehearsal

import (
	"slices"

	"tachyform/internal/page"
	"tachyform/internal/request"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
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
	// DoubtRead: the page's scripts are only read.
	DoubtRead
	// DoubtNotSent: its scripts send a live host what is not sent on, Asked.
	DoubtNotSent
	// DoubtNothing: the page shows nothing at all.
	DoubtNothing
	// DoubtServer: its scripts ask their own origin, at Asked, for what a server that is not here may answer.
	DoubtServer
	// DoubtElsewhere: its scripts ask another origin, at Asked, for what is not known here.
	DoubtElsewhere
	// DoubtError: a script of it ended, online, with the error Text, which may come from what is not simulated here.
	DoubtError
)

// Doubt is why the outcome of a page is not known.
type Doubt struct {
	Kind DoubtKind
	Err  error
	Gap  string
	// At is the place in the script that used what Gap names, as address:line:column, "" where that is not known.
	At    string
	Asked string
	Text  string
	Where page.Place
}

// doubt says why the outcome of a page that a browser opened can't be relied on, nil where it can.
func doubt(b *useragent.Browser, v, reference *document.View, o *PageOutcome) *Doubt {
	outcome := o.Outcome
	switch {
	case len(b.Exhausted()) > 0:
		return &Doubt{Kind: DoubtStopped, Err: b.Exhausted()[0]}
	case len(b.NotSent()) > 0 && (outcome == Whole || outcome == Partial):
		return &Doubt{Kind: DoubtNotSent, Asked: b.NotSent()[0]}
	case len(b.WorkerGaps()) > 0:
		return &Doubt{Kind: DoubtGap, Gap: b.WorkerGaps()[0]}
	case firstGap(v, false) != nil:
		return gapDoubt(firstGap(v, false))
	case (outcome == Whole || outcome == Partial) && firstGap(reference, false) != nil:
		return gapDoubt(firstGap(reference, false))
	case !b.KnowsWorkers() && len(b.UnreadRegistrations()) > 0:
		return &Doubt{Kind: DoubtRegistration, Where: b.UnreadRegistrations()[0]}
	case !b.KnowsWorkers() && len(b.StoppedBefore()) > 0:
		return &Doubt{Kind: DoubtStopped, Err: b.StoppedBefore()[0]}
	case v.Document == nil || outcome == Lost || outcome == Stuck || b.Asked(v.FinalURL):
		return nil
	case v.Drawn == document.DrawnRead && outcome == Whole:
		return &Doubt{Kind: DoubtRead}
	case outcome != Whole && (outcome != Partial || slices.ContainsFunc(o.Missing, func(l *document.Load) bool {
		return !l.Anyway
	})):
		return nil
	}
	return undetermined(v, reference)
}

// firstGap is the first thing that scripts of a page used and that is lacking, among those that may not matter if soft, nil for none.
func firstGap(v *document.View, soft bool) *account.Gap {
	for i := range v.Gaps {
		if v.Gaps[i].Soft == soft {
			return &v.Gaps[i]
		}
	}
	return nil
}

// settleGap adds the doubt that comes of answers that were made up for the page's scripts online, if what it shows depends on them.
func (o *PageOutcome) settleGap(reference *document.View, depends func() bool) {
	if o.Outcome != Whole && o.Outcome != Partial || o.Doubt != nil && o.Doubt.Kind != DoubtError {
		return
	}
	if g := firstGap(reference, true); g != nil && depends() {
		o.Doubt = gapDoubt(g)
	}
}

func gapDoubt(g *account.Gap) *Doubt { return &Doubt{Kind: DoubtGap, Gap: g.What, At: g.Where} }

// undetermined says why what a page draws is not known although nothing stands against it, nil where it is known.
func undetermined(v, reference *document.View) *Doubt {
	for _, l := range reference.Loads {
		script := l.Destination == request.Script
		byScript := l.Runs && (l.Destination == request.Data || script)
		own := weburl.OriginOf(l.URL) == weburl.OriginOf(reference.FinalURL)
		switch {
		case !byScript && !script:
		case byScript && l.Missing && own && l.Why.Kind == fetch.BadStatus && !reference.HostKnows(l.URL):
			return &Doubt{Kind: DoubtServer, Asked: l.URL}
		case byScript && l.Destination == request.Data && own && l.Done && !l.Missing && !reference.HostKnows(l.URL) && reference.FallsBack(l.URL):
			return &Doubt{Kind: DoubtServer, Asked: l.URL} // a page is no data
		case l.Unknown && l.Done && !l.Missing:
			return &Doubt{Kind: DoubtElsewhere, Asked: l.URL}
		}
	}
	for _, e := range reference.Errors {
		if maybeOurs(e) {
			return &Doubt{Kind: DoubtError, Text: e.Text}
		}
	}
	if v.ShowsNothing() && reference.ShowsNothing() {
		return &Doubt{Kind: DoubtNothing}
	}
	return nil
}

// maybeOurs says whether an error that came up online, where sites seldom have any, may come of what this user agent
// lacks: something that is no function, or syntax that it does not know.
func maybeOurs(e document.ScriptError) bool {
	return e.Name == "TypeError" || e.Name == "SyntaxError" || e.Name == "InternalError"
}
