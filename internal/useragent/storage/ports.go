package storage

// PortMessage is what goes through a port; who posts and who binds know what it is.
type PortMessage any

// Ports join the ends of message ports that lie in different realms.
type Ports struct {
	// Schedule runs something in a task of its own.
	Schedule func(func())

	last int
	ends map[int]*portEnd
}

type portEnd struct {
	other   int
	deliver func(PortMessage)
	waiting []PortMessage // until somebody binds it
}

// Open makes two ends that are joined, and gives their numbers.
func (p *Ports) Open() (a, b int) {
	if p.ends == nil {
		p.ends = map[int]*portEnd{}
	}
	a, b = p.last+1, p.last+2
	p.last += 2
	p.ends[a], p.ends[b] = &portEnd{other: b}, &portEnd{other: a}
	return a, b
}

// Bind says where the messages for an end go from now on; those that have come already follow.
func (p *Ports) Bind(id int, deliver func(PortMessage)) {
	end := p.ends[id]
	if end == nil {
		return
	}
	end.deliver = deliver
	for _, m := range end.waiting {
		p.Schedule(func() { end.deliver(m) })
	}
	end.waiting = nil
}

// Post sends a message from an end to the other.
func (p *Ports) Post(id int, m PortMessage) {
	end := p.ends[id]
	if end == nil {
		return
	}
	to := p.ends[end.other]
	if to.deliver == nil {
		to.waiting = append(to.waiting, m)
		return
	}
	p.Schedule(func() { to.deliver(m) })
}
