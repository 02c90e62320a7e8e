// Package structured has the values that scripts have serialized (HTML, 2.7), as they cross between realms and into
// storage.
package structured

import (
	"encoding/json"

	"tachyform/internal/site"
)

// Value is a serialized value with the content that it holds.
type Value struct {
	// Tree is JSON, as environment/shared/structuredclone.js writes it.
	Tree json.RawMessage
	// Buffers are the contents of its buffers, Bodies those of its blobs.
	Buffers, Bodies []site.Body
}

// Size is how many bytes it takes.
func (v Value) Size() (n int64) {
	n = int64(len(v.Tree))
	for _, list := range [][]site.Body{v.Buffers, v.Bodies} {
		for _, b := range list {
			n += b.Len()
		}
	}
	return n
}
