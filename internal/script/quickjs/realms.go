package quickjs

import (
	"unsafe"

	lib "modernc.org/libquickjs"
)

// share gives the environment's realm the built-ins of the scripts' realm whose objects go back and forth: promises,
// errors, buffers and views of them. An async function of the environment gives scripts a promise of theirs, and what
// the engine throws in it is an error of theirs. Arrays, plain objects, maps and texts stay apart.
func (e *Engine) share() {
	own, theirs := (*lib.TJSContext)(unsafe.Add(nil, e.ctx)), (*lib.TJSContext)(unsafe.Add(nil, e.scripts))
	take := func(to *lib.TJSValue, from lib.TJSValue) {
		old := *to
		*to = lib.XDupValue(e.tls, e.scripts, from)
		lib.XFreeValue(e.tls, e.ctx, old)
	}
	take(&own.Fpromise_ctor, theirs.Fpromise_ctor)
	for i := range own.Fnative_error_proto {
		take(&own.Fnative_error_proto[i], theirs.Fnative_error_proto[i])
	}
	class := func(ctx *lib.TJSContext, id uintptr) *lib.TJSValue {
		return (*lib.TJSValue)(unsafe.Add(nil, ctx.Fclass_proto+id*unsafe.Sizeof(lib.TJSValue{})))
	}
	for id := uintptr(lib.EJS_CLASS_ARRAY_BUFFER); id <= lib.EJS_CLASS_DATAVIEW; id++ {
		take(class(own, id), *class(theirs, id))
	}
	for _, id := range []uintptr{lib.EJS_CLASS_PROMISE, lib.EJS_CLASS_ERROR, lib.EJS_CLASS_DATE} {
		take(class(own, id), *class(theirs, id))
	}
}
