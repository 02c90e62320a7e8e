// Package serve is an HTTP server for this machine that answers as the host of a site would and simulates network conditions.
package serve

import (
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/project"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// Named rejects requests for host names other than those of this machine and the given ones. Otherwise a page could read the site
// through a domain that resolves to this machine (DNS rebinding).
func Named(names []string, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := weburl.HostName(ownOrigin(r))
		known := append([]string{"localhost", "127.0.0.1", "[::1]"}, names...)
		if !slices.ContainsFunc(known, func(k string) bool { return strings.EqualFold(k, host) }) {
			http.Error(w, "This host name is not served here; tachyform serve --name allows it.", http.StatusMisdirectedRequest)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// Handler serves a site folder according to the project's hosting section. It reads the folder again after a second.
func Handler(dir, origin string, p *project.Project) http.Handler {
	return HandlerBefore(dir, origin, p, nil)
}

// HandlerBefore is Handler with a fallback: behind handles the requests for which the folder has no file and no rule.
func HandlerBefore(dir, origin string, p *project.Project, behind http.Handler) http.Handler {
	return &handler{dir: dir, origin: origin, project: p, behind: behind}
}

type handler struct {
	dir, origin string
	project     *project.Project
	behind      http.Handler
	mu          sync.Mutex
	folder      *site.Folder
	at          time.Time
}

func (h *handler) current() (*site.Folder, error) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.folder == nil || time.Since(h.at) > time.Second {
		f, err := site.OpenFolder(h.dir, h.origin, h.project.Addr, h.project.Host)
		if err != nil {
			return nil, err
		}
		h.folder, h.at = f, time.Now()
	}
	return h.folder, nil
}

func (h *handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	f, err := h.current()
	if err != nil {
		failed(w)
		return
	}
	u, err := whatwg.Parse(h.origin + r.URL.RequestURI())
	if err != nil {
		http.Error(w, "bad address", http.StatusBadRequest)
		return
	}
	asked := &site.Request{Method: r.Method, URL: u, Header: r.Header}
	if h.behind != nil && !f.AnswersItself(asked) {
		h.behind.ServeHTTP(w, r)
		return
	}
	answerFrom(f, asked, w, r)
}

// HostHandler serves a site.Host, such as a Folder with changes.
func HostHandler(host site.Host) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		u, err := whatwg.Parse(host.Origin() + r.URL.RequestURI())
		if err != nil {
			http.Error(w, "bad address", http.StatusBadRequest)
			return
		}
		answerFrom(host, &site.Request{Method: r.Method, URL: u, Header: r.Header}, w, r)
	})
}

// failed is the response if a file cannot be read. The error contains paths of this machine, so the response does not.
func failed(w http.ResponseWriter) {
	http.Error(w, "The file cannot be read now.", http.StatusInternalServerError)
}

// answerFrom writes the response of a host.
func answerFrom(host site.Host, asked *site.Request, w http.ResponseWriter, r *http.Request) {
	resp, err := host.Answer(r.Context(), asked)
	if err != nil {
		failed(w)
		return
	}
	var body []byte
	if resp.Body != nil {
		if body, err = resp.Body.Bytes(); err != nil {
			failed(w)
			return
		}
	}
	for name, values := range resp.Header {
		w.Header()[name] = values
	}
	if resp.Header.Get("Content-Type") == "" {
		w.Header()["Content-Type"] = nil // else the server would guess one
	}
	w.WriteHeader(resp.Status)
	if r.Method != http.MethodHead {
		w.Write(body)
	}
}
