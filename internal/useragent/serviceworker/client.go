package serviceworker

import (
	"fmt"
	"slices"

	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/structured"
	"tachyform/internal/weburl"
)

// Client is an open page, or a frame in one, as service workers know it (Service Workers, 2.3).
type Client struct {
	ID int
	// URL is the address of its document.
	URL string
	// Frame tells a frame from a page in a tab.
	Frame bool
	// Worker tells a dedicated or shared worker from a document, Shared the one from the other.
	Worker, Shared bool
	// Opaque is a document kept apart from its own origin, which no worker controls.
	Opaque bool
	// Controller is the worker that answers its requests, nil for none.
	Controller *Worker
	// Previous is the client that its tab showed before.
	Previous *Client
	Closed   bool
	// Window is the page itself, nil for a request without one.
	Window Window
}

// Window is what a client is made of, as far as workers have to do with it.
type Window interface {
	// ControllerChanged tells the page that another worker controls it now (the event controllerchange).
	ControllerChanged(w *Worker)
	// PostMessage gives the page a message of a worker.
	PostMessage(from *Worker, m Message)
	// WorkerChanged tells the page that a worker is in another state, RegistrationChanged that a registration has another worker;
	// found says that a new one is being installed.
	WorkerChanged(w *WorkerView)
	RegistrationChanged(g RegistrationView, found bool)
	// LetGo ends a page whose document is kept for going back.
	LetGo()
}

// WorkerOptions are what a dedicated or shared worker is made with (HTML, 10.2.6.3).
type WorkerOptions struct {
	Name string `json:"name"`
	// Type is classic or module, Credentials the mode of a module's requests.
	Type        string `json:"type"`
	Credentials string `json:"credentials"`
	// Shared is one that the documents of an origin share.
	Shared bool `json:"shared"`
}

// Message is a message between realms: a serialized value, and what was transferred with it.
type Message struct {
	structured.Value
	Moved []Moved
}

// Moved is what was transferred: a buffer, or a port by the number of its end.
type Moved struct {
	Buffer site.Body
	Name   string
	Port   int
}

// observer is a realm that hears of workers and registrations.
type observer interface {
	WorkerChanged(w *WorkerView)
	RegistrationChanged(g RegistrationView, found bool)
}

// tell tells every page of the registration's origin something, and the workers of the registration that run, all but
// one.
func (g *Registration) tell(but *Worker, say func(observer)) {
	s := g.container
	for _, w := range []*Worker{g.Installing, g.Waiting, g.Active} {
		if w == nil || w == but || w.global == nil {
			continue
		}
		global := w.global
		s.clock().After(0, func() {
			if w.global == global && global.Alive() {
				say(global)
			}
		})
	}
	origin := weburl.OriginOf(g.Scope)
	for _, c := range slices.Concat(s.clients, s.kept) {
		if c.Window != nil && weburl.OriginOf(c.URL) == origin {
			s.clock().After(0, func() {
				if !c.Closed {
					say(c.Window)
				}
			})
		}
	}
}

// PostMessage gives a worker a message of a page (Service Workers, 3.1.4).
func (w *Worker) PostMessage(m Message, from *Client) {
	s := w.Registration.container
	s.clock().After(0, func() {
		s.Account.Record(account.Event{Worker: w.ID, Kind: account.EventMessage, Received: true, URL: from.URL, Text: string(m.Tree)})
		w.runServiceWorker(func(global Global, err error) {
			if err == nil {
				global.DispatchSerialized(m, from)
			}
		})
	})
}

// PostMessageFrom gives a worker a message of another worker, or of itself.
func (w *Worker) PostMessageFrom(m Message, from *Worker) {
	s := w.Registration.container
	s.clock().After(0, func() {
		w.runServiceWorker(func(global Global, err error) {
			if err == nil {
				global.DispatchFromWorker(m, from)
			}
		})
	})
}

func idText(n int) string { return fmt.Sprintf("client-%d", n) }

// IDText is how scripts read the client's id.
func (c *Client) IDText() string { return idText(c.ID) }

// Clients lists the open clients, in the order in which they came.
func (s *Container) Clients() []*Client { return s.clients }

// AddClient takes in a client whose document is there.
func (s *Container) AddClient(c *Client) { s.clients = append(s.clients, c) }

// Client gives the open client with an id, nil for none.
func (s *Container) Client(id string) *Client {
	for _, c := range s.clients {
		if c.IDText() == id {
			return c
		}
	}
	return nil
}

// ClientsOf lists the clients that a worker sees (Service Workers, 4.3.2, "matchAll").
func (w *Worker) ClientsOf(includeUncontrolled bool) (list []*Client) {
	for _, c := range w.Registration.container.clients {
		if c.Controller == w || includeUncontrolled && weburl.OriginOf(c.URL) == weburl.OriginOf(w.Registration.Scope) {
			list = append(list, c)
		}
	}
	return list
}

// Claim puts the pages in its scope under an active worker (Service Workers, 4.3.4, "claim").
func (w *Worker) Claim() {
	s := w.Registration.container
	for _, c := range s.clients {
		if s.MatchServiceWorkerRegistration(c.URL) == w.Registration {
			c.NotifyControllerChange(w)
		}
	}
	w.claimKept()
}

// NotifyControllerChange puts a client under a worker (Service Workers, "Notify Controller Change").
func (c *Client) NotifyControllerChange(w *Worker) {
	if c.Controller == w || c.Opaque {
		return
	}
	c.Controller = w
	w.Registration.container.clock().After(0, func() {
		if !c.Closed && c.Controller == w && c.Window != nil {
			c.Window.ControllerChanged(w)
		}
	})
}

// HandleServiceWorkerClientUnload closes a client; without it a worker may go, or another come (Service Workers,
// "Handle Service Worker Client Unload").
func (s *Container) HandleServiceWorkerClientUnload(c *Client) {
	if c == nil || c.Closed {
		return
	}
	c.Closed = true
	s.clients, s.kept = without(s.clients, c), without(s.kept, c)
	if c.Controller == nil {
		return
	}
	g := c.Controller.Registration
	c.Controller = nil
	s.clientGone(g)
}
