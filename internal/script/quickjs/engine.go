// Package quickjs is the script engine QuickJS, translated to Go, with separate memory that can be put back to an
// earlier state.
package quickjs

import (
	"errors"
	"runtime"
	"runtime/debug"
	"sync/atomic"
	"time"
	"unsafe"

	"modernc.org/libc"
	lib "modernc.org/libquickjs"

	"tachyform/internal/crash"
	"tachyform/internal/script"
)

// Bounds of one engine.
const (
	stackLimit  = 5000     // calls
	gcThreshold = 16 << 20 // bytes; most engines do little: collecting early costs more than it gives back
)

// stepsAsked is how many steps the engine takes before it asks whether it may go on; stepsOfJob is how many a
// microtask counts for, and a call of the host, which also takes one for bytesOfStep bytes of its arguments.
const (
	stepsAsked  = 10_000
	stepsOfJob  = 80
	stepsOfCall = 80
	// weightOfEnvironment is what a step of the environment counts for: it makes objects and calls functions far more often
	// than a script that takes many steps.
	weightOfEnvironment = 3
	// stepsOfRealm is what a realm beside others counts for.
	stepsOfRealm = 100_000
	bytesOfStep  = 4
	// bytesOfBlock is how much of a large block of memory counts for a step.
	bytesOfBlock = 256
)

// Engine implements script.Engine.
type Engine struct {
	*machine
	host    script.Host
	modules script.Modules
	// ctx is the environment's realm, scripts the realm of the scripts. Each has separate built-ins, so that changes that
	// scripts make to theirs do not reach the environment.
	ctx, scripts uintptr
	dispatch     lib.TJSValue
	failed       map[string]lib.TJSValue // errors of modules whose texts are none, by address
	beside       bool                    // another engine's machine runs it
	// left says that it has left its machine. Functions of it that others hold on to may still call the host.
	left bool
}

// machine is what runs the scripts of an engine and of those beside it, with the memory that they share.
// Its fields are the handles of the translated C library, beside the bounds.
type machine struct {
	// steps bounds a turn, in steps; patience what it may compute without coming to one, in processor time.
	steps    int
	patience time.Duration

	heap *heap
	tls  *libc.TLS
	rt   uintptr
	// kin is an object that the environments of all its engines are given.
	kin lib.TJSValue
	// first is the engine that exists as long as the machine.
	first *Engine
	used  int // steps of this turn
	late  bool
	// installing says that an environment starts, whose work is not the script's.
	installing bool
	watched    watched
	rejected   []rejection
	scratch    []byte // on its way into the engine
	args       uintptr
	depth      int // of calls within calls
	siblings   []*Engine
	// private are the environment's internal names.
	private []privateName
	// tooDeep says that a call within calls was refused; the script that asked for it gets a RangeError.
	tooDeep bool
	// crashed is set once a call ended by a panic, which leaves the engine in no usable state.
	crashed *crash.Crash
	closed  bool
}

// state is a state of memory, and what the environment gave.
type state struct {
	heap     *mark
	dispatch lib.TJSValue
}

// Bounds of calls: arguments of one, and calls within calls, as when a script makes a frame.
const (
	maxArgs  = 16
	maxDepth = 32
)

var mallocFunctions = lib.TJSMallocFunctions{Fjs_malloc: pointer(jsMalloc), Fjs_free: pointer(jsFree),
	Fjs_realloc: pointer(jsRealloc), Fjs_malloc_usable_size: pointer(jsUsableSize)}

// pointer gives a function, which must be one of a package, the form that the translated C code calls.
func pointer(f any) uintptr { return (*[2]uintptr)(unsafe.Pointer(&f))[1] }

// New starts an engine without anything in it but the language.
func New() (*Engine, error) {
	m := &machine{steps: script.TurnSteps, patience: script.StuckLimit, heap: newHeap(), tls: libc.NewTLS(),
		scratch: make([]byte, 1<<10)}
	e := &Engine{machine: m, dispatch: undefined}
	m.first = e
	// Who fills large blocks makes headway, and works for it.
	e.heap.onBig = func(size uintptr) {
		e.used += int(size) / bytesOfBlock
		e.watched.beats.Add(1)
	}
	e.rt = lib.XJS_NewRuntime2(e.tls, uintptr(unsafe.Pointer(&mallocFunctions)), uintptr(unsafe.Pointer(e.heap)))
	if e.rt == 0 {
		return nil, errors.New("the script engine does not start")
	}
	m.limitMemory()
	lib.XJS_SetGCThreshold(e.tls, e.rt, gcThreshold)
	lib.XJS_SetMaxStackSize(e.tls, e.rt, stackLimit)
	lib.XJS_SetInterruptHandler(e.tls, e.rt, pointer(interrupt), uintptr(unsafe.Pointer(m)))
	lib.XJS_SetHostPromiseRejectionTracker(e.tls, e.rt, pointer(trackRejection), e.rt)
	lib.XJS_SetModuleLoaderFunc2(e.tls, e.rt, pointer(normalizeModule), pointer(loadModule), 0, e.rt)
	if err := e.makeRealms(nil); err != nil {
		return nil, err
	}
	e.kin = lib.XJS_NewObject(e.tls, e.ctx)
	e.args = e.heap.alloc(maxDepth * maxArgs * unsafe.Sizeof(lib.TJSValue{}))
	watch(m)
	return e, nil
}

// Close ends the engine. Its memory, being all in one place, needs no taking apart.
func (e *Engine) Close() {
	if e.closed {
		return
	}
	if e.beside {
		e.leave()
		return
	}
	e.closed = true
	e.dropSiblings()
	unwatch(e.machine)
	e.tls.Close()
	e.heap.close()
	e.heap = nil
}

// Surround implements script.Engine.
func (e *Engine) Surround(s script.Surroundings) {
	e.host, e.modules = s.Host, s.Modules
	e.watched.mu.Lock()
	defer e.watched.mu.Unlock()
	e.watched.ctx = s.Context
}

// Bound implements script.Engine.
func (e *Engine) Bound(steps int, patience time.Duration) { e.steps, e.patience = steps, patience }

// guard runs part of a script. It returns script.ErrStuck or script.ErrCanceled if the watchdog takes the engine's memory
// away meanwhile, and a *crash.Crash for any other panic. The engine cannot be used after either.
func (e *machine) guard(f func()) (err error) {
	if err := e.broken(); err != nil {
		return err
	}
	faults := debug.SetPanicOnFault(true)
	e.watched.mu.Lock()
	e.watched.patience, e.watched.allowed = e.patience, max(shortTurn, time.Duration(e.steps)*stepTime)
	e.watched.mu.Unlock()
	before := e.watched.run(true)
	defer func() {
		e.watched.run(before)
		debug.SetPanicOnFault(faults)
		p := recover()
		switch {
		case p != nil && !(e.watched.gone.Load() && isFault(p)):
			e.crashed = crash.From(p)
			err = e.crashed
		case e.watched.gone.Load():
			err = e.stuck()
		}
	}()
	f()
	return nil
}

// broken says why the engine cannot be used any more, nil while it can.
func (e *machine) broken() error {
	switch {
	case e.crashed != nil:
		return e.crashed
	case e.watched.gone.Load():
		return e.stuck()
	}
	return nil
}

// isFault says whether a panic came of an access to memory that was taken away.
func isFault(p any) bool {
	_, at := p.(interface{ Addr() uintptr })
	return at
}

func (e *machine) stuck() error {
	if e.watched.stop.Load() {
		return script.ErrCanceled
	}
	return script.ErrStuck
}

// Mark notes the present state. No script may be running.
func (e *Engine) Mark() script.Mark { return &state{e.heap.mark(), e.dispatch} }

// Rewind returns to a state of this engine. No script may be running, and none may have been stopped half-way by a
// panic.
func (e *Engine) Rewind(to script.Mark) {
	m := to.(*state)
	e.dropSiblings()
	e.heap.rewind(m.heap)
	e.dispatch, e.late, e.rejected, e.depth, e.failed, e.tooDeep = m.dispatch, false, nil, 0, nil, false
	e.watched.stop.Store(false)
}

// Size is how many bytes a mark holds.
func (m *state) Size() int { return m.heap.size() }

// Compile gives the bytecode of a script, without the source text that functions are shown with and without lines.
func (e *Engine) Compile(source string) ([]byte, error) {
	return e.bytecode(source, "<environment>", lib.MJS_STRIP_DEBUG)
}

// CompileWithLines is Compile, but samples of the script's stack show the name of the source and the lines of its functions.
func (e *Engine) CompileWithLines(source, name string) ([]byte, error) {
	return e.bytecode(source, name, lib.MJS_STRIP_SOURCE)
}

func (e *Engine) bytecode(source, name string, without int32) ([]byte, error) {
	lib.XJS_SetStripInfo(e.tls, e.rt, without)
	defer lib.XJS_SetStripInfo(e.tls, e.rt, 0)
	code := e.eval(e.ctx, source, name, lib.MJS_EVAL_TYPE_GLOBAL|lib.MJS_EVAL_FLAG_COMPILE_ONLY)
	if isException(code) {
		return nil, e.exception()
	}
	defer lib.XFreeValue(e.tls, e.ctx, code)
	size := e.tls.Alloc(8)
	defer e.tls.Free(8)
	p := lib.XJS_WriteObject(e.tls, e.ctx, size, code, lib.MJS_WRITE_OBJ_BYTECODE)
	if p == 0 {
		return nil, e.exception()
	}
	out := append([]byte(nil), bytesAt(p, *word(size))...)
	lib.Xjs_free(e.tls, e.ctx, p)
	return out, nil
}

// Install runs bytecode whose value is a function, in the environment's realm; calls that with the scripts' global
// object and the way to the host, and takes what it returns as the function that Call calls.
func (e *Engine) Install(code []byte) (err error) {
	if fatal := e.guard(func() { err = e.install(code) }); fatal != nil {
		return fatal
	}
	return err
}

func (e *Engine) install(code []byte) error {
	defer func(before bool) { e.setInstalling(before) }(e.installing)
	e.setInstalling(true)
	e.showPrivate()
	defer e.hidePrivate()
	leave, err := e.enter()
	if err != nil {
		return err
	}
	defer leave()
	e.keepPrototype(false)
	object := lib.XJS_ReadObject(e.tls, e.ctx, uintptr(unsafe.Pointer(unsafe.SliceData(code))), lib.Tsize_t(len(code)),
		lib.MJS_READ_OBJ_BYTECODE)
	runtime.KeepAlive(code)
	if isException(object) {
		return e.exception()
	}
	make := lib.XJS_EvalFunction(e.tls, e.ctx, object)
	if isException(make) {
		return e.exception()
	}
	defer lib.XFreeValue(e.tls, e.ctx, make)
	name := e.cString("host")
	host := lib.XJS_NewCFunction2(e.tls, e.ctx, pointer(callHost), name, 1, lib.EJS_CFUNC_generic, 0)
	global := lib.XJS_GetGlobalObject(e.tls, e.scripts)
	e.setArg(0, global)
	e.setArg(1, host)
	e.setArg(2, e.kin)
	result := lib.XJS_Call(e.tls, e.ctx, make, undefined, 3, e.argv())
	lib.XFreeValue(e.tls, e.ctx, global)
	lib.XFreeValue(e.tls, e.ctx, host)
	if isException(result) {
		return e.exception()
	}
	e.dispatch = result
	return nil
}

// Call runs one task of the event loop: a call of the installed function and then every microtask. An error is what
// the function threw, or script.ErrEndless or script.ErrMemory.
func (e *Engine) Call(args ...any) (result any, err error) {
	if fatal := e.guard(func() { result, err = e.call(args) }); fatal != nil {
		return nil, fatal
	}
	return result, err
}

func (e *Engine) call(args []any) (result any, err error) {
	leave, err := e.enter()
	if err != nil {
		return nil, err
	}
	defer leave()
	for i, a := range args {
		e.setArg(i, e.value(a))
	}
	v := lib.XJS_Call(e.tls, e.ctx, e.dispatch, undefined, int32(len(args)), e.argv())
	for i := range args {
		lib.XFreeValue(e.tls, e.ctx, e.arg(i))
	}
	if isException(v) {
		err = e.exception()
	} else {
		result = e.plain(v)
		lib.XFreeValue(e.tls, e.ctx, v)
	}
	if fatal := e.fatal(err); fatal != nil {
		return nil, fatal
	}
	if e.depth > 1 { // what waits does so until the outer call has ended
		return result, err
	}
	if fatal := e.jobs(); fatal != nil {
		return nil, fatal
	}
	if fatal := e.tellRejections(); fatal != nil {
		return nil, fatal
	}
	return result, err
}

// jobs runs every microtask.
func (e *machine) jobs() error {
	context := e.tls.Alloc(8)
	defer e.tls.Free(8)
	for n := 0; ; n++ {
		r := lib.XJS_ExecutePendingJob(e.tls, e.rt, context)
		switch {
		case r == 0:
			return nil
		case r < 0:
			lib.XFreeValue(e.tls, *word(context), lib.XJS_GetException(e.tls, *word(context)))
			if fatal := e.fatal(nil); fatal != nil {
				return fatal
			}
		}
		// A promise may have taken what the engine threw when time was up.
		if n%(stepsAsked/stepsOfJob) == stepsAsked/stepsOfJob-1 {
			e.ask(stepsAsked)
		}
		if e.late {
			return e.fatal(nil)
		}
	}
}

// enter begins a turn, or a call within one, and returns what ends it. Pages control how deep such calls are.
func (m *machine) enter() (leave func(), err error) {
	m.watched.beats.Add(1)
	if m.depth == 0 {
		m.used, m.late = 0, false
		m.watched.turns.Add(1)
		m.watched.sample.Store(false) // of the time before
	}
	if m.depth == maxDepth {
		m.tooDeep = true
		return nil, script.ErrTooDeep
	}
	m.depth++
	return func() { m.depth-- }, nil
}

// Used is how many steps the last turn took, to within a few thousand.
func (e *machine) Used() int { return e.used }

// ask counts steps and reports whether the script has to end.
func (e *machine) ask(steps int) bool {
	e.watched.beats.Add(1)
	if !e.installing {
		e.used += steps
		e.late = e.late || e.used > e.steps
	}
	e.late = e.late || e.watched.stop.Load() || e.watched.isSlow()
	return e.late
}

// fatal says whether an error means that the engine ran out of steps or memory.
func (e *machine) fatal(err error) error {
	switch {
	case e.watched.stop.Load():
		return script.ErrCanceled
	case e.late && e.used <= e.steps && e.watched.isSlow():
		return script.ErrSlow
	case e.late:
		return script.ErrEndless
	case e.heap.full:
		return script.ErrMemory
	}
	return nil
}

// Eval runs a classic script in the scripts' realm under its own name, so that errors tell their place.
func (e *Engine) Eval(source, name string) error {
	if e.left {
		return errLeft
	}
	// It runs inside a call, whose host it is called by.
	defer e.watched.run(e.watched.run(true))
	result := e.compile(source, name, false)
	if !isException(result) {
		result = lib.XJS_EvalFunction(e.tls, e.scripts, result)
	}
	if isException(result) {
		return thrown{lib.XJS_GetException(e.tls, e.ctx)}
	}
	lib.XFreeValue(e.tls, e.ctx, result)
	return nil
}

// Import begins to load a module in the scripts' realm and gives the promise of it.
func (e *Engine) Import(url string) any {
	if e.left {
		return nil
	}
	base, name := terminated(""), terminated(url)
	promise := lib.XJS_LoadModule(e.tls, e.scripts, uintptr(unsafe.Pointer(&base[0])), uintptr(unsafe.Pointer(&name[0])))
	runtime.KeepAlive(base)
	runtime.KeepAlive(name)
	return object{promise}
}

// object is a value of the engine on its way through the host; whoever takes it back owns it.
type object struct{ value lib.TJSValue }

// thrown is what a script threw, on its way through the host.
type thrown struct{ value lib.TJSValue }

func (thrown) Error() string { return "a script threw" }

func (e *Engine) eval(ctx uintptr, source, name string, flags int32) lib.TJSValue {
	text, file := terminated(source), terminated(name)
	v := lib.XJS_Eval(e.tls, ctx, uintptr(unsafe.Pointer(&text[0])), lib.Tsize_t(len(source)),
		uintptr(unsafe.Pointer(&file[0])), flags)
	runtime.KeepAlive(text)
	runtime.KeepAlive(file)
	return v
}

// onHeap keeps the compiler from placing what it is given on the stack, which may move.
var onHeap atomic.Pointer[[]byte]

// terminated copies a string to the heap, with a NUL after it.
func terminated(s string) []byte {
	b := make([]byte, len(s)+1)
	copy(b, s)
	if onHeap.Load() == &b {
		onHeap.Store(&b)
	}
	return b
}

// cString copies a short string into the scratch memory, with a NUL after it.
func (e *machine) cString(s string) uintptr {
	if len(e.scratch) <= len(s) {
		e.scratch = make([]byte, 2*len(s)+1)
	}
	e.scratch[copy(e.scratch, s)] = 0
	return uintptr(unsafe.Pointer(&e.scratch[0]))
}

func bytesAt(p, n uintptr) []byte { return unsafe.Slice((*byte)(unsafe.Add(nil, p)), int(n)) }

// What the engine calls.

// engineOf is the engine that a realm belongs to. Others keep it from being collected: its machine, as long as that runs.
func engineOf(ctx uintptr) *Engine {
	return (*Engine)(unsafe.Add(nil, (*lib.TJSContext)(unsafe.Add(nil, ctx)).Fuser_opaque))
}

// interrupt is what the interpreter calls whenever the counter of a realm is used up. It has just been set to stepsAsked; the
// environment's own steps count for more, so its realm asks again sooner.
func interrupt(_ *libc.TLS, _, opaque uintptr) int32 {
	m := (*machine)(unsafe.Add(nil, opaque))
	steps := int32(stepsAsked)
	if s := sampling.Load(); s != nil {
		if steps = stepsSampled; m.watched.sample.Swap(false) {
			s.take(m)
		}
	}
	for e := range m.engines {
		own, theirs := e.counter(e.ctx), e.counter(e.scripts)
		*own, *theirs = min(*own, steps/weightOfEnvironment), min(*theirs, steps)
	}
	if m.ask(int(steps)) {
		return 1
	}
	return 0
}

func callHost(tls *libc.TLS, ctx uintptr, _ lib.TJSValue, argc int32, argv uintptr) (result lib.TJSValue) {
	e := engineOf(ctx)
	defer e.watched.run(e.watched.run(false))
	args := make([]any, argc)
	e.used += stepsOfCall
	for i := range args {
		args[i] = e.plain(*(*lib.TJSValue)(unsafe.Add(nil, argv+uintptr(i)*unsafe.Sizeof(lib.TJSValue{}))))
		switch v := args[i].(type) {
		case string:
			e.used += len(v) / bytesOfStep
		case []byte:
			e.used += len(v) / bytesOfStep
		}
	}
	if e.host == nil {
		return e.throw(ctx, errLeft.Error())
	}
	v, err := e.host(args)
	if e.crashed != nil { // in a call within this one: nothing below may go on
		panic(e.crashed)
	}
	if e.tooDeep {
		e.tooDeep = false
		return e.throwRange(ctx, "Maximum call stack size exceeded")
	}
	if t, is := err.(thrown); is {
		return lib.XJS_Throw(e.tls, ctx, t.value)
	}
	if err != nil {
		return e.throw(ctx, err.Error())
	}
	return e.value(v)
}

// errLeft is what functions of a closed window throw.
var errLeft = errors.New("this window is closed")

// throwRange makes a RangeError with a short text the pending exception.
func (e *machine) throwRange(ctx uintptr, text string) lib.TJSValue {
	message := terminated(text)
	v := lib.XJS_ThrowRangeError(e.tls, ctx, uintptr(unsafe.Pointer(&message[0])), 0)
	runtime.KeepAlive(message)
	return v
}

// throw makes a TypeError with a text the pending exception. ctx is a realm that still exists: that of the function
// that was called, since the engine may have left its machine.
func (e *Engine) throw(ctx uintptr, text string) lib.TJSValue {
	format := terminated("%s")
	message := terminated(text)
	va := e.tls.Alloc(8)
	*word(va) = uintptr(unsafe.Pointer(&message[0]))
	v := lib.XJS_ThrowTypeError(e.tls, ctx, uintptr(unsafe.Pointer(&format[0])), va)
	e.tls.Free(8)
	runtime.KeepAlive(message)
	runtime.KeepAlive(format)
	// The engine cuts long messages off.
	if len(text) > 200 {
		lib.XFreeValue(e.tls, ctx, v)
		thrown := lib.XJS_GetException(e.tls, ctx)
		name := terminated("message")
		lib.XJS_SetPropertyStr(e.tls, ctx, thrown, uintptr(unsafe.Pointer(&name[0])), e.textValue(ctx, text))
		return lib.XJS_Throw(e.tls, ctx, thrown)
	}
	return v
}

func normalizeModule(tls *libc.TLS, ctx, base, name, _ uintptr) uintptr {
	e := engineOf(ctx)
	if e.left {
		e.throw(ctx, errLeft.Error())
		return 0
	}
	url, err := e.modules.Normalize(goString(tls, base), goString(tls, name))
	if err != nil {
		e.throw(ctx, err.Error())
		return 0
	}
	return lib.Xjs_strdup(tls, ctx, e.cString(url))
}

func loadModule(tls *libc.TLS, ctx, name, _ uintptr, _ lib.TJSValue) uintptr {
	e := engineOf(ctx)
	if e.left {
		e.throw(ctx, errLeft.Error())
		return 0
	}
	url := goString(tls, name)
	source, err := e.modules.Load(url)
	if err != nil {
		e.throw(ctx, err.Error())
		return 0
	}
	if earlier, is := e.failed[url]; is {
		lib.XJS_Throw(tls, ctx, lib.XDupValue(tls, ctx, earlier))
		return 0
	}
	v := e.compile(source, url, true)
	if isException(v) {
		// A module keeps the error that its text is (HTML, 8.1.5.2: "error to rethrow").
		thrown := lib.XJS_GetException(tls, ctx)
		if e.failed == nil {
			e.failed = map[string]lib.TJSValue{}
		}
		e.failed[url] = lib.XDupValue(tls, ctx, thrown)
		lib.XJS_Throw(tls, ctx, thrown)
		return 0
	}
	// The module is kept by the context, not by this reference.
	p := uintptr(v.Fu.Fuint641)
	lib.XFreeValue(tls, ctx, v)
	return p
}

func goString(tls *libc.TLS, p uintptr) string {
	if p == 0 {
		return ""
	}
	return wellFormed(bytesAt(p, uintptr(libc.Xstrlen(tls, p))))
}

// Values.

// Held implements script.Engine.
func (m *machine) Held() int { return m.heap.held() }

// Interrupt implements script.Engine.
func (m *machine) Interrupt() { m.watched.stop.Store(true) }

// Broken implements script.Engine.
func (m *machine) Broken() bool { return m.broken() != nil }
