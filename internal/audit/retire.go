package audit

import (
	"context"

	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/useragent"
)

// Retired is what came of a visitor who had a worker when another one, that removes itself, was put in its place.
type Retired struct {
	// Had tells that the visitor had a worker at all, of which Kept entries were in caches.
	Had  bool `json:"had"`
	Kept int  `json:"kept"`
	// Gone tells that after the next visit neither registration nor caches are left, and the page came from the network.
	Gone bool `json:"gone"`
	// Left says what is left otherwise.
	Left string `json:"left,omitempty"`
}

// Retire rehearses it: the entry page is visited twice, next is deployed, the page is reloaded, closed and opened
// again.
func Retire(ctx context.Context, in Input, next site.Host) (*Retired, error) {
	a := newAuditor(ctx, in)
	s := a.session(useragent.Options{})
	defer s.Close()
	entry := a.absolute(in.Project.Audit.Entry)
	s.Step(rehearsal.Step{Open: entry})
	s.Step(rehearsal.Step{Reload: "normal"})
	active, _, _ := s.Worker()
	out := &Retired{Had: active != nil}
	for _, c := range s.Caches() {
		out.Kept += len(c.Entries)
	}
	for _, step := range []rehearsal.Step{{Deploy: []site.Host{next}}, {Reload: "normal"}, {Close: "tab"}, {Open: entry}} {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		s.Step(step)
	}
	// A page that goes on registering the address gets the retiring worker, which keeps nothing and answers nothing.
	kept := 0
	for _, c := range s.Caches() {
		kept += len(c.Entries)
	}
	v := s.View("")
	switch {
	case kept > 0:
		out.Left = "caches with content are left"
	case v == nil || v.FromWorker:
		out.Left = "the page still comes from a worker"
	default:
		out.Gone = true
	}
	return out, ctx.Err()
}
