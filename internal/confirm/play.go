package confirm

import (
	"cmp"
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/driver"
	"tachyform/internal/project"
	"tachyform/internal/weburl"
)

// Played is a rehearsal of the project file in a real browser.
type Played struct {
	Name  string
	Steps []PlayedStep
}

// PlayedStep is a step as predicted and in a real browser.
type PlayedStep struct {
	Predicted audit.PlanStep
	// Seen is the page after a step that opens one.
	Seen *Sight
	// Wrong lists expectations that are not met, or why the step failed.
	Wrong []string
	// Skipped is the reason why the step, or a part of it, cannot be carried out in a real browser, or "".
	Skipped string
}

// Differs reports whether the result in the browser is not the predicted one.
func (s PlayedStep) Differs() bool {
	if s.Skipped != "" {
		return false
	}
	if s.Seen != nil && s.Predicted.Outcome != "" && s.Seen.Shows && s.Predicted.Title != "" && s.Seen.Title != s.Predicted.Title {
		return true
	}
	return (len(s.Wrong) > 0) != (len(s.Predicted.Wrong) > 0)
}

// longestWait is the longest real wait of a step.
const longestWait = 30 * time.Second

//go:embed page.js
var pageScript string

// player carries out the steps of one rehearsal.
type player struct {
	*Site
	browser driver.Browser
	tabs    map[string]driver.Tab
	shown   map[string]string // URL by tab, for steps that are not navigations
	start   string
	deploy  func(dir string) error
	asked   map[string]bool // paths that reached the host in the step before an expectation
}

// Play carries out a rehearsal of the project file in a browser with a new profile, which it starts. predicted is its result in the
// embedded user agent. deploy serves another folder.
func (s *Site) Play(ctx context.Context, r project.Rehearsal, predicted *audit.PlanResult, deploy func(dir string) error) (*Played, error) {
	b, err := s.Start()
	if err != nil {
		return nil, err
	}
	defer b.Close()
	if err := s.setCondition(condition.Online); err != nil {
		return nil, err
	}
	defer s.setCondition(condition.Online)
	s.Server.Log.Drain()
	p := &player{Site: s, browser: b, tabs: map[string]driver.Tab{}, shown: map[string]string{}, start: predicted.Start, deploy: deploy}
	defer p.closeAll()
	out := &Played{Name: r.Name}
	for i, step := range r.Steps {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		one := PlayedStep{}
		if i < len(predicted.Steps) {
			one.Predicted = predicted.Steps[i]
		}
		p.carryOut(ctx, step, &one)
		out.Steps = append(out.Steps, one)
	}
	return out, ctx.Err()
}

func (p *player) closeAll() {
	for name, tab := range p.tabs {
		tab.Close()
		delete(p.tabs, name)
	}
}

// carryOut carries out a step and sets its result.
func (p *player) carryOut(ctx context.Context, step project.Step, out *PlayedStep) {
	fail := func(err error) {
		if err != nil {
			out.Wrong = append(out.Wrong, err.Error())
		}
	}
	if step.Expect == nil {
		p.Server.Log.Drain()
	}
	switch {
	case step.Open != "":
		p.open(ctx, step.Tab, step.Open, out)
	case step.Launch != "":
		p.open(ctx, step.Tab, p.start, out)
	case step.Reload == "past-worker":
		out.Skipped = "a script cannot reload past the worker"
	case step.Reload != "":
		fail(p.evaluate(step.Tab, "(setTimeout(() => location.reload()), '')"))
		p.look(ctx, step.Tab, out)
	case step.History != "":
		delta := map[string]int{"back": -1, "forward": 1}[step.History]
		fail(p.evaluate(step.Tab, fmt.Sprintf("(setTimeout(() => history.go(%d)), '')", delta)))
		p.look(ctx, step.Tab, out)
	case step.Close != "":
		if step.Close == "browser" {
			p.closeAll()
		} else if tab := p.tabs[step.Tab]; tab != nil {
			fail(tab.Load("about:blank")) // a browser with a single tab leaves it open
			tab.Close()
			delete(p.tabs, step.Tab)
		}
	case step.Wait > 0:
		if time.Duration(step.Wait) > longestWait {
			out.Skipped = fmt.Sprintf("it waits longer than %v", longestWait)
		}
		sleep(ctx, min(time.Duration(step.Wait), longestWait))
	case step.Network != "":
		c, _ := condition.Named(step.Network)
		fail(p.setCondition(c))
	case step.Deploy != "":
		fail(p.deploy(step.Deploy))
	case step.Follow != "":
		p.act(ctx, step.Tab, "follow", p.Server.Origin()+step.Follow, "", out)
	case step.Click != "":
		p.act(ctx, step.Tab, "click", step.Click, "", out)
	case step.Submit != "":
		p.act(ctx, step.Tab, "submit", step.Submit, "", out)
	case step.Type != nil:
		p.act(ctx, step.Tab, "type", step.Type.Into, step.Type.Text, out)
	case step.Choose != nil:
		p.act(ctx, step.Tab, "choose", step.Choose.From, step.Choose.Option, out)
	case step.Cookie != "":
		cookie, _ := json.Marshal(step.Cookie + "; path=/")
		fail(p.evaluate(step.Tab, "((document.cookie = "+string(cookie)+"), '')"))
	case step.Expect != nil:
		p.expect(step.Tab, step.Expect, out)
		return
	default:
		out.Skipped = "browsers offer no command for this step"
	}
	p.asked = map[string]bool{}
	for _, e := range p.Server.Log.Drain() {
		p.asked[e.Path], p.asked[weburl.WithoutQuery(e.Path)] = true, true
	}
}

func sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// open loads a path in a tab, which it opens if necessary, and waits for the worker's installation.
func (p *player) open(ctx context.Context, name, path string, out *PlayedStep) {
	tab := p.tabs[name]
	if tab == nil {
		var err error
		if tab, err = p.browser.NewTab(); err != nil {
			out.Wrong = append(out.Wrong, err.Error())
			return
		}
		p.tabs[name] = tab
	}
	_ = tab.Load(p.Server.Origin() + path) // an error page is a result, too
	p.look(ctx, name, out)
	p.awaitWorker(ctx, tab)
}

// look waits until the page of a tab no longer changes and records it.
func (p *player) look(ctx context.Context, name string, out *PlayedStep) {
	tab := p.tabs[name]
	if tab == nil {
		return
	}
	sleep(ctx, settled)
	seen := p.settle(ctx, tab, func(s Sight) bool { return out.Predicted.Title == "" || s.Title == out.Predicted.Title })
	out.Seen = &seen
}

// act does something on the page of a tab.
func (p *player) act(ctx context.Context, name, kind, on, text string, out *PlayedStep) {
	if p.tabs[name] == nil {
		out.Wrong = append(out.Wrong, "there is no such tab")
		return
	}
	arguments, _ := json.Marshal([]string{kind, on, text})
	wrong, err := p.tabs[name].Evaluate("Promise.resolve((" + pageScript + ")(..." + string(arguments) + "))")
	if err != nil {
		wrong = err.Error()
	}
	if wrong != "" {
		out.Wrong = append(out.Wrong, wrong)
	}
	p.look(ctx, name, out)
	if kind == "type" || kind == "choose" {
		out.Seen = nil
	}
}

// evaluate runs an expression in a tab.
func (p *player) evaluate(name, expression string) error {
	if p.tabs[name] == nil {
		return fmt.Errorf("there is no such tab")
	}
	_, err := p.tabs[name].Evaluate("Promise.resolve(" + expression + ")")
	return err
}

// state is an expression for what expectations are about.
const state = `(async () => {
  const list = await navigator.serviceWorker?.getRegistrations() ?? [];
  const cached = [];
  if (globalThis.caches) for (const name of await caches.keys()) for (const r of await (await caches.open(name)).keys()) cached.push(r.url);
  return JSON.stringify({ address: location.href, title: document.title, text: document.body?.innerText ?? '', controlled: Boolean(navigator.serviceWorker?.controller),
    worker: list.map((r) => r.active?.state).find(Boolean) ?? 'none', waiting: list.some((r) => r.waiting), cached,
    links: [...document.querySelectorAll('a[href]')].map((a) => a.href), storage: { ...localStorage } });
})()`

// pageState is the value of state.
type pageState struct {
	Address, Title, Text, Worker string
	Controlled, Waiting          bool
	Cached, Links                []string
	Storage                      map[string]string
}

// expect checks the expectations that can be checked from a page, and those about requests.
func (p *player) expect(name string, e *project.Expectation, out *PlayedStep) {
	say := func(format string, args ...any) { out.Wrong = append(out.Wrong, fmt.Sprintf(format, args...)) }
	var s pageState
	if tab := p.tabs[name]; tab != nil {
		text, err := tab.Evaluate("Promise.resolve(" + state + ")")
		if err != nil || json.Unmarshal([]byte(text), &s) != nil {
			s = pageState{}
		}
	}
	origin := p.Server.Origin()
	same := func(what, want, got string) {
		if want != "" && want != got {
			say("%s: expected %s, got %s", what, want, cmp.Or(got, "nothing"))
		}
	}
	yes := func(what, want string, got bool) {
		if want != "" && (want == "yes") != got {
			say("%s: expected %s", what, want)
		}
	}
	same("title", e.Title, s.Title)
	same("address", e.Address, weburl.Local(s.Address, origin))
	same("worker", e.Worker, s.Worker)
	yes("controlled by a worker", e.Controlled, s.Controlled)
	yes("waiting worker", e.Waiting, s.Waiting)
	if e.Shows != "" && !strings.HasPrefix(strings.TrimSpace(e.Shows), "<") && !strings.Contains(Collapsed(s.Text), Collapsed(e.Shows)) {
		say("the page does not show %q", e.Shows)
	}
	for key, want := range e.Storage {
		same("storage "+key, want, s.Storage[key])
	}
	in := func(what string, list map[string]bool, paths []string, want bool) {
		for _, path := range paths {
			if list[path] != want {
				say("%s: %s", what, path)
			}
		}
	}
	in("not linked", paths(s.Links, origin), e.Links, true)
	in("not cached", paths(s.Cached, origin), e.Kept, true)
	in("cached", paths(s.Cached, origin), e.NotKept, false)
	in("not requested", p.asked, e.Asked, true)
	in("requested", p.asked, e.NotAsked, false)
	var hidden []string
	for _, h := range []struct {
		key string
		set bool
	}{{"outcome", e.Outcome != ""}, {"status", e.Status != 0}, {"answered_by", e.AnsweredBy != ""}, {"missing", e.Missing != nil},
		{"says", e.Says != ""}, {"notification", e.Notification != ""}} {
		if h.set {
			hidden = append(hidden, h.key)
		}
	}
	if hidden != nil && len(out.Wrong) == 0 {
		out.Skipped = "a page cannot read " + strings.Join(hidden, ", ")
	}
}

// paths returns a set of URLs without the origin, with and without their query.
func paths(urls []string, origin string) map[string]bool {
	set := map[string]bool{}
	for _, u := range urls {
		local := weburl.Local(u, origin)
		set[local], set[weburl.WithoutQuery(local)] = true, true
	}
	return set
}

// Result is what a real browser showed of a site.
type Result struct {
	// Browser is its name and version, such as "chromium 156".
	Browser  string
	Rows     []Row
	Plans    []*Played
	Pictures []Picture
}
