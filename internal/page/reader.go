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

// Drawn reads what scripts have made of a page that came as source. It is not kept: hardly two pages are drawn alike.
func (r *Reader) Drawn(url string, text []byte, source *Document) *Document {
	return ParseDocumentOn(r.screen(), url, "text/html;charset=utf-8", text).PlacedBy(source)
}

// styled keeps what was made of a document with the style sheets that had come, as long as there is the document.
type styled struct {
	mu      sync.Mutex
	applied map[string][]Reference
	text    map[string]string
}

func sheetsKey(list []*Style) (key string) {
	for _, s := range list {
		key += fmt.Sprintf("%p ", s)
	}
	return key
}

// ofSheets gives what is known for some sheets, or makes it.
func ofSheets[T any](d *Document, known func(*styled) *map[string]T, list []*Style, make_ func([]*Style) T) T {
	key := sheetsKey(list)
	d.styled.mu.Lock()
	v, there := (*known(d.styled))[key]
	d.styled.mu.Unlock()
	if there {
		return v
	}
	v = make_(list)
	d.styled.mu.Lock()
	defer d.styled.mu.Unlock()
	if m := known(d.styled); *m == nil {
		*m = map[string]T{key: v}
	} else {
		(*m)[key] = v
	}
	return v
}

// Applied is Document.Applied for the style sheets that have come, by address.
func (r *Reader) Applied(d *Document, come map[string]*Style) []Reference {
	return ofSheets(d, func(s *styled) *map[string][]Reference { return &s.applied }, d.Order(come), d.Applied)
}

// Text is Document.Text for the style sheets that have come, by address.
func (r *Reader) Text(d *Document, come map[string]*Style) string {
	return ofSheets(d, func(s *styled) *map[string]string { return &s.text }, d.Order(come), d.Text)
}
