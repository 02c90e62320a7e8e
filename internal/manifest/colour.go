package manifest

import (
	"fmt"
	"image/color"
	"math"
	"regexp"
	"strconv"
	"strings"

	"golang.org/x/image/colornames"
)

// cssComment is a comment of CSS, also one that the end of the text closes.
var cssComment = regexp.MustCompile(`(?s)/\*.*?(\*/|$)`)

// ParseColour reads a CSS colour (CSS Color 4): names, hexadecimal forms, rgb(), hsl() and hwb().
func ParseColour(text string) (color.NRGBA, bool) {
	s := strings.ToLower(strings.TrimFunc(cssComment.ReplaceAllString(text, " "), asciiWhitespace))
	switch {
	case s == "":
		return color.NRGBA{}, false
	case s == "transparent":
		return color.NRGBA{}, true
	case s == "rebeccapurple":
		return color.NRGBA{0x66, 0x33, 0x99, 0xff}, true
	case s[0] == '#':
		return hexColour(s[1:])
	}
	if c, ok := colornames.Map[s]; ok {
		return color.NRGBA(c), true
	}
	name, inside, ok := strings.Cut(s, "(")
	if !ok {
		return color.NRGBA{}, false
	}
	inside = strings.TrimSuffix(inside, ")") // the end of the text closes what is open (CSS Syntax, 5.4.9)
	if name == "color" {
		return predefined(inside)
	}
	if n := len(strings.Fields(strings.NewReplacer(",", " ", "/", " ").Replace(inside))); n < 3 || n > 4 {
		return color.NRGBA{}, false
	}
	legacy := strings.Contains(inside, ",")
	args := strings.Fields(strings.NewReplacer(",", " ", "/", " ").Replace(inside))
	if legacy && !legacyForm(name, inside, args) || !legacy && !slashForm(inside, len(args)) {
		return color.NRGBA{}, false
	}
	alpha := 1.0
	if len(args) == 4 {
		if alpha, ok = channel(args[3], 1); !ok {
			return color.NRGBA{}, false
		}
	}
	var r, g, b float64
	switch name {
	case "rgb", "rgba":
		var ok1, ok2, ok3 bool
		r, ok1 = channel(args[0], 255)
		g, ok2 = channel(args[1], 255)
		b, ok3 = channel(args[2], 255)
		if !ok1 || !ok2 || !ok3 {
			return color.NRGBA{}, false
		}
		r, g, b = r/255, g/255, b/255
	case "hsl", "hsla", "hwb":
		h, ok1 := hue(args[0])
		x, ok2 := channel(args[1], 100)
		y, ok3 := channel(args[2], 100)
		if !ok1 || !ok2 || !ok3 {
			return color.NRGBA{}, false
		}
		if name == "hwb" {
			r, g, b = hwb(h, clamp(x/100), clamp(y/100))
		} else {
			r, g, b = hsl(h, clamp(x/100), clamp(y/100))
		}
	case "lab", "lch", "oklab", "oklch":
		if r, g, b, ok = perceptual(name, args); !ok {
			return color.NRGBA{}, false
		}
	default:
		return color.NRGBA{}, false
	}
	return color.NRGBA{eight(r), eight(g), eight(b), eight(alpha)}, true
}

// legacyForm says whether a function with commas has the form that CSS had before (CSS Color 4, 5.1 and 7): commas
// everywhere, no slash, and for rgb() numbers or percentages but not both.
func legacyForm(name, inside string, args []string) bool {
	if strings.Contains(inside, "/") || strings.Count(inside, ",") != len(args)-1 || strings.Contains(inside, "none") {
		return false
	}
	percent := func(s string) bool { return strings.HasSuffix(s, "%") }
	switch name {
	case "rgb", "rgba":
		return percent(args[0]) == percent(args[1]) && percent(args[1]) == percent(args[2])
	case "hsl", "hsla":
		return percent(args[1]) && percent(args[2])
	}
	return false
}

// slashForm says whether alpha, and nothing else, stands after a slash.
func slashForm(inside string, n int) bool {
	before, after, has := strings.Cut(inside, "/")
	if !has {
		return n == 3
	}
	return len(strings.Fields(before)) == 3 && len(strings.Fields(after)) == 1
}

func clamp(f float64) float64 { return max(0, min(1, f)) }
func eight(f float64) uint8   { return uint8(math.Round(clamp(f)*255 + 1e-9)) }

// channel reads a number or a percentage of full.
func channel(s string, full float64) (float64, bool) {
	if s == "none" {
		return 0, true
	}
	p, percent := strings.CutSuffix(s, "%")
	f, err := strconv.ParseFloat(p, 64)
	if percent {
		f = f * full / 100
	}
	return f, err == nil && !math.IsNaN(f) && !math.IsInf(f, 0)
}

func hue(s string) (float64, bool) {
	if s == "none" {
		return 0, true
	}
	scale := 1.0
	for unit, f := range map[string]float64{"grad": 0.9, "rad": 180 / math.Pi, "turn": 360, "deg": 1} {
		if p, ok := strings.CutSuffix(s, unit); ok && !(unit == "rad" && strings.HasSuffix(s, "grad")) {
			s, scale = p, f
			break
		}
	}
	f, err := strconv.ParseFloat(s, 64)
	f = math.Mod(f*scale, 360)
	if f < 0 {
		f += 360
	}
	return f, err == nil
}

func hsl(h, s, l float64) (r, g, b float64) {
	f := func(n float64) float64 {
		k := math.Mod(n+h/30, 12)
		return l - s*min(l, 1-l)*max(-1, min(k-3, 9-k, 1))
	}
	return f(0), f(8), f(4)
}

func hwb(h, w, k float64) (r, g, b float64) {
	if w+k >= 1 {
		return w / (w + k), w / (w + k), w / (w + k)
	}
	r, g, b = hsl(h, 1, 0.5)
	mix := func(c float64) float64 { return c*(1-w-k) + w }
	return mix(r), mix(g), mix(b)
}

func hexColour(s string) (color.NRGBA, bool) {
	if len(s) == 3 || len(s) == 4 {
		long := ""
		for _, c := range s {
			long += string(c) + string(c)
		}
		s = long
	}
	if len(s) == 6 {
		s += "ff"
	}
	n, err := strconv.ParseUint(s, 16, 32)
	if err != nil || len(s) != 8 {
		return color.NRGBA{}, false
	}
	return color.NRGBA{uint8(n >> 24), uint8(n >> 16), uint8(n >> 8), uint8(n)}, true
}

// ColourText writes a colour as #rrggbb, or #rrggbbaa when it is not opaque.
func ColourText(c color.NRGBA) string {
	if c.A == 255 {
		return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B)
	}
	return fmt.Sprintf("#%02x%02x%02x%02x", c.R, c.G, c.B, c.A)
}
