package icon

import (
	"image"
	"image/color"
	"image/draw"
)

// IsSquare says whether the picture is as wide as it is high, but for a twentieth.
func (m *Master) IsSquare() bool {
	w, h := m.w, m.h
	if m.raster != nil {
		w, h = float64(m.raster.w), float64(m.raster.h)
	}
	return w > 0 && h > 0 && max(w, h)/min(w, h) <= 1.05
}

// Preview draws the picture as an icon, size by size pixels large on an opaque ground, with rounded corners of the colour
// behind it.
func (m *Master) Preview(size int, ground, behind color.NRGBA) (*image.NRGBA, error) {
	p, err := m.square(size)
	if err != nil {
		return nil, err
	}
	out := image.NewNRGBA(image.Rect(0, 0, size, size))
	draw.Draw(out, out.Bounds(), image.NewUniform(ground), image.Point{}, draw.Src)
	draw.Draw(out, out.Bounds(), p.image(), image.Point{}, draw.Over)
	// A circle of a fifth of the width in each corner, as most launchers cut icons.
	r := size / 5
	for y := range size {
		for x := range size {
			dx, dy := max(r-x, x-(size-1-r), 0), max(r-y, y-(size-1-r), 0)
			if dx*dx+dy*dy > r*r+r/2 {
				out.SetNRGBA(x, y, behind)
			}
		}
	}
	return out, nil
}

// Readable is a dark or a light colour, whichever stands out more on a ground.
func Readable(ground color.NRGBA) color.NRGBA { return readable(ground) }

// Leading gives the colour that covers most of the picture, of those that are neither nearly white nor nearly black nor
// grey; false where there is none.
func (m *Master) Leading() (color.NRGBA, bool) {
	const size, fewest = 48, 48 * 48 / 20
	p, err := m.square(size)
	if err != nil {
		return color.NRGBA{}, false
	}
	drawn := p.image()
	type bucket struct {
		n       int
		r, g, b int
	}
	buckets := map[[3]uint8]*bucket{}
	var most *bucket
	for i := 0; i+3 < len(drawn.Pix); i += 4 {
		r, g, b, a := drawn.Pix[i], drawn.Pix[i+1], drawn.Pix[i+2], drawn.Pix[i+3]
		light, dark := max(r, g, b), min(r, g, b)
		if a < 250 || light-dark < 16 || dark > 230 || light < 25 {
			continue
		}
		key := [3]uint8{r >> 4, g >> 4, b >> 4}
		if buckets[key] == nil {
			buckets[key] = &bucket{}
		}
		k := buckets[key]
		k.n, k.r, k.g, k.b = k.n+1, k.r+int(r), k.g+int(g), k.b+int(b)
		if most == nil || k.n > most.n {
			most = k
		}
	}
	if most == nil || most.n < fewest {
		return color.NRGBA{}, false
	}
	return color.NRGBA{uint8(most.r / most.n), uint8(most.g / most.n), uint8(most.b / most.n), 255}, true
}
