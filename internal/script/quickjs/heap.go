package quickjs

import (
	"fmt"
	"maps"
	"math/bits"
	"sync"
	"unsafe"

	"modernc.org/libc"
	lib "modernc.org/libquickjs"
)

// heap is the memory of one engine. The engine's own allocator asks it for blocks of a few thousand bytes and for what
// is larger. All of it can be copied and put back in one go, at the same addresses: that is how an engine returns to
// an earlier state. It lies outside of Go's own memory, so that it can be taken away from an engine that does not come
// back.
type heap struct {
	*mapped
	chunks    []chunk
	spare     []chunk // chunks given back by a rewind
	next, end uintptr // the free part of the last chunk
	free      [classes]uintptr
	big       map[uintptr]chunk
	// full reports that memory ran out, even if the script caught the error.
	full bool
	// onBig is called for every large block.
	onBig func(size uintptr)
}

// chunk is memory at an address that never changes.
type chunk []uint64

// mapped is all memory that a heap has from the system.
type mapped struct {
	mu   sync.Mutex
	list map[uintptr][]byte
	// pinned holds the large blocks that a mark may bring back: they stay although the engine has let go of them.
	pinned map[uintptr]bool
	gone   bool
}

func newHeap() *heap {
	return &heap{mapped: &mapped{list: map[uintptr][]byte{}, pinned: map[uintptr]bool{}}, big: map[uintptr]chunk{}}
}

// take gets memory from the system. It panics when that has none left, as Go's own memory does.
func (m *mapped) take(size uintptr) chunk {
	bytes, err := mapMemory(int((size + 7) &^ 7))
	if err != nil {
		panic(fmt.Errorf("no memory for the script engine: %w", err))
	}
	c := unsafe.Slice((*uint64)(unsafe.Pointer(unsafe.SliceData(bytes))), len(bytes)/8)
	m.mu.Lock()
	defer m.mu.Unlock()
	m.list[chunk(c).base()] = bytes
	if m.gone {
		forbidMemory(bytes)
	}
	return c
}

// give returns a large block's memory.
func (m *mapped) give(c chunk) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if bytes := m.list[c.base()]; bytes != nil && !m.pinned[c.base()] {
		delete(m.list, c.base())
		unmapMemory(bytes)
	}
}

// forbid takes all memory away from whoever uses it; another goroutine may call it.
func (m *mapped) forbid() {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.gone = true
	for _, bytes := range m.list {
		forbidMemory(bytes)
	}
}

// close gives all memory back to the system.
func (m *mapped) close() {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, bytes := range m.list {
		unmapMemory(bytes)
	}
	m.list = nil
}

// modest is the size of a block, in bytes, that every script should be able to have.
const modest = 64 << 20

const (
	header    = 16 // before each block: its capacity
	chunkSize = 512 << 10
	bigSize   = 64 << 10
	// Classes of 64 bytes up to 1 KB, then eight for each doubling.
	classes = 16 + 8*7
)

func (c chunk) base() uintptr { return uintptr(unsafe.Pointer(unsafe.SliceData(c))) }

// class gives the class of a size up to bigSize, and the capacity of its blocks.
func class(size uintptr) (int, uintptr) {
	if size <= 1024 {
		n := max(size, 1) + 63
		return int(n/64) - 1, n &^ 63
	}
	shift := bits.Len64(uint64(size-1)) - 1 // 2^shift < size <= 2^(shift+1)
	step := uintptr(1) << (shift - 3)
	n := (size - 1 - uintptr(1)<<shift) / step
	return 16 + (shift-10)*8 + int(n), uintptr(1)<<shift + (n+1)*step
}

func word(p uintptr) *uintptr { return (*uintptr)(unsafe.Add(nil, p)) }

func capacity(p uintptr) uintptr { return *word(p - header) }

func (h *heap) alloc(size uintptr) uintptr {
	if size > bigSize {
		c := h.take(size + header)
		p := c.base() + header
		*word(p - header) = size
		h.big[p] = c
		if h.onBig != nil {
			h.onBig(size)
		}
		return p
	}
	k, room := class(size)
	if p := h.free[k]; p != 0 {
		h.free[k] = *word(p)
		return p
	}
	if h.next+room+header > h.end {
		h.grow()
	}
	p := h.next + header
	*word(h.next) = room
	h.next += room + header
	return p
}

func (h *heap) grow() {
	var c chunk
	if n := len(h.spare); n > 0 {
		c, h.spare = h.spare[n-1], h.spare[:n-1]
	} else {
		c = h.take(chunkSize)
	}
	h.chunks = append(h.chunks, c)
	h.next, h.end = c.base(), c.base()+chunkSize
}

func (h *heap) release(p uintptr) {
	size := capacity(p)
	if size > bigSize {
		c := h.big[p]
		delete(h.big, p)
		h.give(c)
		return
	}
	k, _ := class(size)
	*word(p) = h.free[k]
	h.free[k] = p
}

// held is how much memory it has from the system, in bytes.
func (h *heap) held() int {
	n := (len(h.chunks) + len(h.spare)) * chunkSize
	for _, c := range h.big {
		n += 8 * len(c)
	}
	return n
}

// mark is a copy of a heap.
type mark struct {
	state   heap
	content []chunk // of the chunks, as far as they were used
	big     map[uintptr]chunk
}

func (h *heap) mark() *mark {
	m := &mark{state: *h, big: make(map[uintptr]chunk, len(h.big))}
	m.state.chunks = append([]chunk(nil), h.chunks...)
	m.state.big = maps.Clone(h.big)
	for i, c := range h.chunks {
		if i == len(h.chunks)-1 {
			c = c[:(h.next-c.base())/8]
		}
		m.content = append(m.content, append(chunk(nil), c...))
	}
	for p, c := range h.big {
		m.big[p] = append(chunk(nil), c...)
		h.pinned[c.base()] = true
	}
	return m
}

// rewind puts the heap back to what it was when the mark was made.
func (h *heap) rewind(m *mark) {
	spare := append(h.spare, h.chunks[len(m.state.chunks):]...)
	for p, c := range h.big {
		if m.state.big[p] == nil {
			h.give(c)
		}
	}
	*h = m.state
	h.chunks = append([]chunk(nil), m.state.chunks...)
	h.big = maps.Clone(m.state.big)
	h.spare = spare
	for i, c := range m.content {
		copy(h.chunks[i], c)
	}
	for p, c := range m.big {
		copy(h.big[p], c)
	}
}

func (m *mark) size() (n int) {
	for _, c := range m.content {
		n += 8 * len(c)
	}
	for _, c := range m.big {
		n += 8 * len(c)
	}
	return n
}

// The engine's way to the heap: its state of memory holds the heap's address, and counts what is given out against the
// limit.

func heapOf(s uintptr) (*heap, *lib.TJSMallocState) {
	state := (*lib.TJSMallocState)(unsafe.Add(nil, s))
	return (*heap)(unsafe.Add(nil, state.Fopaque)), state
}

func jsMalloc(_ *libc.TLS, s uintptr, size lib.Tsize_t) uintptr {
	h, state := heapOf(s)
	if state.Fmalloc_size+size > state.Fmalloc_limit {
		// One enormous block is only refused; who can't have a modest one has used up all there is.
		h.full = h.full || size < modest
		return 0
	}
	p := h.alloc(uintptr(size))
	state.Fmalloc_count++
	state.Fmalloc_size += lib.Tsize_t(capacity(p)) + header
	return p
}

func jsFree(_ *libc.TLS, s, p uintptr) {
	if p == 0 {
		return
	}
	h, state := heapOf(s)
	state.Fmalloc_count--
	state.Fmalloc_size -= lib.Tsize_t(capacity(p)) + header
	h.release(p)
}

func jsRealloc(tls *libc.TLS, s, p uintptr, size lib.Tsize_t) uintptr {
	switch {
	case p == 0 && size == 0:
		return 0
	case p == 0:
		return jsMalloc(tls, s, size)
	case size == 0:
		jsFree(tls, s, p)
		return 0
	}
	old := capacity(p)
	if uintptr(size) <= old && uintptr(size) > old/2 {
		return p
	}
	n := jsMalloc(tls, s, size)
	if n == 0 {
		return 0
	}
	count := min(old, uintptr(size))
	copy(unsafe.Slice((*byte)(unsafe.Add(nil, n)), count), unsafe.Slice((*byte)(unsafe.Add(nil, p)), count))
	jsFree(tls, s, p)
	return n
}

func jsUsableSize(_ *libc.TLS, p uintptr) lib.Tsize_t {
	if p == 0 {
		return 0
	}
	return lib.Tsize_t(capacity(p))
}
