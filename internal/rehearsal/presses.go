package rehearsal

import (
	"context"
	"runtime"
	"slices"
	"sync"

	"tachyform/internal/useragent"
	"tachyform/internal/useragent/document"
)

// press is a button or its like on a page that is pressed.
type press struct {
	document.Pressable
	on *PageResult
	// text is what the page shows once it was pressed online after those before it in its row.
	text string
	// online is what is shown once it alone was pressed, nil where that asks for nothing; asked is what it asks for.
	online *document.View
	asked  map[string]bool
	// outcome is what pressing it had without a network, nil where it was not pressed there, or is not there.
	outcome *PageOutcome
}

func (x *press) act() act {
	return act{on: x.on, Action: document.Action{Kind: document.Press, On: x.Key}}
}

// pressing presses what is on the pages of a rehearsal.
type pressing struct {
	*Rehearsal
	visited *useragent.Browser
	offline bool
	left    int // how many more are pressed
	// branching is held by whoever makes a branch: making one marks what is shared.
	branching sync.Mutex
}

// press presses what can be pressed on the pages that were opened, once online, and again without a network where the page is whole there. What a
// press asks for belongs to its page; what breaks offline makes the page partial. Of pages with the same scripts one is tried with all that is on
// it, the others with what asked for something there, and with what is not on the first one.
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
	pr := &pressing{Rehearsal: r, visited: b, left: r.Presses, offline: r.triesOffline()}
	for _, set := range order {
		matters := map[string]bool{} // by the shapes of those on the first page
		for _, x := range pr.all(ctx, sets[set][:1], out, func(document.Pressable) bool { return true }) {
			matters[x.Shape] = matters[x.Shape] || x.online != nil || x.outcome != nil && (x.outcome.Outcome != Whole || x.outcome.Doubt != nil)
		}
		pr.all(ctx, sets[set][1:], out, func(x document.Pressable) bool {
			does, known := matters[x.Shape]
			return does || !known
		})
	}
}

// all presses what is wanted on some pages, as many pages at a time as there are processors.
func (pr *pressing) all(ctx context.Context, pages []*PageResult, out *Result, wanted func(document.Pressable) bool) (all []*press) {
	for chunk := range slices.Chunk(pages, 2*runtime.GOMAXPROCS(0)) {
		lists := make([][]*press, len(chunk))
		for i, p := range chunk {
			for _, x := range p.pressables {
				switch {
				case !wanted(x):
				case pr.left == 0:
					out.Unpressed++
				default:
					pr.left--
					lists[i] = append(lists[i], &press{Pressable: x, on: p})
				}
			}
		}
		eachOf(ctx, len(lists), func(i int) { pr.onPage(ctx, lists[i]) })
		for _, x := range slices.Concat(lists...) { // in their order, whoever was done first
			if x.online != nil {
				x.on.needs(x.online, x.asked)
			}
			if x.outcome != nil {
				x.on.replaceWhole(x.outcome)
			}
		}
		all = append(all, slices.Concat(lists...)...)
	}
	return all
}

// onPage presses buttons of one page.
func (pr *pressing) onPage(ctx context.Context, list []*press) {
	rows := pr.online(ctx, list)
	if !pr.offline || len(list) == 0 || !list[0].on.isWhole() {
		return
	}
	for _, row := range rows {
		if ctx.Err() != nil {
			return
		}
		pr.compareRow(ctx, row)
	}
	for _, x := range list {
		if x.online != nil && x.outcome == nil && ctx.Err() == nil {
			pr.alone(ctx, x)
		}
	}
}

// online presses buttons of one page online, and gives those that ask for nothing in rows, in which they were pressed one after the other on a page
// that was opened once. What asks for something is pressed on a page of its own.
func (pr *pressing) online(ctx context.Context, list []*press) (rows [][]*press) {
	var b *useragent.Browser
	var tab *document.Tab
	var row []*press
	end := func() {
		if len(row) > 0 {
			rows = append(rows, row)
		}
		if b != nil {
			b.Close()
		}
		b, tab, row = nil, nil, nil
	}
	defer func() { end() }()
	for _, x := range list {
		for {
			if ctx.Err() != nil {
				return rows
			}
			if b == nil {
				b = pr.withoutWorkers(ctx, pr.visited)
				if tab = b.Open(x.on.URL, nil); tab.View.Document == nil || tab.View.Failed {
					return rows
				}
			}
			view, asked := x.act().doIn(b, tab)
			first := len(row) == 0
			switch {
			case view != nil && len(asked) == 0:
				x.text = view.DrawnText()
				row = append(row, x)
			case view != nil && first:
				x.online, x.asked = view, asked
				end()
			default: // it is not there, led to another document, or was not pressed on its own
				end()
				if !first {
					continue
				}
			}
			break
		}
	}
	end()
	return rows
}

// compareRow presses a row of buttons without a network, and looks closer at those after which the page shows something else than online.
func (pr *pressing) compareRow(ctx context.Context, row []*press) {
	b := pr.branch()
	defer b.Close()
	tab := b.Open(row[0].on.URL, nil)
	if tab.View.Document == nil || tab.View.Failed {
		return
	}
	same := true // as online, up to here
	for _, x := range row {
		if same {
			view, _ := x.act().doIn(b, tab)
			same = view != nil && view.DrawnText() == x.text && len(view.Missing()) == 0
		}
		if !same {
			plain := pr.withoutWorkers(ctx, pr.visited)
			if x.online, x.asked = x.act().do(plain); x.online != nil {
				pr.alone(ctx, x)
			}
			plain.Close()
		}
	}
}

// alone presses a button without a network and judges what is shown.
func (pr *pressing) alone(ctx context.Context, x *press) {
	b := pr.branch()
	defer b.Close()
	x.outcome = pr.afterAct(ctx, pr.visited, x.act(), b, x.online)
	if o := x.outcome; o != nil {
		o.Pressed = x.Name
		if o.Outcome != Whole {
			o.Outcome = Partial // the page itself is there
		}
	}
}

func (pr *pressing) branch() *useragent.Browser {
	pr.branching.Lock()
	defer pr.branching.Unlock()
	return pr.branchOffline(pr.visited)
}
