// Package crash turns panics into errors, so that a fault of the program in one page does not end the work on others.
package crash

import (
	"context"
	"fmt"
	"runtime"
	"runtime/debug"
	"sync"
)

// Crash is a panic that was caught. It holds nothing of the site that was worked on: what a panic carries may quote it.
type Crash struct {
	// What is the message of a runtime error, else the type of the value that the panic carried.
	What string
	// Stack is the stack of the goroutine that panicked.
	Stack []byte
}

func (*Crash) Error() string { return "Tachyform failed because of an internal error" }

// From makes a Crash from a recovered value. It must be called by the deferred function that recovered it.
func From(recovered any) *Crash {
	switch p := recovered.(type) {
	case *Crash: // caught before, on another goroutine or deeper in this one
		return p
	case runtime.Error:
		return &Crash{p.Error(), debug.Stack()}
	}
	return &Crash{fmt.Sprintf("%T", recovered), debug.Stack()}
}

// Catch stores a panic of the surrounding function in err. It must be deferred directly.
func Catch(err *error) {
	if p := recover(); p != nil {
		*err = From(p)
	}
}

// Try calls do and returns its error; a panic is returned as a Crash.
func Try(do func() error) (err error) {
	defer Catch(&err)
	return do()
}

// Log collects the crashes of a command. A nil Log collects nothing.
type Log struct {
	mu   sync.Mutex
	list []*Crash
}

// Add adds a crash to the log, once.
func (l *Log) Add(c *Crash) {
	if l == nil {
		return
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, earlier := range l.list {
		if earlier == c {
			return
		}
	}
	l.list = append(l.list, c)
}

// All returns the crashes in the order in which they were added.
func (l *Log) All() []*Crash {
	if l == nil {
		return nil
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	return append([]*Crash(nil), l.list...)
}

type logKey struct{}

// WithLog returns a context whose crashes are added to l.
func WithLog(ctx context.Context, l *Log) context.Context { return context.WithValue(ctx, logKey{}, l) }

// LogOf returns the log of a context, nil if it has none.
func LogOf(ctx context.Context) *Log {
	l, _ := ctx.Value(logKey{}).(*Log)
	return l
}
