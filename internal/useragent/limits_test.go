package useragent

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform/internal/script"
	"tachyform/internal/site"
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
	b := New(context.Background(), nil, Options{})
	defer b.Close()
	before := b.runLimit()
	b.exhaust(script.ErrEndless)
	assert.Less(t, b.runLimit(), before)
	branch := b.Branch()
	defer branch.Close()
	assert.Equal(t, b.limits, branch.limits, "a branch goes on with what is left")
	branch.Strain(5)
	assert.Less(t, branch.limits.steps, b.limits.steps)
}

// Two workers for one scope are noticed, whichever page registers them.
func TestRivalsForAScope(t *testing.T) {
	b := New(context.Background(), []site.Host{siteWith(t, "", "index.html", "<!doctype html><script>navigator.serviceWorker.register('/w.js'); navigator.serviceWorker.register('/v.js')</script>", "v.js", "", "sub/w.js", "", "sub.html", "<!doctype html><script>navigator.serviceWorker.register('/sub/w.js')</script>")}, Options{})
	defer b.Close()
	tab := b.Open(home+"sub.html", nil)
	b.Settle()
	assert.Empty(t, b.Rivals())
	b.Open(home, tab)
	b.Settle()
	assert.Equal(t, []Rival{{home, []string{home + "w.js", home + "v.js"}}}, b.Rivals())
}
