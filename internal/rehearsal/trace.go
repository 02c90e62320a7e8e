package rehearsal

import (
	"context"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/request"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/weburl"
)

// Traced is how one request was answered under a condition.
type Traced struct {
	Condition string
	// Handled tells who answered: worker, network, or nobody.
	Handled fetch.Answerer
	Status  int
	// Source is where the answer came from, its zero value when there was none.
	Source fetch.Source
	Type   string
	// Shown is the address that the content was fetched from, where it is another than the one asked for.
	Shown   string
	Bytes   int64
	Elapsed time.Duration
	// Reason says why there was no answer.
	Reason fetch.Failure
	// Sent lists what went to the network meanwhile, with what came back; Stored what was put into caches.
	Sent   []SentRequest
	Stored []account.Stored
	Notes  []account.Note
}

// SentRequest is one request that left for the network. Status is 0 when nothing came back.
type SentRequest struct {
	URL    string
	Status int
}

// Trace visits as the rehearsal does and then makes one request under each condition, each in a branch of its own.
// Pages are opened; anything else is asked for as a page in the worker's scope would.
func (r *Rehearsal) Trace(ctx context.Context, url string, destination request.Destination) ([]*Traced, error) {
	b := r.browser(ctx)
	defer b.Close()
	if _, err := r.visit(ctx, b, true, nil); err != nil {
		return nil, err
	}
	var list []*Traced
	for _, c := range r.Conditions {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		branch := b.Branch()
		branch.SetCondition(c)
		list = append(list, r.trace(branch, url, destination, c))
		branch.Close()
	}
	return list, nil
}

func (r *Rehearsal) trace(b *useragent.Browser, url string, destination request.Destination, c condition.Condition) *Traced {
	t := &Traced{Condition: c.Name, Handled: fetch.Nobody}
	b.Watch(func(r *site.Request, resp *site.Response) {
		s := SentRequest{URL: r.URL.Href(true)}
		if resp != nil {
			s.Status = resp.Status
		}
		t.Sent = append(t.Sent, s)
	})
	start := b.Now()
	var resp *fetch.Response
	var done bool
	if destination == request.Document {
		resp, t.Reason, done = b.Navigate(url)
	} else {
		from := url // the page that asks is the last one visited
		if n := len(r.Visit); n > 0 {
			from = r.Visit[n-1]
		}
		req := &fetch.Request{URL: url, Method: "GET", Header: [][2]string{{"accept", "*/*"}}, Mode: request.NoCORS,
			Credentials: "include", Redirect: "follow", Destination: destination}
		if destination == request.Data || destination == request.Font {
			req.Mode, req.Credentials = "cors", "same-origin"
		}
		resp, t.Reason, done = b.Fetch(nil, from, req)
	}
	t.Elapsed = b.Now() - start
	switch {
	case !done:
		t.Reason, t.Elapsed = fetch.Failure{Kind: fetch.NoAnswer}, document.Limit
	case resp != nil:
		actual := resp.Actual()
		t.Handled, t.Status, t.Source, t.Type, t.Bytes = fetch.AnsweredBy(resp, fetch.Failure{}), actual.Status, resp.Source, resp.Type, actual.Len()
		from := actual.URL()
		if actual.Made {
			from = weburl.WithoutQuery(resp.Key)
		}
		if from != "" && weburl.WithoutQuery(from) != weburl.WithoutQuery(url) {
			t.Shown = from
		}
	}
	b.Finish()
	t.Stored, t.Notes = b.Stored(), nil
	for _, n := range b.Notes() {
		if n.Level != "state" {
			t.Notes = append(t.Notes, n)
		}
	}
	return t
}
