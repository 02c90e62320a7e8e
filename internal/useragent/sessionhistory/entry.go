// Package sessionhistory says what an entry of a tab's or frame's history is to those outside of it.
package sessionhistory

import "tachyform/internal/useragent/structured"

// Entry is an entry as the navigation API has it (HTML, 7.2.6.4).
type Entry struct {
	URL string
	// Key is the same for what takes the place of an entry, ID is not.
	Key, ID int
	// Same says that it belongs to the document that is shown.
	Same bool
	// State is what scripts gave it there, nil for none.
	State *structured.Value
}
