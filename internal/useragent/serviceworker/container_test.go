package serviceworker

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	whatwg "github.com/nlnwa/whatwg-url/url"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/clock"
	"tachyform/internal/useragent/fetch"
	"tachyform/internal/useragent/storage"
)

const home = "https://line.example"

// scripted is a worker as a test says that it is: its text lists the events that it handles, and what goes wrong in it.
type scripted struct {
	w     *Worker
	p     *profile
	alive bool
}

// profile is a container whose workers are scripts, and the answers of its host by path: status, headers and body.
type profile struct {
	*Container
	answers map[string]*site.Response
	log     []string // the events that workers were given
}

func (p *profile) Origin() string { return home }

func (p *profile) Answer(_ context.Context, r *site.Request) (*site.Response, error) {
	p.log = append(p.log, "GET "+r.URL.Pathname())
	if a := p.answers[r.URL.Pathname()]; a != nil {
		return a, nil
	}
	return &site.Response{Status: 404, Header: http.Header{}, Body: site.Bytes("")}, nil
}

// serve has the host answer with a worker's text at a path.
func (p *profile) serve(path, text string, header ...string) {
	h := http.Header{"Content-Type": {"text/javascript"}}
	for i := 0; i < len(header); i += 2 {
		h.Set(header[i], header[i+1])
	}
	p.answers[path] = &site.Response{Status: 200, Header: h, Body: site.Bytes(text)}
}

func newProfile() *profile {
	p := &profile{answers: map[string]*site.Response{}}
	k := &clock.Clock{}
	store := storage.New()
	n := fetch.NewNetwork(context.Background(), map[string]site.Host{home: p}, condition.Online)
	n.Clock = k
	p.Container = &Container{Store: store, Account: &account.Account{Clock: k}, Fetcher: &fetch.Fetcher{Clock: k, Network: n, Cookies: store,
		Refused: func(string) {}, Answered: func(*whatwg.Url, *site.Response) {}}}
	p.Start = func(w *Worker) (Global, error) {
		if strings.Contains(w.Source(), "throws") {
			return nil, errors.New("TypeError: thrown")
		}
		for _, f := range strings.Fields(w.Source()) {
			if url, imports := strings.CutPrefix(f, "import:"); imports {
				if _, err := w.ImportScript(home + url); err != nil {
					return nil, err
				}
			}
		}
		return &scripted{w, p, true}, nil
	}
	return p
}

func (s *scripted) EventTypes() []string {
	return slices.DeleteFunc(strings.Fields(s.w.Source()), func(f string) bool { return strings.ContainsAny(f, ":.") })
}

func (s *scripted) Dispatch(event string, _ map[string]any, done func(ok bool)) {
	s.p.log = append(s.p.log, fmt.Sprintf("%d %s", s.w.ID, event))
	if event == "install" && strings.Contains(s.w.Source(), "skips.") {
		s.w.SkipWaiting()
	}
	if done != nil {
		s.p.Fetcher.Clock.After(time.Millisecond, func() { done(!strings.Contains(s.w.Source(), event+".fails")) })
	}
}

func (s *scripted) DispatchFetch(e FetchEvent, respond func(*fetch.Response, account.Answer)) {
	s.p.log = append(s.p.log, fmt.Sprintf("%d fetch %s", s.w.ID, strings.TrimPrefix(e.Request.URL, home)))
	respond(&fetch.Response{Type: "default", Status: 200, Body: site.Bytes("worker")}, account.Answered)
}

func (s *scripted) DispatchSerialized(Message, *Client)            {}
func (s *scripted) DispatchFromWorker(Message, *Worker)            {}
func (s *scripted) WorkerChanged(*WorkerView)                      {}
func (s *scripted) RegistrationChanged(_ RegistrationView, _ bool) {}
func (s *scripted) Alive() bool                                    { return s.alive }
func (s *scripted) Busy() bool                                     { return false }
func (s *scripted) Finish()                                        { s.alive = false }
func (s *scripted) Close()                                         { s.alive = false }

// settle lets all that is under way come to its end.
func (p *profile) settle() { p.Fetcher.Clock.Settle(time.Second, time.Minute) }

// register registers a worker and gives what the promise came to.
func (p *profile) register(r page.Registration) (err error) {
	r.Script = home + r.Script
	if r.Scope != "" {
		r.Scope = home + r.Scope
	}
	if r.Type == "" {
		r.Type = "classic"
	}
	p.StartRegister(r, home, func(e error) { err = e })
	p.settle()
	return err
}

// slots tells the states of the workers of all registrations: scope, then installing, waiting and active by their numbers.
func (p *profile) slots() string {
	var list []string
	for _, g := range p.Registrations() {
		at := func(w *Worker) string {
			if w == nil {
				return "-"
			}
			return fmt.Sprintf("%d %s", w.ID, w.State)
		}
		list = append(list, strings.TrimPrefix(g.Scope, home)+": "+at(g.Installing)+", "+at(g.Waiting)+", "+at(g.Active))
	}
	return strings.Join(list, "; ")
}

// client adds an open page of the site, under the worker of its scope.
func (p *profile) client(path string) *Client {
	c := &Client{ID: p.NewID(), URL: home + path}
	if g := p.MatchServiceWorkerRegistration(c.URL); g != nil {
		c.Controller = g.Active
	}
	p.AddClient(c)
	return c
}

// Registrations that are refused, each for a reason of its own (Service Workers, "Start Register" and "Update").
func TestRefusedRegistrations(t *testing.T) {
	for name, c := range map[string]struct {
		r      page.Registration
		serve  string
		header []string
		want   string
	}{
		"a script that is there":     {page.Registration{Script: "/w.js"}, "install", nil, ""},
		"no script":                  {page.Registration{Script: "/never.js"}, "", nil, "TypeError: the worker's script /never.js answered with status 404"},
		"an escaped slash":           {page.Registration{Script: "/a%2fw.js"}, "", nil, "TypeError: /a%2fw.js holds an escaped slash"},
		"a wider scope":              {page.Registration{Script: "/deep/w.js", Scope: "/"}, "x", nil, "SecurityError: the scope / lies outside /deep/, the widest that a worker at /deep/w.js may have"},
		"a scope that a host allows": {page.Registration{Script: "/deep/w.js", Scope: "/"}, "x", []string{"Service-Worker-Allowed", "/"}, ""},
		"a scope elsewhere allowed":  {page.Registration{Script: "/deep/w.js", Scope: "/"}, "x", []string{"Service-Worker-Allowed", "https://other.example/"}, "SecurityError: the header Service-Worker-Allowed of /deep/w.js names an address on another origin"},
		"another media type":         {page.Registration{Script: "/w.js"}, "x", []string{"Content-Type", "text/plain"}, `SecurityError: the worker's script /w.js is served as "text/plain", not as JavaScript`},
		"a picture":                  {page.Registration{Script: "/w.js"}, "x", []string{"Content-Type", "image/png"}, `SecurityError: the worker's script /w.js is served as "image/png", not as JavaScript`},
		"a script that throws":       {page.Registration{Script: "/w.js"}, "throws", nil, "TypeError: the worker's script throws: TypeError: thrown"},
		"an import that is missing":  {page.Registration{Script: "/w.js"}, "import:/lib.js", nil, "TypeError: the worker's script throws: NetworkError: https://line.example/lib.js answered with status 404"},
		"a module":                   {page.Registration{Script: "/w.js", Type: "module"}, "x", nil, "TypeError: this browser runs no module workers"},
	} {
		p := newProfile()
		p.ClassicOnly = true
		if c.serve != "" {
			p.serve(c.r.Script, c.serve, c.header...)
		}
		err := p.register(c.r)
		if c.want == "" {
			assert.NoError(t, err, name)
			continue
		}
		if assert.Error(t, err, name) {
			assert.Equal(t, c.want, err.Error(), name)
		}
		assert.Empty(t, p.slots(), "%s: nothing is left behind", name)
	}
	p := newProfile()
	var refused error
	p.StartRegister(page.Registration{Script: "https://other.example/w.js"}, home, func(e error) { refused = e })
	p.settle()
	assert.ErrorContains(t, refused, "another origin")
}

// Lives of workers: what is done, the workers in their slots after it, and the events that they were given.
func TestLives(t *testing.T) {
	register := func(p *profile, path string) { _ = p.register(page.Registration{Script: path}) }
	for name, c := range map[string]struct {
		do         func(t *testing.T, p *profile)
		slots, log string
	}{
		"the first one": {func(_ *testing.T, p *profile) { register(p, "/w.js") },
			"/: -, -, 1 activated", "GET /w.js, 1 install, 1 activate"},
		"without listeners no event": {func(_ *testing.T, p *profile) {
			p.serve("/w.js", "fetch")
			register(p, "/w.js")
		}, "/: -, -, 1 activated", "GET /w.js"},
		"the same once more": {func(_ *testing.T, p *profile) {
			register(p, "/w.js")
			register(p, "/w.js")
		}, "/: -, -, 1 activated", "GET /w.js, 1 install, 1 activate"},
		"two checks at once are one job": {func(t *testing.T, p *profile) {
			register(p, "/w.js")
			settled := 0
			for range 2 {
				p.Registrations()[0].Update(func(err error) {
					assert.NoError(t, err)
					settled++
				})
			}
			p.settle()
			assert.Equal(t, 2, settled)
		}, "/: -, -, 1 activated", "GET /w.js, 1 install, 1 activate, GET /w.js"},
		"a check without a change": {func(_ *testing.T, p *profile) {
			register(p, "/w.js")
			p.Registrations()[0].SoftUpdate()
			p.settle()
		}, "/: -, -, 1 activated", "GET /w.js, 1 install, 1 activate, GET /w.js"},
		"a new one waits for the pages": {func(_ *testing.T, p *profile) {
			register(p, "/w.js")
			p.client("/tides.html")
			p.serve("/w.js", "install activate fetch second.")
			p.Registrations()[0].SoftUpdate()
			p.settle()
		}, "/: -, 2 installed, 1 activated", "GET /w.js, 1 install, 1 activate, GET /w.js, 2 install"},
		"and takes over when they are gone": {func(_ *testing.T, p *profile) {
			register(p, "/w.js")
			c := p.client("/tides.html")
			p.serve("/w.js", "install activate fetch second.")
			p.Registrations()[0].SoftUpdate()
			p.settle()
			p.HandleServiceWorkerClientUnload(c)
			p.settle()
		}, "/: -, -, 2 activated", "GET /w.js, 1 install, 1 activate, GET /w.js, 2 install, 2 activate"},
		"one that does not wait": {func(t *testing.T, p *profile) {
			register(p, "/w.js")
			c := p.client("/tides.html")
			p.serve("/w.js", "install activate skips.")
			p.Registrations()[0].SoftUpdate()
			p.settle()
			assert.Equal(t, 2, c.Controller.ID, "the page is handed over")
		}, "/: -, -, 2 activated", "GET /w.js, 1 install, 1 activate, GET /w.js, 2 install, 2 activate"},
		"a failed installation": {func(_ *testing.T, p *profile) {
			p.serve("/w.js", "install install.fails")
			register(p, "/w.js")
		}, "", "GET /w.js, 1 install"},
		"a failed one after another": {func(_ *testing.T, p *profile) {
			register(p, "/w.js")
			p.serve("/w.js", "install install.fails")
			p.Registrations()[0].SoftUpdate()
			p.settle()
		}, "/: -, -, 1 activated", "GET /w.js, 1 install, 1 activate, GET /w.js, 2 install"},
		"an activation that fails is one": {func(_ *testing.T, p *profile) {
			p.serve("/w.js", "activate activate.fails")
			register(p, "/w.js")
		}, "/: -, -, 1 activated", "GET /w.js, 1 activate"},
		"a changed import": {func(_ *testing.T, p *profile) {
			p.serve("/w.js", "import:/lib.js")
			p.serve("/lib.js", "1")
			register(p, "/w.js")
			p.serve("/lib.js", "2")
			p.Registrations()[0].SoftUpdate()
			p.settle()
		}, "/: -, -, 2 activated", "GET /w.js, GET /lib.js, GET /w.js, GET /lib.js, GET /lib.js"},
		"taken away without pages": {func(t *testing.T, p *profile) {
			register(p, "/w.js")
			p.Registrations()[0].Unregister(func(err error) { assert.NoError(t, err) })
			p.settle()
		}, "", "GET /w.js, 1 install, 1 activate"},
		"taken away with a page, then gone with it": {func(t *testing.T, p *profile) {
			register(p, "/w.js")
			c := p.client("/tides.html")
			g := p.Registrations()[0]
			g.Unregister(func(error) {})
			p.settle()
			assert.Nil(t, p.GetRegistration(home+"/"))
			assert.Equal(t, account.Activated, c.Controller.State, "it goes on serving its page")
			p.HandleServiceWorkerClientUnload(c)
			p.settle()
		}, "", "GET /w.js, 1 install, 1 activate"},
		"taken away twice": {func(t *testing.T, p *profile) {
			register(p, "/w.js")
			g := p.Registrations()[0]
			var came []error
			g.Unregister(func(err error) { came = append(came, err) })
			p.settle()
			g.Unregister(func(err error) { came = append(came, err) })
			p.settle()
			assert.Equal(t, []error{nil, ErrNoRegistration}, came)
		}, "", "GET /w.js, 1 install, 1 activate"},
		"cleared site data": {func(t *testing.T, p *profile) {
			register(p, "/w.js")
			c := p.client("/tides.html")
			assert.True(t, p.ClearSiteData(home))
			assert.Nil(t, c.Controller)
			assert.False(t, p.ClearSiteData(home))
		}, "", "GET /w.js, 1 install, 1 activate"},
		"another script for the scope": {func(_ *testing.T, p *profile) {
			register(p, "/w.js")
			p.serve("/other.js", "install")
			register(p, "/other.js")
			assert.Equal(t, []Rival{{home + "/", []string{home + "/w.js", home + "/other.js"}}}, p.Rivals())
		}, "/: -, -, 2 activated", "GET /w.js, 1 install, 1 activate, GET /other.js, 2 install"},
	} {
		t.Run(name, func(t *testing.T) {
			p := newProfile()
			p.serve("/w.js", "install activate fetch")
			c.do(t, p)
			assert.Equal(t, c.slots, p.slots())
			assert.Equal(t, c.log, strings.Join(p.log, ", "))
		})
	}
}

// The longest scope decides ("Match Service Worker Registration").
func TestMatchServiceWorkerRegistration(t *testing.T) {
	p := newProfile()
	for _, scope := range []string{"/", "/tides/", "/tides/now"} {
		p.setRegistration(home + scope)
	}
	for path, want := range map[string]string{"/": "/", "/tides": "/", "/tides/": "/tides/", "/tides/nowhere": "/tides/now", "/tides/no": "/tides/"} {
		assert.Equal(t, home+want, p.MatchServiceWorkerRegistration(home+path).Scope, path)
	}
	assert.Nil(t, p.MatchServiceWorkerRegistration("https://other.example/"))
}

// Who answers a request ("Handle Fetch", "Get Router Source", "Should Skip Event").
func TestHandleFetch(t *testing.T) {
	for name, c := range map[string]struct {
		source, routes, want string
	}{
		"the worker":                    {"fetch", "", "worker: worker"},
		"without a listener":            {"install", "", "nobody"},
		"a route to the network":        {"fetch", `[{"condition": {"requestMethod": "GET"}, "source": "network"}]`, "nobody"},
		"a route that does not fit":     {"fetch", `[{"condition": {"requestMethod": "POST"}, "source": "network"}]`, "worker: worker"},
		"the first that fits":           {"fetch", `[{"condition": {"not": {"requestMode": "navigate"}}, "source": "fetch-event"}, {"condition": {}, "source": "network"}]`, "worker: worker"},
		"any of several":                {"fetch", `[{"condition": {"or": [{"requestDestination": "image"}, {"requestMode": "cors"}]}, "source": "network"}]`, "nobody"},
		"by address":                    {"fetch", `[{"condition": {"urlPattern": {"pathname": "/data/*"}}, "source": "network"}]`, "nobody"},
		"by another address":            {"fetch", `[{"condition": {"urlPattern": {"pathname": "/other/*"}}, "source": "network"}]`, "worker: worker"},
		"a cache that has it":           {"fetch", `[{"condition": {}, "source": "cache"}]`, "worker: kept"},
		"a cache of a name":             {"fetch", `[{"condition": {}, "source": "cache", "cacheName": "other"}]`, "nobody"},
		"a worker that runs":            {"fetch", `[{"condition": {"runningStatus": "running"}, "source": "network"}]`, "nobody"},
		"a worker that does not run":    {"fetch", `[{"condition": {"runningStatus": "not-running"}, "source": "network"}]`, "worker: worker"},
		"the network and the worker":    {"fetch", `[{"condition": {}, "source": "race-network-and-fetch-handler"}]`, "worker: worker"},
		"the network against no worker": {"install", `[{"condition": {}, "source": "race-network-and-fetch-handler"}]`, "network: tides"},
	} {
		p := newProfile()
		p.serve("/w.js", c.source)
		p.serve("/data/tides.json", "tides")
		require.NoError(t, p.register(page.Registration{Script: "/w.js"}), name)
		w := p.Registrations()[0].Active
		if c.routes != "" {
			require.NoError(t, w.AddRoutes(c.routes), name)
		}
		req := &fetch.Request{URL: home + "/data/tides.json", Method: "GET", Mode: "cors", Redirect: "follow", Client: fetch.Settings{Origin: home}}
		p.Store.Open("tides").Put(req, &fetch.Response{Type: "basic", Status: 200, Body: site.Bytes("kept")})
		got := "nothing"
		w.HandleFetch(p.client("/"), req, func(resp *fetch.Response, by fetch.Answerer) {
			if got = by.String(); resp != nil {
				got += ": " + string(resp.Bytes())
			}
		})
		p.settle()
		assert.Equal(t, c.want, got, name)
	}
	assert.Error(t, (&Worker{}).AddRoutes(`{`))
	assert.Error(t, (&Worker{}).AddRoutes(`[{"condition": {"urlPattern": {"pathname": "("}}, "source": "network"}]`))
}

// Who is claimed, and who is seen ("Claim", "matchAll", "Notify Controller Change").
func TestClients(t *testing.T) {
	p := newProfile()
	inside, apart := p.client("/tides.html"), p.client("/sailings.html")
	apart.Opaque = true
	p.AddClient(&Client{ID: p.NewID(), URL: "https://other.example/"})
	p.serve("/w.js", "install")
	require.NoError(t, p.register(page.Registration{Script: "/w.js"}))
	w := p.Registrations()[0].Active
	assert.Empty(t, w.ClientsOf(false))
	assert.Len(t, w.ClientsOf(true), 2, "those of its origin")
	w.Claim()
	assert.Equal(t, []*Client{inside}, w.ClientsOf(false), "all but the one that is kept apart from its origin")
	assert.True(t, p.Registrations()[0].isUsed())
}

// Events that need no page start the worker, unless it has no listener for them ("Fire Functional Event").
func TestFireFunctionalEvent(t *testing.T) {
	p := newProfile()
	assert.False(t, p.Deliver("push", nil), "nobody is there")
	p.serve("/w.js", "push")
	require.NoError(t, p.register(page.Registration{Script: "/w.js"}))
	p.StopWorkers()
	assert.True(t, p.Deliver("push", nil))
	assert.True(t, p.Deliver("sync", nil))
	assert.Equal(t, "GET /w.js, 1 push", strings.Join(p.log, ", "))
}
