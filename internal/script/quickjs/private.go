package quickjs

import (
	"unsafe"

	lib "modernc.org/libquickjs"
)

// The environment keeps what it knows of an object in properties of that object whose names begin with $. After the
// environment has started, these names are turned into private ones, as those of class fields written #name are: no
// script can name or list such a property, and a script's own property $name is another one. The library numbers names
// ("atoms"); the environment's code holds the numbers. A text of the environment must not look like such a name: it would become one.

// privateName is a name with the hash by which the library found it.
type privateName struct {
	atom uint32
	hash uint32
}

// How the library packs the hash and the kind of a name.
const (
	hashBits    = 1<<30 - 1
	kindShift   = 30
	privateHash = lib.MJS_ATOM_HASH_PRIVATE
	textOffset  = 12
)

// atomOf gives the name of a number, nil for one that is not in use.
func (m *machine) atomOf(i uint32) *lib.TJSAtomStruct {
	rt := (*lib.TJSRuntime)(unsafe.Add(nil, m.rt))
	p := *(*uintptr)(unsafe.Add(nil, rt.Fatom_array+uintptr(i)*unsafe.Sizeof(uintptr(0))))
	if p&1 != 0 {
		return nil
	}
	return (*lib.TJSAtomStruct)(unsafe.Add(nil, p))
}

// isInternal reports that a name is one of the environment's internal ones.
func isInternal(a *lib.TJSAtomStruct) bool {
	length := a.F__ccgo0 & (1<<31 - 1)
	if a.F__ccgo4>>kindShift != lib.EJS_ATOM_TYPE_STRING || a.F__ccgo0>>31 != 0 || length < 2 {
		return false
	}
	text := bytesAt(uintptr(unsafe.Pointer(a))+textOffset, 2)
	return text[0] == '$' && (text[1] >= 'a' && text[1] <= 'z' || text[1] >= 'A' && text[1] <= 'Z')
}

// hidePrivate makes the internal names private.
func (m *machine) hidePrivate() {
	if m.private == nil {
		rt := (*lib.TJSRuntime)(unsafe.Add(nil, m.rt))
		for i := uint32(1); i < uint32(rt.Fatom_size); i++ {
			if a := m.atomOf(i); a != nil && isInternal(a) {
				m.private = append(m.private, privateName{i, a.F__ccgo4 & hashBits})
			}
		}
	}
	for _, n := range m.private {
		a := m.atomOf(n.atom)
		for at := m.bucket(n.hash); *at != 0; at = &m.atomOf(*at).Fhash_next {
			if *at == n.atom {
				*at = a.Fhash_next
				break
			}
		}
		a.Fhash_next = n.atom // private names hold their number there
		a.F__ccgo4 = lib.EJS_ATOM_TYPE_SYMBOL<<kindShift | privateHash
	}
}

// showPrivate makes the internal names plain ones again, for code of the environment that is read. Should a script have
// used such a name meanwhile, the environment's is found first.
func (m *machine) showPrivate() {
	for _, n := range m.private {
		a, at := m.atomOf(n.atom), m.bucket(n.hash)
		a.F__ccgo4 = lib.EJS_ATOM_TYPE_STRING<<kindShift | n.hash
		a.Fhash_next, *at = *at, n.atom
	}
}

// bucket is where the library's list of names with a hash begins.
func (m *machine) bucket(hash uint32) *uint32 {
	rt := (*lib.TJSRuntime)(unsafe.Add(nil, m.rt))
	return (*uint32)(unsafe.Add(nil, rt.Fatom_hash+uintptr(hash&uint32(rt.Fatom_hash_size-1))*4))
}
