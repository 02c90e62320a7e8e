package icon

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"math"
	"slices"
	"strings"

	"tachyform/internal/crash"
	"tachyform/internal/target"
)

// Icon is one finished icon file.
type Icon struct {
	// Name is the file's name without its folder.
	Name string
	// Size is its width and height in pixels; of an ICO the largest, of a vector 0. Width and Height are there for what
	// is not square.
	Size          int
	Width, Height int
	Type          string
	// Purpose is any, maskable, monochrome, apple, favicon, vector (a favicon too), shortcut or startup.
	Purpose string
	// Shortcut is the name of the shortcut that it belongs to.
	Shortcut string
	Data     []byte
}

// ShortcutMaster is the picture of the shortcut with a name.
type ShortcutMaster struct {
	Name   string
	Master *Master
}

// maxVector bounds SVG favicons: above, the ICO is the lighter one.
const maxVector = 24 << 10

// wanted lists the set in the order it is declared.
func (r *Recipe) wanted(grounded bool) []Icon {
	forAny := func(targets ...string) bool {
		return len(r.Targets) == 0 ||
			slices.ContainsFunc(targets, func(t string) bool { return slices.Contains(r.Targets, t) })
	}
	var list []Icon
	if forAny(target.ChromiumAndroid, target.ChromiumDesktop, target.FirefoxAndroid, target.SafariMacOS) {
		list = append(list, Icon{Name: "any-192.png", Size: 192, Purpose: "any"},
			Icon{Name: "any-512.png", Size: 512, Purpose: "any"})
	}
	if r.Tiles {
		for _, n := range []int{44, 71, 150, 310} {
			list = append(list, Icon{Name: fmt.Sprintf("tile-%d.png", n), Size: n, Purpose: "any"})
		}
	}
	if forAny(target.ChromiumAndroid, target.FirefoxAndroid) {
		list = append(list, Icon{Name: "maskable-192.png", Size: 192, Purpose: "maskable"},
			Icon{Name: "maskable-512.png", Size: 512, Purpose: "maskable"})
	}
	if r.Monochrome != nil {
		list = append(list, Icon{Name: "monochrome-512.png", Size: 512, Purpose: "monochrome"})
	}
	if forAny(target.SafariIOS, target.SafariMacOS) {
		list = append(list, Icon{Name: "apple-180.png", Size: 180, Purpose: "apple"})
	}
	list = append(list, Icon{Name: "favicon.ico", Size: 48, Purpose: "favicon"})
	if v := r.small(); v.Vector && len(v.source) <= maxVector && (!grounded || r.Small != nil) {
		list = append(list, Icon{Name: "favicon.svg", Purpose: "vector"})
	}
	for _, s := range r.Shortcuts {
		for _, n := range []int{96, 192} {
			list = append(list, Icon{Name: fmt.Sprintf("shortcut-%s-%d.png", fileWord(s.Name), n), Size: n, Purpose: "shortcut",
				Shortcut: s.Name})
		}
	}
	return list
}

func (r *Recipe) small() *Master {
	if r.Small != nil {
		return r.Small
	}
	return r.Master
}

// fileWord makes a word for a file's name of a text.
func fileWord(s string) string {
	var b strings.Builder
	for _, c := range strings.ToLower(s) {
		switch {
		case c >= 'a' && c <= 'z' || c >= '0' && c <= '9':
			b.WriteRune(c)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	if word := strings.Trim(b.String(), "-"); word != "" {
		return word
	}
	return fmt.Sprintf("%x", s)
}

// SafeRadius is the part of an icon's width from its centre that every launcher's mask leaves visible (Web App
// Manifest, maskable icons).
const SafeRadius = 0.4

// Recipe says what a set is made from.
type Recipe struct {
	Master *Master
	// Maskable, Monochrome and Small stand in for Master where they are given: Small for icons of 48 pixels and less.
	// Only with a Monochrome master is there a monochrome icon.
	Maskable, Monochrome, Small *Master
	// Backdrop fills icons that may not be transparent.
	Backdrop color.NRGBA
	// Targets are the kinds of browser that the set is for; none stands for all.
	Targets []string
	// Tiles adds the sizes of Windows' start menu.
	Tiles bool
	// Shortcuts are the pictures of the manifest's shortcuts.
	Shortcuts []ShortcutMaster
	// Ground says what lies under plain icons: clear, filled, or "" for the backdrop where the picture would hardly be
	// seen on white.
	Ground string
}

// Make draws the set. The bytes are the same on each run.
func Make(r Recipe) ([]Icon, error) {
	m, backdrop := r.Master, r.Backdrop
	shape, err := measure(m)
	if err != nil {
		return nil, err
	}
	maskable, maskableShape := m, shape
	if r.Maskable != nil {
		if maskable = r.Maskable; maskable != nil {
			if maskableShape, err = measure(maskable); err != nil {
				return nil, err
			}
		}
	}
	small := r.small()
	grounded := r.Ground == "filled" || r.Ground == "" && shape.faint &&
		apart(backdrop, color.NRGBA{255, 255, 255, 255}) > 40
	wanted := r.wanted(grounded)
	list := make([]Icon, len(wanted))
	errs := make([]error, len(wanted))
	crash.Each(len(wanted), func(i int) {
		icon := wanted[i]
		icon.Type = "image/png"
		switch icon.Purpose {
		case "vector":
			icon.Type, icon.Data = "image/svg+xml", small.source
		case "shortcut":
			for _, s := range r.Shortcuts {
				if s.Name == icon.Shortcut {
					icon.Data, errs[i] = clear(s.Master, icon.Size)
				}
			}
		case "any":
			if grounded {
				icon.Data, errs[i] = onGround(m, shape, icon.Size, backdrop)
			} else {
				icon.Data, errs[i] = clear(m, icon.Size)
			}
		case "monochrome":
			icon.Data, errs[i] = clear(r.Monochrome, icon.Size)
		case "maskable":
			icon.Data, errs[i] = filled(maskable, maskableShape, icon.Size, backdrop, SafeRadius*0.98)
		case "apple":
			icon.Data, errs[i] = filled(m, shape, icon.Size, backdrop, 0.5)
		case "favicon":
			icon.Type = "image/x-icon"
			icon.Data, errs[i] = favicon(func(size int) ([]byte, error) {
				if grounded && r.Small == nil {
					return onGround(small, shape, size, backdrop)
				}
				return clear(small, size)
			}, 16, 32, 48)
		}
		list[i] = icon
	})
	for _, err := range errs {
		if err != nil {
			return nil, err
		}
	}
	return list, nil
}

// shape is what a look at the master tells.
type shape struct {
	// reach is the distance of the farthest content from the centre, as part of the width.
	reach float64
	// opaque is true when the picture fills its square; border then is the colour all along its edge, if it is one.
	opaque, plainBorder bool
	border              color.NRGBA
	// faint is true when a good part of what is drawn can hardly be told from white.
	faint bool
}

func measure(m *Master) (shape, error) {
	p, err := m.square(256)
	if err != nil {
		return shape{}, err
	}
	return measurePixels(p.image()), nil
}

// measurePixels measures a picture as it is. reach is only right for squares.
func measurePixels(img *image.NRGBA) shape {
	w, h := img.Rect.Dx(), img.Rect.Dy()
	at := func(x, y int) color.NRGBA {
		p := img.Pix[y*img.Stride+4*x:]
		return color.NRGBA{R: p[0], G: p[1], B: p[2], A: p[3]}
	}
	s := shape{opaque: true, plainBorder: true, border: at(0, 0)}
	edge := func(c color.NRGBA) {
		s.opaque = s.opaque && c.A >= 250
		s.plainBorder = s.plainBorder && apart(c, s.border) <= 12
	}
	for x := range w {
		edge(at(x, 0))
		edge(at(x, h-1))
	}
	for y := range h {
		edge(at(0, y))
		edge(at(w-1, y))
	}
	onBorder := s.opaque && s.plainBorder
	drawn, light := 0, 0
	farthest := 0 // the square of the largest distance from the centre, in half pixels
	for y := range h {
		line := img.Pix[y*img.Stride : y*img.Stride+4*w]
		dy := 2*y + 1 - h
		for x := range w {
			c := color.NRGBA{R: line[4*x], G: line[4*x+1], B: line[4*x+2], A: line[4*x+3]}
			if c.A > 127 {
				drawn++
				if min(c.R, c.G, c.B) > 205 {
					light++
				}
			}
			if dx := 2*x + 1 - w; dx*dx+dy*dy > farthest && c.A > 12 && (!onBorder || apart(c, s.border) > 12) {
				farthest = dx*dx + dy*dy
			}
		}
	}
	s.reach = math.Sqrt(float64(farthest)) / 2 / float64(w)
	s.faint = !s.opaque && light*4 > drawn
	return s
}

// clear draws the picture as it is.
func clear(m *Master, size int) ([]byte, error) {
	p, err := m.square(size)
	if err != nil {
		return nil, err
	}
	return encodePNG(p.image())
}

// onGround draws the picture on a square of the backdrop with round corners, which itself stands on nothing.
func onGround(m *Master, s shape, size int, backdrop color.NRGBA) ([]byte, error) {
	whole, err := filledImage(m, s, size, backdrop, 0.44)
	if err != nil {
		return nil, err
	}
	out := canvas{NRGBA: image.NewNRGBA(image.Rect(0, 0, size, size))}
	n := float64(size)
	out.shape(rounded(0, 0, n, n, n*0.2), whole)
	return encodePNG(out.NRGBA)
}

func apart(a, b color.NRGBA) int {
	d := func(x, y uint8) int { return max(int(x)-int(y), int(y)-int(x)) }
	return max(d(a.R, b.R), d(a.G, b.G), d(a.B, b.B), d(a.A, b.A))
}

// filled draws the picture without transparency, its content no farther from the centre than reach times the width.
func filled(m *Master, s shape, size int, backdrop color.NRGBA, reach float64) ([]byte, error) {
	img, err := filledImage(m, s, size, backdrop, reach)
	if err != nil {
		return nil, err
	}
	return encodePNG(img)
}

func filledImage(m *Master, s shape, size int, backdrop color.NRGBA, reach float64) (*image.NRGBA, error) {
	inner := size
	switch {
	case s.opaque && !s.plainBorder: // a photo: nothing in it can be told from its ground, so it fills the square
	case s.reach > 0:
		inner = min(int(float64(size)*reach/s.reach), size)
	}
	if s.opaque && s.plainBorder {
		backdrop = s.border
	}
	p, err := m.square(inner)
	if err != nil {
		return nil, err
	}
	out := &plane{size, size, make([]float32, 4*size*size)}
	ground := [4]float32{toLinear[backdrop.R], toLinear[backdrop.G], toLinear[backdrop.B], 1}
	for i := range out.pix {
		out.pix[i] = ground[i%4]
	}
	out.paste(p, (size-inner)/2, (size-inner)/2)
	img := out.image()
	for i := 3; i < len(img.Pix); i += 4 {
		img.Pix[i] = 255
	}
	return img, nil
}

func paletted(m *image.NRGBA) *image.Paletted {
	index := map[color.NRGBA]uint8{}
	var palette color.Palette
	p := image.NewPaletted(m.Bounds(), nil)
	for i := 0; i < len(m.Pix); i += 4 {
		c := color.NRGBA{m.Pix[i], m.Pix[i+1], m.Pix[i+2], m.Pix[i+3]}
		k, ok := index[c]
		if !ok {
			if len(palette) == 256 {
				return nil
			}
			k = uint8(len(palette))
			index[c] = k
			palette = append(palette, c)
		}
		p.Pix[i/4] = k
	}
	p.Palette = palette
	return p
}

// favicon writes an ICO file whose entries are PNGs.
func favicon(draw func(size int) ([]byte, error), sizes ...int) ([]byte, error) {
	var head, body bytes.Buffer
	binary.Write(&head, binary.LittleEndian, []uint16{0, 1, uint16(len(sizes))})
	offset := 6 + 16*len(sizes)
	for _, size := range sizes {
		data, err := draw(size)
		if err != nil {
			return nil, err
		}
		head.Write([]byte{byte(size), byte(size), 0, 0})
		binary.Write(&head, binary.LittleEndian, []uint16{1, 32})
		binary.Write(&head, binary.LittleEndian, []uint32{uint32(len(data)), uint32(offset + body.Len())})
		body.Write(data)
	}
	return append(head.Bytes(), body.Bytes()...), nil
}

// SizeText writes a size as manifests do; 0 is that of a vector.
func SizeText(n int) string {
	if n == 0 {
		return "any"
	}
	return fmt.Sprintf("%dx%d", n, n)
}
