// Package condition describes the states of the network that a site is tried under.
package condition

import (
	"time"
)

// Condition is a state of the network.
type Condition struct {
	Name string
	// Refuses makes every connection fail at once; Stalls accepts and never answers.
	Refuses, Stalls bool
	Latency         time.Duration
	// BytesPerSecond is the rate of transfer, 0 for no limit.
	BytesPerSecond int64
	// Fails is the share of requests, from 0 to 1, that fail; which ones is seeded by their order and address.
	Fails float64
}

// The conditions of a rehearsal.
var (
	Online  = Condition{Name: "online", Latency: 20 * time.Millisecond, BytesPerSecond: 10 << 20}
	Offline = Condition{Name: "offline", Refuses: true}
	Stalled = Condition{Name: "stalled", Stalls: true}
	Slow    = Condition{Name: "slow", Latency: 400 * time.Millisecond, BytesPerSecond: 50 << 10}
	Flaky   = Condition{Name: "flaky", Latency: 100 * time.Millisecond, BytesPerSecond: 200 << 10, Fails: 0.3}
)

// All lists the conditions, those first that say most of a site offline.
var All = []Condition{Offline, Stalled, Slow, Flaky, Online}

// Named gives the condition of a name.
func Named(name string) (Condition, bool) {
	for _, c := range All {
		if c.Name == name {
			return c, true
		}
	}
	return Condition{}, false
}

// Names lists the names of All, in its order.
func Names() (names []string) {
	for _, c := range All {
		names = append(names, c.Name)
	}
	return names
}
