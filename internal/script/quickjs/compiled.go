package quickjs

import (
	"hash/maphash"
	"runtime"
	"sync"
	"unsafe"

	lib "modernc.org/libquickjs"
)

// compiled keeps the bytecode of scripts, since the pages of a site run the same ones: a bundle that takes 55 ms to
// compile is read in 5.
var compiled struct {
	sync.RWMutex
	code map[codeKey][]byte
	size int
}

type codeKey struct {
	name   string
	hash   uint64
	length int
	module bool
}

// Bounds of what is kept: scripts smaller than this are compiled as quickly as they are read, and of all together no
// more than that many bytes are kept.
const (
	smallScript = 1 << 10
	mostCode    = 96 << 20
)

var codeSeed = maphash.MakeSeed()

func codeOf(key codeKey) []byte {
	compiled.RLock()
	defer compiled.RUnlock()
	return compiled.code[key]
}

func keepCode(key codeKey, code []byte) {
	compiled.Lock()
	defer compiled.Unlock()
	if compiled.code == nil || compiled.size+len(code) > mostCode {
		compiled.code, compiled.size = map[codeKey][]byte{}, 0
	}
	compiled.code[key] = code
	compiled.size += len(code)
}

// compile gives the code of a script in the scripts' realm, ready to be run, or an exception.
func (e *Engine) compile(source, name string, module bool) lib.TJSValue {
	kind := int32(lib.MJS_EVAL_TYPE_GLOBAL)
	if module {
		kind = lib.MJS_EVAL_TYPE_MODULE
	}
	if len(source) < smallScript {
		return e.eval(e.scripts, source, name, kind|lib.MJS_EVAL_FLAG_COMPILE_ONLY)
	}
	key := codeKey{name, maphash.String(codeSeed, source), len(source), module}
	if code := codeOf(key); code != nil {
		v := lib.XJS_ReadObject(e.tls, e.scripts, uintptr(unsafe.Pointer(unsafe.SliceData(code))), lib.Tsize_t(len(code)),
			lib.MJS_READ_OBJ_BYTECODE)
		runtime.KeepAlive(code)
		return v
	}
	v := e.eval(e.scripts, source, name, kind|lib.MJS_EVAL_FLAG_COMPILE_ONLY)
	if isException(v) {
		return v
	}
	size := e.tls.Alloc(8)
	defer e.tls.Free(8)
	if p := lib.XJS_WriteObject(e.tls, e.scripts, size, v, lib.MJS_WRITE_OBJ_BYTECODE); p != 0 {
		keepCode(key, append([]byte(nil), bytesAt(p, *word(size))...))
		lib.Xjs_free(e.tls, e.scripts, p)
	} else {
		lib.XFreeValue(e.tls, e.scripts, lib.XJS_GetException(e.tls, e.scripts))
	}
	return v
}
