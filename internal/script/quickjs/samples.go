package quickjs

import (
	"encoding/binary"
	"sync"
	"sync/atomic"
	"time"
	"unsafe"

	lib "modernc.org/libquickjs"
)

// Function is a function of a script, as a sample found it.
type Function struct {
	// Name is empty for an anonymous function and for the top level of a script.
	Name string
	// File is the script's address or the environment's name, Line where the function begins, from 1. Both are empty if the bytecode
	// does not hold them.
	File string
	Line int
	// Own reports that the function belongs to the environment.
	Own bool
}

// Stack is the functions that were active at one moment, innermost first.
type Stack []Function

const (
	// deepestStack bounds the functions of a sample.
	deepestStack = 64
	// stepsSampled is how many steps an engine takes before it asks, while samples are taken.
	stepsSampled = weightOfEnvironment
)

// sampler collects stacks of all engines.
type sampler struct {
	mu     sync.Mutex
	stacks []Stack
	done   chan struct{}
}

var sampling atomic.Pointer[sampler]

// Sample takes the stack of each engine that runs a script, once in the given interval, until stop is called, which returns the
// samples. It is for measurements. Only one sampling at a time is possible; a second one takes over from the first.
func Sample(interval time.Duration) (stop func() []Stack) {
	s := &sampler{done: make(chan struct{})}
	sampling.Store(s)
	go func() {
		t := time.NewTicker(interval)
		defer t.Stop()
		for {
			select {
			case <-s.done:
				return
			case <-t.C:
				dog.Lock()
				for m := range dog.list {
					m.watched.sample.Store(true)
				}
				dog.Unlock()
			}
		}
	}()
	return func() []Stack {
		sampling.CompareAndSwap(s, nil)
		close(s.done)
		s.mu.Lock()
		defer s.mu.Unlock()
		return s.stacks
	}
}

// take adds the present stack of an engine.
func (s *sampler) take(m *machine) {
	var stack Stack
	for at := (*lib.TJSRuntime)(unsafe.Add(nil, m.rt)).Fcurrent_stack_frame; at != 0 && len(stack) < deepestStack; {
		frame := (*lib.TJSStackFrame)(unsafe.Add(nil, at))
		if f, is := m.function(frame.Fcur_func); is {
			stack = append(stack, f)
		}
		at = frame.Fprev_frame
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stacks = append(s.stacks, stack)
}

// function describes a function that is written in JavaScript.
func (m *machine) function(v lib.TJSValue) (Function, bool) {
	if v.Ftag != lib.EJS_TAG_OBJECT {
		return Function{}, false
	}
	switch classOf(objectAt(v)) {
	case lib.EJS_CLASS_BYTECODE_FUNCTION, lib.EJS_CLASS_GENERATOR_FUNCTION, lib.EJS_CLASS_ASYNC_FUNCTION, lib.EJS_CLASS_ASYNC_GENERATOR_FUNCTION:
	default:
		return Function{}, false
	}
	code := (*lib.TJSFunctionBytecode)(unsafe.Add(nil, *(*uintptr)(unsafe.Add(nil, objectAt(v)+ofClass))))
	f := Function{Name: m.nameOf(code.Ffunc_name)}
	for e := range m.engines {
		f.Own = f.Own || code.Frealm == e.ctx
	}
	const hasDebug = 1 << 2
	if code.F__ccgo18&hasDebug != 0 && code.Fdebug.Fpc2line_len > 0 {
		line, _ := binary.Uvarint(bytesAt(code.Fdebug.Fpc2line_buf, uintptr(min(code.Fdebug.Fpc2line_len, binary.MaxVarintLen32))))
		f.Line = int(line) + 1
		f.File = m.nameOf(code.Fdebug.Ffilename)
	}
	return f, true
}

// nameOf gives the text of a name.
func (m *machine) nameOf(number lib.TJSAtom) string {
	if number == 0 || number>>31 != 0 {
		return ""
	}
	a := m.atomOf(number)
	if a == nil {
		return ""
	}
	length, at := a.F__ccgo0&(1<<31-1), uintptr(unsafe.Pointer(a))+textOffset
	if a.F__ccgo0>>31 == 0 {
		return string(bytesAt(at, uintptr(length)))
	}
	text := make([]rune, length)
	for i := range text {
		text[i] = rune(*(*uint16)(unsafe.Add(nil, at+2*uintptr(i))))
	}
	return string(text)
}
