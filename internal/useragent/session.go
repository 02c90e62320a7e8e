package useragent

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// Session is a browser with its tabs on which the steps of a rehearsal are carried out, and an account of what they led to.
type Session struct {
	b        *Browser
	hosts    []site.Host
	reader   *page.Reader
	tabs     map[string]*Tab
	events   []Event
	lastStep []Event // of the last step that was no expectation
}

// Step is what a person does, or what happens to them. Exactly one of the fields beside Tab is set.
type Step struct {
	// Tab names the tab that the step is about, "" for the first.
	Tab string
	// Open, Follow and Launch are absolute URLs: typed in, a link on the page that is shown, or as the home screen opens the app.
	Open, Follow, Launch string
	// Reload is normal or past-worker.
	Reload string
	Wait   time.Duration
	// Close is tab or browser.
	Close     string
	Condition *condition.Condition
	// Deploy puts other hosts in the place of those with the same origin.
	Deploy []site.Host
	// StopWorker ends running workers, as browsers do with idle ones.
	StopWorker bool
	// Evict is caches, databases, cookies or everything.
	Evict string
	// Push is a message's text; HasPush says that there is one. Sync, PeriodicSync are tags, Click a notification's tag or title.
	Push                      string
	HasPush                   bool
	Sync, PeriodicSync, Click string
	// Cookie is NAME=VALUE, set for the first host.
	Cookie string
	Expect *Expectation
}

// Expectation is what should hold after the steps before it. Empty fields ask for nothing; nil slices neither.
type Expectation struct {
	Outcome                           Outcome
	Title, Address, AnsweredBy, Shows string
	Status                            int
	Missing                           []string // exactly these; an empty list means none
	NoneMissing                       bool
	Controlled                        *bool
	Worker, Waiting                   string // states: the active worker's, and present or absent
	Kept, NotKept                     []string
	Asked, NotAsked                   []string // of the network, in the step before
	Says                              string   // console output or error since the rehearsal began
	Notification                      string
}

// StepResult is what a step led to.
type StepResult struct {
	// View is the page that the step opened, nil for other steps.
	View *View
	// Outcome is that page's, by the words of the default rehearsal.
	Outcome *PageOutcome
	// Event is the account of the step.
	Events []Event
	// Wrong says what was expected and not met, or why the step could not be carried out.
	Wrong []string
	// From and To are virtual times since the beginning.
	From, To time.Duration
}

// NewSession begins with a fresh profile, online.
func NewSession(ctx context.Context, hosts []site.Host, reader *page.Reader, httpCache bool, profile *Kind) *Session {
	if reader == nil {
		reader = &page.Reader{}
	}
	s := &Session{b: New(ctx, hosts, reader), hosts: hosts, reader: reader, tabs: map[string]*Tab{}}
	if profile != nil {
		s.b.kind = profile
	}
	if httpCache {
		s.b.UseHTTPCache()
	}
	s.b.events, s.b.began = &s.events, s.b.clock.now
	s.b.net.seen = func(r *site.Request, resp *site.Response) {
		h := Event{Kind: EventNetwork, URL: r.URL.Href(true), Method: r.Method}
		if resp != nil {
			h.Status = resp.Status
		}
		s.b.recordEvent(h)
	}
	return s
}

// Present names the worker that pages register, where their scripts don't tell.
func (s *Session) Present(r *page.Registration) { s.b.present = r }

// Close ends the stage's workers.
func (s *Session) Close() { s.b.Close() }

// Caches lists what the profile's caches hold.
func (s *Session) Caches() []CacheContent { return s.b.cacheContents() }

// Step carries out a step and lets it come to rest.
func (s *Session) Step(step Step) *StepResult {
	r := &StepResult{From: s.b.clock.now - s.b.began}
	first := len(s.events)
	if step.Expect != nil {
		r.Wrong = s.unmet(step.Tab, step.Expect)
		r.To = r.From
		return r
	}
	tab := s.tabs[step.Tab]
	fail := func(format string, args ...any) { r.Wrong = append(r.Wrong, fmt.Sprintf(format, args...)) }
	open := func(url, mode string) {
		s.tabs[step.Tab] = s.b.open(url, tab, mode)
		s.b.Settle()
	}
	switch {
	case step.Open != "":
		open(step.Open, "")
	case step.Launch != "":
		open(step.Launch, "")
	case step.Follow != "":
		switch {
		case tab == nil:
			fail("there is no open tab to follow a link in")
		case !links(tab, step.Follow):
			fail("the page that is shown has no link to %s", step.Follow)
		default:
			open(step.Follow, "")
		}
	case step.Reload != "":
		if tab == nil {
			fail("there is no open tab to reload")
			break
		}
		mode := ""
		if step.Reload == "past-worker" {
			mode = forceReload
		}
		url := tab.FinalURL
		if url == "" {
			url = tab.View.URL
		}
		open(url, mode)
	case step.Wait > 0:
		s.b.clock.pass(step.Wait)
	case step.Close == "browser":
		for _, t := range s.tabs {
			s.b.CloseTab(t)
		}
		s.tabs = map[string]*Tab{}
		s.b.Settle()
		s.b.StopWorkers()
	case step.Close != "":
		if tab == nil {
			fail("there is no open tab to close")
			break
		}
		s.b.CloseTab(tab)
		delete(s.tabs, step.Tab)
		s.b.Settle()
	case step.Condition != nil:
		s.b.SetCondition(*step.Condition)
		s.b.sendSyncs()
		s.b.Settle()
	case step.Deploy != nil:
		s.deploy(step.Deploy)
	case step.StopWorker:
		s.b.StopWorkers()
	case step.Evict != "":
		s.b.evict(step.Evict)
	case step.HasPush:
		s.send(fail, "push", map[string]any{"data": step.Push})
	case step.Sync != "":
		s.send(fail, "sync", map[string]any{"tag": step.Sync})
	case step.PeriodicSync != "":
		s.send(fail, "periodicsync", map[string]any{"tag": step.PeriodicSync})
	case step.Click != "":
		if !s.b.clickNotification(step.Click, "") {
			fail("no notification %q is shown", step.Click)
		}
		s.b.Settle()
	case step.Cookie != "":
		name, value, _ := strings.Cut(step.Cookie, "=")
		s.b.store.setCookie(weburl.HostName(s.hosts[0].Origin()), name, value)
	}
	for _, t := range s.tabs {
		if t.client != nil {
			t.View.Controlled = t.client.controller != nil
		}
	}
	r.To = s.b.clock.now - s.b.began
	if t := s.tabs[step.Tab]; t != nil && (step.Open != "" || step.Launch != "" || step.Follow != "" || step.Reload != "") && r.Wrong == nil {
		r.View = t.View
		r.Outcome = s.outcome(t)
	}
	r.Events = slices.Clone(s.events[first:])
	s.lastStep = r.Events
	return r
}

// outcome judges what a tab shows against the same page online, without a worker, as it is deployed now.
func (s *Session) outcome(t *Tab) *PageOutcome {
	plain := New(s.b.net.ctx, s.hosts, s.reader)
	defer plain.Close()
	plain.noWorkers = true
	plain.store.cookies = slices.Clone(s.b.store.cookies)
	return s.b.judge(t.View, plain.Open(t.View.URL, nil).View)
}

func (s *Session) send(fail func(string, ...any), name string, detail map[string]any) {
	sent := false
	for _, g := range s.b.regs {
		sent = s.b.Send(g, name, detail) || sent
	}
	if !sent {
		fail("there is no active worker to receive it")
	}
	s.b.Settle()
}

func (s *Session) deploy(hosts []site.Host) {
	for _, h := range hosts {
		s.b.net.hosts[h.Origin()] = h
		for i := range s.hosts {
			if s.hosts[i].Origin() == h.Origin() {
				s.hosts = slices.Clone(s.hosts)
				s.hosts[i] = h
			}
		}
	}
}

// Worker describes the registrations that the pages of the first host can have.
func (s *Session) Worker() (active, waiting, installing *WorkerState) {
	state := func(g *Registration, w *Worker) *WorkerState {
		if w == nil {
			return nil
		}
		return &WorkerState{ID: w.ID, Script: w.Script, Scope: g.Scope, State: w.State, Error: w.Failure}
	}
	for _, g := range s.b.regs {
		if !g.gone && strings.HasPrefix(g.Scope, s.hosts[0].Origin()+"/") {
			return state(g, g.Active), state(g, g.Waiting), state(g, g.Installing)
		}
	}
	return nil, nil, nil
}

// View is what a tab shows, nil when there is no such tab.
func (s *Session) View(tab string) *View {
	if t := s.tabs[tab]; t != nil {
		return t.View
	}
	return nil
}

func links(t *Tab, url string) bool {
	if t.Document == nil {
		return false
	}
	return slices.ContainsFunc(t.Document.Links, func(l page.Link) bool { return weburl.WithoutFragment(l.URL) == weburl.WithoutFragment(url) })
}

// evict throws away what the profile keeps; registrations go with everything, as when a visitor clears a site's data.
func (b *Browser) evict(what string) {
	if what == "caches" || what == "everything" {
		b.store.names, b.store.caches = nil, map[string]*cache{}
		if b.http != nil {
			b.http = newHTTPCache()
		}
	}
	if what == "databases" || what == "everything" {
		b.store.databases = map[string]string{}
	}
	if what == "cookies" || what == "everything" {
		b.store.cookies = nil
	}
	if what == "everything" {
		for _, g := range slices.Clone(b.regs) {
			b.unregister(g)
		}
	}
}
