package useragent

import (
	"encoding/json"

	"tachyform/internal/page"
)

// ran keeps in mind what a script that a page has run will do later.
func (c *client) ran(b *Browser, s *page.Script) {
	c.reads(b, s)
	c.made, c.changed = append(c.made, s.Made...), append(c.changed, s.Changed...)
	c.tells = append(c.tells, s.Tells...)
	c.reloads = c.reloads || s.Reloads && (c.had || !s.GuardedReload)
}

// takes puts a client under a worker (Service Workers, "Notify Controller Change").
func (b *Browser) takes(c *client, w *Worker) {
	if c.controller == w || c.opaque {
		return
	}
	c.controller = w
	b.clock.after(0, func() {
		if c.closed || c.controller != w {
			return
		}
		later := c.onChange
		c.onChange = nil
		for _, ref := range later {
			b.load(c, ref, 1)
		}
		if c.reloads && c.tab != nil && c.tab.client == c {
			b.happen("page", "loads itself anew, since another worker has taken over", w)
			b.begin(c.url, c.tab, "", func() {})
		}
	})
}

// tell gives a waiting worker the messages that the pages in its scope have for it.
func (b *Browser) tell(g *Registration) {
	w := g.Waiting
	if w == nil {
		return
	}
	for _, c := range b.clients {
		if c.closed || len(c.tells) == 0 || b.matchRegistration(c.url) != g {
			continue
		}
		for _, text := range c.tells {
			var data any
			if json.Unmarshal([]byte(text), &data) != nil {
				continue
			}
			b.clock.after(0, func() {
				if g.Waiting != w {
					return
				}
				b.happen("message", "from "+c.url+": "+text, w)
				b.running(w, func(r *realm, err error) {
					if err == nil {
						r.event("message", map[string]any{"data": data, "source": c.info()}, nil, nil)
					}
				})
			})
		}
	}
}
