package serve

import (
	"crypto/rand"
	"encoding/base64"
	"net/http"
	"strings"
	"sync"
	"time"
)

// Afresh makes addresses on the site's own origin whose answers have a browser forget what the site keeps there. Each is valid once,
// for a short time and for POST alone: a page of anybody else cannot guess one, and the site's worker hears nothing of a request that
// comes from another origin.
type Afresh struct {
	mu    sync.Mutex
	valid map[string]time.Time
	// retiring says that the next check for a new worker gets one that removes itself, told is the path that it reports to.
	retiring bool
	told     string
	// Reported is told the names of the caches that such a worker has removed.
	Reported func(caches string)
}

// afreshPath is where these addresses begin; validFor how long one is valid.
const (
	afreshPath = "/.tachyform-afresh/"
	validFor   = 10 * time.Second
)

// secret gives 32 characters that nobody guesses.
func secret() string {
	raw := make([]byte, 24)
	rand.Read(raw) // never fails
	return base64.RawURLEncoding.EncodeToString(raw)
}

// Address makes an address, as a path of the site's origin.
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

// Retire has the next check for a new worker get one that removes itself and all caches.
func (a *Afresh) Retire() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.retiring, a.told = true, afreshPath+"told-"+secret()
}

// take says whether an address was valid; it is no more.
func (a *Afresh) take(path string) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	until, known := a.valid[path]
	delete(a.valid, path)
	return known && time.Now().Before(until)
}

// Handler answers requests for these addresses, and the check for a new worker where one is to remove itself; others go on.
func (a *Afresh) Handler(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.Header.Get("Service-Worker") == "script" && a.retires():
			w.Header().Set("Content-Type", "text/javascript")
			w.Header().Set("Cache-Control", "no-store")
			a.mu.Lock()
			told := a.told
			a.mu.Unlock()
			w.Write([]byte(strings.ReplaceAll(removesItself, "TOLD", told)))
		case !strings.HasPrefix(r.URL.Path, afreshPath):
			next.ServeHTTP(w, r)
		case r.Method == http.MethodPost && a.isReport(r.URL.Path):
			names := make([]byte, 4<<10)
			n, _ := r.Body.Read(names)
			if a.Reported != nil {
				a.Reported(string(names[:n]))
			}
			w.WriteHeader(http.StatusNoContent)
		case r.Method == http.MethodPost && a.take(r.URL.Path):
			w.Header().Set("Clear-Site-Data", `"cache", "cookies", "storage"`)
			w.WriteHeader(http.StatusNoContent)
		default:
			http.Error(w, "There is nothing here.", http.StatusNotFound)
		}
	})
}

func (a *Afresh) retires() bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	yes := a.retiring
	a.retiring = false
	return yes
}

func (a *Afresh) isReport(path string) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	yes := a.told != "" && path == a.told
	if yes {
		a.told = ""
	}
	return yes
}

// removesItself is a worker that takes itself and all caches of its origin away, and reports the names of those.
const removesItself = `self.addEventListener('install', () => self.skipWaiting());
self.addEventListener('activate', (event) => event.waitUntil((async () => {
  const names = await caches.keys();
  await Promise.all(names.map((name) => caches.delete(name)));
  await self.registration.unregister();
  await fetch('TOLD', { method: 'POST', body: names.join('\n') });
})()));
`
