package serviceworker

import "slices"

// KeptClients says what a kind of browser does with clients whose documents it keeps as they are for going back (HTML,
// 7.4.6.2: "salvageable"), when workers change. The standard leaves that open; docs/conformance.md tells what real ones
// were seen to do.
type KeptClients int

// What may become of them.
const (
	// KeptClientsGiveWay hold nothing back. They are let go of once another worker takes over or claims them, one has a message
	// for them, or their registration is gone, as in Chromium.
	KeptClientsGiveWay KeptClients = iota
	// KeptClientsCount hold a waiting worker back as those do that are shown, and go on with the next one. They are let go of
	// when they are claimed or have a message, or when their registration is taken away, as in Firefox.
	KeptClientsCount
	// KeptClientsStay hold nothing back and stay with the worker that they had, as in WebKit.
	KeptClientsStay
)

// KeepClient takes a client out of those that workers see, since its document is kept for going back. One that they did not
// see stays unseen.
func (s *Container) KeepClient(c *Client) {
	if !slices.Contains(s.clients, c) {
		return
	}
	s.clients = without(s.clients, c)
	s.kept = append(s.kept, c)
	if c.Controller != nil && s.KeptClients != KeptClientsCount {
		s.clientGone(c.Controller.Registration)
	}
}

// ReturnClient makes a kept client one that workers see again.
func (s *Container) ReturnClient(c *Client) {
	if !slices.Contains(s.kept, c) {
		return
	}
	s.kept = without(s.kept, c)
	s.clients = append(s.clients, c)
}

func without(list []*Client, c *Client) []*Client {
	return slices.DeleteFunc(slices.Clone(list), func(other *Client) bool { return other == c })
}

// clientGone is what comes of a registration that a client uses no more: it may go, or its next worker come.
func (s *Container) clientGone(g *Registration) {
	s.clock().After(0, func() {
		g.tryClearRegistration()
		if !g.gone {
			g.TryActivate()
		}
	})
}

// keptUnder lists the kept clients that a registration controls.
func (g *Registration) keptUnder() (list []*Client) {
	for _, c := range g.container.kept {
		if c.Controller != nil && c.Controller.Registration == g {
			list = append(list, c)
		}
	}
	return list
}

func (g *Registration) letGoOfKept() {
	for _, c := range g.keptUnder() {
		c.Window.LetGo()
	}
}

// takeOverKept is what the kept clients of a registration come to when a worker becomes its active one.
func (g *Registration) takeOverKept(w *Worker) {
	switch g.container.KeptClients {
	case KeptClientsGiveWay:
		g.letGoOfKept()
	case KeptClientsCount:
		for _, c := range g.keptUnder() {
			c.Controller = w
		}
	}
}

// claimKept is what kept clients come to that an active worker claims.
func (w *Worker) claimKept() {
	s := w.Registration.container
	if s.KeptClients == KeptClientsStay {
		return
	}
	for _, c := range slices.Clone(s.kept) {
		if c.Controller != w && !c.Opaque && s.MatchServiceWorkerRegistration(c.URL) == w.Registration {
			c.Window.LetGo()
		}
	}
}

// MessageForKept is what a kept client comes to that a worker has a message for; the message is lost.
func (s *Container) MessageForKept(id string) {
	for _, c := range slices.Clone(s.kept) {
		if c.IDText() == id && s.KeptClients != KeptClientsStay {
			c.Window.LetGo()
		}
	}
}
