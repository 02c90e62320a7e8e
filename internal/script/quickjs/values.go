package quickjs

import (
	"errors"
	"fmt"
	"math"
	"runtime"
	"strings"
	"unicode/utf8"
	"unsafe"

	lib "modernc.org/libquickjs"
)

var undefined = lib.TJSValue{Ftag: lib.EJS_TAG_UNDEFINED}

func isException(v lib.TJSValue) bool { return v.Ftag == lib.EJS_TAG_EXCEPTION }

// argv is where the arguments of the present call stand.
func (m *machine) argv() uintptr {
	return m.args + uintptr(max(0, m.depth-1))*maxArgs*unsafe.Sizeof(lib.TJSValue{})
}

func (m *machine) arg(i int) lib.TJSValue {
	return *(*lib.TJSValue)(unsafe.Add(nil, m.argv()+uintptr(i)*unsafe.Sizeof(lib.TJSValue{})))
}

func (m *machine) setArg(i int, v lib.TJSValue) {
	*(*lib.TJSValue)(unsafe.Add(nil, m.argv()+uintptr(i)*unsafe.Sizeof(v))) = v
}

func (e *Engine) value(v any) lib.TJSValue {
	switch x := v.(type) {
	case string:
		return e.textValue(e.ctx, x)
	case bool:
		out := lib.TJSValue{Ftag: lib.EJS_TAG_BOOL}
		if x {
			out.Fu.Fuint641 = 1
		}
		return out
	case int:
		if x == int(int32(x)) {
			return lib.TJSValue{Fu: lib.TJSValueUnion{Fuint641: uint64(uint32(int32(x)))}, Ftag: lib.EJS_TAG_INT}
		}
		return e.value(float64(x))
	case float64:
		return lib.TJSValue{Fu: lib.TJSValueUnion{Fuint641: math.Float64bits(x)}, Ftag: lib.EJS_TAG_FLOAT64}
	case []byte:
		p := uintptr(unsafe.Pointer(unsafe.SliceData(x)))
		buffer := lib.XJS_NewArrayBufferCopy(e.tls, e.ctx, p, lib.Tsize_t(len(x)))
		runtime.KeepAlive(x)
		return buffer
	case object:
		return x.value
	case nil:
		return lib.TJSValue{Ftag: lib.EJS_TAG_NULL}
	}
	panic(fmt.Sprintf("a %T cannot cross into the script engine", v))
}

func (e *machine) textValue(ctx uintptr, s string) lib.TJSValue {
	p := e.cString(s)
	return lib.XJS_NewStringLen(e.tls, ctx, p, lib.Tsize_t(len(s)))
}

// plain gives a value its form in Go: an ArrayBuffer becomes a copy of its bytes; undefined, null and other objects
// become nil.
func (e *Engine) plain(v lib.TJSValue) any {
	switch v.Ftag {
	case lib.EJS_TAG_STRING, lib.EJS_TAG_STRING_ROPE:
		return e.text(v)
	case lib.EJS_TAG_INT:
		return int(int32(v.Fu.Fuint641))
	case lib.EJS_TAG_BOOL:
		return int32(v.Fu.Fuint641) != 0
	case lib.EJS_TAG_FLOAT64:
		return math.Float64frombits(v.Fu.Fuint641)
	case lib.EJS_TAG_OBJECT:
		return e.bytes(v)
	}
	return nil
}

// bytes copies the content of an ArrayBuffer; it is nil for other objects.
func (e *Engine) bytes(v lib.TJSValue) any {
	size := e.tls.Alloc(8)
	defer e.tls.Free(8)
	p := lib.XJS_GetArrayBuffer(e.tls, e.ctx, size, v)
	if p == 0 {
		lib.XFreeValue(e.tls, e.ctx, lib.XJS_GetException(e.tls, e.ctx))
		return nil
	}
	return append([]byte{}, bytesAt(p, *word(size))...)
}

// text is the string that a value converts to, "" if that throws.
func (e *Engine) text(v lib.TJSValue) string {
	size := e.tls.Alloc(8)
	defer e.tls.Free(8)
	p := lib.XJS_ToCStringLen2(e.tls, e.ctx, size, v, 0)
	if p == 0 {
		lib.XFreeValue(e.tls, e.ctx, lib.XJS_GetException(e.tls, e.ctx))
		return ""
	}
	s := wellFormed(bytesAt(p, *word(size)))
	lib.XJS_FreeCString(e.tls, e.ctx, p)
	return s
}

// wellFormed copies what the engine wrote, with U+FFFD in the place of lone surrogates, which it writes as three bytes
// of their own.
func wellFormed(b []byte) string {
	if utf8.Valid(b) {
		return string(b)
	}
	var out strings.Builder
	for len(b) > 0 {
		if len(b) >= 3 && b[0] == 0xed && b[1] >= 0xa0 {
			out.WriteRune(utf8.RuneError)
			b = b[3:]
			continue
		}
		r, n := utf8.DecodeRune(b)
		out.WriteRune(r)
		b = b[n:]
	}
	return out.String()
}

// exception takes the pending exception.
func (e *Engine) exception() error {
	thrown := lib.XJS_GetException(e.tls, e.ctx)
	defer lib.XFreeValue(e.tls, e.ctx, thrown)
	return errors.New(e.text(thrown))
}
