package quickjs

import (
	"errors"
	"runtime"
	"unsafe"

	lib "modernc.org/libquickjs"

	"tachyform/internal/script"
)

// share gives the environment's realm the built-ins of the scripts' realm whose objects go back and forth: promises,
// errors, buffers and views of them, functions. An async function of the environment gives scripts a promise of theirs, and
// what the engine throws in it is an error of theirs; every function of the environment is one of theirs. Arrays, plain
// objects, maps and texts stay apart.
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
	for _, id := range []uintptr{lib.EJS_CLASS_PROMISE, lib.EJS_CLASS_ERROR, lib.EJS_CLASS_DATE, lib.EJS_CLASS_C_FUNCTION,
		lib.EJS_CLASS_C_FUNCTION_DATA, lib.EJS_CLASS_BYTECODE_FUNCTION, lib.EJS_CLASS_BOUND_FUNCTION, lib.EJS_CLASS_GENERATOR_FUNCTION,
		lib.EJS_CLASS_ASYNC_FUNCTION, lib.EJS_CLASS_ASYNC_GENERATOR_FUNCTION} {
		take(class(own, id), *class(theirs, id))
	}
	take(&own.Ffunction_proto, theirs.Ffunction_proto)
}

// makeRealms makes the two realms of an engine. before, if set, is the engine whose scripts' global object goes on as that
// of this one.
func (e *Engine) makeRealms(before *Engine) error {
	e.ctx, e.scripts = lib.XJS_NewContext(e.tls, e.rt), lib.XJS_NewContext(e.tls, e.rt)
	if e.ctx == 0 || e.scripts == 0 {
		return errors.New("the script engine does not start")
	}
	if before != nil {
		e.exchangeGlobals(before)
	}
	e.share()
	for _, ctx := range []uintptr{e.ctx, e.scripts} {
		lib.XJS_SetContextOpaque(e.tls, ctx, uintptr(unsafe.Pointer(e)))
		e.countBuiltIns(ctx)
	}
	return nil
}

// Beside implements script.Engine.
func (e *Engine) Beside(code []byte, successor bool) (script.Engine, error) {
	if e.Broken() {
		return nil, e.broken()
	}
	inner := &Engine{machine: e.machine, dispatch: undefined, beside: true}
	var before *Engine
	if successor {
		before = e
	}
	var err error
	if fatal := e.guard(func() { err = inner.makeRealms(before) }); fatal != nil {
		return nil, fatal
	}
	if err != nil {
		return nil, err
	}
	e.siblings = append(e.siblings, inner)
	e.limitMemory()
	used, late := e.used, e.late
	err = inner.Install(code)
	e.used, e.late = used+stepsOfRealm, late
	return inner, err
}

// leave takes an engine away from the others of its machine. Its realms stay as long as any object of theirs does: what
// calls the host is one, so that e.ctx is there whenever that is called.
func (e *Engine) leave() {
	if e.left || e.watched.gone.Load() || e.crashed != nil {
		return
	}
	e.left = true
	lib.XFreeValue(e.tls, e.ctx, e.dispatch)
	lib.XJS_FreeContext(e.tls, e.scripts)
	lib.XJS_FreeContext(e.tls, e.ctx)
	e.dispatch = undefined
}

// engines lists the engines of the machine that have not left it.
func (m *machine) engines(yield func(*Engine) bool) {
	if !yield(m.first) {
		return
	}
	for _, s := range m.siblings {
		if !s.left && !yield(s) {
			return
		}
	}
}

// counter is how many steps a realm takes before it asks whether it may go on.
func (m *machine) counter(ctx uintptr) *int32 {
	return &(*lib.TJSContext)(unsafe.Add(nil, ctx)).Finterrupt_counter
}

// dropSiblings forgets the engines beside this one, whose memory goes.
func (m *machine) dropSiblings() {
	for _, s := range m.siblings {
		s.host, s.left = nil, true
	}
	if m.siblings = nil; !m.closed {
		m.limitMemory()
	}
}

func (m *machine) limitMemory() {
	lib.XJS_SetMemoryLimit(m.tls, m.rt, lib.Tsize_t(script.MemoryLimit+len(m.siblings)*script.RealmMemory))
}

// immutablePrototype is the bit of an object that says that its prototype stays what it is, and the byte it lies in.
const (
	immutablePrototype     = 0x40
	immutablePrototypeByte = 16
)

// KeepPrototype has the global object of scripts keep its prototype from now on: it is an immutable prototype exotic object
// (ECMAScript, 10.4.7; Web IDL, 3.7.6).
func (e *Engine) KeepPrototype() {
	if !e.Broken() {
		e.keepPrototype(true)
	}
}

func (e *Engine) keepPrototype(yes bool) {
	global := (*lib.TJSContext)(unsafe.Add(nil, e.scripts)).Fglobal_obj
	flags := (*byte)(unsafe.Add(nil, uintptr(global.Fu.Fuint641)+immutablePrototypeByte))
	if yes {
		*flags |= immutablePrototype
	} else {
		*flags &^= immutablePrototype
	}
}

// exchangeGlobals makes the global object of an earlier engine's scripts that of this one's, with all that stands in
// this one's, and the other way round: who holds the object goes on to the window that comes next (HTML, 7.2.3).
func (e *Engine) exchangeGlobals(before *Engine) {
	own, theirs := (*lib.TJSContext)(unsafe.Add(nil, e.scripts)), (*lib.TJSContext)(unsafe.Add(nil, before.scripts))
	objectOf := func(v lib.TJSValue) *lib.TJSObject { return (*lib.TJSObject)(unsafe.Add(nil, uintptr(v.Fu.Fuint641))) }
	a, b := objectOf(own.Fglobal_obj), objectOf(theirs.Fglobal_obj)
	a.Fshape, b.Fshape = b.Fshape, a.Fshape
	a.Fprop, b.Fprop = b.Fprop, a.Fprop
	a.Fu, b.Fu = b.Fu, a.Fu
	own.Fglobal_obj, theirs.Fglobal_obj = theirs.Fglobal_obj, own.Fglobal_obj
	name := terminated("globalThis")
	for ctx, global := range map[uintptr]lib.TJSValue{e.scripts: own.Fglobal_obj, before.scripts: theirs.Fglobal_obj} {
		lib.XJS_SetPropertyStr(e.tls, ctx, global, uintptr(unsafe.Pointer(&name[0])), lib.XDupValue(e.tls, ctx, global))
	}
	runtime.KeepAlive(name)
}
