package serve

import (
	"net/http"
	"strings"
	"sync"
	"time"
)

// Asker says on whose behalf a request was made, as far as its headers tell.
type Asker string

// Who that may be.
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
	// Status is 0 where the connection ended without an answer, Bytes is the length of the content that was written.
	Status int   `json:"status"`
	Bytes  int64 `json:"bytes"`
	// Done is false while it is under way.
	Done   bool  `json:"done"`
	Millis int64 `json:"ms"`
}

// mostEntries bounds how many requests are kept, mostWorkers of how many workers it is known that they are some.
const (
	mostEntries = 10_000
	mostWorkers = 100
)

// Log keeps the last requests. Its zero value is ready.
type Log struct {
	mu      sync.Mutex
	entries []*Entry
	next    int
	workers map[string]bool // paths of scripts that were asked for as workers
	drained int
	// changes counts what was added or completed; waiting is closed at the next change.
	changes int
	waiting chan struct{}
	told    func(Entry)
}

// Tell has somebody told of each request once it has ended.
func (l *Log) Tell(told func(Entry)) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.told = told
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
	l.tell()
	return e
}

// asker tells who made a request: workers name themselves as what refers to it.
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
	ended, tell := *e, l.told
	l.tell()
	l.mu.Unlock()
	if tell != nil {
		tell(ended)
	}
}

func (l *Log) tell() {
	l.changes++
	if l.waiting != nil {
		close(l.waiting)
		l.waiting = nil
	}
}

// Changes gives a number that grows with each change, and what is closed at the next one.
func (l *Log) Changes() (int, <-chan struct{}) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.waiting == nil {
		l.waiting = make(chan struct{})
	}
	return l.changes, l.waiting
}

// Touch has those go on that wait for a change.
func (l *Log) Touch() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.tell()
}

// Last gives the last requests, at most so many, oldest first.
func (l *Log) Last(most int) []Entry {
	l.mu.Lock()
	defer l.mu.Unlock()
	list := []Entry{}
	for _, e := range l.entries[max(0, len(l.entries)-most):] {
		list = append(list, *e)
	}
	return list
}

// Drain gives the requests since it was last called.
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

// Clear forgets all requests.
func (l *Log) Clear() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.entries, l.drained = nil, l.next
	l.tell()
}

// counting takes down the status and the length of an answer.
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

// Unwrap is what http.ResponseController looks for.
func (w *counting) Unwrap() http.ResponseWriter { return w.ResponseWriter }
