package icon

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"slices"
)

// Facts are what decoding a picture tells about it.
type Facts struct {
	// Type is the media type of the content itself, whatever its name or header say.
	Type          string
	Width, Height int
	// Vector tells that it has no pixels of its own.
	Vector bool
	// Opaque is true when no pixel is transparent.
	Opaque bool

	pixels *image.NRGBA
}

// ContentReach is how far from the centre something is drawn, as part of the width. It is only known for square
// pictures that fill their square and have one colour all along the edge.
func (f *Facts) ContentReach() (reach float64, known bool) {
	if f.pixels == nil || f.Width != f.Height || !f.Opaque || f.Width > 2048 {
		return 0, false
	}
	s := measurePixels(f.pixels)
	return s.reach, s.opaque && s.plainBorder
}

// Faint says whether a good part of a transparent picture can hardly be told from white.
func (f *Facts) Faint() bool {
	if f.pixels == nil || f.Opaque || f.Width > 2048 || f.Height > 2048 {
		return false
	}
	return measurePixels(f.pixels).faint
}

// Enlarged says whether a picture's edges are all so soft that it must have been scaled up: where it goes from dark to
// light within six pixels, hardly any two neighbours differ by much of it.
func (f *Facts) Enlarged() bool {
	m := f.pixels
	if m == nil || f.Width > 2048 || f.Height > 2048 || min(f.Width, f.Height) < 48 {
		return false
	}
	luma := func(x, y int) int {
		p := m.Pix[y*m.Stride+4*x:]
		a := int(p[3])
		return ((2*int(p[0])+5*int(p[1])+int(p[2]))*a/8 + 255*(255-a)) / 255
	}
	const reach, window = 80, 6
	edges, sharp := 0, 0
	values := make([]int, max(f.Width, f.Height))
	line := func(values []int) {
		if slices.Max(values)-slices.Min(values) < reach {
			return
		}
		for i := 0; i+window <= len(values); i++ {
			low, high, most := values[i], values[i], 0
			for j := i + 1; j < i+window; j++ {
				low, high = min(low, values[j]), max(high, values[j])
				d := values[j] - values[j-1]
				most = max(most, d, -d)
			}
			if high-low >= reach {
				edges++
				if most*100 >= 42*(high-low) {
					sharp++
				}
			}
		}
	}
	// Of a large picture some of the lines tell enough.
	apart := max(1, min(f.Width, f.Height)/128)
	for y := 0; y < f.Height; y += apart {
		for x := range f.Width {
			values[x] = luma(x, y)
		}
		line(values[:f.Width])
	}
	for x := 0; x < f.Width; x += apart {
		for y := range f.Height {
			values[y] = luma(x, y)
		}
		line(values[:f.Height])
	}
	return edges*apart > 200 && sharp*10 < edges
}

// Inspect decodes a picture. An error says why browsers could not show it.
func Inspect(data []byte) (*Facts, error) {
	if len(data) == 0 {
		return nil, fmt.Errorf("the file is empty")
	}
	if looksLikeSVG(data) {
		if err := checkSVG(data); err != nil {
			return nil, err
		}
		return &Facts{Type: "image/svg+xml", Vector: true}, nil
	}
	if bytes.HasPrefix(data, []byte{0, 0, 1, 0}) {
		return inspectICO(data)
	}
	if len(data) > 12 && string(data[4:8]) == "ftyp" && bytes.Contains(data[8:min(len(data), 64)], []byte("avif")) {
		return inspectAVIF(data)
	}
	cfg, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, fmt.Errorf("it is no picture that browsers show (%v)", err)
	}
	f := &Facts{Type: "image/" + kind, Width: cfg.Width, Height: cfg.Height}
	if int64(cfg.Width)*int64(cfg.Height) > maxPixels {
		return f, fmt.Errorf("it has %d by %d pixels, too many to decode", cfg.Width, cfg.Height)
	}
	m, _, err := image.Decode(bytes.NewReader(data))
	if err != nil {
		return f, fmt.Errorf("the file is damaged (%v)", err)
	}
	n := toNRGBA(m)
	f.Opaque = n.Opaque()
	f.pixels = n
	return f, nil
}

// inspectAVIF reads the size of an AVIF picture, whose pixels we do not decode (ISO/IEC 23008-12, 6.5.3).
func inspectAVIF(data []byte) (*Facts, error) {
	_, size, found := bytes.Cut(data, []byte("ispe"))
	if !found || len(size) < 12 {
		return nil, fmt.Errorf("the file is damaged (it tells no size)")
	}
	w, h := binary.BigEndian.Uint32(size[4:]), binary.BigEndian.Uint32(size[8:])
	if w == 0 || h == 0 || w > 1<<16 || h > 1<<16 {
		return nil, fmt.Errorf("the file is damaged (it has %d by %d pixels)", w, h)
	}
	return &Facts{Type: "image/avif", Width: int(w), Height: int(h)}, nil
}

func inspectICO(data []byte) (*Facts, error) {
	if len(data) < 6 {
		return nil, fmt.Errorf("the icon file is cut off")
	}
	f := &Facts{Type: "image/x-icon"}
	count := int(binary.LittleEndian.Uint16(data[4:]))
	if count == 0 || len(data) < 6+16*count {
		return nil, fmt.Errorf("the icon file is cut off")
	}
	for i := range count {
		e := data[6+16*i:]
		w, h := int(e[0]), int(e[1])
		if w == 0 {
			w = 256
		}
		if h == 0 {
			h = 256
		}
		if end := uint64(binary.LittleEndian.Uint32(e[8:])) +
			uint64(binary.LittleEndian.Uint32(e[12:])); end > uint64(len(data)) {
			return nil, fmt.Errorf("the icon file is cut off")
		}
		f.Width, f.Height = max(f.Width, w), max(f.Height, h)
	}
	return f, nil
}

// Decode gives the picture in a file as it would be shown: of an icon file the largest entry, of an SVG 512 pixels.
func Decode(data []byte) (image.Image, error) {
	switch {
	case looksLikeSVG(data):
		m, err := loadSVG("the icon", data)
		if err != nil {
			return nil, err
		}
		p, err := m.square(MinMaster)
		if err != nil {
			return nil, err
		}
		return p.image(), nil
	case bytes.HasPrefix(data, []byte{0, 0, 1, 0}):
		if _, err := inspectICO(data); err != nil {
			return nil, err
		}
		var best []byte
		most := 0
		for i := range int(binary.LittleEndian.Uint16(data[4:])) {
			e := data[6+16*i:]
			size, offset := binary.LittleEndian.Uint32(e[8:]), binary.LittleEndian.Uint32(e[12:])
			w := int(e[0])
			if w == 0 {
				w = 256
			}
			if w > most {
				most, best = w, data[offset:offset+size]
			}
		}
		if !bytes.HasPrefix(best, []byte("\x89PNG")) {
			return nil, fmt.Errorf("the icon file holds bitmaps, which are not drawn here")
		}
		data = best
	}
	if _, err := Inspect(data); err != nil {
		return nil, err
	}
	m, _, err := image.Decode(bytes.NewReader(data))
	return m, err
}
