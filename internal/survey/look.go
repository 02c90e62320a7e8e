package survey

import (
	"context"

	"tachyform/internal/page"
	"tachyform/internal/project"
	"tachyform/internal/site"
)

// Look reads and visits a folder of which nobody has said how its host answers. What its files tell of that is set in
// the project, and listed; keepAddress leaves the address as it is. open opens the folder as the project has it.
func Look(ctx context.Context, p *project.Project, keepAddress bool, open func() (*site.Folder, error), r *page.Reader,
	v Visits) (*Graph, []Inference, error) {
	var told []Inference
	again := func() (*Graph, error) {
		folder, err := open()
		if err != nil {
			return nil, err
		}
		return BuildGraph(ctx, folder, r)
	}
	g, err := again()
	if err != nil {
		return nil, nil, err
	}
	if i, is := g.InferAddress(); is && !keepAddress {
		told = append(told, i)
		p.Addr, p.Audit.Entry, p.Audit.Visit = i.Value, i.Value, []string{i.Value}
		if g, err = again(); err != nil {
			return nil, nil, err
		}
	}
	// What is told by visits may lead to more that visits tell: once more is enough to find what a router draws.
	for range 2 {
		if err := g.Visit(ctx, r, v); err != nil {
			return nil, nil, err
		}
		more := g.InferHosting()
		changed := false
		for _, i := range more {
			if set := p.Host.Set(i.Key, i.Value); set {
				told, changed = append(told, i), true
			}
		}
		if !changed {
			break
		}
		if g, err = again(); err != nil {
			return nil, nil, err
		}
	}
	i, found, err := g.tryFallbacks(ctx, p, open, r, v)
	if err != nil {
		return nil, nil, err
	}
	if found {
		told = append(told, i)
		if g, err = again(); err != nil {
			return nil, nil, err
		}
	}
	if g.Seen == nil {
		err = g.Visit(ctx, r, v)
	}
	return g, told, err
}
