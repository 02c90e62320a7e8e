package storage

import (
	"fmt"

	"tachyform/internal/site"
	"tachyform/internal/weburl"
)

// ObjectURLs are the addresses that scripts have given to blobs (File API, 8.1: blob URL store).
type ObjectURLs struct {
	last    int
	entries map[string]Blob
}

// Blob is immutable content with its media type, "" for none.
type Blob struct {
	Body site.Body
	Type string
}

// Add gives content an address of an origin (File API, 8.3, "add an entry to the blob URL store").
func (o *ObjectURLs) Add(origin string, b Blob) string {
	if o.entries == nil {
		o.entries = map[string]Blob{}
	}
	o.last++
	url := fmt.Sprintf("blob:%s/00000000-0000-4000-8000-%012x", origin, o.last)
	o.entries[url] = b
	return url
}

// Resolve finds what is at an address, whose fragment does not count (File API, 8.3.1).
func (o *ObjectURLs) Resolve(url string) (Blob, bool) {
	b, ok := o.entries[weburl.WithoutFragment(url)]
	return b, ok
}

// Revoke takes an address away (File API, 8.4, "revokeObjectURL").
func (o *ObjectURLs) Revoke(url string) { delete(o.entries, url) }
