package serve

import (
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"
)

// Asker is the initiator of a request, according to its headers.
type Asker string

// Initiators.
const (
	ByPage    Asker = "page"
	ByWorker  Asker = "worker"
	ByUpdate  Asker = "update check"
	ByPreload Asker = "preload" // navigation preload
)

// Entry is a request in the list.
type Entry struct {
	ID          int       `json:"id"`
	At          time.Time `json:"at"`
	Method      string    `json:"method"`
	Path        string    `json:"path"` // with its query
	Destination string    `json:"destination"`
	By          Asker     `json:"by"`
	// Status is 0 if the connection was closed without a response. Bytes is the size of the response body.
	Status int   `json:"status"`
	Bytes  int64 `json:"bytes"`
	// Done is false while the request is pending. Millis is its duration.
	Done   bool  `json:"done"`
	Millis int64 `json:"ms"`
}

// Limits of the log.
const (
	mostEntries = 10_000
	mostWorkers = 100
)

// Log records the latest requests. The zero value is ready to use.
type Log struct {
	mu      sync.Mutex
	entries []*Entry
	next    int
	workers map[string]bool // paths of service worker scripts
	drained int
	// changes counts the changes. waiting is closed at the next one.
	changes int
	waiting chan struct{}
	onEnd   func(Entry)
}

// OnEnd sets a function that is called after each request.
func (l *Log) OnEnd(f func(Entry)) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.onEnd = f
}

func (l *Log) begin(r *http.Request) *Entry {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.next++
	e := &Entry{ID: l.next, At: time.Now(), Method: r.Method, Path: r.URL.RequestURI(), Destination: r.Header.Get("Sec-Fetch-Dest"), By: l.asker(r)}
	if e.Destination == "empty" {
		e.Destination = "data"
	}
	l.entries = append(l.entries, e)
	if len(l.entries) > mostEntries {
		l.entries = append([]*Entry(nil), l.entries[len(l.entries)-mostEntries/2:]...)
	}
	l.change()
	return e
}

// asker returns the initiator of a request. Browsers send the script of a service worker as the referrer of its requests.
func (l *Log) asker(r *http.Request) Asker {
	path := r.URL.Path
	if r.Header.Get("Service-Worker") == "script" {
		if l.workers == nil {
			l.workers = map[string]bool{}
		}
		if len(l.workers) < mostWorkers {
			l.workers[path] = true
		}
		return ByUpdate
	}
	if r.Header.Get("Service-Worker-Navigation-Preload") != "" {
		return ByPreload
	}
	if _, after, ok := strings.Cut(r.Referer(), "://"); ok {
		if i := strings.IndexByte(after, '/'); i >= 0 {
			from, _, _ := strings.Cut(after[i:], "?")
			if l.workers[from] && strings.EqualFold(after[:i], r.Host) {
				return ByWorker
			}
		}
	}
	return ByPage
}

func (l *Log) end(e *Entry, status int, bytes int64) {
	l.mu.Lock()
	e.Status, e.Bytes, e.Done, e.Millis = status, bytes, true, time.Since(e.At).Milliseconds()
	ended, onEnd := *e, l.onEnd
	l.change()
	l.mu.Unlock()
	if onEnd != nil {
		onEnd(ended)
	}
}

func (l *Log) change() {
	l.changes++
	if l.waiting != nil {
		close(l.waiting)
		l.waiting = nil
	}
}

// Changes returns the number of changes, and a channel that is closed at the next change.
func (l *Log) Changes() (int, <-chan struct{}) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.waiting == nil {
		l.waiting = make(chan struct{})
	}
	return l.changes, l.waiting
}

// Touch counts a change outside the log, so that waiting pages are updated.
func (l *Log) Touch() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.change()
}

// Last returns the latest requests, at most so many, oldest first.
func (l *Log) Last(most int) []Entry {
	l.mu.Lock()
	defer l.mu.Unlock()
	list := []Entry{}
	for _, e := range l.entries[max(0, len(l.entries)-most):] {
		list = append(list, *e)
	}
	return list
}

// Pages returns the paths of the latest page loads, at most so many, latest first, each once.
func (l *Log) Pages(most int) (pages []string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for i := len(l.entries) - 1; i >= 0 && len(pages) < most; i-- {
		e := l.entries[i]
		if e.Destination == "document" && e.Method == http.MethodGet && !slices.Contains(pages, e.Path) {
			pages = append(pages, e.Path)
		}
	}
	return pages
}

// Drain returns the requests since the previous call.
func (l *Log) Drain() (list []Entry) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, e := range l.entries {
		if e.ID > l.drained {
			list = append(list, *e)
		}
	}
	l.drained = l.next
	return list
}

// Clear removes all requests.
func (l *Log) Clear() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.entries, l.drained = nil, l.next
	l.change()
}

// counting records the status and body size of a response.
type counting struct {
	http.ResponseWriter
	status int
	bytes  int64
}

func (w *counting) WriteHeader(status int) {
	if w.status == 0 || w.status < 200 {
		w.status = status
	}
	w.ResponseWriter.WriteHeader(status)
}

func (w *counting) Write(data []byte) (int, error) {
	if w.status == 0 {
		w.status = http.StatusOK
	}
	n, err := w.ResponseWriter.Write(data)
	w.bytes += int64(n)
	return n, err
}

// Unwrap gives http.ResponseController access to the connection.
func (w *counting) Unwrap() http.ResponseWriter { return w.ResponseWriter }
