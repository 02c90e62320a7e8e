package useragent

import (
	"encoding/json"

	"tachyform/internal/page"
)

// noteScript keeps in mind what a script that a page has run will do later.
func (c *client) noteScript(b *Browser, s *page.Script) {
	c.noteRequests(b, s)
	c.addedElements, c.changedAttributes = append(c.addedElements, s.Made...), append(c.changedAttributes, s.Changed...)
	c.workerMessages = append(c.workerMessages, s.Tells...)
	c.reloads = c.reloads || s.Reloads && (c.controlledAtLoad || !s.GuardedReload)
}

// notifyControllerChange puts a client under a worker (Service Workers, "Notify Controller Change").
func (b *Browser) notifyControllerChange(c *client, w *Worker) {
	if c.controller == w || c.opaque {
		return
	}
	c.controller = w
	b.clock.After(0, func() {
		if c.closed || c.controller != w {
			return
		}
		later := c.onControllerChange
		c.onControllerChange = nil
		for _, ref := range later {
			b.load(c, ref, 1)
		}
		if c.reloads && c.tab != nil && c.tab.client == c {
			b.record(w, Event{Kind: EventPage, Page: PageReloaded, URL: c.url})
			b.startNavigation(c.url, c.tab, "", func() {})
		}
	})
}

// deliverToWaiting gives a waiting worker the messages that the pages in its scope have for it.
func (b *Browser) deliverToWaiting(g *Registration) {
	w := g.Waiting
	if w == nil {
		return
	}
	for _, c := range b.clients {
		if c.closed || len(c.workerMessages) == 0 || b.matchServiceWorkerRegistration(c.url) != g {
			continue
		}
		for _, text := range c.workerMessages {
			var data any
			if json.Unmarshal([]byte(text), &data) != nil {
				continue
			}
			b.clock.After(0, func() {
				if g.Waiting != w {
					return
				}
				b.record(w, Event{Kind: EventMessage, Received: true, URL: c.url, Text: text})
				b.runServiceWorker(w, func(r *realm, err error) {
					if err == nil {
						r.event("message", map[string]any{"data": data, "source": c.info()}, nil, nil)
					}
				})
			})
		}
	}
}
