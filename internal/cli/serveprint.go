package cli

import (
	"fmt"
	"io"
	"sync"
	"time"
)

// printer writes lines in the background, so that a terminal that does not accept output does not delay responses. It drops lines if
// too many are waiting.
type printer struct {
	queue   chan string
	done    chan struct{}
	mu      sync.Mutex
	dropped int
	closed  bool
}

// mostWaiting is the number of texts that wait for output.
const mostWaiting = 1000

// flushTakes is how long close waits for the output.
const flushTakes = time.Second

func newPrinter(to io.Writer) *printer {
	p := &printer{queue: make(chan string, mostWaiting), done: make(chan struct{})}
	go func() {
		defer close(p.done)
		for text := range p.queue {
			if _, err := io.WriteString(to, text); err != nil {
				continue
			}
			p.mu.Lock()
			dropped := p.dropped
			p.dropped = 0
			p.mu.Unlock()
			if dropped > 0 {
				fmt.Fprintf(to, "(%d lines left out)\n", dropped)
			}
		}
	}()
	return p
}

// print queues a text. It is safe for concurrent use.
func (p *printer) print(text string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.closed {
		return
	}
	select {
	case p.queue <- text:
	default:
		p.dropped++
	}
}

// close writes what is queued, unless that takes too long.
func (p *printer) close() {
	p.mu.Lock()
	closed := p.closed
	p.closed = true
	p.mu.Unlock()
	if closed {
		return
	}
	close(p.queue)
	select {
	case <-p.done:
	case <-time.After(flushTakes):
	}
}
