package icon

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"sync"

	"tachyform/internal/crash"
)

// Screen is the screen of an iPhone or iPad: width and height in CSS pixels when held upright, and device pixels for
// each.
type Screen struct{ Width, Height, Ratio int }

// Screens lists the screens of the iPhones and iPads that run a system of the last five years, one entry for all that
// share a size.
var Screens = []Screen{
	{375, 667, 2}, {414, 736, 3}, {375, 812, 3}, {414, 896, 2}, {414, 896, 3}, {390, 844, 3}, {428, 926, 3}, {393, 852,
		3}, {430, 932, 3},
	{402, 874, 3}, {440, 956, 3}, {420, 912, 3}, {768, 1024, 2}, {744, 1133, 2}, {810, 1080, 2}, {820, 1180, 2}, {834,
		1112, 2},
	{834, 1194, 2}, {834, 1210, 2}, {1024, 1366, 2}, {1032, 1376, 2},
}

// Startup is a picture shown while an app starts on one of the Screens.
type Startup struct {
	Icon
	// Media is the media query of the screens that it is for.
	Media string
}

// StartupRecipe says which startup images are made, and on what ground the picture stands.
type StartupRecipe struct {
	Recipe
	// Landscape adds pictures for screens held sideways, Dark those for a dark system, on DarkGround.
	Landscape, Dark bool
	// StartGround and DarkGround are the colours of the whole screen.
	StartGround, DarkGround color.NRGBA
}

// MakeStartup draws a startup image for every screen, the picture in the middle.
func MakeStartup(r StartupRecipe) ([]Startup, error) {
	shape, err := measure(r.Master)
	if err != nil {
		return nil, err
	}
	var list []Startup
	var grounds []color.NRGBA
	for _, s := range Screens {
		for _, landscape := range []bool{false, true} {
			for _, dark := range []bool{false, true} {
				if landscape && !r.Landscape || dark && !r.Dark {
					continue
				}
				w, h, lies, ground := s.Width*s.Ratio, s.Height*s.Ratio, "portrait", r.StartGround
				if landscape {
					w, h, lies = h, w, "landscape"
				}
				media := fmt.Sprintf("screen and (device-width: %dpx) and (device-height: %dpx) and "+
					"(-webkit-device-pixel-ratio: %d) and (orientation: %s)", s.Width, s.Height, s.Ratio, lies)
				name := fmt.Sprintf("start-%dx%d.png", w, h)
				switch {
				case dark:
					ground, name = r.DarkGround, fmt.Sprintf("start-%dx%d-dark.png", w, h)
					media += " and (prefers-color-scheme: dark)"
				case r.Dark:
					media += " and (prefers-color-scheme: light)"
				}
				list = append(list, Startup{Icon{Name: name, Size: max(w, h), Width: w, Height: h, Type: "image/png",
					Purpose: "startup"}, media})
				grounds = append(grounds, ground)
			}
		}
	}
	// Screens with the same width have the same picture in the middle.
	type middle struct {
		size   int
		ground color.NRGBA
	}
	pictures := map[middle]func() (*image.NRGBA, error){}
	for i, icon := range list {
		k := middle{min(icon.Width, icon.Height) * 3 / 10, grounds[i]}
		if pictures[k] == nil {
			pictures[k] = sync.OnceValues(func() (*image.NRGBA, error) { return r.middle(shape, k.size, k.ground) })
		}
	}
	errs := make([]error, len(list))
	crash.Each(len(list), func(i int) {
		picture, err := pictures[middle{min(list[i].Width, list[i].Height) * 3 / 10, grounds[i]}]()
		if err == nil {
			list[i].Data, err = inMiddle(picture, list[i].Width, list[i].Height, grounds[i])
		}
		errs[i] = err
	})
	for _, err := range errs {
		if err != nil {
			return nil, err
		}
	}
	return list, nil
}

// middle draws the picture on its ground: as it is where it can be seen there, else on a square with round corners.
func (r *StartupRecipe) middle(s shape, size int, ground color.NRGBA) (*image.NRGBA, error) {
	p, err := r.Master.square(size)
	if err != nil {
		return nil, err
	}
	picture := p.image()
	if !s.opaque && near(picture, ground) {
		backdrop := r.Backdrop
		if apart(backdrop, ground) < 60 {
			backdrop = readable(ground)
		}
		if picture, err = filledImage(r.Master, s, size, backdrop, 0.44); err != nil {
			return nil, err
		}
	}
	out := canvas{NRGBA: image.NewNRGBA(picture.Rect)}
	out.fill(out.Rect, ground)
	if n := float64(size); picture.Opaque() {
		out.shape(rounded(0, 0, n, n, n*0.2), picture)
	} else {
		draw.Draw(out, out.Rect, picture, image.Point{}, draw.Over)
	}
	return out.NRGBA, nil
}

// inMiddle writes a PNG of one colour with an opaque picture in its middle. Each row is written as its difference from
// the one above (PNG, 9.2), which is nothing nearly everywhere.
func inMiddle(picture *image.NRGBA, w, h int, ground color.NRGBA) ([]byte, error) {
	size := picture.Rect.Dx()
	left, top := (w-size)/2, (h-size)/2
	flat := make([]byte, 3*w)
	for x := range w {
		flat[3*x], flat[3*x+1], flat[3*x+2] = ground.R, ground.G, ground.B
	}
	text := make([]byte, 0, h*(3*w+1))
	nothing := append([]byte{2}, make([]byte, 3*w)...)
	prev := make([]byte, 3*w)
	for y := range h {
		switch {
		case y == 0:
			text = append(append(text, 0), flat...)
		case y < top || y > top+size:
			text = append(text, nothing...)
		default:
			row := bytes.Clone(flat)
			if y < top+size {
				src := picture.Pix[(y-top)*picture.Stride:]
				for x := range size {
					copy(row[3*(left+x):], src[4*x:4*x+3])
				}
			}
			if y == top {
				prev = flat
			}
			text = filtered(text, 2, 3, prev, row)
			prev = row
		}
	}
	packed, err := deflated(text, zlib.DefaultCompression)
	if err != nil {
		return nil, err
	}
	head := make([]byte, 13)
	binary.BigEndian.PutUint32(head, uint32(w))
	binary.BigEndian.PutUint32(head[4:], uint32(h))
	head[8], head[9] = 8, 2
	return pngFile(head, packed.Bytes()), nil
}

// near says whether a good part of what a picture shows can hardly be told from a ground.
func near(m *image.NRGBA, ground color.NRGBA) bool {
	drawn, lost := 0, 0
	for i := 0; i < len(m.Pix); i += 4 {
		if m.Pix[i+3] > 127 {
			drawn++
			if apart(color.NRGBA{m.Pix[i], m.Pix[i+1], m.Pix[i+2], 255}, ground) < 60 {
				lost++
			}
		}
	}
	return lost*4 > drawn
}

// pngFile puts a PNG together from its header and its packed rows.
func pngFile(head, packed []byte) []byte {
	out := bytes.NewBufferString("\x89PNG\r\n\x1a\n")
	pngChunk(out, "IHDR", head)
	pngChunk(out, "IDAT", packed)
	pngChunk(out, "IEND", nil)
	return out.Bytes()
}
