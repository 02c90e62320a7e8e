package storage

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform/internal/useragent/structured"
)

// tasks collects what is scheduled; run carries it out, also what that schedules.
func tasks() (schedule func(func()), run func()) {
	var list []func()
	return func(f func()) { list = append(list, f) }, func() {
		for len(list) > 0 {
			next := list[0]
			list = list[1:]
			next()
		}
	}
}

// Locks are granted in their order, shared ones together; what can't be had at once is refused where that was asked.
func TestLocks(t *testing.T) {
	schedule, run := tasks()
	l := &Locks{Schedule: schedule}
	var told []string
	ask := func(name string, shared, available bool) *Lock {
		lock := &Lock{Name: name, Shared: shared, IfAvailable: available}
		label := string(rune('a' + len(l.held) + len(l.queue)))
		lock.Granted = func(yes bool) {
			if !yes {
				label += " refused"
			}
			told = append(told, label)
		}
		l.Request(lock)
		return lock
	}
	first := ask("pier", false, false)   // a
	second := ask("pier", true, false)   // b
	third := ask("pier", true, false)    // c
	waiting := ask("pier", false, false) // d
	ask("mole", false, false)            // e
	run()
	assert.Equal(t, []string{"a", "e"}, told)
	ask("pier", true, true) // f: others wait already
	run()
	assert.Equal(t, "f refused", told[2])
	l.Release(first)
	run()
	assert.Equal(t, []string{"b", "c"}, told[3:])
	l.Release(waiting) // taken back before it was granted
	l.Release(second)
	run()
	held, pending := l.Query()
	assert.Len(t, held, 2)
	assert.Empty(t, pending)
	l.Release(third)
	ask("pier", false, true)
	run()
	assert.Len(t, told, 6)
	assert.NotContains(t, told[5], "refused")
}

// A message reaches all other ends of its channel that are open when its task comes.
func TestChannels(t *testing.T) {
	schedule, run := tasks()
	c := &Channels{Schedule: schedule}
	var heard []string
	end := func(name, label string) *Channel {
		e := &Channel{Name: name, Deliver: func(v structured.Value) { heard = append(heard, label+string(v.Tree)) }}
		c.Open(e)
		return e
	}
	one, two := end("tides", "one"), end("tides", "two")
	end("tides", "three")
	end("piers", "elsewhere")
	c.Post(one, structured.Value{Tree: json.RawMessage("1")})
	c.Close(two)
	run()
	assert.Equal(t, []string{"three1"}, heard)
}
