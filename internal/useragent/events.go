package useragent

import (
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
)

// Record takes down from here on all that comes about; times count from now.
func (b *Browser) Record(events *[]account.Event) {
	b.account.Begin(events)
	b.net.Seen = func(r *site.Request, resp *site.Response) {
		e := account.Event{Kind: account.EventNetwork, URL: r.URL.Href(true), Method: r.Method}
		if resp != nil {
			e.Status = resp.Status
		}
		b.account.Record(e)
	}
}

// Watch calls seen with each request that leaves from here on and with what came back, nil for a failure.
func (b *Browser) Watch(seen func(*site.Request, *site.Response)) {
	before := b.net.Seen
	b.net.Seen = func(r *site.Request, resp *site.Response) {
		if before != nil {
			before(r, resp)
		}
		seen(r, resp)
	}
}

// RequestsSent counts the requests that left for the network, without those by which the browser itself looks for new
// versions of workers: no page waits for them.
func (b *Browser) RequestsSent() int { return b.net.Count - b.workers.Checks }

// Notes is what scripts said and what became of workers.
func (b *Browser) Notes() []account.Note { return b.account.Notes }

// Stored is what scripts put into caches, in order.
func (b *Browser) Stored() []account.Stored { return b.account.Stored }

// Gaps lists what scripts used and this user agent lacks.
func (b *Browser) Gaps() []string { return b.account.Gaps }

// WorkerGaps lists what service workers used and this user agent lacks.
func (b *Browser) WorkerGaps() []string { return b.account.WorkerGaps }

// Personal says by address what made the host's answers ones for a single person.
func (b *Browser) Personal() map[string]string { return b.personal }

// Listen calls told with every note as it comes.
func (b *Browser) Listen(told func(account.Note)) { b.account.Listen = told }
