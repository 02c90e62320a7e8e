package useragent

import (
	"time"

	"tachyform/internal/script"
)

// limits bound the work that scripts may cause. They count work, not time, so that a busy machine changes nothing: a step of the engine
// is the unit, and what goes on outside of it is weighed against that.
type limits struct {
	// steps bounds a turn of the event loop; a whole run from task to task may take runTurns times as many.
	steps int
	// patience is how long something that the language has built in may compute without a step.
	patience time.Duration
}

var fullLimits = limits{script.TurnSteps, script.StuckLimit}

const (
	runTurns  = 2
	turnSteps = 1000 // and a turn of an engine, beside its own steps
	// addressSteps is how much more a run may take for each address that has been asked for: large sites are no endless ones.
	addressSteps = 40_000
	leastSteps   = 400_000
)

// after gives the limits for what comes after so many exhausted ones: a script that has run without end before is not given all of its
// time again and again.
func (l limits) after(exhausted int) limits {
	if exhausted == 0 {
		return l
	}
	return limits{max(l.steps/(1+8*exhausted), min(l.steps, leastSteps)), max(l.patience/time.Duration(1+8*exhausted), min(l.patience, l.patience/16))}
}

// runLimit is how much work a run may take.
func (b *Browser) runLimit() int64 {
	return runTurns*int64(b.limits.steps) + addressSteps*int64(len(b.net.Asked))
}

// exhaust notes that a script, or scripts together, used up what they are given, or were stopped otherwise.
func (b *Browser) exhaust(why error) {
	b.exhausted = append(b.exhausted, why)
	b.limits = b.full.after(b.strain + len(b.exhausted))
}
