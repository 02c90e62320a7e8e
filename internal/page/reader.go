package page

import (
	"fmt"
	"hash/maphash"
	"sync"
)

// Reader reads pages, style sheets and scripts, each content once for all who ask. It may be used by many goroutines.
type Reader struct {
	// Screen is the one that pages are read for; the zero value stands for Desktop.
	Screen Screen
	known  sync.Map
}

func (r *Reader) screen() Screen {
	if r.Screen == (Screen{}) {
		return Desktop
	}
	return r.Screen
}

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
	return once(r, "document", url, contentType, text,
		func() *Document { return ParseDocumentOn(r.screen(), url, contentType, text) })
}

// Style reads a style sheet.
func (r *Reader) Style(url string, text []byte) *Style {
	return once(r, "style", url, "", text, func() *Style { return ParseStyleOn(r.screen(), url, url, text) })
}

// Script reads a script; Script.At makes it one that a certain page runs.
func (r *Reader) Script(url string, text []byte) *Script {
	return once(r, "script", url, "", text, func() *Script { return ParseScript(url, url, text) })
}

type appliedKey struct {
	doc    *Document
	sheets string
}

// Applied is Document.Applied for the style sheets that have come, by address.
func (r *Reader) Applied(d *Document, come map[string]*Style) []Reference {
	list := d.Order(come)
	key := appliedKey{doc: d}
	for _, s := range list {
		key.sheets += fmt.Sprintf("%p ", s)
	}
	if v, ok := r.known.Load(key); ok {
		return v.([]Reference)
	}
	refs := d.Applied(list)
	r.known.Store(key, refs)
	return refs
}

type textKey appliedKey

// Text is Document.Text for the style sheets that have come, by address.
func (r *Reader) Text(d *Document, come map[string]*Style) string {
	list := d.Order(come)
	key := textKey{doc: d}
	for _, s := range list {
		key.sheets += fmt.Sprintf("%p ", s)
	}
	if v, ok := r.known.Load(key); ok {
		return v.(string)
	}
	text := d.Text(list)
	r.known.Store(key, text)
	return text
}
