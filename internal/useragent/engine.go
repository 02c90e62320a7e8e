package useragent

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"reflect"
	"sort"
	"strings"
	"sync"
	"time"
	"unsafe"

	"modernc.org/libc"
	lib "modernc.org/libquickjs"
	"modernc.org/quickjs"
)

//go:embed realm/*.js
var realmFiles embed.FS

// Bounds of one realm.
const (
	memoryLimit = 256 << 20
	stackLimit  = 1 << 20
	gcThreshold = 16 << 20
)

// turnLimit is how long in real time scripts may run without returning to the event loop.
var turnLimit = 2 * time.Second

// environment is the bytecode of what scripts see beside the language, compiled once.
var environment = sync.OnceValues(func() ([]byte, error) {
	names, err := fs.Glob(realmFiles, "realm/*.js")
	if err != nil {
		return nil, err
	}
	sort.Strings(names)
	var b strings.Builder
	b.WriteString("(function (global, host) { 'use strict';\n")
	for _, name := range names {
		text, err := realmFiles.ReadFile(name)
		if err != nil {
			return nil, err
		}
		b.Write(text)
	}
	b.WriteString("\nreturn dispatch; })")
	vm, err := quickjs.NewVM()
	if err != nil {
		return nil, err
	}
	defer vm.Close()
	// The source text, which nobody needs of the environment itself, is left out: loading is faster without it.
	_, rt, tls := insides(vm)
	lib.XJS_SetStripInfo(tls, rt, lib.MJS_STRIP_SOURCE)
	return vm.Compile(b.String(), quickjs.EvalGlobal)
})

// insides gives what the library keeps to itself: the engine's context, runtime and thread state. Binary data can cross only with
// them. Reading them needs no more than their names, which a test holds on to.
func insides(vm *quickjs.VM) (ctx, rt uintptr, tls *libc.TLS) {
	v := reflect.ValueOf(vm).Elem()
	r := v.FieldByName("runtime").Elem()
	return uintptr(v.FieldByName("cContext").Uint()), uintptr(r.FieldByName("cRuntime").Uint()), (*libc.TLS)(unsafe.Pointer(r.FieldByName("tls").Pointer()))
}

// engine is one script engine with our environment in it. It belongs to one goroutine.
type engine struct {
	vm       *quickjs.VM
	dispatch quickjs.Value
	ctx      uintptr
	tls      *libc.TLS
	// stopped says why the engine may not run any more.
	stopped error
	closed  bool
}

// errEndless and errMemory are ways in which a script uses up what it is given.
var (
	errEndless = fmt.Errorf("the script ran for more than %v without a pause and was stopped", turnLimit)
	errMemory  = fmt.Errorf("the script used more than %d MB of memory and was stopped", memoryLimit>>20)
)

// newEngine starts an engine; host is called from its scripts with an operation's name and arguments.
func newEngine(host quickjs.HostFunc) (*engine, error) {
	code, err := environment()
	if err != nil {
		return nil, fmt.Errorf("the worker environment does not compile: %w", err)
	}
	vm, err := quickjs.NewVM()
	if err != nil {
		return nil, err
	}
	e := &engine{vm: vm}
	e.ctx, _, e.tls = insides(vm)
	vm.SetMemoryLimit(memoryLimit)
	// Most engines live for one page: collecting their garbage early costs more than it gives back.
	vm.SetGCThreshold(gcThreshold)
	vm.SetMaxStackSize(stackLimit)
	if err := vm.RegisterHostFunc("__host", host); err != nil {
		vm.Close()
		return nil, err
	}
	make, err := vm.EvalBytecodeValue(code)
	if err != nil {
		vm.Close()
		return nil, err
	}
	defer make.Free()
	hostValue, err := vm.EvalValue("(() => { const h = globalThis.__host; delete globalThis.__host; return h; })()", quickjs.EvalGlobal)
	if err != nil {
		vm.Close()
		return nil, err
	}
	defer hostValue.Free()
	global := vm.GlobalObject()
	defer global.Free()
	if e.dispatch, err = make.CallValue(quickjs.UndefinedValue, global, hostValue); err != nil {
		vm.Close()
		return nil, fmt.Errorf("the worker environment does not start: %w", err)
	}
	return e, nil
}

func (e *engine) close() {
	if e.closed {
		return
	}
	e.closed = true
	if e.stopped == nil {
		e.stopped = errors.New("the worker has ended")
	}
	e.dispatch.Free()
	e.vm.Close()
}

// turn runs one task of the event loop: a call into the environment and then every microtask.
func (e *engine) turn(op string, args ...any) (any, error) {
	if e.stopped != nil {
		return nil, e.stopped
	}
	timer := time.AfterFunc(turnLimit, e.vm.Interrupt)
	defer timer.Stop()
	started := time.Now()
	result, err := e.dispatch.Call(quickjs.UndefinedValue, append([]any{op}, args...)...)
	if e.check(err, started) {
		return nil, e.stopped
	}
	for {
		_, jobErr := e.vm.ExecutePendingJobs()
		if jobErr != nil && e.check(jobErr, started) {
			return nil, e.stopped
		}
		// The engine drains a bounded number of jobs at a time; what feeds itself is ended by the limit on time.
		if jobErr == nil || !strings.Contains(jobErr.Error(), "aborted draining") {
			return result, err
		}
	}
}

// check finds out whether an error means that the engine ran out of time or memory.
func (e *engine) check(err error, started time.Time) bool {
	if err == nil {
		return false
	}
	switch text := err.Error(); {
	case strings.Contains(text, "interrupted") && time.Since(started) >= turnLimit*9/10:
		e.stopped = errEndless
	case strings.Contains(text, "out of memory"):
		e.stopped = errMemory
	default:
		return false
	}
	return true
}

// global runs f with the engine's global object and the name of the one property through which binary data crosses.
func (e *engine) global(f func(object, name uintptr, global lib.TJSValue)) {
	g := lib.XJS_GetGlobalObject(e.tls, e.ctx)
	name, err := libc.CString("__crossing")
	if err == nil {
		f(e.ctx, name, g)
		libc.Xfree(e.tls, name)
	}
	lib.XFreeValue(e.tls, e.ctx, g)
}

// giveBytes makes an ArrayBuffer with a copy of data the crossing property.
func (e *engine) giveBytes(data []byte) {
	e.global(func(ctx, name uintptr, g lib.TJSValue) {
		var p uintptr
		if len(data) > 0 {
			p = uintptr(unsafe.Pointer(&data[0]))
		}
		lib.XJS_SetPropertyStr(e.tls, ctx, g, name, lib.XJS_NewArrayBufferCopy(e.tls, ctx, p, lib.Tsize_t(len(data))))
	})
}

// takeBytes copies the ArrayBuffer that is the crossing property.
func (e *engine) takeBytes() (out []byte) {
	e.global(func(ctx, name uintptr, g lib.TJSValue) {
		buffer := lib.XJS_GetPropertyStr(e.tls, ctx, g, name)
		size := e.tls.Alloc(8)
		if p := lib.XJS_GetArrayBuffer(e.tls, ctx, size, buffer); p != 0 {
			n := *(*lib.Tsize_t)(unsafe.Add(nil, size))
			out = append([]byte(nil), unsafe.Slice((*byte)(unsafe.Add(nil, p)), int(n))...)
		} else {
			out = []byte{}
		}
		e.tls.Free(8)
		lib.XFreeValue(e.tls, ctx, buffer)
	})
	return out
}

// evalScript runs a classic script under its own name, so that errors tell their place. False means that it threw;
// what it threw is then the crossing property.
func (e *engine) evalScript(source, name string) bool {
	text, err := libc.CString(source)
	if err != nil {
		return false
	}
	defer libc.Xfree(e.tls, text)
	file, err := libc.CString(name)
	if err != nil {
		return false
	}
	defer libc.Xfree(e.tls, file)
	result := lib.XJS_Eval(e.tls, e.ctx, text, lib.Tsize_t(len(source)), file, lib.MJS_EVAL_TYPE_GLOBAL)
	if int(result.Ftag) != lib.EJS_TAG_EXCEPTION {
		lib.XFreeValue(e.tls, e.ctx, result)
		return true
	}
	thrown := lib.XJS_GetException(e.tls, e.ctx)
	e.global(func(ctx, name uintptr, g lib.TJSValue) { lib.XJS_SetPropertyStr(e.tls, ctx, g, name, thrown) })
	return false
}
