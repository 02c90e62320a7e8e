package useragent

import (
	"context"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// Traced is how one request was answered under a condition.
type Traced struct {
	Condition string
	// Handled tells who answered: worker, network, or nobody.
	Handled Answerer
	Status  int
	// Source is where the answer came from, its zero value when there was none.
	Source Source
	Type   string
	// Shown is the address that the content was fetched from, where it is another than the one asked for.
	Shown   string
	Bytes   int64
	Elapsed time.Duration
	// Reason says why there was no answer.
	Reason Failure
	// Sent lists what went to the network meanwhile, with what came back; Stored what was put into caches.
	Sent   []SentRequest
	Stored []Stored
	Notes  []Note
}

// SentRequest is one request that left for the network. Status is 0 when nothing came back.
type SentRequest struct {
	URL    string
	Status int
}

// Trace visits as the rehearsal does and then makes one request under each condition, each in a branch of its own. Pages are opened;
// anything else is asked for as a page in the worker's scope would.
func (r *Rehearsal) Trace(ctx context.Context, url, destination string) ([]*Traced, error) {
	b := New(ctx, r.Hosts, &page.Reader{})
	defer b.Close()
	r.prepare(b)
	if _, err := r.visit(ctx, b, true); err != nil {
		return nil, err
	}
	var list []*Traced
	for _, c := range r.Conditions {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		branch := b.Branch()
		branch.SetCondition(c)
		list = append(list, branch.trace(url, destination, r.Visit, c))
		branch.Close()
	}
	return list, nil
}

func (b *Browser) trace(url, destination string, visited []string, c condition.Condition) *Traced {
	t := &Traced{Condition: c.Name, Handled: Nobody}
	b.net.seen = func(r *site.Request, resp *site.Response) {
		s := SentRequest{URL: r.URL.Href(true)}
		if resp != nil {
			s.Status = resp.Status
		}
		t.Sent = append(t.Sent, s)
	}
	start := b.clock.now
	done := false
	received := func(resp *Response, how Answerer, reason Failure) {
		done = true
		t.Elapsed = b.clock.now - start
		t.Reason = reason
		if resp == nil {
			if reason.Kind == NoFailure {
				t.Reason = failed(how)
			}
			return
		}
		actual := resp.Actual()
		t.Handled, t.Status, t.Source, t.Type, t.Bytes = how, actual.Status, resp.Source, resp.Type, bodyLen(actual.Body)
		u := actual.URL()
		if u == "" {
			u = weburl.WithoutQuery(resp.Key)
		}
		if u != "" && weburl.WithoutQuery(u) != weburl.WithoutQuery(url) {
			t.Shown = u
		}
	}
	b.nextID++
	client := &client{id: b.nextID, url: url, seen: map[string]*Load{}, view: &View{URL: url}}
	if destination == "document" {
		b.navigate(client, url, 0, func(resp *Response, _ *Registration, reason Failure) {
			how := ByNetwork
			if client.view.FromWorker {
				how = ByWorker
			}
			received(resp, how, reason)
		})
	} else {
		// The page that asks is the last one visited.
		if len(visited) > 0 {
			client.url = visited[len(visited)-1]
			if g := b.matchServiceWorkerRegistration(client.url); g != nil {
				client.controller = g.Active
			}
		}
		req := &Request{URL: url, Method: "GET", Header: [][2]string{{"accept", "*/*"}}, Mode: "no-cors", Credentials: "include", Redirect: "follow", Destination: destination}
		if destination == "" || destination == "font" {
			req.Mode, req.Credentials = "cors", "same-origin"
		}
		b.clientFetch(client, req, func(resp *Response, how Answerer) { received(resp, how, Failure{}) })
	}
	b.clock.run(func() bool { return done }, start+DocumentLimit)
	if !done {
		t.Reason = Failure{Kind: NoAnswer}
		t.Elapsed = DocumentLimit
	}
	// What the answer leaves to be done, such as keeping a copy, is waited for.
	b.clock.settle(time.Second, 5*time.Second)
	t.Stored, t.Notes = b.stored, nil
	for _, n := range b.notes {
		if n.Level != "state" {
			t.Notes = append(t.Notes, n)
		}
	}
	return t
}
