package page

import (
	"regexp"
	"strconv"
	"strings"
)

// Screen is what pictures are chosen and media conditions are judged for.
type Screen struct {
	// Width and Height are in CSS pixels, Density in device pixels per CSS pixel.
	Width, Height, Density float64
	// Touch tells of a screen without a mouse.
	Touch bool
	// Installed tells that pages are opened as an app, in a window of its own.
	Installed bool
}

// Desktop and Phone are common screens.
var (
	Desktop = Screen{Width: 1280, Height: 800, Density: 1}
	Phone   = Screen{Width: 412, Height: 915, Density: 2.625, Touch: true}
)

var cssLength = regexp.MustCompile(`^([+-]?(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:e[+-]?[0-9]+)?)([a-z]+)$`)

// pixels is how many CSS pixels a unit of length is (CSS Values 4, 6), where the screen does not decide.
var pixels = map[string]float64{"px": 1, "em": 16, "rem": 16, "ex": 8, "ch": 8, "cm": 96 / 2.54, "mm": 96 / 25.4,
	"q": 96 / 101.6, "in": 96, "pt": 96.0 / 72, "pc": 16}

// length gives a CSS length in pixels; fonts have their initial size.
func (s Screen) length(text string) (float64, bool) {
	m := cssLength.FindStringSubmatch(strings.ToLower(strings.TrimSpace(text)))
	if m == nil {
		return 0, false
	}
	n, err := strconv.ParseFloat(m[1], 64)
	if err != nil {
		return 0, false
	}
	unit := strings.TrimLeft(m[2], "sld") // small, large and dynamic viewports are one where nothing covers the page
	switch unit {
	case "vw", "vi":
		return n * s.Width / 100, true
	case "vh", "vb":
		return n * s.Height / 100, true
	case "vmin":
		return n * min(s.Width, s.Height) / 100, true
	case "vmax":
		return n * max(s.Width, s.Height) / 100, true
	}
	scale, known := pixels[m[2]]
	return n * scale, known
}
