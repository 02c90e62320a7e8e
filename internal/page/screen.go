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
}

// Desktop and Phone are common screens.
var (
	Desktop = Screen{Width: 1280, Height: 800, Density: 1}
	Phone   = Screen{Width: 412, Height: 915, Density: 2.625, Touch: true}
)

var (
	mediaFeature = regexp.MustCompile(`\(\s*([a-z-]+)\s*(?::\s*([^()]+?)\s*)?\)`)
	mediaRange   = regexp.MustCompile(`\(\s*(?:([0-9.]+[a-z]+)\s*(<=?|>=?)\s*)?(width|height)\s*(?:(<=?|>=?|=)\s*([0-9.]+[a-z]+)\s*)?\)`)
	cssLength    = regexp.MustCompile(`^([0-9.]+)(px|vw|em|rem)$`)
)

// length gives a CSS length in pixels; 0 for what it cannot tell.
func (s Screen) length(text string) float64 {
	m := cssLength.FindStringSubmatch(strings.TrimSpace(text))
	if m == nil {
		return 0
	}
	n, _ := strconv.ParseFloat(m[1], 64)
	switch m[2] {
	case "px":
		return n
	case "vw":
		return n * s.Width / 100
	}
	return n * 16
}

// matches evaluates a media query list (Media Queries 4) for a page in light colours. Features it does not know count as matching.
func (s Screen) matches(query string) bool {
	if strings.TrimSpace(query) == "" {
		return true
	}
	for _, alternative := range strings.Split(strings.ToLower(query), ",") {
		q := strings.TrimSpace(alternative)
		not := strings.HasPrefix(q, "not ")
		q = strings.TrimPrefix(q, "not ")
		q = strings.TrimPrefix(q, "only ")
		ok := !strings.HasPrefix(q, "print") && !strings.HasPrefix(q, "speech")
		any, seen := false, false
		judge := func(holds bool) {
			ok = ok && holds
			any, seen = any || holds, true
		}
		for _, m := range mediaFeature.FindAllStringSubmatch(q, -1) {
			judge(s.feature(m[1], m[2]) != strings.Contains(q, "not "+m[0]) && !strings.Contains(q, "not("+m[0]))
		}
		for _, m := range mediaRange.FindAllStringSubmatch(q, -1) {
			if m[1]+m[5] == "" {
				continue
			}
			have := s.Width
			if m[3] == "height" {
				have = s.Height
			}
			judge((m[1] == "" || compare(s.length(m[1]), m[2], have)) && (m[5] == "" || compare(have, m[4], s.length(m[5]))))
		}
		if seen && strings.Contains(q, ") or (") {
			ok = any
		}
		if ok != not {
			return true
		}
	}
	return false
}

func compare(a float64, op string, b float64) bool {
	switch op {
	case "<":
		return a < b
	case "<=":
		return a <= b
	case ">":
		return a > b
	case ">=":
		return a >= b
	}
	return a == b
}

func (s Screen) feature(name, value string) bool {
	is := func(word string, holds bool) bool { return value == "" || (value == word) == holds }
	switch name {
	case "min-width":
		return s.Width >= s.length(value)
	case "max-width":
		return s.Width <= s.length(value)
	case "min-height":
		return s.Height >= s.length(value)
	case "max-height":
		return s.Height <= s.length(value)
	case "prefers-color-scheme":
		return value == "light" || value == ""
	case "orientation":
		return is("landscape", s.Width >= s.Height)
	case "hover", "any-hover":
		return is("hover", !s.Touch)
	case "pointer", "any-pointer":
		return is("fine", !s.Touch)
	case "prefers-reduced-motion", "prefers-contrast", "prefers-reduced-data", "prefers-reduced-transparency", "inverted-colors", "forced-colors":
		return value == "no-preference" || value == "none"
	case "display-mode":
		return value == "browser"
	case "scripting":
		return value == "enabled" || value == ""
	case "min-resolution", "max-resolution", "-webkit-min-device-pixel-ratio", "-webkit-max-device-pixel-ratio", "resolution":
		n, unit := splitNumber(value)
		switch unit {
		case "dpi":
			n /= 96
		case "dpcm":
			n /= 96 / 2.54
		}
		switch {
		case strings.Contains(name, "min-"):
			return s.Density >= n
		case strings.Contains(name, "max-"):
			return s.Density <= n
		}
		return s.Density == n
	}
	return true
}

func splitNumber(text string) (float64, string) {
	i := strings.LastIndexAny(text, "0123456789.") + 1
	n, _ := strconv.ParseFloat(text[:i], 64)
	return n, text[i:]
}
