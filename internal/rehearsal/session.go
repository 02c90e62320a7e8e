package rehearsal

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/page"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
	"tachyform/internal/weburl"
)

// Session carries out the steps of a rehearsal on a driver, and tells what each led to.
type Session struct {
	driver Driver
	origin string
	began  time.Duration
	// lastStep is the account of the last step that was no expectation.
	lastStep []account.Event
}

// Step is what a person does, or what happens to them. Exactly one of the fields beside Tab is set.
// Which fields say something depends on what it does.
type Step struct {
	// Tab names the tab that the step is about, "" for the first.
	Tab string
	// Open, Follow and Launch are absolute URLs: typed in, a link on the page that is shown, or as the home screen opens
	// the app.
	Open, Follow, Launch string
	// Reload is normal or past-worker.
	Reload string
	// History is back or forward.
	History string
	Wait    time.Duration
	// Close is tab or browser.
	Close     string
	Condition *condition.Condition
	// Deploy puts other hosts in the place of those with the same origin.
	Deploy []site.Host
	// StopWorker ends running workers, as browsers do with idle ones.
	StopWorker bool
	// Evict is caches, databases, cookies or everything.
	Evict string
	// Push is a message's text; HasPush says that there is one. Sync, PeriodicSync are tags, Notification a notification's tag
	// or title.
	Push                             string
	HasPush                          bool
	Sync, PeriodicSync, Notification string
	// Act is something done on the page; a click that fits nothing there is tried on the notifications.
	Act *document.Action
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
	Asked, NotAsked                   []string          // of the network, in the step before
	Links                             []string          // paths that the page links to
	Storage                           map[string]string // values of local storage, by their keys
	Says                              string            // console output or error since the rehearsal began
	Notification                      string
}

// StepResult is what a step led to.
type StepResult struct {
	// View is the page that the step opened, nil for other steps.
	View *document.View
	// Outcome is that page's, by the words of the default rehearsal.
	Outcome *PageOutcome
	// Events is the account of the step.
	Events []account.Event
	// Wrong says what was expected and not met, or why the step could not be carried out.
	Wrong []string
	// From and To are virtual times since the beginning.
	From, To time.Duration
}

// NewSession begins a rehearsal on a driver; origin is that of the site which is rehearsed.
func NewSession(d Driver, origin string) *Session {
	return &Session{driver: d, origin: origin, began: d.Now()}
}

// Close ends the driver.
func (s *Session) Close() { s.driver.End() }

// Caches lists what the profile's caches hold.
func (s *Session) Caches() []useragent.CacheContent { return s.driver.Profile().Caches }

// View is what a tab shows, nil when there is no such tab.
func (s *Session) View(tab string) *document.View { return s.driver.View(tab) }

// Step carries out a step and lets it come to rest.
func (s *Session) Step(step Step) *StepResult {
	r := &StepResult{From: s.driver.Now() - s.began}
	if step.Expect != nil {
		r.Wrong = s.unmet(step.Tab, step.Expect)
		r.To = r.From
		return r
	}
	first := len(s.driver.Events())
	r.Wrong = s.carryOut(step)
	r.To = s.driver.Now() - s.began
	if opens := step.Open != "" || step.Launch != "" || step.Follow != "" || step.Reload != "" || step.History != ""; opens && r.Wrong == nil {
		r.View = s.driver.View(step.Tab)
		r.Outcome = s.driver.Judge(step.Tab)
	}
	r.Events = slices.Clone(s.driver.Events()[first:])
	s.lastStep = r.Events
	return r
}

// carryOut does what a step says and tells why it could not be done.
func (s *Session) carryOut(step Step) (wrong []string) {
	d := s.driver
	view := d.View(step.Tab)
	fail := func(format string, args ...any) { wrong = append(wrong, fmt.Sprintf(format, args...)) }
	deliver := func(event string, detail map[string]any) {
		if !d.Deliver(event, detail) {
			fail("there is no active worker to receive it")
		}
	}
	switch {
	case step.Open != "":
		d.Open(step.Tab, step.Open)
	case step.Launch != "":
		d.Open(step.Tab, step.Launch)
	case step.Follow != "":
		switch {
		case view == nil:
			fail("there is no open tab to follow a link in")
		case !links(view, step.Follow):
			fail("the page that is shown has no link to %s", step.Follow)
		default:
			d.Open(step.Tab, step.Follow)
		}
	case step.Reload != "":
		if view == nil {
			fail("there is no open tab to reload")
			break
		}
		d.Reload(step.Tab, step.Reload == "past-worker")
	case step.History != "":
		delta := map[string]int{"back": -1, "forward": 1}[step.History]
		switch {
		case view == nil:
			fail("there is no open tab to go %s in", step.History)
		case !d.Traverse(step.Tab, delta):
			fail("the tab has shown nothing to go %s to", step.History)
		}
	case step.Wait > 0:
		d.Wait(step.Wait)
	case step.Close == "browser":
		d.CloseAll()
	case step.Close != "":
		if view == nil {
			fail("there is no open tab to close")
			break
		}
		d.Close(step.Tab)
	case step.Condition != nil:
		d.SetCondition(*step.Condition)
	case step.Deploy != nil:
		d.Deploy(step.Deploy)
	case step.StopWorker:
		d.StopWorkers()
	case step.Evict != "":
		d.Evict(step.Evict)
	case step.HasPush:
		deliver("push", map[string]any{"data": step.Push})
	case step.Sync != "":
		deliver("sync", map[string]any{"tag": step.Sync})
	case step.PeriodicSync != "":
		deliver("periodicsync", map[string]any{"tag": step.PeriodicSync})
	case step.Notification != "":
		if !d.ClickNotification(step.Notification) {
			fail("no notification %q is shown", step.Notification)
		}
	case step.Act != nil:
		if why := s.act(step); why != "" {
			fail("%s", why)
		}
	case step.Cookie != "":
		name, value, _ := strings.Cut(step.Cookie, "=")
		d.SetCookie(name, value)
	}
	return wrong
}

// act does something on the page of a step's tab, and says why it could not be done.
func (s *Session) act(step Step) string {
	a := *step.Act
	why := "there is no open tab"
	if s.driver.View(step.Tab) != nil {
		why = s.driver.Act(step.Tab, a)
	}
	if a.Kind != document.Click || why == "" {
		return why
	}
	// Earlier project files name notifications in this way.
	if s.driver.ClickNotification(a.On) {
		return ""
	}
	if why == document.NothingThere {
		return fmt.Sprintf("nothing on the page reads %q or is found by it, and no notification is called so", a.On)
	}
	return why
}

// Worker describes the registration that the pages of the site have.
func (s *Session) Worker() (active, waiting, installing *useragent.WorkerState) {
	for _, g := range s.driver.Profile().Registrations {
		if strings.HasPrefix(g.Scope, s.origin+"/") {
			return g.Active, g.Waiting, g.Installing
		}
	}
	return nil, nil, nil
}

func links(v *document.View, url string) bool {
	if v.Document == nil {
		return false
	}
	return slices.ContainsFunc(v.Document.Links,
		func(l page.Link) bool { return weburl.WithoutFragment(l.URL) == weburl.WithoutFragment(url) })
}
