package rehearsal

import (
	"context"

	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
)

// mayRegister returns the reason why pages might register a worker although the visits registered none: scripts used what is not
// simulated, or depend on an answer that was made up. It returns nil if no worker is certain.
func (r *Rehearsal) mayRegister(ctx context.Context, visits []*document.View) *Doubt {
	var soft *Doubt
	for _, v := range visits {
		if g := firstGap(v, false); g != nil {
			return gapDoubt(g)
		}
		if g := firstGap(v, true); g != nil && soft == nil {
			soft = gapDoubt(g)
		}
	}
	if soft == nil {
		return nil
	}
	o := r.options()
	o.Otherwise = true
	b := useragent.New(ctx, r.Hosts, o)
	defer b.Close()
	if _, err := r.visit(ctx, b, false, nil); err != nil || !b.KnowsWorkers() {
		return nil
	}
	return soft
}

// doubtAll sets a doubt for all outcomes that a worker could change.
func (out *Result) doubtAll(d *Doubt) {
	for _, p := range out.Pages {
		for _, o := range p.Under {
			if o.Doubt == nil {
				o.Doubt = d
			}
		}
	}
}
