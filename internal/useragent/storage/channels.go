package storage

import (
	"slices"

	"tachyform/internal/useragent/structured"
)

// Channels are the broadcast channels of an origin (HTML, 9.5).
type Channels struct {
	// Schedule runs something in a task of its own.
	Schedule func(func())

	open []*Channel
}

// Channel is one end of a channel.
type Channel struct {
	Name string
	// Deliver gives it a message.
	Deliver func(structured.Value)
}

// Open takes in another end.
func (c *Channels) Open(end *Channel) { c.open = append(c.open, end) }

// Close takes an end away.
func (c *Channels) Close(end *Channel) {
	c.open = slices.DeleteFunc(slices.Clone(c.open), func(o *Channel) bool { return o == end })
}

// Post gives a message to all other ends of the same name, each in a task of its own.
func (c *Channels) Post(from *Channel, message structured.Value) {
	for _, end := range c.open {
		if end == from || end.Name != from.Name {
			continue
		}
		c.Schedule(func() {
			if slices.Contains(c.open, end) {
				end.Deliver(message)
			}
		})
	}
}
