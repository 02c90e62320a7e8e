// Package serviceworker is the life of service workers as the standard has it: registrations, the jobs that install
// workers, the clients that they control, and how they come to answer requests. What a worker's scripts find is for
// others to say: see Global.
package serviceworker

import (
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/storage"
)

// Global is the global object of a running worker, with its scripts.
type Global interface {
	// Dispatch gives the worker an event; done, which may be nil, is told once the worker has finished with it.
	Dispatch(event string, init map[string]any, done func(ok bool))
	// DispatchFetch gives it a fetch event. respond is called once: with a nil response where the worker leaves the
	// request alone, or answers with a network error.
	DispatchFetch(e FetchEvent, respond func(*fetch.Response, account.Answer))
	// DispatchSerialized gives it one that a page's script has sent.
	DispatchSerialized(m Message, from *Client)
	// DispatchFromWorker gives it one that a worker has sent.
	DispatchFromWorker(m Message, from *Worker)
	// EventTypes lists the events that the worker has listeners for.
	EventTypes() []string
	// It hears of its own state, and of what becomes of its registration.
	observer
	// Alive says whether its scripts may still run, Busy whether events are open.
	Alive() bool
	Busy() bool
	// Finish lets go of every event that is open, as the end of a worker does; Close gives back what the global holds.
	Finish()
	Close()
}

// FetchEvent is what a fetch event is made with (Service Workers, 4.6).
type FetchEvent struct {
	Request *fetch.Request
	// Client asks, Resulting is the one that comes of it; "" for none.
	Client, Resulting string
	// Preload says that the network is asked for the page at the same time.
	Preload bool
}

// Windows opens pages for workers.
type Windows interface {
	// Navigate sends a client's page elsewhere, and tells done of the client that comes of it. It reports false for what
	// is no page in a tab.
	Navigate(c *Client, url string, done func(*Client, fetch.Failure)) bool
	// OpenWindow opens a page in a tab of its own.
	OpenWindow(url string, done func(*Client, fetch.Failure))
}

// Container holds the registrations of a profile with their workers, and the clients that workers know.
// The first fields are what it is made with, the others the state that the standard keeps for a user agent.
type Container struct {
	Fetcher *fetch.Fetcher
	Store   *storage.Storage
	Account *account.Account
	// Start makes the global of a worker and runs its script in it. The error is what the script threw, in words.
	Start func(*Worker) (Global, error)
	// Windows opens pages.
	Windows Windows
	// ClassicOnly is a browser without module workers.
	ClassicOnly bool
	// KeptClients says what becomes of clients whose documents are kept for going back.
	KeptClients KeptClients
	// Checks counts the requests by which the browser itself looked for new versions of workers.
	Checks int

	registrations []*Registration
	workers       []*Worker
	clients       []*Client
	kept          []*Client // whose documents are kept for going back
	closing       []Global
	failures      []*Worker
	queue         map[string][]*job // by scope
	nextID        int
	nextWorker    int                 // numbers the versions of workers in the order in which they are met
	registered    map[string][]string // scripts that pages registered, by scope
	onActive      []func()            // wait for the next worker that has become active
}

func (s *Container) clock() *clock.Clock { return s.Fetcher.Clock }

// NewID gives a number that no client or registration has yet.
func (s *Container) NewID() int {
	s.nextID++
	return s.nextID
}

// Branch copies the registrations into next, whose workers start again when they are needed.
func (s *Container) Branch(next *Container) {
	next.nextID, next.nextWorker, next.ClassicOnly, next.KeptClients = s.nextID, s.nextWorker, s.ClassicOnly, s.KeptClients
	for _, g := range s.registrations {
		c := *g
		c.container, c.Messages, c.checkLater = next, g.Messages.branch(), nil
		for _, slot := range []**Worker{&c.Installing, &c.Waiting, &c.Active} {
			if *slot != nil {
				w := **slot
				w.Registration, w.global, w.waiters = &c, nil, nil
				if w.Original == nil {
					w.Original = *slot
				}
				*slot = &w
				next.workers = append(next.workers, &w)
			}
		}
		// A worker that was being installed does not survive the end of the browser.
		c.Installing = nil
		next.registrations = append(next.registrations, &c)
	}
}

// Close ends every worker.
func (s *Container) Close() {
	for _, w := range s.workers {
		if w.global != nil {
			w.global.Close()
		}
	}
	for _, g := range s.closing {
		g.Close()
	}
}

// StopWorkers ends the running workers that nothing installs or activates, as browsers do with idle ones.
func (s *Container) StopWorkers() {
	for _, w := range s.workers {
		if w.State == account.Activated || w.State == account.Installed {
			w.terminateServiceWorker()
		}
	}
	s.clock().Settle(0, 0)
}

// Failures lists the workers that could not be installed, oldest first.
func (s *Container) Failures() []*Worker { return s.failures }

// OnActive calls f once the next worker has become active.
func (s *Container) OnActive(f func()) { s.onActive = append(s.onActive, f) }
