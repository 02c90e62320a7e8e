package environment

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform/internal/script"
)

// Limits fall with what was used up, and never below a part of the first.
func TestLimits(t *testing.T) {
	full := limits{20_000_000, script.StuckLimit}
	last := full
	for n := range 200 {
		l := full.after(n)
		assert.LessOrEqual(t, l.steps, last.steps)
		assert.LessOrEqual(t, l.patience, last.patience)
		assert.GreaterOrEqual(t, l.steps, leastSteps)
		assert.Positive(t, l.patience)
		last = l
	}
	assert.Equal(t, full, full.after(0))
	b := NewBounds(0)
	before := b.Run(0)
	b.Exhaust(script.ErrEndless)
	assert.Less(t, b.Run(0), before)
	branch := b.Branch()
	assert.Equal(t, b.now, branch.now, "a branch goes on with what is left")
	branch.Strain(5)
	assert.Less(t, branch.now.steps, b.now.steps)
	assert.False(t, branch.SpentUp())
	for range 3 {
		branch.Exhaust(script.ErrEndless)
	}
	assert.True(t, branch.SpentUp())
	assert.Len(t, b.Exhausted(), 1, "what a branch uses up is its own")
	assert.Greater(t, b.Run(100), b.Run(0), "large sites are no endless ones")
}
