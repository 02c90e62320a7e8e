package icon

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
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

// ContentReach is how far from the centre something is drawn, as part of the width. It is only known for square pictures that
// fill their square and have one colour all along the edge.
func (f *Facts) ContentReach() (reach float64, known bool) {
	if f.pixels == nil || f.Width != f.Height || !f.Opaque || f.Width > 2048 {
		return 0, false
	}
	s, err := measure(&Master{raster: linear(f.pixels)})
	return s.reach, err == nil && s.opaque && s.plainBorder
}

// Inspect decodes a picture. An error says why browsers could not show it.
func Inspect(data []byte) (*Facts, error) {
	if len(data) == 0 {
		return nil, fmt.Errorf("the file is empty")
	}
	if looksLikeSVG(data) {
		if !bytes.Contains(data, []byte("<svg")) {
			return nil, fmt.Errorf("it is XML but no SVG")
		}
		return &Facts{Type: "image/svg+xml", Vector: true}, nil
	}
	if bytes.HasPrefix(data, []byte{0, 0, 1, 0}) {
		return inspectICO(data)
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
		if end := uint64(binary.LittleEndian.Uint32(e[8:])) + uint64(binary.LittleEndian.Uint32(e[12:])); end > uint64(len(data)) {
			return nil, fmt.Errorf("the icon file is cut off")
		}
		f.Width, f.Height = max(f.Width, w), max(f.Height, h)
	}
	return f, nil
}
