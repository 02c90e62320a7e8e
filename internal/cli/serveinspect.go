package cli

import (
	"sync"
	"time"

	"tachyform/internal/audit"
	"tachyform/internal/report"
	"tachyform/internal/serve"
)

// embeddedBrowser shows the state of the embedded user agent after the visits to the folder as it is. It implements serve.Browser.
type embeddedBrowser struct {
	*servedSite

	mu      sync.Mutex
	state   *serve.Inspection
	of      inspected // what state is of
	working bool
	checked time.Time
	now     inspected
}

// inspected identifies a state of the folders.
type inspected struct {
	next  bool
	files uint64
}

// current returns the state of the folder that is served. mu is held.
func (e *embeddedBrowser) current() inspected {
	next := e.deployed()
	if time.Since(e.checked) > time.Second || e.now.next != next {
		e.checked, e.now = time.Now(), inspected{next, e.fingerprint(next)}
	}
	return e.now
}

// Inspect implements serve.Browser.
func (e *embeddedBrowser) Inspect() (*serve.Inspection, bool) {
	e.mu.Lock()
	defer e.mu.Unlock()
	now := e.current()
	if e.state != nil && e.of == now {
		return e.state, true
	}
	if !e.working {
		e.working = true
		go func() {
			state := &serve.Inspection{Source: "embedded user agent", Embedded: true}
			if in, origin, err := e.run(now.next, "", ""); err == nil {
				state = report.Inspected(in, origin)
			} else {
				state.Console = []string{"unknown: " + err.Error()}
			}
			e.mu.Lock()
			e.state, e.of, e.working = state, now, false
			e.mu.Unlock()
			e.found()
		}()
	}
	return e.state, e.state != nil
}

// Deliver implements serve.Browser. The event is delivered to a copy of the state, which is then discarded.
func (e *embeddedBrowser) Deliver(event, text string) ([]string, error) {
	in, _, err := e.run(e.deployed(), event, text)
	if err != nil {
		return nil, err
	}
	return report.Happened(in), nil
}

func (e *embeddedBrowser) run(next bool, event, text string) (*audit.Inspection, string, error) {
	in, err := e.input(next)
	if err != nil {
		return nil, "", err
	}
	out, err := audit.Inspect(e.ctx, in, event, text)
	return out, in.Host.Origin(), err
}
