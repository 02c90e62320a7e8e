package document

import (
	"slices"

	"tachyform/internal/useragent/serviceworker"
)

// sharedWorker is a worker that the documents of an origin share, and what it is found by (HTML, 10.2.6.4).
type sharedWorker struct {
	*worker
	origin string // of who made it
	serviceworker.WorkerOptions
}

// connection is a SharedWorker object of a window, by its number in that.
type connection struct {
	from *window
	id   int
}

// ConnectWorker connects a shared worker to the window that made a SharedWorker object, and starts it first where
// there is none of that address and name. m carries the port that the worker gets.
func (p *Page) ConnectWorker(id int, url string, o serviceworker.WorkerOptions, m serviceworker.Message) {
	c, w := p.c, p.c.in
	conn := connection{c, id}
	i := slices.IndexFunc(w.shared, func(s *sharedWorker) bool {
		return !s.Closed && s.origin == c.origin() && s.URL == url && s.Name == o.Name
	})
	if i >= 0 {
		to := w.shared[i]
		if to.Type != o.Type || to.Credentials != o.Credentials {
			w.clock().After(0, func() { conn.failed() })
			return
		}
		to.connections = append(to.connections, conn)
		to.receive(m)
		return
	}
	inner := c.newWorker(url)
	if inner == nil {
		return
	}
	inner.Shared, inner.connections = true, []connection{conn}
	w.shared = append(w.shared, &sharedWorker{inner, c.origin(), o})
	inner.receive(m)
	inner.run(o)
}

// failed fires error at a SharedWorker object.
func (n connection) failed() { n.from.command("sharedFailed", n.id) }

// sharedFailed tells all that a shared worker's script can't be had. It is as if there had been none.
func (w *Windows) sharedFailed(c *worker) {
	for _, n := range c.connections {
		n.failed()
	}
	c.terminate()
}

// disconnect takes a window that ends from the shared workers that it is connected to; one with no window left ends.
func (w *Windows) disconnect(c *window) {
	w.shared = slices.DeleteFunc(w.shared, func(s *sharedWorker) bool { return s.Closed })
	for _, s := range w.shared {
		s.connections = slices.DeleteFunc(s.connections, func(n connection) bool { return n.from == c })
		switch {
		case len(s.connections) == 0:
			s.terminate()
		case s.holds == c || s.parent.Closed:
			s.holds = s.connections[0].from
			s.parent = s.holds.top()
			s.parent.realms++
		}
	}
}
