// Package realm says what the global object of a document is made with, for those who make it and those who ask for it.
package realm

import (
	"strings"

	"tachyform/internal/useragent/structured"
)

// Settings are what the realm of a document is made with, as far as they are known before any script runs.
type Settings struct {
	// MediaType is that of the document, Charset its encoding, Referrer the address that it was asked for by.
	MediaType, Charset, Referrer string
	Quirks                       bool
	// Sandbox says that the document stands in a sandbox of any kind.
	Sandbox bool
	// Reload says that the page was loaded once more, NoEval that its policy lets no text become a script.
	Reload, NoEval bool
	// Parent and Top are the numbers of the windows around a frame, 0 for none, Frame is the number of the frame in its
	// parent; Name is what the window is called.
	Parent, Top, Frame int
	Name               string
	// Base is what addresses of a document without one of its own start from, "" for others.
	Base string
	// Complete says that the document has loaded already.
	Complete bool
	// State is what scripts gave the entry of the history that it belongs to, nil for null; Back says that it comes from there.
	State *structured.Value
	Back  bool
	// Width and Height are those of the window, in CSS pixels, 0 for the usual ones; Density is of a phone's screen.
	Width, Height, Density float64
}

// HTML says that the document is one of HTML rather than of XML.
func (s Settings) HTML() bool { return !strings.HasSuffix(s.MediaType, "xml") }
