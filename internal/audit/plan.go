package audit

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyform/internal/condition"
	"tachyform/internal/problem"
	"tachyform/internal/project"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
	"tachyform/internal/useragent/fetch"
)

// PlanResult is a rehearsal of the project file and what came of it.
type PlanResult struct {
	Name  string     `json:"name"`
	Steps []PlanStep `json:"steps"`
	// Holds is true when every expectation was met.
	Holds bool `json:"holds"`
	// Gaps lists what the worker used and Tachyform's user agent lacks.
	Gaps []string `json:"gaps"`
	// Start is the path that launching the app opens.
	Start string `json:"-"`
}

// PlanStep is one step. Addresses on the site's own origin are written as paths.
type PlanStep struct {
	Do         string            `json:"do"`
	Outcome    rehearsal.Outcome `json:"outcome,omitempty"`
	Status     int               `json:"status,omitempty"`
	Title      string            `json:"title,omitempty"`
	AnsweredBy string            `json:"answered_by,omitempty"`
	// Source is what AnsweredBy says.
	Source  fetch.Source `json:"-"`
	Reason  string       `json:"reason,omitempty"`
	Missing []string     `json:"missing,omitempty"`
	Wrong   []string     `json:"wrong,omitempty"`
	MS      int64        `json:"ms"`
	Account []PlanEvent  `json:"account"`
	// Expects is true for steps that only look.
	Expects bool `json:"-"`
}

// PlanEvent is one thing that happened; At is in milliseconds since the rehearsal began.
type PlanEvent struct {
	At     int64             `json:"at"`
	Kind   account.EventKind `json:"kind"`
	Worker int               `json:"worker,omitempty"`
	Status int               `json:"status,omitempty"`
	Level  string            `json:"level,omitempty"`
	Text   string            `json:"text"`
	Where  string            `json:"where,omitempty"`
	// URL is the address that it is about, Event what Text says of it.
	URL   string        `json:"-"`
	Event account.Event `json:"-"`
}

// RunPlan carries out a rehearsal of the project file. open gives the hosts of another release by the path of its
// folder.
func RunPlan(ctx context.Context, in Input, r project.Rehearsal, open func(dir string) (site.Host, error)) (*PlanResult,
	error) {
	a := newAuditor(ctx, in)
	start := a.install()
	if start == "" {
		start = a.absolute(in.Project.Audit.Entry)
	}
	index := 0
	for i := range in.Project.Rehearsals {
		if in.Project.Rehearsals[i].Name == r.Name {
			index = i
		}
	}
	s := a.session(useragent.Options{Kind: a.Kind, KeepsDocuments: true})
	defer s.Close()
	out := &PlanResult{Name: r.Name, Holds: true, Gaps: []string{}, Start: a.local(start)}
	for j, step := range r.Steps {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		do, err := a.step(step, start, open)
		if err != nil {
			place := in.Project.PlaceOf(fmt.Sprintf("rehearsals[%d].steps[%d]", index, j))
			return nil, &problem.Problem{Kind: problem.Usage,
				Where: fmt.Sprintf("%s:%d:%d", in.Project.Path, place.Line, place.Column), What: err.Error(), Cause: err}
		}
		result := s.Step(do)
		p := PlanStep{Do: describeStep(step), Wrong: result.Wrong, MS: (result.To - result.From).Milliseconds(),
			Expects: step.Expect != nil, Account: []PlanEvent{}}
		if o := result.Outcome; o != nil {
			p.Outcome, p.Status, p.Title, p.AnsweredBy, p.Reason = o.Outcome, o.Status, o.Title, o.AnsweredBy.String(),
				o.Reason.String()
			p.Source = o.AnsweredBy
			p.MS = o.Elapsed.Milliseconds()
			for _, l := range o.Missing {
				p.Missing = append(p.Missing, a.local(l.URL))
			}
		}
		for _, h := range result.Events {
			p.Account = append(p.Account, a.planEvent(h))
			if h.Kind == account.EventGap && !slices.Contains(out.Gaps, h.Text) {
				out.Gaps = append(out.Gaps, h.Text)
			}
		}
		out.Holds = out.Holds && len(p.Wrong) == 0
		out.Steps = append(out.Steps, p)
	}
	return out, nil
}

// planEvent converts an event. URLs of the site's origin become paths.
func (a *auditor) planEvent(e account.Event) PlanEvent {
	short := func(text string) string { return strings.ReplaceAll(text, a.origin+"/", "/") }
	return PlanEvent{e.At.Milliseconds(), e.Kind, e.Worker, e.Status, e.Level, short(e.String()), short(e.Where), short(e.URL), e}
}

// step turns a step of the project file into one for the stage.
func (a *auditor) step(s project.Step, start string, open func(string) (site.Host, error)) (rehearsal.Step, error) {
	out := rehearsal.Step{Tab: s.Tab, Reload: s.Reload, History: s.History, Wait: time.Duration(s.Wait), Close: s.Close,
		StopWorker: s.Stop != "", Evict: s.Evict, Sync: s.Sync, PeriodicSync: s.PeriodicSync, Notification: s.Notification,
		Cookie: s.Cookie}
	switch {
	case s.Click != "":
		out.Act = &document.Action{Kind: document.Click, On: s.Click}
	case s.Type != nil:
		out.Act = &document.Action{Kind: document.Type, On: s.Type.Into, Text: s.Type.Text}
	case s.Choose != nil:
		out.Act = &document.Action{Kind: document.Choose, On: s.Choose.From, Text: s.Choose.Option}
	case s.Submit != "":
		out.Act = &document.Action{Kind: document.Submit, On: s.Submit}
	}
	if s.Open != "" {
		out.Open = a.absolute(s.Open)
	}
	if s.Follow != "" {
		out.Follow = a.absolute(s.Follow)
	}
	if s.Launch != "" {
		out.Launch = start
	}
	if s.Network != "" {
		c, _ := condition.Named(s.Network)
		out.Condition = &c
	}
	if s.Push != nil {
		out.Push, out.HasPush = *s.Push, true
	}
	if s.Deploy != "" {
		h, err := open(s.Deploy)
		if err != nil {
			return out, err
		}
		out.Deploy = []site.Host{h}
	}
	if e := s.Expect; e != nil {
		x := &rehearsal.Expectation{Outcome: rehearsal.Outcome(e.Outcome), Title: e.Title, Address: e.Address,
			AnsweredBy: e.AnsweredBy, Shows: e.Shows, Status: e.Status, Missing: e.Missing, NoneMissing: e.Missing != nil,
			Worker: e.Worker, Waiting: e.Waiting, Kept: e.Kept, NotKept: e.NotKept, Asked: e.Asked, NotAsked: e.NotAsked,
			Says: e.Says, Notification: e.Notification, Links: e.Links, Storage: e.Storage}
		if e.Controlled != "" {
			yes := e.Controlled == "yes"
			x.Controlled = &yes
		}
		out.Expect = x
	}
	return out, nil
}

// describeStep writes a step the way it stands in the project file, on one line.
func describeStep(s project.Step) string {
	var text string
	switch {
	case s.Open != "":
		text = "open " + s.Open
	case s.Follow != "":
		text = "follow the link to " + s.Follow
	case s.Reload == "past-worker":
		text = "reload past the worker"
	case s.Reload != "":
		text = "reload"
	case s.History != "":
		text = "go " + s.History
	case s.Launch != "":
		text = "launch from the home screen"
	case s.Close == "browser":
		text = "close the browser"
	case s.Close != "":
		text = "close the tab"
	case s.Wait > 0:
		text = "wait " + s.Wait.String()
	case s.Network != "":
		text = "the network is " + s.Network
	case s.Deploy != "":
		text = "deploy " + s.Deploy
	case s.Stop != "":
		text = "stop the worker"
	case s.Evict != "":
		text = "evict " + s.Evict
	case s.Push != nil:
		text = "push " + *s.Push
	case s.Sync != "":
		text = "sync " + s.Sync
	case s.PeriodicSync != "":
		text = "periodic sync " + s.PeriodicSync
	case s.Click != "":
		text = "click " + s.Click
	case s.Notification != "":
		text = "click the notification " + s.Notification
	case s.Type != nil:
		text = fmt.Sprintf("type %q into %s", s.Type.Text, s.Type.Into)
	case s.Choose != nil:
		text = fmt.Sprintf("choose %s from %s", s.Choose.Option, s.Choose.From)
	case s.Submit != "":
		text = "submit " + s.Submit
	case s.Cookie != "":
		text = "cookie " + s.Cookie
	case s.Expect != nil:
		text = "expect " + s.Expect.Words()
	}
	if s.Tab != "" {
		text += " (tab " + s.Tab + ")"
	}
	return text
}
