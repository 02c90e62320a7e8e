// Package account takes down what comes about in a browser: what scripts say, what becomes of workers, what leaves for
// the network.
package account

import (
	"cmp"
	"regexp"
	"slices"
	"time"

	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/fetch"
)

// Note is something that happened and is worth telling: console output, an error, a change of a worker's state.
type Note struct {
	// Level is log, info, warn, error or state.
	Level string `json:"level"`
	Text  string `json:"text"`
	Where string `json:"where,omitempty"`
	Stack string `json:"stack,omitempty"`
	// ErrorName is the name of the error that Text tells of, "" for what is none.
	ErrorName string `json:"-"`
}

// PlaceIn is the first place of a script that a stack names, as address:line:column, "" for none.
func PlaceIn(stack string) string {
	if m := stackPlace.FindStringSubmatch(stack); m != nil {
		return m[1]
	}
	return ""
}

// place is where in a worker's own source a note comes from, or the script it belongs to.
func (n Note) place() string {
	return cmp.Or(PlaceIn(n.Stack), n.Where)
}

var stackPlace = regexp.MustCompile(`\(?((?:https?://|/)[^\s()]+:\d+(?::\d+)?)\)?`)

// Bounds of what is taken down: what chatty scripts and sites do beyond them is of no use to a reader.
const (
	MaxNotes     = 500
	maxNoteBytes = 2000
	maxEvents    = 2000
)

// Account is what came about in one browser.
type Account struct {
	// Clock tells when it came about.
	Clock *clock.Clock
	// Notes are what is worth telling, in order, up to MaxNotes.
	Notes []Note
	// Gaps lists what scripts used and this user agent lacks, WorkerGaps what service workers did of it.
	Gaps, WorkerGaps []string
	// Stored is what scripts put into caches, in order.
	Stored []Stored
	// LastError is the last error that a worker reported.
	LastError Note
	// Listen, if set, is told every note as it comes.
	Listen func(Note)

	events *[]Event // nil while nobody asks for them
	began  time.Duration
}

// Branch is the account of a branch, which starts with the same gaps.
func (a *Account) Branch(c *clock.Clock) *Account {
	return &Account{Clock: c, Gaps: slices.Clone(a.Gaps), WorkerGaps: slices.Clone(a.WorkerGaps)}
}

// Begin takes down events from here on; their times count from now.
func (a *Account) Begin(events *[]Event) { a.events, a.began = events, a.Clock.Now }

// Note takes down something worth telling.
func (a *Account) Note(n Note) {
	if a.Listen != nil {
		a.Listen(n)
	}
	if n.Level != "state" {
		a.Record(Event{Kind: EventConsole, Level: n.Level, Text: n.Text, Where: n.place()})
	}
	if n.Level == "error" {
		a.LastError = n
	}
	if len(a.Notes) < MaxNotes {
		n.Text = n.Text[:min(len(n.Text), maxNoteBytes)]
		a.Notes = append(a.Notes, n)
	}
}

// Record takes down an event, where somebody asks for them.
func (a *Account) Record(e Event) {
	if a.events == nil || len(*a.events) >= maxEvents {
		return
	}
	e.At = a.Clock.Now - a.began
	*a.events = append(*a.events, e)
}

// Gap is something that a script of a page used and that this user agent lacks.
type Gap struct {
	What string
	// Where is the place in the script, as address:line:column, "" where that is not known.
	Where string
	// Soft tells that it was answered with something that may not matter.
	Soft bool
}

// WorkerGap takes down that a service worker used what this user agent lacks.
func (a *Account) WorkerGap(what string) {
	if !slices.Contains(a.WorkerGaps, what) {
		a.WorkerGaps = append(a.WorkerGaps, what)
	}
	a.Gap(what)
}

// Gap takes down that a script used what this user agent lacks.
func (a *Account) Gap(what string) {
	a.Record(Event{Kind: EventGap, Text: what})
	if !slices.Contains(a.Gaps, what) {
		a.Gaps = append(a.Gaps, what)
	}
}

// Stored is one entry that a script put into a cache.
type Stored struct {
	Cache    string
	Request  *fetch.Request
	Response *fetch.Response
}
