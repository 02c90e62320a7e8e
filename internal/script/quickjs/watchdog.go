package quickjs

import (
	"context"
	"sync"
	"sync/atomic"
	"time"

	"tachyform/internal/script"
)

// The interpreter asks every few thousand steps whether it may go on, and that is where scripts are counted and
// stopped. What the language has built in does not ask: a search through an array of 2^53 elements goes on for ever.
// The watchdog looks at the engines that run; where one has not asked for seconds of computing, it takes the engine's
// memory away. The next access to it is a fault that ends the call with a panic, which Call and Eval recover from. The
// engine is of no use after that.

const (
	watchTick = 50 * time.Millisecond
	// cancelLimit is the same once nobody waits for the script any more.
	cancelLimit = 100 * script.Slower * time.Millisecond
	// A turn may compute for stepTime times the steps that it may take, and for shortTurn at least: the usual step takes a tenth
	// of that. A longer turn repeats something that costs far more than it is counted for.
	stepTime  = 100 * script.Slower * time.Nanosecond
	shortTurn = 2 * script.Slower * time.Second
)

// watched is what the watchdog knows of an engine.
type watched struct {
	mu sync.Mutex
	// running tells that the engine executes a script, and not the host on its behalf: only then its memory may go.
	running bool
	ctx     context.Context // of who waits for the script
	// patience is how long it may compute without a step, allowed how long a turn may.
	patience, allowed time.Duration
	// beats counts the questions that the engine asked and the calls that began.
	beats atomic.Int64
	// stop tells the engine to end at its next question.
	stop atomic.Bool
	// slow is the number of the last turn that computed for longer than it may. It ends at its next question.
	slow atomic.Int64
	// gone tells that the memory was taken away.
	gone atomic.Bool
	// installing says that the engine runs the environment's own code, whose work has an end.
	installing atomic.Bool
	// sample requests a sample of the stack at the next question.
	sample atomic.Bool

	seen  int64 // beats at the last look
	since time.Duration
	// turns counts the turns that began; turn is the one of the last look, took the share of the processor time that it has
	// had by then, in the engine and in the host on its behalf.
	turns      atomic.Int64
	turn       int64
	took, last time.Duration
	looked     time.Time // when last was measured
}

var dog struct {
	sync.Mutex
	list  map[*machine]bool
	awake bool
}

// setInstalling says whether the environment's own code runs.
func (m *machine) setInstalling(yes bool) {
	m.installing = yes
	m.watched.installing.Store(yes)
}

// isSlow reports whether the present turn computed for longer than it may.
func (w *watched) isSlow() bool { return w.slow.Load() == w.turns.Load() && w.turns.Load() > 0 }

// run notes that an engine executes a script, or that it does no more; it gives what was so before.
func (w *watched) run(running bool) (before bool) {
	w.mu.Lock()
	before, w.running = w.running, running
	w.mu.Unlock()
	return before
}

// watch has the watchdog look at an engine until unwatch.
func watch(e *machine) {
	dog.Lock()
	defer dog.Unlock()
	if dog.list == nil {
		dog.list = map[*machine]bool{}
	}
	dog.list[e] = true
	if !dog.awake {
		dog.awake = true
		go patrol()
	}
}

func unwatch(e *machine) {
	dog.Lock()
	defer dog.Unlock()
	delete(dog.list, e)
}

// patrol looks at all engines again and again, as long as there are any.
func patrol() {
	for {
		time.Sleep(watchTick)
		dog.Lock()
		if len(dog.list) == 0 {
			dog.awake = false
			dog.Unlock()
			return
		}
		engines := make([]*machine, 0, len(dog.list))
		running := 0
		for e := range dog.list {
			engines = append(engines, e)
			e.watched.mu.Lock()
			if e.watched.running {
				running++
			}
			e.watched.mu.Unlock()
		}
		dog.Unlock()
		now := processTime()
		for _, e := range engines {
			e.look(now, time.Duration(running))
		}
	}
}

// look takes the memory of an engine that computes without end. Several that run share the processor time that is seen.
func (e *machine) look(now, sharing time.Duration) {
	w := &e.watched
	w.mu.Lock()
	defer w.mu.Unlock()
	beats := w.beats.Load()
	if w.installing.Load() {
		w.seen, w.since, w.last, w.looked = beats, now, now, time.Now()
		return
	}
	if turn := w.turns.Load(); turn != w.turn {
		w.turn, w.took = turn, 0
	} else {
		// Others of the process may compute too, but an engine computes on one processor.
		w.took += min((now-w.last)/max(1, sharing), time.Since(w.looked))
	}
	w.last, w.looked = now, time.Now()
	if !w.running || beats != w.seen {
		w.seen, w.since = beats, now
	}
	if !w.running {
		return
	}
	limit := w.patience
	if w.ctx != nil && w.ctx.Err() != nil {
		w.stop.Store(true)
		limit = cancelLimit
	}
	if w.took > w.allowed {
		w.slow.Store(w.turn)
	}
	if now-w.since > limit*max(1, sharing) && !w.gone.Load() {
		w.gone.Store(true)
		e.heap.forbid()
	}
}
