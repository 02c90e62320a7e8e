package serve

import (
	"context"
	"crypto/subtle"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"tachyform/internal/condition"
)

//go:embed control
var controlFiles embed.FS

// Control serves the control page of a Server on a separate port. Requests need its token. The token is in the fragment of the page's
// URL, which browsers do not send and scripts of the site cannot read. A cookie would not work: cookies are shared between ports.
type Control struct {
	Server *Server
	Afresh *Afresh
	// Site is the name of the site.
	Site string
	// Next, if set, deploys the next release, or the previous one again.
	Next func(deployed bool) error
	// Switched and Released, if set, are called after a change of the condition or the release.
	Switched func(condition string)
	Released func(deployed bool)
	// Predict, if set, describes what the embedded user agent shows at a path under a condition. ok is false while it works.
	Predict func(path, condition string) (text string, ok bool)

	token string
	mu    sync.Mutex
	// deployed is true while the next release is served.
	deployed bool
	messages []string
	// browser is the browser whose state is shown, nil for none.
	browser Browser
}

// NewControl returns the control page of a server.
func NewControl(s *Server, a *Afresh) *Control {
	c := &Control{Server: s, Afresh: a, token: secret()}
	a.Reported = func(caches string) {
		names := strings.Fields(caches)
		if len(names) == 0 {
			c.Note("The worker removed itself. There were no caches.")
			return
		}
		c.Note("The worker removed itself and these caches: " + strings.Join(names, ", "))
	}
	a.Cleared = c.noteDifference
	return c
}

// noteDifference compares the state of the browser after its data was cleared with the state before.
func (c *Control) noteDifference() {
	before := c.inspect()
	if before == nil || before.Embedded {
		return
	}
	go func() {
		time.Sleep(clearingTakes)
		after := c.inspect()
		c.Note("Requested to clear the data. In " + after.Source + ": before " + stored(before) + "; now " + stored(after) + ".")
		c.Server.Log.Touch()
	}()
}

// clearingTakes is how long browsers take to clear the data of a site, at most.
const clearingTakes = 3 * time.Second

// stored describes what a browser stores.
func stored(i *Inspection) string {
	entries := 0
	for _, c := range i.Caches {
		entries += c.Count
	}
	plural := func(n int, one, many string) string {
		if n == 1 {
			return "1 " + one
		}
		return fmt.Sprint(n, " ", many)
	}
	return plural(len(i.Workers), "worker", "workers") + ", " + plural(len(i.Caches), "cache", "caches") + " with " + plural(entries, "entry", "entries")
}

// SetBrowser sets the browser whose state is shown.
func (c *Control) SetBrowser(b Browser) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.browser = b
}

// inspect returns the state of the browser, nil if there is none or it is being determined.
func (c *Control) inspect() *Inspection {
	c.mu.Lock()
	b := c.browser
	c.mu.Unlock()
	if b == nil {
		return nil
	}
	state, _ := b.Inspect()
	return state
}

// Fragment returns the fragment of the page's URL, with the token.
func (c *Control) Fragment() string { return "#" + c.token }

// mostMessages is the number of messages shown.
const mostMessages = 20

// Note shows a message on the page.
func (c *Control) Note(text string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.messages = append(c.messages, text); len(c.messages) > mostMessages {
		c.messages = c.messages[1:]
	}
}

// Deployed reports whether the next release is served.
func (c *Control) Deployed() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.deployed
}

// Deploy serves the next release, or the previous one again.
func (c *Control) Deploy(next bool) error {
	if c.Next == nil {
		return errors.New("there is no next release; start tachyform serve with --next FOLDER")
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

// overrideJSON is the JSON form of an Override.
type overrideJSON struct {
	Match  string `json:"match"`
	Status int    `json:"status"`
	Millis int64  `json:"delay_ms"`
}

// stateJSON is the state of the page.
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
	// Browser is the state of the browser, null without one or while it is being determined.
	Browser *Inspection `json:"browser"`
}

// predicted is the prediction for a page.
type predicted struct {
	Path string `json:"path"`
	Text string `json:"text"`
}

// Limits of the page.
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
	s.Browser = c.inspect()
	if c.Predict != nil {
		for _, page := range c.Server.Log.Pages(shownPages) {
			text, ok := c.Predict(page, at.Name)
			if !ok {
				text = "…"
			}
			s.Predicted = append(s.Predicted, predicted{page, text})
		}
	}
	return s
}

// conditionNames lists the conditions in the order of the buttons.
var conditionNames = []string{"online", "offline", "stalled", "slow", "flaky"}

// Choose sets a condition by its name. Online has no delays here.
func (c *Control) Choose(name string) error {
	chosen, known := condition.Named(name)
	if !known {
		return fmt.Errorf("there is no condition %q; the conditions are %s", name, strings.Join(conditionNames, ", "))
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

// policy is the page's content security policy. It may connect to the site's origin, to clear its data.
const policy = "default-src 'none'; script-src 'self'; style-src 'self'; connect-src 'self' %s; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"

// ServeHTTP implements http.Handler for the control port.
func (c *Control) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	h.Set("Content-Security-Policy", fmt.Sprintf(policy, c.Server.Origin()))
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cache-Control", "no-store")
	switch r.URL.Path {
	case "/", "/control.js", "/control.css":
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			http.Error(w, "Only GET is accepted.", http.StatusMethodNotAllowed)
			return
		}
		c.file(w, r.URL.Path)
		return
	}
	if subtle.ConstantTimeCompare([]byte(r.Header.Get("X-Tachyform-Token")), []byte(c.token)) != 1 {
		http.Error(w, "The token is missing or wrong. Open the URL that the terminal shows.", http.StatusForbidden)
		return
	}
	if origin := r.Header.Get("Origin"); origin != "" && origin != "http://"+r.Host {
		http.Error(w, "Pages of other origins cannot use the control page.", http.StatusForbidden)
		return
	}
	if r.URL.Path == "/state" && r.Method == http.MethodGet {
		c.wait(r)
		answerJSON(w, c.state())
		return
	}
	if r.Method != http.MethodPost || r.Header.Get("Content-Type") != "application/json" || r.Header.Get("Origin") == "" {
		http.Error(w, "Only POST requests with JSON from the control page are accepted.", http.StatusMethodNotAllowed)
		return
	}
	answer, err := c.act(r.URL.Path, http.MaxBytesReader(w, r.Body, longestBody))
	switch {
	case errors.Is(err, errUnknown):
		http.NotFound(w, r)
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

// wait blocks until there is a change after the one that the request names (long polling).
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

// events are those that the page can deliver.
var events = []string{"push", "sync", "message"}

var errUnknown = errors.New("unknown")

// act performs a command of the page.
func (c *Control) act(what string, body io.Reader) (any, error) {
	var in struct {
		Condition string         `json:"condition"`
		Deployed  bool           `json:"deployed"`
		Overrides []overrideJSON `json:"overrides"`
		Event     string         `json:"event"`
		Text      string         `json:"text"`
	}
	if err := json.NewDecoder(body).Decode(&in); err != nil {
		return nil, errors.New("the request is not JSON")
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
	case "/deliver":
		c.mu.Lock()
		b := c.browser
		c.mu.Unlock()
		if b == nil || !slices.Contains(events, in.Event) {
			return nil, fmt.Errorf("%q cannot be delivered; use push, sync or message", in.Event)
		}
		lines, err := b.Deliver(in.Event, in.Text)
		return map[string][]string{"happened": append([]string{}, lines...)}, c.changed(err)
	case "/clear":
		c.Server.Log.Clear()
		return done, nil
	case "/afresh":
		if at := c.Server.Condition(); at.Refuses || at.Stalls {
			return nil, errors.New("the network is " + at.Name + "; choose online first, then clear the data")
		}
		return map[string]string{"address": c.Server.Origin() + c.Afresh.Address()}, nil
	case "/retire":
		c.Afresh.Retire()
		c.Note("The next update check gets a worker that removes itself and all caches. Reload a page of the site.")
		return done, c.changed(nil)
	}
	return nil, errUnknown
}

// changed updates waiting pages unless there is an error.
func (c *Control) changed(err error) error {
	if err == nil {
		c.Server.Log.Touch()
	}
	return err
}
