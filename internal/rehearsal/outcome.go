package rehearsal

import (
	"bytes"
	"context"
	"slices"
	"time"

	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Outcome is what a visitor gets of a page.
type Outcome string

// The outcomes, as the design has them.
const (
	Whole   Outcome = "whole"    // its own content and all that it asks for
	Partial Outcome = "partial"  // its own content, something is missing
	StandIn Outcome = "stand-in" // another document in its place
	Lost    Outcome = "lost"     // a network error page
	Stuck   Outcome = "stuck"    // no document in time
)

// PageOutcome is what a visitor gets of a page under a condition.
type PageOutcome struct {
	Outcome    Outcome
	Status     int
	Title      string
	AnsweredBy fetch.Source
	Missing    []*document.Load
	Loads      []*document.Load
	Elapsed    time.Duration
	// ShownFrom is the address whose content is shown, of an answer that came from a cache.
	ShownFrom string
	// Reason says why a page is lost or stuck.
	Reason fetch.Failure
	// View is what was shown.
	View *document.View
	// Lacks is what the page draws online and did not draw here, nil where nothing is lost.
	Lacks []string
	// Doubt says why the outcome can't be relied on, nil where it can.
	Doubt *Doubt
	// From is the page on which the link stands whose click had this outcome, "" where the page was opened by its address.
	From string
	// Pressed is the name of the button on the page whose press had this outcome, "" where nothing was pressed.
	Pressed string
	// Variant is the way in which the start page was opened that had this outcome, "" for the usual one.
	Variant Variant
}

// IsUsual says whether the outcome is that of the page as it is opened by its address, as most people come to it.
func (o *PageOutcome) IsUsual() bool { return o.From == "" && o.Pressed == "" && o.Variant == "" }

// judge names the outcome of a view of a browser, and whether it can be relied on; reference is the same page online
// without any worker.
func judge(b *useragent.Browser, v, reference *document.View) *PageOutcome {
	o := outcomeOf(v, reference)
	if o.Outcome == Whole || o.Outcome == Partial {
		o.Lacks = undrawn(v, reference)
	}
	o.Doubt = doubt(b, v, reference, o)
	return o
}

// outcomeOf names the outcome of a view; reference is the same page online without any worker.
func outcomeOf(v, reference *document.View) *PageOutcome {
	o := &PageOutcome{Status: v.Status, Title: v.Title, AnsweredBy: v.Source, Loads: v.Loads, Elapsed: v.Elapsed,
		Reason: v.Reason, View: v}
	if v.Response != nil {
		o.ShownFrom = v.Response.Key
	}
	switch {
	case v.Stuck:
		o.Outcome = Stuck
		return o
	case v.Failed:
		o.Outcome = Lost
		return o
	}
	seen := map[string]bool{}
	for _, l := range v.Loads {
		refused := l.Refused && !refusedAnyway(reference, l.URL)
		if (l.Missing || !l.Done || refused) && !l.Background && !l.Hint && !seen[l.URL] {
			seen[l.URL] = true
			l.Anyway = missingAnyway(reference, l.URL)
			o.Missing = append(o.Missing, l)
		}
	}
	switch {
	case !ownContent(v, reference) || ledElsewhere(v, reference):
		o.Outcome = StandIn
		// It asks for the page that it stands for, to find out whether that can be had again.
		o.Missing = slices.DeleteFunc(o.Missing, func(l *document.Load) bool {
			return l.Runs && l.URL == weburl.WithoutFragment(v.FinalURL)
		})
	case v.Document == nil && reference.Document != nil:
		o.Outcome = Partial
		o.Reason = fetch.Failure{Kind: fetch.SourceShown, Detail: site.Essence(v.Response.Actual().Get("content-type"))}
	case len(o.Missing) > 0:
		o.Outcome = Partial
	default:
		o.Outcome = Whole
	}
	return o
}

// refusedAnyway reports that what came for a load is of no use online either.
func refusedAnyway(reference *document.View, url string) bool {
	return slices.ContainsFunc(reference.Loads, func(l *document.Load) bool { return l.URL == url && l.Refused })
}

// missingAnyway says whether a load fails online too.
func missingAnyway(reference *document.View, url string) bool {
	return slices.ContainsFunc(reference.Loads, func(l *document.Load) bool { return l.URL == url && l.Missing })
}

// ledElsewhere reports that the tab was sent on to another address than online, as by a refresh that only the worker's
// answer has.
func ledElsewhere(v, reference *document.View) bool {
	return v.Documents > 1 && reference.Response != nil && weburl.WithoutQuery(v.FinalURL) != weburl.WithoutQuery(reference.FinalURL)
}

// ownContent says whether what is shown is the page itself: the bytes that the host gives for it, or an answer that was
// fetched from its own address.
func ownContent(v, reference *document.View) bool {
	if reference.Response == nil {
		return v.Source.Kind == fetch.NetworkSource
	}
	shown, own := v.Response.Actual(), reference.Response.Actual()
	if bytes.Equal(shown.Bytes(), own.Bytes()) {
		return true
	}
	if own.Status >= 400 || shown.Status >= 400 && shown.Status != own.Status {
		return false
	}
	urls := shown.URLs
	if shown.Made {
		urls = []string{v.Response.Key} // a copy that the worker wrapped anew is known by where it was kept
	}
	for _, u := range urls {
		if path := weburl.WithoutQuery(u); path == weburl.WithoutQuery(v.FinalURL) ||
			path == weburl.WithoutQuery(reference.FinalURL) {
			return true
		}
	}
	return false
}

// Judge names the outcome of a view of a browser; reference is the same page online without any worker, again what it is
// a while later, asked for only where the two differ in what they draw.
func Judge(b *useragent.Browser, v, reference *document.View, again func() *document.View) *PageOutcome {
	o := judge(b, v, reference)
	if len(o.Lacks) > 0 {
		o.settleDrawn(again())
	}
	return o
}

// Reference opens a page online in a new browser without workers, a while after the profile began if later says so.
func Reference(ctx context.Context, hosts []site.Host, url string, o useragent.Options, later bool) *document.View {
	o.WithoutWorkers, o.HTTPCache = true, false
	b := useragent.New(ctx, hosts, o)
	defer b.Close()
	if later {
		b.Pass(laterBy)
	}
	return b.Open(url, nil).View
}
