// Package script defines what is needed of a script engine: bounded memory, stack and work, and a way back to an earlier
// state in a moment. Engines are in subpackages.
package script

import (
	"context"
	"errors"
	"fmt"
	"time"

	"tachyform/internal/crash"
)

// Bounds of one engine.
const (
	// MemoryLimit bounds what scripts may keep, in bytes.
	MemoryLimit = 256 << 20
	// RealmMemory is what an engine beside another one adds to that.
	RealmMemory = 4 << 20
	// TurnSteps is how many steps scripts may take without coming to an end: calls, rounds of loops, and what built-in
	// functions and the environment count for by the size of their input. It does not depend on the machine's speed.
	TurnSteps = 100_000_000
	// StuckLimit is how long one engine may compute without coming to a step. It is processor time, which a busy machine
	// does not make longer, and far away from what any step takes.
	StuckLimit = 3 * Slower * time.Second
)

// Ways in which a script uses up what it is given, or is stopped. The engine can't go on after any of them.
var (
	ErrEndless = errors.New("the script took more than 100 million steps without a pause and was stopped")
	ErrMemory  = fmt.Errorf("the script used more than %d MB of memory and was stopped", MemoryLimit>>20)
	// ErrSlow and ErrStuck are not faults of the script: in a browser it might have ended.
	ErrSlow  = errors.New("the script computed for too long without a pause and was stopped")
	ErrStuck = errors.New("one operation of the script computed for too long and was stopped")
	// ErrTooDeep is what a call within too many others ends with. The engine goes on, and the script that caused the call gets
	// a RangeError.
	ErrTooDeep  = errors.New("more than 32 windows were called within each other")
	ErrCanceled = errors.New("the script was stopped, since nobody waits for it any more")
)

// Fatal reports whether an engine cannot go on after an error.
func Fatal(err error) bool {
	var crashed *crash.Crash
	return errors.As(err, &crashed) || errors.Is(err, ErrEndless) || errors.Is(err, ErrSlow) || errors.Is(err, ErrMemory) || errors.Is(err, ErrStuck) ||
		errors.Is(err, ErrCanceled)
}

// Host is what scripts may call. Arguments and results are nil, bool, int, float64, string or []byte, which crosses as
// a copy in an ArrayBuffer; a result may also be what Import gave. An error is thrown as a TypeError with its text,
// that of Eval as what the script threw.
type Host func(args []any) (any, error)

// Modules gives the text of modules: Normalize finds a module's URL from the one that imports it, Load its source.
type Modules struct {
	Normalize func(base, name string) (string, error)
	Load      func(url string) (string, error)
}

// Surroundings are what an engine's scripts find outside of it.
type Surroundings struct {
	Host    Host
	Modules Modules
	// Context ends scripts for which nobody waits any more, nil for never.
	Context context.Context
}

// Mark is a state that an engine can return to.
type Mark interface {
	// Size is what it takes to keep it, in bytes.
	Size() int
}

// Engine is one script engine. It belongs to one goroutine at a time, and holds a realm for the environment and one
// for scripts, which can't reach into the other.
type Engine interface {
	// Surround gives the engine its surroundings; the zero value takes them away.
	Surround(s Surroundings)
	// Bound sets how many steps a turn may take, and how long it may compute without coming to one.
	Bound(steps int, patience time.Duration)
	// Compile makes bytecode of the environment's source, which is an expression: a function of the scripts' global
	// object, of what calls the host, and of an object that it shares with engines beside this one, that gives what Call
	// calls.
	Compile(source string) ([]byte, error)
	// Install runs the environment's bytecode.
	Install(code []byte) error
	// Call calls the environment and then runs what waits in the queue of microtasks. The error is what it threw, or a
	// fatal one.
	Call(args ...any) (any, error)
	// Eval evaluates a script, Import a module, for the host that scripts have called: what a script threw is an error
	// that the host returns as it is, the promise of a module a value that it returns.
	Eval(source, name string) error
	Import(url string) any
	// Mark keeps the engine's state, Rewind returns to it.
	Mark() Mark
	Rewind(m Mark)
	// KeepPrototype has the global object of scripts keep its prototype from now on.
	KeepPrototype()
	// Beside makes another engine in this one's memory, with the environment's bytecode in it: objects of both may hold each
	// other. With successor the global object of this one's scripts is the new one's, and this one's only does what scripts of
	// its own still do. A call of one may call another, whose microtasks then wait for the end of the first. Rewinding or closing
	// this engine ends it.
	Beside(code []byte, successor bool) (Engine, error)
	// Charge counts work that the host does for the scripts that run, in steps.
	Charge(steps int)
	// Interrupt ends the call that is under way at its next step; it ends with ErrCanceled.
	Interrupt()
	// Broken reports that the engine can only be closed: its memory was taken away, or a call panicked.
	Broken() bool
	// Held is how much memory the engine has from the system, in bytes.
	Held() int
	// Used is how many steps this turn has taken.
	Used() int
	Close()
}
