package useragent

import (
	"hash/maphash"
	"sync"

	"tachyform/internal/page"
)

// Reader reads pages, style sheets and scripts, each content once for all branches. It may be used by many goroutines.
type Reader struct{ known sync.Map }

type readerKey struct {
	kind, url, base string
	hash            uint64
	size            int
}

var readerSeed = maphash.MakeSeed()

func once[T any](r *Reader, kind, url, base string, text []byte, read func() T) T {
	key := readerKey{kind, url, base, maphash.Bytes(readerSeed, text), len(text)}
	if v, ok := r.known.Load(key); ok {
		return v.(T)
	}
	v := read()
	r.known.Store(key, v)
	return v
}

func (r *Reader) document(url, contentType string, text []byte) *page.Document {
	return once(r, "document", url, contentType, text, func() *page.Document { return page.ParseDocument(url, contentType, text) })
}

func (r *Reader) style(url string, text []byte) []page.Reference {
	return once(r, "style", url, "", text, func() []page.Reference { return page.ParseStyle(url, url, text) })
}

// script reads a script that a page with the given base URL runs.
func (r *Reader) script(url, base string, text []byte, module bool) *page.Script {
	kind := "script"
	if module {
		kind = "module"
	}
	return once(r, kind, url, "", text, func() *page.Script { return page.ParseScript(url, url, text, module) }).At(base)
}
