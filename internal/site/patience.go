package site

import (
	"sync"
	"time"
)

// patience is how long all answers of a live host may take together: only time in which at least one of them is awaited counts.
type patience struct {
	mu        sync.Mutex
	left      time.Duration
	exhausted func()
	awaited   int
	since     time.Time
	timer     *time.Timer
}

// Patience bounds how long all answers together may take; exhausted is called once, when they have taken longer.
func (l *Live) Patience(all time.Duration, exhausted func()) {
	l.patience = &patience{left: all, exhausted: exhausted}
}

// await counts the time until what it gives is called.
func (p *patience) await() (came func()) {
	if p == nil {
		return func() {}
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.awaited++; p.awaited == 1 {
		p.since = time.Now()
		p.timer = time.AfterFunc(max(p.left, 0), p.exhausted)
	}
	return func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		if p.awaited--; p.awaited == 0 {
			p.timer.Stop()
			p.left -= time.Since(p.since)
		}
	}
}
