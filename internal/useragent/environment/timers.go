package environment

import (
	"tachyform/internal/useragent/clock"
)

// timerOperations are of timers, the time and chance (HTML, 8.6; High Resolution Time).
var timerOperations = operations{
	"now": plain(func(r *Realm, _ arguments) (any, error) {
		return float64(r.p.clock().Now.Microseconds())/1000 + float64(clock.Epoch.UnixMilli()), nil
	}),
	"random": plain(func(r *Realm, _ arguments) (any, error) {
		return float64(r.random.Uint64()>>11) / (1 << 53), nil
	}),
	"timer": touching(func(r *Realm, args arguments) (any, error) {
		id := args.number(0)
		after := r.p.clock().After
		if args.flag(2) {
			after = r.p.clock().AfterAgain
		}
		r.timers[id] = after(args.milliseconds(1), func() {
			delete(r.timers, id)
			if !r.current() {
				return
			}
			if _, err := r.runTask("timer", id); err != nil {
				r.failed(err)
			}
		})
		return nil, nil
	}),
	"clearTimer": touching(func(r *Realm, args arguments) (any, error) {
		id := args.number(0)
		r.p.clock().Cancel(r.timers[id])
		delete(r.timers, id)
		return nil, nil
	}),
}
