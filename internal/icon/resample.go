package icon

import (
	"image"
	"math"
	"sync"
)

// plane is a picture in linear light with premultiplied alpha, four floats a pixel.
type plane struct {
	w, h int
	pix  []float32
}

var toLinear = func() (t [256]float32) {
	for i := range t {
		c := float64(i) / 255
		if c <= 0.04045 {
			t[i] = float32(c / 12.92)
		} else {
			t[i] = float32(math.Pow((c+0.055)/1.055, 2.4))
		}
	}
	return
}()

// fromLinearTable holds the sRGB value of 65536 steps of linear light, finer than any step between two sRGB values.
var fromLinearTable = sync.OnceValue(func() *[65537]uint8 {
	var t [65537]uint8
	for i := range t {
		c := float64(i) / 65536
		if c <= 0.0031308 {
			c *= 12.92
		} else {
			c = 1.055*math.Pow(c, 1/2.4) - 0.055
		}
		t[i] = uint8(c*255 + 0.5)
	}
	return &t
})

func fromLinear(t *[65537]uint8, f float32) uint8 { return t[int(min(max(f, 0), 1)*65536+0.5)] }

func linear(m *image.NRGBA) *plane {
	b := m.Bounds()
	p := &plane{b.Dx(), b.Dy(), make([]float32, 4*b.Dx()*b.Dy())}
	i := 0
	for y := range p.h {
		row := m.Pix[m.PixOffset(b.Min.X, b.Min.Y+y):]
		for x := range p.w {
			a := float32(row[4*x+3]) / 255
			p.pix[i] = toLinear[row[4*x]] * a
			p.pix[i+1] = toLinear[row[4*x+1]] * a
			p.pix[i+2] = toLinear[row[4*x+2]] * a
			p.pix[i+3] = a
			i += 4
		}
	}
	return p
}

func (p *plane) image() *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, p.w, p.h))
	t := fromLinearTable()
	for i := 0; i < len(p.pix); i += 4 {
		a := min(max(p.pix[i+3], 0), 1)
		if a < 0.5/255 {
			continue
		}
		m.Pix[i] = fromLinear(t, p.pix[i]/a)
		m.Pix[i+1] = fromLinear(t, p.pix[i+1]/a)
		m.Pix[i+2] = fromLinear(t, p.pix[i+2]/a)
		m.Pix[i+3] = uint8(a*255 + 0.5)
	}
	return m
}

func lanczos3(x float64) float64 {
	if x == 0 {
		return 1
	}
	if x <= -3 || x >= 3 {
		return 0
	}
	px := math.Pi * x
	return 3 * math.Sin(px) * math.Sin(px/3) / (px * px)
}

// tap is one source index range and its weights for a target index.
type tap struct {
	first   int
	weights []float32
}

func taps(from, to int) []tap {
	scale := float64(from) / float64(to)
	support := 3 * math.Max(scale, 1)
	list := make([]tap, to)
	for i := range list {
		centre := (float64(i)+0.5)*scale - 0.5
		first := max(int(math.Ceil(centre-support)), 0)
		last := min(int(math.Floor(centre+support)), from-1)
		t := tap{first, make([]float32, last-first+1)}
		sum := 0.0
		for j := range t.weights {
			w := lanczos3((float64(first+j) - centre) / math.Max(scale, 1))
			t.weights[j] = float32(w)
			sum += w
		}
		for j := range t.weights {
			t.weights[j] /= float32(sum)
		}
		list[i] = t
	}
	return list
}

// resize scales the plane with a Lanczos kernel, first across, then down.
func (p *plane) resize(w, h int) *plane {
	if w == p.w && h == p.h {
		return p
	}
	across := &plane{w, p.h, make([]float32, 4*w*p.h)}
	columns := taps(p.w, w)
	for y := range p.h {
		row := p.pix[4*y*p.w : 4*(y+1)*p.w]
		to := across.pix[4*y*w : 4*(y+1)*w]
		for x, t := range columns {
			var s0, s1, s2, s3 float32
			src := row[4*t.first:][:4*len(t.weights)]
			for j, f := range t.weights {
				q := src[4*j : 4*j+4 : 4*j+4]
				s0 += f * q[0]
				s1 += f * q[1]
				s2 += f * q[2]
				s3 += f * q[3]
			}
			q := to[4*x : 4*x+4 : 4*x+4]
			q[0], q[1], q[2], q[3] = s0, s1, s2, s3
		}
	}
	out := &plane{w, h, make([]float32, 4*w*h)}
	for y, t := range taps(p.h, h) {
		row := out.pix[4*y*w : 4*(y+1)*w]
		for j, f := range t.weights {
			src := across.pix[4*(t.first+j)*w:][:4*w]
			for i, v := range src {
				row[i] += f * v
			}
		}
	}
	return out
}
