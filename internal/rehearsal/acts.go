package rehearsal

import (
	"context"
	"slices"

	"tachyform/internal/condition"
	"tachyform/internal/crash"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
)

// act is something that people do on a page.
type act struct {
	on *PageResult
	document.Action
	// to is the address that it has to lead to, "" where that does not matter.
	to string
}

// do opens the page of an act in a browser and does it. It gives what is shown then, nil where it can't be done, or leads elsewhere or to another
// document; and what was asked for from then on.
func (a act) do(b *useragent.Browser) (*document.View, map[string]bool) {
	tab := b.Open(a.on.URL, nil)
	if tab.View.Document == nil || tab.View.Failed {
		return nil, nil
	}
	return a.doIn(b, tab)
}

// doIn does what do does on the page that a tab shows.
func (a act) doIn(b *useragent.Browser, tab *document.Tab) (*document.View, map[string]bool) {
	before := len(tab.View.Loads)
	if b.Act(tab, a.Action) != "" {
		return nil, nil
	}
	b.Take(tab)
	view := tab.View
	if view.Documents > 0 || a.to != "" && pageAt(tab.Address()) != pageAt(a.to) {
		return nil, nil
	}
	asked := map[string]bool{}
	for _, l := range view.Loads[min(before, len(view.Loads)):] {
		if !l.Background {
			asked[l.URL] = true
		}
	}
	return view, asked
}

// triesOffline says whether offline is among the conditions.
func (r *Rehearsal) triesOffline() bool {
	return slices.ContainsFunc(r.Conditions, func(c condition.Condition) bool { return c.Name == condition.Offline.Name })
}

// actsOffline says whether what people do on a page without a network can be compared with what it does online.
func (p *PageResult) actsOffline() bool {
	o := p.Under[condition.Offline.Name]
	return o != nil && (o.Outcome == Whole || o.Outcome == Partial) && o.Doubt == nil
}

// branchOffline gives a branch without a network in which people do something.
func (r *Rehearsal) branchOffline(b *useragent.Browser) *useragent.Browser {
	branch := b.Branch()
	branch.SetCondition(condition.Offline)
	branch.SetForeground()
	branch.SetKnown(r.Known)
	return branch
}

// afterAct does in a browser without a network what was done online, where it led to the view online, and judges what is shown. What the page
// lacks before is left out. It gives nil where the page does not come as far.
func (r *Rehearsal) afterAct(ctx context.Context, visited *useragent.Browser, a act, offline *useragent.Browser, online *document.View) *PageOutcome {
	view, _ := a.do(offline)
	if view == nil {
		return nil
	}
	o := judge(offline, view, online)
	if len(o.Lacks) > 0 {
		later := r.withoutWorkers(ctx, visited)
		later.Pass(laterBy)
		if again, _ := a.do(later); again != nil {
			o.settleDrawn(again)
		}
		later.Close()
	}
	o.settleGap(online, func() bool {
		b := r.answeringOtherwise(ctx, visited)
		defer b.Close()
		other, _ := a.do(b)
		return other == nil || differs(online, other)
	})
	before := a.on.Under[condition.Offline.Name]
	o.Missing = slices.DeleteFunc(o.Missing, func(m *document.Load) bool {
		return m.Anyway || slices.ContainsFunc(before.Missing, func(had *document.Load) bool { return had.URL == m.URL })
	})
	if o.Outcome == Partial && len(o.Missing) == 0 && len(o.Lacks) == 0 {
		o.Outcome = Whole
	}
	return o
}

// replaceWhole puts an outcome of something that people do in the place of that of a page that is whole as it is opened, where it is worse.
func (p *PageResult) replaceWhole(o *PageOutcome) {
	was := p.Under[condition.Offline.Name]
	if was == nil || was.Outcome != Whole || was.Doubt != nil || o.Outcome == Whole && o.Doubt == nil {
		return
	}
	for name, other := range p.Under {
		if other == was { // conditions that made no difference share an outcome
			p.Under[name] = o
		}
	}
}

// needs adds those requests of a view that an act made to what the page is known to ask for.
func (p *PageResult) needs(v *document.View, asked map[string]bool) {
	known := map[string]bool{}
	for _, s := range p.Seen.Requests {
		known[s.URL] = true
	}
	for _, s := range v.Seen().Requests {
		if !known[s.URL] && asked[s.URL] {
			s.ByScript = true // whatever asked for it in the end
			p.Seen.Requests = append(p.Seen.Requests, s)
		}
	}
}

// eachOf does something n times, as many at a time as there are processors, until the context is done.
func eachOf(ctx context.Context, n int, do func(i int)) {
	crash.Each(n, func(i int) {
		if ctx.Err() == nil {
			logCrash(ctx, crash.Try(func() error {
				do(i)
				return nil
			}))
		}
	})
}
