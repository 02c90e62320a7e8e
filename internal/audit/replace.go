package audit

import (
	"context"
	"slices"

	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
	"tachyform/internal/worker"
)

// Replaced is what came of a visitor who had the site's own worker when another was put in its place.
type Replaced struct {
	// Stores are the names of what the old worker kept, of which Left are still there afterwards.
	Stores, Left []string
	// Stays tells that the old worker is still the active one after its pages were closed and opened again.
	Stays bool
	// Failure says why the new worker could not be installed.
	Failure string
}

// StoresOf visits a site with its own worker and gives the names of what that keeps.
func StoresOf(ctx context.Context, in Input) ([]string, error) {
	a := newAuditor(ctx, in)
	s := a.replacing()
	defer s.Close()
	a.visitTwice(s)
	return storesOf(s), ctx.Err()
}

// Replace rehearses it: the pages are visited twice, next is deployed, the page is reloaded, closed and opened again.
func Replace(ctx context.Context, in Input, next site.Host) (*Replaced, error) {
	a := newAuditor(ctx, in)
	s := a.replacing()
	defer s.Close()
	a.visitTwice(s)
	before, _, _ := s.Worker()
	out := &Replaced{Stores: storesOf(s)}
	entry := a.absolute(in.Project.Audit.Entry)
	for _, step := range []rehearsal.Step{{Deploy: []site.Host{next}}, {Reload: "normal"}, {Close: "browser"},
		{Open: entry}, {Close: "browser"}, {Open: entry}} {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		s.Step(step)
	}
	after, _, installing := s.Worker()
	out.Stays = before != nil && after != nil && before.ID == after.ID
	if installing != nil {
		out.Failure = installing.Error
	}
	now := storesOf(s)
	for _, name := range out.Stores {
		if slices.Contains(now, name) {
			out.Left = append(out.Left, name)
		}
	}
	return out, ctx.Err()
}

func (a *auditor) replacing() *rehearsal.Session {
	present := *a.Project
	present.Worker.Replace = ""
	return a.session(useragent.Options{Present: (&auditor{Input: Input{Project: &present, Host: a.Host},
		origin: a.origin}).present()})
}

func (a *auditor) visitTwice(s *rehearsal.Session) {
	for range 2 {
		for _, url := range a.Visits() {
			s.Step(rehearsal.Step{Open: url})
		}
	}
}

// storesOf names the caches that are not those of a worker of ours.
func storesOf(s *rehearsal.Session) (names []string) {
	for _, c := range s.Caches() {
		if _, ours := worker.ParseStore(c.Name); !ours {
			names = append(names, c.Name)
		}
	}
	return names
}
