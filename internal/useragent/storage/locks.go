package storage

import "slices"

// Locks are those of an origin (Web Locks API): requests for one name are granted in their order, shared ones together.
type Locks struct {
	// Schedule runs something in a task of its own.
	Schedule func(func())

	held, queue []*Lock
	stolen      []func() // who is to hear of it, once the thief has
}

// Lock is a lock that is held or asked for.
type Lock struct {
	Name   string
	Shared bool
	// IfAvailable asks for it only where it can be had at once.
	IfAvailable bool
	// Steal takes it from who holds it; Stolen tells these in a task of its own.
	Steal  bool
	Stolen func()
	// Granted is told in a task of its own whether it was granted; false only with IfAvailable.
	Granted func(bool)
	// Wanted is told in a task of its own that another request waits for it.
	Wanted func()
}

// Request asks for a lock ("request a lock").
func (l *Locks) Request(r *Lock) {
	if r.Steal {
		l.held = slices.DeleteFunc(l.held, func(o *Lock) bool {
			taken := o.Name == r.Name
			if taken && o.Stolen != nil {
				l.stolen = append(l.stolen, o.Stolen)
			}
			return taken
		})
		l.queue = slices.Insert(l.queue, 0, r)
	} else {
		l.queue = append(l.queue, r)
	}
	l.Schedule(l.process)
}

// Release gives a lock back ("release the lock"), or takes back a request for one ("abort the request").
func (l *Locks) Release(r *Lock) {
	is := func(o *Lock) bool { return o == r }
	l.held, l.queue = slices.DeleteFunc(l.held, is), slices.DeleteFunc(l.queue, is)
	l.Schedule(l.process)
}

// Query lists what is held and what is asked for.
func (l *Locks) Query() (held, pending []*Lock) { return l.held, l.queue }

// process is "process a lock request queue", for all names.
func (l *Locks) process() {
	var left []*Lock
	for _, r := range l.queue {
		against := func(o *Lock) bool { return o.Name == r.Name && !(o.Shared && r.Shared) }
		ahead := slices.ContainsFunc(left, func(o *Lock) bool { return o.Name == r.Name })
		switch {
		case !ahead && !slices.ContainsFunc(l.held, against):
			l.held = append(l.held, r)
			l.Schedule(func() { r.Granted(true) })
		case r.IfAvailable:
			l.Schedule(func() { r.Granted(false) })
		default:
			left = append(left, r)
			for _, o := range l.held {
				if against(o) && o.Wanted != nil {
					l.Schedule(o.Wanted)
				}
			}
		}
	}
	l.queue = left
	for _, tell := range l.stolen {
		l.Schedule(tell)
	}
	l.stolen = nil
}
