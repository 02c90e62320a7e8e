package useragent

import (
	"slices"
	"time"
)

// Event is one thing that came about while a step of a rehearsal was carried out.
type Event struct {
	// At is the virtual time since the rehearsal began.
	At time.Duration
	// Kind is event, answer, network, stored, removed, worker, console, notification, message, page or gap.
	Kind string
	// Worker is the number of the worker that it is about, 0 for none.
	Worker int
	Text   string
	// Status is that of an answer from the network, 0 for none.
	Status int
	// Level is that of console output; Where its place in the worker's own source, as far as it is known.
	Level, Where string
}

// record adds to the account, if one is kept.
func (b *Browser) record(kind, text string, w *Worker) {
	if b.events == nil {
		return
	}
	h := Event{Kind: kind, Text: text}
	if w != nil {
		h.Worker = w.ID
	}
	b.recordEvent(h)
}

// gap notes that a script used what this user agent lacks.
func (b *Browser) gap(what string) {
	b.record("gap", what, nil)
	if !slices.Contains(b.gaps, what) {
		b.gaps = append(b.gaps, what)
	}
}

func (b *Browser) recordEvent(h Event) {
	// What a chatty site does beyond this is of no use to a reader.
	const most = 2000
	if b.events == nil || len(*b.events) >= most {
		return
	}
	h.At = b.clock.now - b.began
	*b.events = append(*b.events, h)
}
