package quickjs

import (
	"math"
	"strings"
	"sync"
	"unsafe"

	"modernc.org/libc"
	lib "modernc.org/libquickjs"
)

// The interpreter counts calls and rounds of loops. A built-in function is one call, however much it is given to work
// on, so each of those that walk through their input is replaced by one that counts that first.

// cost says what a call of a built-in function is charged for.
type cost struct {
	// this, args and result say whose sizes count: elements of arrays, characters of strings, members of objects.
	this, args, result bool
	// sparse counts only what has holes: other elements are passed to a function of the script, whose calls are counted.
	sparse bool
	// per is how many of them count for a step.
	per int
	// base is what each call counts for, with any arguments.
	base int
}

// What a step's time is enough for, in elements and in characters or bytes.
const (
	elementsOfStep = 16
	lettersOfStep  = 64
)

var (
	searches = cost{this: true, per: elementsOfStep}
	moves    = cost{this: true, args: true, per: 4 * elementsOfStep}
	visits   = cost{this: true, sparse: true, per: elementsOfStep}
	lists    = cost{args: true, result: true, per: elementsOfStep}
	scans    = cost{this: true, args: true, per: lettersOfStep}
	numbers  = cost{this: true, per: lettersOfStep}
	blocks   = cost{this: true, args: true, per: 16 * lettersOfStep}
	reads    = cost{args: true, per: lettersOfStep}
	writes   = cost{result: true, per: lettersOfStep}
)

// costs are those of the built-in functions, by the object that holds them.
var costs = []struct {
	holder string
	cost
	names string
}{
	{"Array.prototype", searches, "indexOf lastIndexOf includes join reverse fill sort toSorted toReversed toSpliced with toLocaleString"},
	{"Array.prototype", moves, "concat flat copyWithin splice slice shift unshift"},
	{"Array.prototype", visits, "forEach map filter some every find findIndex findLast findLastIndex reduce reduceRight flatMap"},
	{"Array", lists, "from"},
	{"String.prototype", scans, "indexOf lastIndexOf includes split replace replaceAll match matchAll search normalize toLowerCase toUpperCase " +
		"toLocaleLowerCase toLocaleUpperCase localeCompare trim trimStart trimEnd isWellFormed toWellFormed"},
	{"String.prototype", writes, "slice substring substr padStart padEnd repeat"},
	{"RegExp.prototype", reads, "exec test"},
	{"JSON", cost{args: true, per: lettersOfStep / 4, base: 20}, "parse"},
	{"JSON", cost{result: true, per: lettersOfStep / 4, base: 20}, "stringify"},
	{"Object", lists, "keys values entries assign getOwnPropertyNames getOwnPropertyDescriptors fromEntries freeze seal isFrozen isSealed"},
	{"Reflect", lists, "ownKeys apply construct"},
	{"Function.prototype", lists, "apply"},
	{"Uint8Array.prototype.__proto__", searches, "sort toSorted join toLocaleString"},
	{"Uint8Array.prototype.__proto__", numbers, "indexOf lastIndexOf includes reverse toReversed with"},
	{"Uint8Array.prototype.__proto__", blocks, "set slice copyWithin fill"},
	{"ArrayBuffer.prototype", blocks, "slice resize transfer transferToFixedLength"},
	{"Set.prototype", moves, "union intersection difference symmetricDifference isSubsetOf isSupersetOf isDisjointFrom"},
	{"", lists, "Set Map WeakSet WeakMap"},
	{"", reads, "encodeURIComponent decodeURIComponent encodeURI decodeURI escape unescape"},
	{"String.prototype", cost{this: true, args: true, per: 4 * lettersOfStep}, "concat"},
}

type (
	plainFunction = func(*libc.TLS, uintptr, lib.TJSValue, int32, uintptr) lib.TJSValue
	magicFunction = func(*libc.TLS, uintptr, lib.TJSValue, int32, uintptr, int32) lib.TJSValue
)

// counted are the replacements, by the functions that they replace; they are the same in all engines.
var counted struct {
	sync.Mutex
	by   map[uintptr]uintptr
	kept []any // which the translated library does not keep from being collected
}

// cfunction is the part of an object that holds a built-in function.
type cfunction struct {
	realm, function uintptr
	length, kind    uint8
	magic           int16
}

// ofClass is where the parts of an object begin that depend on its class.
const ofClass = unsafe.Offsetof(lib.TJSObject{}.Fu)

func objectAt(v lib.TJSValue) uintptr { return uintptr(v.Fu.Fuint641) }

func classOf(object uintptr) int { return int((*lib.TJSObject)(unsafe.Add(nil, object)).Fclass_id) }

// countBuiltIns replaces the built-in functions of a realm.
func (e *Engine) countBuiltIns(ctx uintptr) {
	global := lib.XJS_GetGlobalObject(e.tls, ctx)
	defer lib.XFreeValue(e.tls, ctx, global)
	member := func(of lib.TJSValue, name string) lib.TJSValue {
		text := terminated(name)
		return lib.XJS_GetPropertyStr(e.tls, ctx, of, uintptr(unsafe.Pointer(&text[0])))
	}
	for _, c := range costs {
		holder := lib.XDupValue(e.tls, ctx, global)
		for _, name := range strings.FieldsFunc(c.holder, func(r rune) bool { return r == '.' }) {
			inner := member(holder, name)
			lib.XFreeValue(e.tls, ctx, holder)
			holder = inner
		}
		for _, name := range strings.Fields(c.names) {
			f := member(holder, name)
			if f.Ftag == lib.EJS_TAG_OBJECT && classOf(objectAt(f)) == lib.EJS_CLASS_C_FUNCTION {
				count((*cfunction)(unsafe.Add(nil, objectAt(f)+ofClass)), c.cost)
			}
			lib.XFreeValue(e.tls, ctx, f)
		}
		lib.XFreeValue(e.tls, ctx, holder)
	}
}

func count(f *cfunction, c cost) {
	counted.Lock()
	defer counted.Unlock()
	if by, is := counted.by[f.function]; is {
		f.function = by
		return
	}
	original := f.function
	var replacement any
	switch f.kind {
	case lib.EJS_CFUNC_generic, lib.EJS_CFUNC_constructor, lib.EJS_CFUNC_constructor_or_func:
		call := *(*plainFunction)(unsafe.Pointer(&struct{ uintptr }{original}))
		replacement = func(tls *libc.TLS, ctx uintptr, this lib.TJSValue, argc int32, argv uintptr) lib.TJSValue {
			if !c.before(ctx, this, argc, argv) {
				return refuse(tls, ctx)
			}
			return c.after(ctx, call(tls, ctx, this, argc, argv))
		}
	case lib.EJS_CFUNC_generic_magic, lib.EJS_CFUNC_constructor_magic:
		call := *(*magicFunction)(unsafe.Pointer(&struct{ uintptr }{original}))
		replacement = func(tls *libc.TLS, ctx uintptr, this lib.TJSValue, argc int32, argv uintptr, magic int32) lib.TJSValue {
			if !c.before(ctx, this, argc, argv) {
				return refuse(tls, ctx)
			}
			return c.after(ctx, call(tls, ctx, this, argc, argv, magic))
		}
	default:
		return
	}
	if counted.by == nil {
		counted.by = map[uintptr]uintptr{}
	}
	counted.kept = append(counted.kept, replacement)
	f.function = pointer(replacement)
	counted.by[original], counted.by[f.function] = f.function, f.function
}

// before charges for what a function is given. It reports false if that is more than the turn may still take.
func (c cost) before(ctx uintptr, this lib.TJSValue, argc int32, argv uintptr) bool {
	size := 0.0
	if c.this && (!c.sparse || !isDense(this)) {
		size = sizeOf(ctx, this)
	}
	if c.args {
		for i := range argc {
			size += sizeOf(ctx, *(*lib.TJSValue)(unsafe.Add(nil, argv+uintptr(i)*unsafe.Sizeof(this))))
		}
	}
	if size < float64(c.per) && c.base == 0 {
		return true
	}
	m := engineOf(ctx).machine
	steps := size/float64(c.per) + float64(c.base)
	if steps > float64(m.steps-m.used+stepsAsked) {
		if !m.installing {
			m.late = true
			return false
		}
		return true
	}
	m.Charge(int(steps))
	return true
}

// after charges for what a function made.
func (c cost) after(ctx uintptr, result lib.TJSValue) lib.TJSValue {
	if c.result {
		if size := sizeOf(ctx, result); size >= float64(c.per) {
			engineOf(ctx).Charge(int(size) / c.per)
		}
	}
	return result
}

// Charge implements script.Engine. If the steps are too many, every realm asks at its next step whether it may go on.
func (m *machine) Charge(steps int) {
	if m.installing {
		return
	}
	m.used += steps
	m.watched.beats.Add(1)
	if m.used > m.steps {
		for e := range m.engines {
			*e.counter(e.ctx), *e.counter(e.scripts) = 0, 0
		}
	}
}

// refuse ends the script, as the interpreter does when time is up.
func refuse(tls *libc.TLS, ctx uintptr) lib.TJSValue {
	message := terminated("interrupted")
	v := lib.XJS_ThrowInternalError(tls, ctx, uintptr(unsafe.Pointer(&message[0])), 0)
	lib.XJS_SetUncatchableException(tls, ctx, 1)
	return v
}

// elements is the part of an object that holds the elements of an array or a typed array.
type elements struct {
	_, _  uintptr
	count uint32
}

// isDense reports that a value is an array without holes, or not an object with elements at all.
func isDense(v lib.TJSValue) bool {
	if v.Ftag != lib.EJS_TAG_OBJECT {
		return true
	}
	object := objectAt(v)
	if classOf(object) != lib.EJS_CLASS_ARRAY {
		return false
	}
	return float64((*elements)(unsafe.Add(nil, object+ofClass)).count) == lengthOfArray(object)
}

// lengthOfArray is the length of an array, which is its first property.
func lengthOfArray(object uintptr) float64 {
	return number(*(*lib.TJSValue)(unsafe.Add(nil, (*lib.TJSObject)(unsafe.Add(nil, object)).Fprop)))
}

func number(v lib.TJSValue) float64 {
	switch v.Ftag {
	case lib.EJS_TAG_INT:
		return float64(int32(v.Fu.Fuint641))
	case lib.EJS_TAG_FLOAT64:
		return math.Float64frombits(v.Fu.Fuint641)
	}
	return 0
}

// lengthAtom is the atom of "length", which the library numbers in all runtimes alike.
var lengthAtom struct {
	sync.Once
	atom lib.TJSAtom
}

// sizeOf is how much there is to walk through in a value, without running any script of the site: a length that only
// a getter knows is not counted.
func sizeOf(ctx uintptr, v lib.TJSValue) float64 {
	switch v.Ftag {
	case lib.EJS_TAG_STRING:
		return float64((*lib.TJSString)(unsafe.Add(nil, objectAt(v))).F__ccgo0 & (1<<31 - 1))
	case lib.EJS_TAG_STRING_ROPE:
		return float64((*lib.TJSStringRope)(unsafe.Add(nil, objectAt(v))).Flen1)
	case lib.EJS_TAG_OBJECT:
	default:
		return 0
	}
	object := objectAt(v)
	switch class := classOf(object); {
	case class == lib.EJS_CLASS_ARRAY:
		return lengthOfArray(object)
	case class >= lib.EJS_CLASS_UINT8C_ARRAY && class <= lib.EJS_CLASS_FLOAT64_ARRAY:
		return float64((*elements)(unsafe.Add(nil, object+ofClass)).count)
	case class == lib.EJS_CLASS_MAP || class == lib.EJS_CLASS_SET:
		if state := *word(object + ofClass); state != 0 {
			return float64((*lib.TJSMapState)(unsafe.Add(nil, state)).Frecord_count)
		}
	case class == lib.EJS_CLASS_ARRAY_BUFFER:
		if buffer := *word(object + ofClass); buffer != 0 {
			return float64((*lib.TJSArrayBuffer)(unsafe.Add(nil, buffer)).Fbyte_length)
		}
	case class == lib.EJS_CLASS_OBJECT || class == lib.EJS_CLASS_ARGUMENTS:
		return max(ownLength(ctx, v), float64((*lib.TJSShape)(unsafe.Add(nil, (*lib.TJSObject)(unsafe.Add(nil, object)).Fshape)).Fprop_count))
	}
	return 0
}

// ownLength is the length that an object has as a plain property of its own, 0 for none.
func ownLength(ctx uintptr, v lib.TJSValue) float64 {
	e := engineOf(ctx)
	lengthAtom.Do(func() {
		name := terminated("length")
		lengthAtom.atom = lib.XJS_NewAtom(e.tls, ctx, uintptr(unsafe.Pointer(&name[0])))
	})
	size := int(unsafe.Sizeof(lib.TJSPropertyDescriptor{}))
	d := e.tls.Alloc(size)
	defer e.tls.Free(size)
	if lib.XJS_GetOwnProperty(e.tls, ctx, d, v, lengthAtom.atom) <= 0 {
		return 0
	}
	p := (*lib.TJSPropertyDescriptor)(unsafe.Add(nil, d))
	n := number(p.Fvalue)
	for _, held := range []lib.TJSValue{p.Fvalue, p.Fgetter, p.Fsetter} {
		lib.XFreeValue(e.tls, ctx, held)
	}
	return n
}
