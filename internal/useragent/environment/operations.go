package environment

import (
	"errors"
	"fmt"
	"time"
)

// operation is one thing that the environment asks the browser for. It runs inside a turn and must not start another.
type operation struct {
	run func(*Realm, arguments) (any, error)
	// touches says that something outside of the engine may refer to the realm afterwards.
	touches bool
}

// operations are those of one interface, by the name that the environment calls them by.
type operations map[string]operation

// plain is an operation after which nothing refers to the realm from outside of its engine.
func plain(run func(*Realm, arguments) (any, error)) operation { return operation{run: run} }

// touching is an operation after which something may.
func touching(run func(*Realm, arguments) (any, error)) operation { return operation{run, true} }

// promised is an operation that settles a promise, whose number is its first argument, in a task of its own. What run
// gives is the value, or the failure as "name: message".
func promised(run func(*Realm, arguments) (value any, failure string)) operation {
	return touching(func(r *Realm, args arguments) (any, error) {
		id, rest := args.number(0), args[1:]
		r.p.clock().After(0, func() {
			value, failure := run(r, rest)
			r.settle(id, value, failure)
		})
		return nil, nil
	})
}

// all are the operations of all interfaces.
var all = func() operations {
	out := operations{}
	for _, list := range []operations{
		scriptOperations, timerOperations, urlOperations, patternOperations, bodyOperations, compressionOperations,
		base64Operations, digestOperations,
		fetchOperations, eventOperations, cacheOperations, databaseOperations, lockOperations, channelOperations,
		cookieOperations, clientOperations,
		registrationOperations, pushOperations, syncOperations, notificationOperations,
		portOperations, dedicatedOperations, objectURLOperations, encodingOperations, markupOperations, pageOperations, styleOperations, containerOperations, webStorageOperations,
	} {
		for name, op := range list {
			if _, twice := out[name]; twice {
				panic("two operations are called " + name)
			}
			out[name] = op
		}
	}
	return out
}()

// silent are the operations without effect in a window that was removed; browsers report nothing there.
var silent = map[string]bool{"timer": true, "clearTimer": true}

var errWindowClosed = errors.New("this window is closed")

// host carries out what the environment asks for.
func (r *Realm) host(args []any) (any, error) {
	name := arguments(args).text(0)
	op, ok := all[name]
	if !ok {
		return nil, fmt.Errorf("there is no operation %q", name)
	}
	if r.ended && op.touches { // a window that was removed: its functions still compute
		if silent[name] {
			return nil, nil
		}
		return nil, errWindowClosed
	}
	r.touchedHost = r.touchedHost || op.touches
	return op.run(r, args[1:])
}

// arguments are what an operation is called with; those that are missing or of another kind count as zero.
type arguments []any

func (a arguments) at(i int) any {
	if i < len(a) {
		return a[i]
	}
	return nil
}

func (a arguments) text(i int) string {
	s, _ := a.at(i).(string)
	return s
}

func (a arguments) flag(i int) bool {
	yes, _ := a.at(i).(bool)
	return yes
}

func (a arguments) bytes(i int) []byte {
	b, _ := a.at(i).([]byte)
	return b
}

func (a arguments) number(i int) int {
	switch n := a.at(i).(type) {
	case int:
		return n
	case float64:
		return int(n)
	}
	return 0
}

// milliseconds is a span of time, at least none and at most some weeks.
func (a arguments) milliseconds(i int) time.Duration {
	f, ok := a.at(i).(float64)
	if !ok {
		f = float64(a.number(i))
	}
	if f != f || f < 0 {
		return 0
	}
	return time.Duration(min(f, 1<<31) * float64(time.Millisecond))
}
