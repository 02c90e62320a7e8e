package clock

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// order runs a clock and gives the names of the tasks in the order in which they ran.
type order struct {
	*Clock
	ran []string
}

func (o *order) add(name string, d time.Duration) *Task {
	return o.After(d, func() { o.ran = append(o.ran, name) })
}

// What is to be next comes before all that is due, the first first, and what is due still comes in its order.
func TestNext(t *testing.T) {
	o := &order{Clock: &Clock{}}
	o.After(time.Second, func() {
		o.add("a", 0)
		o.Next(func() { o.ran = append(o.ran, "next 1") })
		o.Next(func() {
			o.ran = append(o.ran, "next 2")
			o.Next(func() { o.ran = append(o.ran, "next 3") })
		})
		o.add("b", 0)
	})
	o.add("overdue", 2*time.Second)
	o.Now = 3 * time.Second
	o.Run(func() bool { return false }, 4*time.Second)
	assert.Equal(t, []string{"next 1", "next 2", "next 3", "overdue", "a", "b"}, o.ran)
}

// Tasks run when they are due, those for one instant in the order in which they were asked for; time stands still in
// between.
func TestOrder(t *testing.T) {
	o := &order{Clock: &Clock{}}
	o.add("later", 2*time.Second)
	o.add("first", time.Second)
	o.add("second", time.Second)
	o.add("at once", -time.Second)
	gone := o.add("never", time.Second)
	o.Cancel(gone)
	o.Cancel(gone)
	o.Cancel(nil)
	assert.Equal(t, 4, o.Waiting())
	assert.False(t, o.Idle())
	assert.False(t, o.Run(func() bool { return false }, 1500*time.Millisecond))
	assert.Equal(t, []string{"at once", "first", "second"}, o.ran)
	assert.Equal(t, time.Second, o.Now, "the time of the last task, not the deadline")
	assert.True(t, o.Idle(), "nothing is due yet")
	o.Pass(500 * time.Millisecond)
	assert.Equal(t, 1500*time.Millisecond, o.Now)
	o.Pass(time.Second)
	assert.Equal(t, []string{"at once", "first", "second", "later"}, o.ran)
	assert.Equal(t, 2500*time.Millisecond, o.Now)
}

// A run ends as soon as what it waits for has come about, and says so.
func TestRun(t *testing.T) {
	o := &order{Clock: &Clock{}}
	for i := range 5 {
		o.add("x", time.Duration(i)*time.Second)
	}
	assert.True(t, o.Run(func() bool { return len(o.ran) == 2 }, time.Hour))
	assert.Equal(t, time.Second, o.Now)
	assert.False(t, o.Run(func() bool { return len(o.ran) == 9 }, time.Hour), "there is nothing left")
	assert.Equal(t, 4*time.Second, o.Now)
}

// Settling goes on while something is due soon, for a bounded time.
func TestSettle(t *testing.T) {
	o := &order{Clock: &Clock{}}
	var again func()
	again = func() {
		o.ran = append(o.ran, "tick")
		o.After(time.Second, again)
	}
	o.After(0, again)
	o.Settle(2*time.Second, 10*time.Second)
	assert.LessOrEqual(t, o.Now, 10*time.Second)
	assert.Len(t, o.ran, 11)
	rest := &order{Clock: &Clock{}}
	rest.add("soon", time.Second)
	rest.add("much later", time.Minute)
	rest.Settle(5*time.Second, time.Hour)
	assert.Equal(t, []string{"soon"}, rest.ran)
}

// Work without end is ended: by its bound, by the number of tasks, by a context; and told once.
func TestBounds(t *testing.T) {
	endless := func(c *Clock) {
		var again func()
		again = func() { c.After(0, again) }
		c.After(0, again)
	}
	never := func() bool { return false }
	tired := 0
	c := &Clock{Limit: func() int64 { return 100 * TaskSteps }, OnTired: func() { tired++ }}
	endless(c)
	assert.False(t, c.Run(never, time.Hour))
	assert.True(t, c.Tired)
	assert.Equal(t, 1, tired)
	assert.EqualValues(t, 101*TaskSteps, c.Spent)
	assert.False(t, c.Run(func() bool { return c.Waiting() == 0 }, 0))
	assert.Equal(t, 2, tired, "each run has the whole of its bound")

	c = &Clock{OnTired: func() { tired++ }}
	for range MaxTasks + 1 {
		c.After(time.Hour, func() {})
	}
	assert.False(t, c.Run(never, time.Minute))
	assert.True(t, c.Tired)

	ctx, cancel := context.WithCancel(context.Background())
	c = &Clock{Context: ctx}
	n := 0
	var again func()
	again = func() {
		if n++; n == 500 {
			cancel()
		}
		c.After(0, again)
	}
	c.After(0, again)
	assert.False(t, c.Run(never, time.Hour))
	assert.Less(t, n, 600)
}
