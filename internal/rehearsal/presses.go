package rehearsal

import (
	"context"
	"runtime"
	"slices"

	"tachyform/internal/condition"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
)

// press is a button or its like on a page that is pressed.
type press struct {
	document.Pressable
	on *PageResult
	// online is what is shown once it was pressed, nil where that changes nothing that is seen and asks for nothing.
	online *document.View
	// asked is what pressing it online asked for.
	asked map[string]bool
	// offline is the browser without a network in which it is pressed again, nil where it is not; outcome is what that had, nil where the button is
	// not there.
	offline *useragent.Browser
	outcome *PageOutcome
}

// press presses what can be pressed on the pages that were opened, once online, and again without a network what had an effect. What a press asks
// for belongs to its page; what breaks offline makes the page partial. Of pages with the same scripts two are tried with all that is on them, the
// others with what asked for something there.
func (r *Rehearsal) press(ctx context.Context, b *useragent.Browser, out *Result) {
	sets := map[string][]*PageResult{}
	var order []string
	for _, p := range out.Pages {
		if len(p.pressables) == 0 || !p.drawn || !p.opens {
			continue
		}
		if sets[p.scripts] == nil {
			order = append(order, p.scripts)
		}
		sets[p.scripts] = append(sets[p.scripts], p)
	}
	offline := slices.ContainsFunc(r.Conditions, func(c condition.Condition) bool { return c.Name == condition.Offline.Name })
	left := r.Presses
	for _, set := range order {
		first := sets[set][:min(triedBySet, len(sets[set]))]
		matters, known := map[string]bool{}, map[string]bool{}
		for _, x := range r.pressAll(ctx, b, first, &left, offline, out, func(document.Pressable) bool { return true }) {
			known[x.Shape] = true
			matters[x.Shape] = matters[x.Shape] || len(x.asked) > 0 || x.outcome != nil && (x.outcome.Outcome != Whole || x.outcome.Doubt != nil)
		}
		r.pressAll(ctx, b, sets[set][len(first):], &left, offline, out, func(x document.Pressable) bool { return matters[x.Shape] || !known[x.Shape] })
	}
}

// pressAll presses what is wanted on some pages, as many pages at a time as there are processors.
func (r *Rehearsal) pressAll(ctx context.Context, b *useragent.Browser, pages []*PageResult, left *int, offline bool, out *Result,
	wanted func(document.Pressable) bool) (all []*press) {
	for chunk := range slices.Chunk(pages, 2*runtime.GOMAXPROCS(0)) {
		var lists [][]*press
		for _, p := range chunk {
			var list []*press
			for _, x := range p.pressables {
				if !wanted(x) {
					continue
				}
				if *left == 0 {
					out.Unpressed++
					continue
				}
				*left--
				list = append(list, &press{Pressable: x, on: p})
			}
			lists = append(lists, list)
		}
		eachOf(ctx, len(lists), func(i int) { r.pressOnline(ctx, b, lists[i]) })
		list := slices.Concat(lists...)
		for _, x := range list {
			if offline && x.online != nil && x.on.actsOffline() {
				x.offline = r.branchOffline(b)
			}
		}
		eachOf(ctx, len(list), func(i int) { r.pressOffline(ctx, b, list[i]) })
		for _, x := range list { // in their order, whoever was done first
			if x.online != nil {
				x.on.needs(x.online, x.asked)
			}
			if x.outcome != nil {
				x.on.replaceWhole(x.outcome)
			}
			if x.offline != nil {
				x.offline.Close()
			}
		}
		all = append(all, list...)
	}
	return all
}

// pressOnline presses buttons of one page online. Each that has an effect is pressed on a page that was just opened, or on which what was pressed
// before had none.
func (r *Rehearsal) pressOnline(ctx context.Context, visited *useragent.Browser, list []*press) {
	var b *useragent.Browser
	var tab *document.Tab
	end := func() {
		if b != nil {
			b.Close()
		}
		b, tab = nil, nil
	}
	defer end()
	for _, x := range list {
		if ctx.Err() != nil {
			return
		}
		if b == nil {
			b = r.withoutWorkers(ctx, visited)
			if tab = b.Open(x.on.URL, nil); tab.View.Document == nil || tab.View.Failed {
				return
			}
		}
		text, address := tab.View.DrawnText(), tab.Address()
		var view *document.View
		if view, x.asked = x.act().doIn(b, tab); view == nil { // not there, or it led to another document
			end()
			continue
		}
		if len(x.asked) > 0 || view.DrawnText() != text || tab.Address() != address {
			x.online = view
			end()
		}
	}
}

// pressOffline presses a button without a network.
func (r *Rehearsal) pressOffline(ctx context.Context, visited *useragent.Browser, x *press) {
	if x.offline == nil {
		return
	}
	x.outcome = r.afterAct(ctx, visited, x.act(), x.offline, x.online)
	if o := x.outcome; o != nil {
		o.Pressed = x.Name
		if o.Outcome != Whole {
			o.Outcome = Partial // the page itself is there
		}
	}
}

func (x *press) act() act {
	return act{on: x.on, Action: document.Action{Kind: document.Press, On: x.Key}}
}
