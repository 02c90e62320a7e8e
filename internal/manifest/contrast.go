package manifest

import (
	"image/color"
	"math"
)

// Contrast is that of WCAG 2, from 1 to 21.
func Contrast(a, b color.NRGBA) float64 {
	l := func(c color.NRGBA) float64 {
		f := func(v uint8) float64 {
			x := float64(v) / 255
			if x <= 0.04045 {
				return x / 12.92
			}
			return math.Pow((x+0.055)/1.055, 2.4)
		}
		return 0.2126*f(c.R) + 0.7152*f(c.G) + 0.0722*f(c.B) + 0.05
	}
	return max(l(a), l(b)) / min(l(a), l(b))
}
