package useragent

import (
	"container/heap"
	"context"
	"time"
)

// epoch is where the virtual clock starts, so that every run gives the same result.
var epoch = time.Date(2026, 1, 5, 9, 0, 0, 0, time.UTC)

// clock is a virtual clock with the tasks that wait for their time. Time passes only by going from one task to the next.
type clock struct {
	ctx   context.Context // ends every run
	now   time.Duration   // since epoch
	seq   int
	tasks taskHeap
	// spent is the work done since the clock was made, by the measure of limits; limit bounds that of one run.
	spent int64
	limit func() int64
	// tired is true when the last run did more work than any site needs: scripts that feed themselves without end.
	tired bool
	// onTired is told of that.
	onTired func()
}

// maxTasks bounds what may wait for its time.
const maxTasks = 100_000

type task struct {
	at    time.Duration
	seq   int
	run   func()
	index int
}

type taskHeap []*task

func (h taskHeap) Len() int { return len(h) }
func (h taskHeap) Less(i, j int) bool {
	return h[i].at < h[j].at || h[i].at == h[j].at && h[i].seq < h[j].seq
}
func (h taskHeap) Swap(i, j int) {
	h[i], h[j] = h[j], h[i]
	h[i].index, h[j].index = i, j
}
func (h *taskHeap) Push(x any) {
	t := x.(*task)
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

// after runs f once d has passed; tasks for one instant run in the order they were asked for.
func (c *clock) after(d time.Duration, f func()) *task {
	c.seq++
	t := &task{at: c.now + max(d, 0), seq: c.seq, run: f}
	heap.Push(&c.tasks, t)
	return t
}

func (c *clock) cancel(t *task) {
	if t != nil && t.index >= 0 {
		heap.Remove(&c.tasks, t.index)
	}
}

// run goes from task to task until done says so, nothing is left, or the next task lies beyond the deadline.
// It reports whether done became true.
func (c *clock) run(done func() bool, deadline time.Duration) bool {
	c.tired = false
	start := c.spent
	for n := 0; ; n++ {
		if done() {
			return true
		}
		if c.limit != nil && c.spent-start > c.limit() || len(c.tasks) > maxTasks {
			c.tired = true
			if c.onTired != nil {
				c.onTired()
			}
			return false
		}
		if n&63 == 0 && c.ctx != nil && c.ctx.Err() != nil {
			return false
		}
		if len(c.tasks) == 0 || c.tasks[0].at > deadline {
			return false
		}
		t := heap.Pop(&c.tasks).(*task)
		c.now = max(c.now, t.at)
		c.spent += taskSteps
		t.run()
	}
}

// pass lets a span of time go by.
func (c *clock) pass(d time.Duration) {
	end := c.now + d
	c.run(func() bool { return false }, end)
	c.now = max(c.now, end)
}

// settle runs until no task is due within quiet, but for at most limit.
func (c *clock) settle(quiet, limit time.Duration) {
	end := c.now + limit
	c.run(func() bool { return len(c.tasks) == 0 || c.tasks[0].at > c.now+quiet }, end)
}
