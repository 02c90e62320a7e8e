package account

import (
	"time"

	"tachyform/internal/useragent/fetch"
)

// EventKind says what an event of an account is about.
type EventKind string

const (
	EventDispatched   EventKind = "event"        // a worker heard of Name
	EventAnswer       EventKind = "answer"       // a worker had the chance to answer URL
	EventNetwork      EventKind = "network"      // the network was asked
	EventStored       EventKind = "stored"       // URL was put into Cache
	EventRemoved      EventKind = "removed"      // URL was taken out of Cache, or all of Cache
	EventWorkerState  EventKind = "worker"       // a worker came into State
	EventConsole      EventKind = "console"      // Text was written there
	EventNotification EventKind = "notification" // one with the title Text was shown
	EventMessage      EventKind = "message"      // Text went to or from the page at URL
	EventPage         EventKind = "page"         // something happened to a page
	EventGap          EventKind = "gap"          // a script used what this user agent lacks: Text
)

// Event is one thing that came about while a step of a rehearsal was carried out.
// Which fields say something depends on Kind.
type Event struct {
	// At is the virtual time since the rehearsal began.
	At   time.Duration
	Kind EventKind
	// Worker is the number of the worker that it is about, 0 for none.
	Worker int
	// URL is the address that it is about, Method that of a request, Status that of an answer from the network, 0 for
	// none.
	URL, Method string
	Status      int
	// Answer is what became of a fetch event, Source where the content came from.
	Answer Answer
	Source fetch.Source
	Cache  string
	State  State
	// Name is that of an event that was dispatched; Failed that a promise it was given was rejected.
	Name   string
	Failed bool
	// Received tells of a message that it came from the page, rather than going to it.
	Received bool
	// Page is what happened to a page.
	Page PageEvent
	// Text is what a script said. Level is that of console output, Where its place in the worker's own source, as far as
	// it is known.
	Text, Level, Where string
}

// PageEvent is something that happens to a page.
type PageEvent uint8

const (
	NoPageEvent   PageEvent = iota // the event is of another kind
	PageFocused                    // a worker brought it to the front
	PageNavigated                  // a worker sent it to URL
	WindowOpened                   // a worker opened one at URL
	PageReloaded                   // it loads itself anew, since another worker has taken over
	PageHears                      // one of its scripts hears of a worker, by the event that Text names
)

// String says in words what came about, for lists that name the kind beside it.
func (e Event) String() string {
	switch e.Kind {
	case EventDispatched:
		if e.Failed {
			return e.Name + " failed"
		}
		return e.Name
	case EventAnswer:
		switch e.Answer {
		case LeftAlone:
			return e.URL + ": left to the network"
		case AnsweredError:
			return e.URL + ": Answered with an error"
		}
		return e.URL + ": Answered from " + e.Source.String()
	case EventNetwork:
		if e.Method != "GET" {
			return e.Method + " " + e.URL
		}
		return e.URL
	case EventStored:
		return e.URL + " in " + e.Cache
	case EventRemoved:
		if e.URL == "" {
			return "the cache " + e.Cache
		}
		return e.URL + " from " + e.Cache
	case EventWorkerState:
		return string(e.State)
	case EventMessage:
		if e.Received {
			return "from " + e.URL + ": " + e.Text
		}
		return "to " + e.URL + ": " + e.Text
	case EventPage:
		switch e.Page {
		case PageFocused:
			return "brought to the front"
		case PageNavigated:
			return "sent to " + e.URL
		case WindowOpened:
			return "a window is opened at " + e.URL
		case PageReloaded:
			return "loads itself anew, since another worker has taken over"
		case PageHears:
			return "hears of a worker (" + e.Text + ")"
		}
	}
	return e.Text
}

// Answered says of an answer whether the worker gave one with content.
func (e Event) Answered() bool { return e.Kind == EventAnswer && e.Answer == Answered }

// Answer is what a fetch event came to (Service Workers, "Handle Fetch").
type Answer uint8

const (
	LeftAlone     Answer = iota // nobody called respondWith
	AnsweredError               // with a network error
	Answered                    // with a response
)
