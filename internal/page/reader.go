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
	tags   knownTags
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
		func() *Document { return parseDocument(r.screen(), url, contentType, text, &r.tags) })
}

// Style reads a style sheet.
func (r *Reader) Style(url string, text []byte) *Style {
	return once(r, "style", url, "", text, func() *Style { return ParseStyleOn(r.screen(), url, url, text) })
}

// Script reads a script; Script.At makes it one that a certain page runs.
func (r *Reader) Script(url string, text []byte) *Script {
	return once(r, "script", url, "", text, func() *Script { return ParseScript(url, url, text) })
}

// Drawn reads what scripts have made of a page that came as source. It is not kept: hardly two pages are drawn alike.
func (r *Reader) Drawn(url string, text []byte, source *Document) *Document {
	return parseDocument(r.screen(), url, "text/html;charset=utf-8", text, &r.tags).PlacedBy(source)
}

// styled keeps what was made of a document with the style sheets that had come, as long as there is the document.
type styled struct {
	applied bySheets[[]Reference]
	text    bySheets[string]
}

// bySheets keeps what was made with some style sheets.
type bySheets[T any] struct {
	mu    sync.Mutex
	known map[string]T
}

// of gives what is known for some sheets, or has it made.
func (b *bySheets[T]) of(list []*Style, from func([]*Style) T) T {
	key := ""
	for _, s := range list {
		key += fmt.Sprintf("%p ", s)
	}
	b.mu.Lock()
	v, there := b.known[key]
	b.mu.Unlock()
	if there {
		return v
	}
	v = from(list)
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.known == nil {
		b.known = map[string]T{}
	}
	b.known[key] = v
	return v
}

// Applied is Document.Applied for the style sheets that have come, by address.
func (r *Reader) Applied(d *Document, come map[string]*Style) []Reference {
	if d.text == nil { // the empty document that a frame begins with
		return nil
	}
	return d.styled.applied.of(d.Order(come), d.Applied)
}

// Text is Document.Text for the style sheets that have come, by address.
func (r *Reader) Text(d *Document, come map[string]*Style) string {
	if d.text == nil {
		return ""
	}
	return d.styled.text.of(d.Order(come), d.Text)
}
