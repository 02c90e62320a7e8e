package confirm

import (
	"bytes"
	"context"
	"image"
	"image/jpeg"
	"image/png"

	"golang.org/x/image/draw"

	"tachyform/internal/condition"
	"tachyform/internal/driver"
)

// Size is the size of a window in CSS pixels.
type Size struct {
	Name          string
	Width, Height int
}

// Sizes of the pictures.
var Sizes = []Size{{"desktop", 1280, 800}, {"phone", 390, 844}}

// Picture is a page in a window of a size under a condition, as a JPEG of half its size.
type Picture struct {
	Path, Condition, Size string
	JPEG                  []byte
}

// MostPictured is the number of pages that pictures are taken of.
const MostPictured = 20

// Pictures takes pictures of pages offline and online, after a visit that installs the worker. Offline is first, because pages that were
// visited online may be stored. The browser needs a new profile.
func (s *Site) Pictures(ctx context.Context, b driver.Browser, pages []string) (list []Picture, err error) {
	tab, end, err := s.visited(ctx, b)
	if err != nil {
		return nil, err
	}
	defer end()
	for _, c := range []condition.Condition{condition.Offline, condition.Online} {
		if err := s.setCondition(c); err != nil {
			return nil, err
		}
		for _, page := range pages[:min(len(pages), MostPictured)] {
			for _, size := range Sizes {
				if err := ctx.Err(); err != nil {
					return nil, err
				}
				if err := tab.Resize(size.Width, size.Height); err != nil {
					return nil, err
				}
				_ = tab.Load("about:blank")
				_ = tab.Load(s.Server.Origin() + page) // an error page is pictured, too
				s.settle(ctx, tab, anything)
				data, err := tab.Picture()
				if err != nil {
					return nil, err
				}
				small, err := halved(data)
				if err != nil {
					return nil, err
				}
				list = append(list, Picture{page, c.Name, size.Name, small})
			}
		}
	}
	return list, nil
}

// halved scales a PNG to half its size and encodes it as a JPEG.
func halved(data []byte) ([]byte, error) {
	source, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	half := image.NewRGBA(image.Rect(0, 0, source.Bounds().Dx()/2, source.Bounds().Dy()/2))
	draw.CatmullRom.Scale(half, half.Bounds(), source, source.Bounds(), draw.Src, nil)
	var b bytes.Buffer
	err = jpeg.Encode(&b, half, &jpeg.Options{Quality: 85})
	return b.Bytes(), err
}
