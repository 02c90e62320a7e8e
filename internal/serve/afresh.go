package serve

import (
	"crypto/rand"
	"encoding/base64"
	"io"
	"net/http"
	"strings"
	"sync"
	"time"
)

// Afresh clears what browsers store for the served origin. It creates one-time URLs on that origin; a POST to one is answered with
// Clear-Site-Data. The URLs are random because a fixed one would let any web page clear the site. The request comes from the control
// page, another origin, so the site's service worker does not intercept it.
type Afresh struct {
	mu    sync.Mutex
	valid map[string]time.Time // one-time paths with their expiry
	// retiring answers the next update check with a worker that removes itself. report is the path to which that worker sends
	// the names of the caches, "" if none is expected.
	retiring bool
	report   string
	// Cleared, if set, is called after a one-time URL was used.
	Cleared func()
	// Reported receives the names of the removed caches, one per line.
	Reported func(caches string)
}

const (
	afreshPath    = "/.tachyform-afresh/"
	validFor      = 10 * time.Second
	longestReport = 4 << 10 // bytes
)

// secret returns 32 random characters.
func secret() string {
	raw := make([]byte, 24)
	rand.Read(raw) // never fails
	return base64.RawURLEncoding.EncodeToString(raw)
}

// Address creates a one-time URL and returns its path. It expires after ten seconds.
func (a *Afresh) Address() string {
	a.mu.Lock()
	defer a.mu.Unlock()
	now := time.Now()
	for path, until := range a.valid {
		if now.After(until) {
			delete(a.valid, path)
		}
	}
	if a.valid == nil {
		a.valid = map[string]time.Time{}
	}
	path := afreshPath + secret()
	a.valid[path] = now.Add(validFor)
	return path
}

// Retire answers the next update check with a worker that removes itself and all caches, for browsers without Clear-Site-Data.
func (a *Afresh) Retire() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.retiring, a.report = true, afreshPath+"report-"+secret()
}

// Handler handles one-time URLs and retirement. It passes other requests to next.
func (a *Afresh) Handler(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Service-Worker") == "script" {
			if report, retiring := a.takeRetirement(); retiring {
				w.Header().Set("Content-Type", "text/javascript")
				w.Header().Set("Cache-Control", "no-store")
				io.WriteString(w, strings.ReplaceAll(retiringWorker, "REPORT", report))
				return
			}
		}
		switch path := r.URL.Path; {
		case !strings.HasPrefix(path, afreshPath):
			next.ServeHTTP(w, r)
		case r.Method == http.MethodPost && a.takeReport(path):
			names, _ := io.ReadAll(io.LimitReader(r.Body, longestReport))
			if a.Reported != nil {
				a.Reported(string(names))
			}
			w.WriteHeader(http.StatusNoContent)
		case r.Method == http.MethodPost && a.takeAddress(path):
			w.Header().Set("Clear-Site-Data", `"cache", "cookies", "storage"`)
			w.WriteHeader(http.StatusNoContent)
			if a.Cleared != nil {
				a.Cleared()
			}
		default:
			http.NotFound(w, r)
		}
	})
}

func (a *Afresh) takeAddress(path string) (valid bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	until, known := a.valid[path]
	delete(a.valid, path)
	return known && time.Now().Before(until)
}

func (a *Afresh) takeRetirement() (report string, retiring bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	retiring, a.retiring = a.retiring, false
	return a.report, retiring
}

func (a *Afresh) takeReport(path string) (expected bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if expected = path == a.report; expected {
		a.report = ""
	}
	return expected
}

// retiringWorker is the source of a service worker that removes itself and all caches, and then reports the names of the caches.
const retiringWorker = `self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil((async () => {
  const names = await caches.keys();
  await Promise.all(names.map((name) => caches.delete(name)));
  await self.registration.unregister();
  await fetch('REPORT', { method: 'POST', body: names.join('\n') });
})()));
`
