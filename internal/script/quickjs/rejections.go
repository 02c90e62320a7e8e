package quickjs

import (
	"slices"

	"modernc.org/libc"
	lib "modernc.org/libquickjs"
)

// rejection is a promise that was rejected while nobody handled that, with what it was rejected with.
type rejection struct {
	in              *Engine // whose promise it is
	promise, reason lib.TJSValue
	// late reports that it was handled after it had been reported.
	late bool
}

// rejectedCommand is what the environment is called with for each promise that is still not handled when a turn ends
// (HTML, 8.1.4.7, "notify about rejected promises").
const rejectedCommand = "rejected"

// handledCommand is what it is called with when one is handled later.
const handledCommand = "handled"

// mostRejections bounds how many are reported in one turn.
const mostRejections = 100

// trackRejection is HostPromiseRejectionTracker (ECMAScript, 27.2.1.9).
func trackRejection(tls *libc.TLS, ctx uintptr, promise, reason lib.TJSValue, handled int32, _ uintptr) {
	e := engineOf(ctx)
	if handled == 0 {
		if len(e.rejected) < mostRejections {
			e.rejected = append(e.rejected, rejection{in: e, promise: lib.XDupValue(tls, ctx, promise),
				reason: lib.XDupValue(tls, ctx, reason)})
		}
		return
	}
	before := len(e.rejected)
	e.rejected = slices.DeleteFunc(e.rejected, func(r rejection) bool {
		if r.late || r.promise.Fu != promise.Fu {
			return false
		}
		lib.XFreeValue(tls, ctx, r.promise)
		lib.XFreeValue(tls, ctx, r.reason)
		return true
	})
	if len(e.rejected) == before && before < mostRejections {
		e.rejected = append(e.rejected, rejection{in: e, promise: lib.XDupValue(tls, ctx, promise), reason: undefined, late: true})
	}
}

// tellRejections calls the environment for every promise that nobody handles. The error is a fatal one.
func (m *machine) tellRejections() error {
	for len(m.rejected) > 0 {
		r := m.rejected[0]
		e := r.in
		m.rejected = m.rejected[1:]
		if e.left {
			lib.XFreeValue(e.tls, e.first.ctx, r.promise)
			lib.XFreeValue(e.tls, e.first.ctx, r.reason)
			continue
		}
		command := rejectedCommand
		if r.late {
			command = handledCommand
		}
		e.setArg(0, e.value(command))
		e.setArg(1, r.promise)
		e.setArg(2, r.reason)
		v := lib.XJS_Call(e.tls, e.ctx, e.dispatch, undefined, 3, e.argv())
		for i := range 3 {
			lib.XFreeValue(e.tls, e.ctx, e.arg(i))
		}
		var err error
		if isException(v) {
			err = e.exception()
		} else {
			lib.XFreeValue(e.tls, e.ctx, v)
		}
		if fatal := e.fatal(err); fatal != nil {
			return fatal
		}
		if fatal := e.jobs(); fatal != nil {
			return fatal
		}
	}
	return nil
}
