// Package clock keeps virtual time: it goes from one task to the next, and a context can end it.
package clock

import (
	"container/heap"
	"context"
	"time"

	"tachyform/internal/crash"
)

// Epoch is where the virtual clock starts, so that every run gives the same result.
var Epoch = time.Date(2026, 1, 5, 9, 0, 0, 0, time.UTC)

// TaskSteps is what a task counts for, in steps of the script engine.
const TaskSteps = 500

// Clock is a virtual clock with the tasks that wait for their time. Time passes only by going from one task to the
// next.
type Clock struct {
	Context context.Context // ends every run
	Now     time.Duration   // since Epoch
	seq     int
	next    int // how many tasks were to be next
	tasks   taskHeap
	// others counts the waiting tasks that are no rounds of something that repeats, lastOther is when one last ran.
	others    int
	lastOther time.Duration
	// Spent is the work done since the clock was made, by the measure of limits; limit bounds that of one run.
	Spent int64
	Limit func() int64
	// Tired is true when the last run did more work than any site needs: scripts that feed themselves without end.
	Tired bool
	// OnTired is told of that.
	OnTired func()
	// OnPanic, if set, receives the panic of a task; the run then goes on with the next task.
	OnPanic func(*crash.Crash)
}

// MaxTasks bounds what may wait for its time.
const MaxTasks = 100_000

// Task is something that waits for its time; see Clock.Cancel.
type Task struct {
	at    time.Duration
	seq   int
	run   func()
	index int
	round bool // of something that repeats
}

type taskHeap []*Task

func (h taskHeap) Len() int { return len(h) }
func (h taskHeap) Less(i, j int) bool {
	return h[i].at < h[j].at || h[i].at == h[j].at && h[i].seq < h[j].seq
}
func (h taskHeap) Swap(i, j int) {
	h[i], h[j] = h[j], h[i]
	h[i].index, h[j].index = i, j
}
func (h *taskHeap) Push(x any) {
	t := x.(*Task)
	t.index = len(*h)
	*h = append(*h, t)
}
func (h *taskHeap) Pop() any {
	old := *h
	t := old[len(old)-1]
	*h = old[:len(old)-1]
	t.index = -1
	return t
}

// After runs f once d has passed; tasks for one instant run in the order they were asked for.
func (c *Clock) After(d time.Duration, f func()) *Task {
	c.others++
	return c.after(d, f, false)
}

// AfterAgain is After for a round of something that repeats, such as an interval or a chain of timers: that alone does
// not keep anybody waiting.
func (c *Clock) AfterAgain(d time.Duration, f func()) *Task { return c.after(d, f, true) }

func (c *Clock) after(d time.Duration, f func(), round bool) *Task {
	c.seq++
	t := &Task{at: c.Now + max(d, 0), seq: c.seq, run: f, round: round}
	heap.Push(&c.tasks, t)
	return t
}

// Next runs f before all other tasks that are due by now, as what ends the task that runs; of several the first first.
func (c *Clock) Next(f func()) {
	c.others++
	c.next++
	at := c.Now
	if len(c.tasks) > 0 {
		at = min(at, c.tasks[0].at)
	}
	heap.Push(&c.tasks, &Task{at: at, seq: c.next - mostNext, run: f})
}

// mostNext is more than there are ever tasks that are next.
const mostNext = 1 << 40

// Idle says whether nothing waits that is due by now.
func (c *Clock) Idle() bool { return len(c.tasks) == 0 || c.tasks[0].at > c.Now }

// Waiting counts the tasks that wait for their time.
func (c *Clock) Waiting() int { return len(c.tasks) }

// Cancel takes a task away that has not run; nil is none.
func (c *Clock) Cancel(t *Task) {
	if t != nil && t.index >= 0 {
		heap.Remove(&c.tasks, t.index)
		if !t.round {
			c.others--
		}
	}
}

// Run goes from task to task until done says so, nothing is left, or the next task lies beyond the deadline.
// It reports whether done became true.
func (c *Clock) Run(done func() bool, deadline time.Duration) bool {
	c.Tired = false
	start := c.Spent
	for n := 0; ; n++ {
		if done() {
			return true
		}
		if c.Limit != nil && c.Spent-start > c.Limit() || len(c.tasks) > MaxTasks {
			c.Tired = true
			if c.OnTired != nil {
				c.OnTired()
			}
			return false
		}
		if n&63 == 0 && c.Context != nil && c.Context.Err() != nil {
			return false
		}
		if len(c.tasks) == 0 || c.tasks[0].at > deadline {
			return false
		}
		t := heap.Pop(&c.tasks).(*Task)
		c.Now = max(c.Now, t.at)
		c.Spent += TaskSteps
		if !t.round {
			c.others--
			c.lastOther = c.Now
		}
		c.perform(t.run)
	}
}

func (c *Clock) perform(task func()) {
	if c.OnPanic != nil {
		defer func() {
			if p := recover(); p != nil {
				c.OnPanic(crash.From(p))
			}
		}()
	}
	task()
}

// Pass lets a span of time go by.
func (c *Clock) Pass(d time.Duration) {
	end := c.Now + d
	c.Run(func() bool { return false }, end)
	c.Now = max(c.Now, end)
}

// Rounds is how long things that repeat go on by themselves before they count as all that there is.
const Rounds = time.Second

// Settle runs until no task is due within quiet but rounds of what repeats, and those have gone on for a while; for at
// most limit.
func (c *Clock) Settle(quiet, limit time.Duration) {
	start, end := c.Now, c.Now+limit
	c.Run(func() bool {
		return len(c.tasks) == 0 || c.tasks[0].at > c.Now+quiet ||
			c.Now-max(c.lastOther, start) >= Rounds && !c.awaits(c.Now+quiet)
	}, end)
}

// manyTasks is how many tasks are looked through for one that counts.
const manyTasks = 256

// awaits says whether a task is due by a time that is no round.
func (c *Clock) awaits(by time.Duration) bool {
	if c.others == 0 || len(c.tasks) > manyTasks {
		return c.others > 0
	}
	for _, t := range c.tasks {
		if !t.round && t.at <= by {
			return true
		}
	}
	return false
}
