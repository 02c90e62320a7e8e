package environment

import (
	"errors"
	"slices"
	"time"

	"tachyform/internal/crash"
	"tachyform/internal/script"
)

// limits bound the work that scripts may cause. They count work, not time, so that a busy machine changes nothing: a
// step of the engine is the unit, and what goes on outside of it is weighed against that.
type limits struct {
	// steps bounds a turn of the event loop, and a whole run from task to task.
	steps int
	// patience is how long something that the language has built in may compute without a step.
	patience time.Duration
}

const (
	// laterSteps is what is left of a turn on a site where a script took more than that once.
	laterSteps = 20_000_000
	turnSteps  = 1000 // and a turn of an engine, beside its own steps
	// addressSteps is how much more a run may take for each address that has been asked for: large sites are no endless
	// ones.
	addressSteps = 60_000
	leastSteps   = 400_000
	// spentUp is how many exhausted limits show that trying more of the same shows nothing new.
	spentUp = 4
)

// after gives the limits for what comes after so many exhausted ones: a script that has run without end before is not
// given all of its time again and again.
func (l limits) after(exhausted int) limits {
	if exhausted == 0 {
		return l
	}
	less := 1 + 8*(exhausted-1)
	steps := max(min(l.steps, laterSteps)/less, min(l.steps, leastSteps))
	return limits{steps, max(l.patience/time.Duration(less), l.patience/16)}
}

// Bounds are how much work scripts may cause in a browser, and what they have used up of it.
type Bounds struct {
	// full are the limits, now those that are left after what was exhausted here and, strain times, elsewhere on the site.
	full, now limits
	exhausted []error
	strain    int
	// byPages are the numbers of those among exhausted that scripts of pages exhausted, not those of workers; before are
	// those of pages that were exhausted before this branch began.
	byPages map[int]bool
	before  []error
	// Crashes, if set, collects the panics among what stopped scripts.
	Crashes *crash.Log
}

// NewBounds gives bounds of so many steps of the engine without a pause, 0 for the usual ones.
func NewBounds(steps int) *Bounds {
	l := limits{script.TurnSteps, script.StuckLimit}
	if steps > 0 {
		l.steps = steps
	}
	return &Bounds{full: l, now: l}
}

// Branch copies the bounds. What workers used up counts for all that follows, what a page used up only for that page.
func (b *Bounds) Branch() *Bounds {
	c := *b
	c.exhausted, c.byPages, c.before = nil, nil, slices.Clone(b.before)
	for i, err := range b.exhausted {
		if b.byPages[i] {
			c.before = append(c.before, err)
			c.strain++
		} else {
			c.exhausted = append(c.exhausted, err)
		}
	}
	return &c
}

// Before lists why scripts of pages were stopped before this branch began.
func (b *Bounds) Before() []error { return b.before }

// ExhaustByPage is Exhaust for a script of a page.
func (b *Bounds) ExhaustByPage(why error) {
	if b.byPages == nil {
		b.byPages = map[int]bool{}
	}
	b.byPages[len(b.exhausted)] = true
	b.Exhaust(why)
}

// Run is how much work a run from task to task may take, where so many addresses have been asked for.
func (b *Bounds) Run(addresses int) int64 {
	return int64(b.now.steps) + addressSteps*int64(addresses)
}

// Exhaust notes that a script, or scripts together, used up what they are given, or were stopped otherwise.
func (b *Bounds) Exhaust(why error) {
	var crashed *crash.Crash
	if errors.As(why, &crashed) {
		b.Crashes.Add(crashed)
	}
	b.exhausted = append(b.exhausted, why)
	b.now = b.full.after(b.strain + len(b.exhausted))
}

// Exhausted lists why scripts were stopped, in order.
func (b *Bounds) Exhausted() []error { return b.exhausted }

// SpentUp says whether scripts were stopped so often that trying more of the same shows nothing new.
func (b *Bounds) SpentUp() bool { return len(b.exhausted) >= spentUp }

// Strained is how many limits are known to have been exhausted on the site, here and elsewhere.
func (b *Bounds) Strained() int { return b.strain + len(b.exhausted) }

// Strain sets the bounds for a browser on whose site so many limits were exhausted elsewhere.
func (b *Bounds) Strain(by int) {
	b.strain = by - len(b.exhausted)
	b.now = b.full.after(b.strain + len(b.exhausted))
}
