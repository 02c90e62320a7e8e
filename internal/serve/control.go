package serve

import (
	"context"
	"crypto/subtle"
	"embed"
	"encoding/json"
	"errors"
	"io"
	"io/fs"
	"net/http"
	"path"
	"strconv"
	"strings"
	"sync"
	"time"

	"tachyform/internal/condition"
)

//go:embed control
var controlFiles embed.FS

// Control is the page by which a person switches a server, on a port of its own. Whoever asks has to have its token, which is in the
// fragment of the page's address: it is sent to nobody, and scripts of the site, on the same host, do not see it.
type Control struct {
	Server *Server
	Afresh *Afresh
	// Site is what is served, in words.
	Site string
	// Next, if set, deploys the next release, or takes it back.
	Next func(deployed bool) error
	// Switched, if set, is told of each change of the network, Released of each deployment of the next release, or of its end.
	Switched func(condition string)
	Released func(deployed bool)
	// Predict, if set, says what the embedded user agent shows at a path under a condition; ok is false while that is not known.
	Predict func(path, condition string) (text string, ok bool)

	token string
	mu    sync.Mutex
	// deployed says that the next release is served.
	deployed bool
	messages []string
}

// NewControl gives the control page of a server.
func NewControl(s *Server, a *Afresh) *Control {
	c := &Control{Server: s, Afresh: a, token: secret()}
	a.Reported = func(caches string) {
		names := strings.Fields(caches)
		if len(names) == 0 {
			c.Note("A worker has removed itself. There were no caches.")
			return
		}
		c.Note("A worker has removed itself and these caches: " + strings.Join(names, ", "))
	}
	return c
}

// Fragment is what the address of the page ends with.
func (c *Control) Fragment() string { return "#" + c.token }

// mostMessages bounds how many messages are kept.
const mostMessages = 20

// Note shows a message on the page.
func (c *Control) Note(text string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.messages = append(c.messages, text); len(c.messages) > mostMessages {
		c.messages = c.messages[1:]
	}
}

// Deployed says whether the next release is served; Deploy has it served, or takes it back.
func (c *Control) Deployed() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.deployed
}

// Deploy has the next release served, or the one before again.
func (c *Control) Deploy(next bool) error {
	if c.Next == nil {
		return errors.New("no next release was named: tachyform serve --next FOLDER")
	}
	if err := c.Next(next); err != nil {
		return err
	}
	c.mu.Lock()
	c.deployed = next
	c.mu.Unlock()
	if c.Released != nil {
		c.Released(next)
	}
	c.Server.Log.Touch()
	return nil
}

// overrideJSON is an Override as the page has it.
type overrideJSON struct {
	Match  string `json:"match"`
	Status int    `json:"status"`
	Millis int64  `json:"delay_ms"`
}

// stateJSON is what the page shows.
type stateJSON struct {
	Schema     string         `json:"schema"`
	Change     int            `json:"change"`
	Site       string         `json:"site"`
	Origin     string         `json:"origin"`
	Condition  string         `json:"condition"`
	Conditions []string       `json:"conditions"`
	Overrides  []overrideJSON `json:"overrides"`
	HasNext    bool           `json:"has_next"`
	Deployed   bool           `json:"deployed"`
	Messages   []string       `json:"messages"`
	Requests   []Entry        `json:"requests"`
	Predicted  []predicted    `json:"predicted"`
}

// predicted is what the embedded user agent shows at a path.
type predicted struct {
	Path string `json:"path"`
	Text string `json:"text"`
}

// Bounds of what the page shows.
const (
	shownRequests = 200
	shownPages    = 5
	longestPoll   = 20 * time.Second
	longestBody   = 64 << 10
)

func (c *Control) state() stateJSON {
	at := c.Server.Condition()
	change, _ := c.Server.Log.Changes()
	s := stateJSON{Schema: "tachyform.serve/1", Change: change, Site: c.Site, Origin: c.Server.Origin(), Condition: at.Name, Overrides: []overrideJSON{},
		HasNext: c.Next != nil, Requests: c.Server.Log.Last(shownRequests), Predicted: []predicted{}}
	s.Conditions = conditionNames
	for _, o := range c.Server.Overrides() {
		s.Overrides = append(s.Overrides, overrideJSON{o.Match, o.Status, o.Delay.Milliseconds()})
	}
	c.mu.Lock()
	s.Deployed, s.Messages = c.deployed, append([]string{}, c.messages...)
	c.mu.Unlock()
	if c.Predict != nil {
		for _, page := range pagesOf(c.Server.Log.Last(mostEntries)) {
			text, ok := c.Predict(page, at.Name)
			if !ok {
				text = "…"
			}
			s.Predicted = append(s.Predicted, predicted{page, text})
		}
	}
	return s
}

// pagesOf lists the pages that were asked for last, the last one first.
func pagesOf(list []Entry) (pages []string) {
	seen := map[string]bool{}
	for i := len(list) - 1; i >= 0 && len(pages) < shownPages; i-- {
		if e := list[i]; e.Destination == "document" && e.Method == http.MethodGet && !seen[e.Path] {
			seen[e.Path] = true
			pages = append(pages, e.Path)
		}
	}
	return pages
}

// conditionNames are those that a person can choose, in the order of their keys.
var conditionNames = []string{"online", "offline", "stalled", "slow", "flaky"}

// Choose puts the server under the condition of a name. Online is the plain one, without the delays that rehearsals have.
func (c *Control) Choose(name string) error {
	chosen, known := condition.Named(name)
	if !known {
		return errors.New("there is no condition " + strconv.Quote(name))
	}
	if name == plain.Name {
		chosen = plain
	}
	before := c.Server.Condition().Name
	if err := c.Server.SetCondition(chosen); err != nil {
		return err
	}
	if before != name && c.Switched != nil {
		c.Switched(name)
	}
	c.Server.Log.Touch()
	return nil
}

// policy is that of the page: nothing from elsewhere, and no way to be framed.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self' %s; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"

// ServeHTTP answers on the control port.
func (c *Control) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	h.Set("Content-Security-Policy", strings.ReplaceAll(policy, "%s", c.Server.Origin()))
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cache-Control", "no-store")
	switch r.URL.Path {
	case "/", "/control.js", "/control.css":
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			http.Error(w, "only GET", http.StatusMethodNotAllowed)
			return
		}
		c.file(w, r.URL.Path)
		return
	}
	if subtle.ConstantTimeCompare([]byte(r.Header.Get("X-Tachyform-Token")), []byte(c.token)) != 1 {
		http.Error(w, "The token is missing or wrong: open the address that the terminal shows.", http.StatusForbidden)
		return
	}
	if origin := r.Header.Get("Origin"); origin != "" && origin != "http://"+r.Host {
		http.Error(w, "Other pages cannot switch anything here.", http.StatusForbidden)
		return
	}
	if r.URL.Path == "/state" && r.Method == http.MethodGet {
		c.wait(r)
		answerJSON(w, c.state())
		return
	}
	if r.Method != http.MethodPost || r.Header.Get("Content-Type") != "application/json" || r.Header.Get("Origin") == "" {
		http.Error(w, "only POST, with JSON, by the page itself", http.StatusMethodNotAllowed)
		return
	}
	answer, err := c.act(r.URL.Path, http.MaxBytesReader(w, r.Body, longestBody))
	switch {
	case errors.Is(err, errUnknown):
		http.Error(w, "There is nothing here.", http.StatusNotFound)
	case err != nil:
		http.Error(w, err.Error(), http.StatusBadRequest)
	default:
		answerJSON(w, answer)
	}
}

func (c *Control) file(w http.ResponseWriter, name string) {
	if name == "/" {
		name = "/index.html"
	}
	data, err := fs.ReadFile(controlFiles, "control"+name)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", map[string]string{".html": "text/html; charset=utf-8", ".js": "text/javascript; charset=utf-8", ".css": "text/css; charset=utf-8"}[path.Ext(name)])
	w.Write(data)
}

// wait waits until something has changed since the number that a request names.
func (c *Control) wait(r *http.Request) {
	since, err := strconv.Atoi(r.URL.Query().Get("since"))
	if err != nil {
		return
	}
	ctx, cancel := context.WithTimeout(r.Context(), longestPoll)
	defer cancel()
	for {
		change, next := c.Server.Log.Changes()
		if change != since {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-next:
		}
	}
}

func answerJSON(w http.ResponseWriter, v any) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(v)
}

var errUnknown = errors.New("unknown")

// act does what the page asks for.
func (c *Control) act(what string, body io.Reader) (any, error) {
	var in struct {
		Condition string         `json:"condition"`
		Deployed  bool           `json:"deployed"`
		Overrides []overrideJSON `json:"overrides"`
	}
	if err := json.NewDecoder(body).Decode(&in); err != nil {
		return nil, errors.New("the request is no JSON")
	}
	done := map[string]bool{"done": true}
	switch what {
	case "/condition":
		return done, c.Choose(in.Condition)
	case "/next":
		return done, c.Deploy(in.Deployed)
	case "/overrides":
		var list []Override
		for _, o := range in.Overrides {
			list = append(list, Override{Match: o.Match, Status: o.Status, Delay: time.Duration(o.Millis) * time.Millisecond})
		}
		return done, c.changed(c.Server.SetOverrides(list))
	case "/clear":
		c.Server.Log.Clear()
		return done, nil
	case "/afresh":
		if at := c.Server.Condition(); at.Refuses || at.Stalls {
			return nil, errors.New("the network is " + at.Name + ", so the browser cannot be told: choose online first")
		}
		return map[string]string{"address": c.Server.Origin() + c.Afresh.Address()}, nil
	case "/retire":
		c.Afresh.Retire()
		c.Note("The next check for a new worker gets one that removes itself and all caches.")
		return done, c.changed(nil)
	}
	return nil, errUnknown
}

// changed lets pages that wait see a change.
func (c *Control) changed(err error) error {
	if err == nil {
		c.Server.Log.Touch()
	}
	return err
}
