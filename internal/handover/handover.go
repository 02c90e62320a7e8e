// Package handover plays what people who have one release of a site get from the next: each scenario is a returning
// visitor in the embedded user agent, to whom the new release is deployed.
package handover

import (
	"cmp"
	"context"
	"runtime"
	"slices"
	"sync"

	"tachyform/internal/crash"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/document"
)

// Release is a deployed state of the site: its host and those of other origins that its pages fetch from.
type Release struct {
	Name   string
	Host   site.Host
	Others []site.Host
}

func (r *Release) hosts() []site.Host { return append([]site.Host{r.Host}, r.Others...) }

// Input is what is handed over.
type Input struct {
	// Releases are the states in the order in which they were deployed, at least two; the last is the new one.
	Releases []Release
	// Visit are the pages that a visitor opens on an old release, as absolute URLs, the entry last.
	Visit []string
	// Options are those of the user agent, without its HTTP cache, which is on.
	Options useragent.Options
	// Retiring is the code of a worker that removes itself, for the scenario in which the worker is retired.
	Retiring []byte
	// Only names the scenarios to play, nil for all.
	Only     []string
	Progress func(done, all int)
}

// Result is what all scenarios came to.
type Result struct {
	Scenarios []*Scenario
	// WholeRequests and WholeBytes are what a new visitor to the new release fetches, for comparison.
	WholeRequests int
	WholeBytes    int64
	// OldWorker and NewWorker say that pages of the old release, or of the new one, have a worker.
	OldWorker, NewWorker bool
}

// Run plays the scenarios. Those that do not fit the releases, as one that skips releases where there are two, are left
// out. They come in the order of Known, and out alike each time.
func Run(ctx context.Context, in Input) (*Result, error) {
	in.Options.HTTPCache = true
	truth := newTruth(ctx, in)
	defer truth.close()
	base := newVisitor(ctx, in, truth, useragent.New(ctx, in.old().hosts(), in.Options))
	defer base.b.Close()
	result := &Result{}
	fresh := newVisitor(ctx, in, truth, useragent.New(ctx, in.newest().hosts(), in.Options))
	fresh.arrive()
	_, result.NewWorker = fresh.b.RegistrationFor(in.entry())
	result.WholeRequests, result.WholeBytes = fresh.requests, fresh.bytes
	for _, c := range fresh.b.Caches() {
		truth.newCaches = append(truth.newCaches, c.Name)
	}
	fresh.b.Close()
	base.b.Strain(fresh.b.Strained())
	base.arrive()
	in.Options.Strained = base.b.Strained()
	truth.in = in

	// The first scenario is played in the profile in which the pages were visited; the others begin in branches of it.
	first := newVisitor(ctx, in, truth, useragent.New(ctx, in.old().hosts(), in.Options))
	defer first.b.Close()
	if g, has := base.b.RegistrationFor(in.entry()); has && g.Active != nil {
		result.OldWorker = true
		truth.oldWorker = append([]string{g.Active.Script}, g.Active.Imports...)
	}
	for _, c := range base.b.Caches() {
		truth.oldCaches = append(truth.oldCaches, c.Name)
	}
	var wanted []*definition
	for _, d := range definitions {
		if (in.Only == nil || slices.Contains(in.Only, d.name)) && (d.fits == nil || d.fits(in, result)) {
			wanted = append(wanted, d)
		}
	}
	var failed error
	jobs := make(chan job)
	var wait sync.WaitGroup
	var mu sync.Mutex
	done := 0
	for range min(runtime.GOMAXPROCS(0), len(wanted)) {
		wait.Add(1)
		go func() {
			defer wait.Done()
			for j := range jobs {
				err := j.play(first)
				mu.Lock()
				failed = cmp.Or(failed, err)
				done++
				if in.Progress != nil {
					in.Progress(done, len(wanted))
				}
				mu.Unlock()
			}
		}()
	}
	for _, d := range wanted {
		if ctx.Err() != nil {
			break
		}
		s := &Scenario{Name: d.name}
		result.Scenarios = append(result.Scenarios, s)
		v := first
		if d.name != Returning {
			// Branches are made here, one after the other, since making one marks what is shared.
			v = newVisitor(ctx, in, truth, base.b.Branch())
		}
		jobs <- job{d, v, s}
	}
	close(jobs)
	wait.Wait()
	return result, cmp.Or(failed, ctx.Err())
}

// job is a scenario to be played by a visitor.
type job struct {
	d *definition
	v *visitor
	s *Scenario
}

// play plays the scenario; the browser of first is not closed. The error is a *crash.Crash.
func (j job) play(first *visitor) (err error) {
	defer crash.Catch(&err)
	j.d.play(j.v)
	j.s.Steps, j.s.Pages = j.v.steps, j.v.pages
	j.v.conclude(j.s)
	if j.v != first {
		j.v.b.Close()
	}
	return nil
}

func (in Input) entry() string { return in.Visit[len(in.Visit)-1] }

// newest is the new release, old the one before it, which visitors have where nothing else is said.
func (in Input) newest() *Release { return &in.Releases[len(in.Releases)-1] }
func (in Input) old() *Release    { return &in.Releases[len(in.Releases)-2] }

// visitor is a person with a browser, and what is noted of each step.
type visitor struct {
	ctx    context.Context
	in     Input
	truth  *truth
	b      *useragent.Browser
	tabs   map[string]*document.Tab
	steps  []*Step
	pages  []*Step // shown at the end
	events []account.Event

	moves                        Moves
	requests, failures, messages int
	bytes, most                  int64
}

func newVisitor(ctx context.Context, in Input, t *truth, b *useragent.Browser) *visitor {
	v := &visitor{ctx: ctx, in: in, truth: t, b: b, tabs: map[string]*document.Tab{}}
	v.watch()
	return v
}

// Scenarios that others ask for by name.
const (
	Returning  = "returning"   // somebody who comes back
	RolledBack = "rolled-back" // the host goes back to the old release
)
