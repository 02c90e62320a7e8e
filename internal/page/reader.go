package page

import (
	"hash/maphash"
	"sync"
)

// Reader reads pages, style sheets and scripts, each content once for all who ask. It may be used by many goroutines.
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

// Document reads an HTML text that was served from url.
func (r *Reader) Document(url, contentType string, text []byte) *Document {
	return once(r, "document", url, contentType, text, func() *Document { return ParseDocument(url, contentType, text) })
}

// Style reads a style sheet.
func (r *Reader) Style(url string, text []byte) []Reference {
	return once(r, "style", url, "", text, func() []Reference { return ParseStyle(url, url, text) })
}

// Script reads a script that a page with the given base URL runs.
func (r *Reader) Script(url, base string, text []byte) *Script {
	return once(r, "script", url, "", text, func() *Script { return ParseScript(url, url, text) }).At(base)
}
