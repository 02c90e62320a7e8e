package cli

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"runtime"
	"sync"
	"time"

	"tachyform/internal/driver"
	"tachyform/internal/serve"
	"tachyform/internal/worker"
)

// shownBrowser is the real browser of serve --browser. It implements serve.Browser with the state of its first tab.
type shownBrowser struct {
	name    string // with its version
	browser driver.Browser
	origin  string
	found   func() // called when the state has changed

	// operation is held during operations on the tab, which may take a minute. mu is held only for the fields below it.
	operation sync.Mutex
	tab       driver.Tab

	mu      sync.Mutex
	state   *serve.Inspection
	encoded string
	console []string // the latest lines of workers
}

// hasScreen reports whether a browser can open a window.
func hasScreen() bool {
	return runtime.GOOS == "darwin" || runtime.GOOS == "windows" || os.Getenv("DISPLAY") != "" || os.Getenv("WAYLAND_DISPLAY") != ""
}

// showBrowser starts the browser at a URL and keeps its state up to date until the context ends.
func showBrowser(ctx context.Context, with realBrowser, origin, path string, found func()) (*shownBrowser, error) {
	b, err := with.start(ctx)
	if err != nil {
		return nil, err
	}
	s := &shownBrowser{name: with.called(b), browser: b, origin: origin, found: found}
	if s.tab, err = b.NewTab(); err == nil {
		err = s.tab.Load(origin + path)
	}
	if err != nil {
		b.Close()
		return nil, with.failed(ctx, err)
	}
	if c, can := b.(driver.Console); can {
		go c.Console(ctx, s.hear)
	}
	go func() {
		for {
			s.look()
			select {
			case <-ctx.Done():
				return
			case <-time.After(time.Second):
			}
		}
	}()
	return s, nil
}

// mostConsole is the number of lines of the console that are shown.
const mostConsole = 50

// hear adds a line of a worker's console. It is called while the browser reads messages, so it does not wait for operations.
func (s *shownBrowser) hear(line string) {
	s.mu.Lock()
	if s.console = append(s.console, line); len(s.console) > mostConsole {
		s.console = s.console[1:]
	}
	s.mu.Unlock()
	s.found()
}

//go:embed inspect.js
var inspectScript string

// look reads the state of the tab. While the tab shows no page of the site, the state stays.
func (s *shownBrowser) look() {
	s.operation.Lock()
	text, err := s.tab.Evaluate(fmt.Sprintf("Promise.resolve((%s)(%q, %d))", inspectScript, s.origin, serve.MostCacheEntries))
	s.operation.Unlock()
	changed := false
	s.mu.Lock()
	if state := new(serve.Inspection); err == nil && text != s.encoded && json.Unmarshal([]byte(text), state) == nil && state.Workers != nil {
		state.Source = s.name
		for i := range state.Caches {
			state.Caches[i].Name = worker.WithoutStamp(state.Caches[i].Name)
		}
		s.state, s.encoded, changed = state, text, true
	}
	s.mu.Unlock()
	if changed {
		s.found()
	}
}

// Inspect implements serve.Browser.
func (s *shownBrowser) Inspect() (*serve.Inspection, bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.state == nil {
		return nil, false
	}
	state := *s.state
	state.Console = append([]string{}, s.console...)
	return &state, true
}

// Deliver implements serve.Browser.
func (s *shownBrowser) Deliver(event, text string) ([]string, error) {
	s.operation.Lock()
	defer s.operation.Unlock()
	if event == "message" {
		data, _ := json.Marshal(text)
		if json.Valid([]byte(text)) {
			data = []byte(text)
		}
		answer, err := s.tab.Evaluate("navigator.serviceWorker.getRegistration().then((r) => r?.active ? (r.active.postMessage(" + string(data) + "), 'Sent.') : 'There is no active worker.')")
		return []string{answer}, err
	}
	d, can := s.browser.(driver.Deliverer)
	if !can {
		return nil, errors.New("this browser has no command for a " + event + " event; chromium has one")
	}
	if err := d.Deliver(s.tab, s.origin, event, text); err != nil {
		return nil, err
	}
	return []string{"Sent."}, nil
}
