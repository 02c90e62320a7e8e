package icon

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"strings"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"
)

// Sheet is a contact sheet: the icons as files, under the masks of launchers, and where people meet them.
type Sheet struct {
	Name, ShortName, Host string
	// Background and Theme are the manifest's colours; alpha 0 stands for none.
	Background, Theme color.NRGBA
	Icons             []SheetIcon
}

// SheetIcon is one decoded icon. Role is any, maskable, monochrome, apple or favicon.
type SheetIcon struct {
	File, Role string
	Picture    image.Image
}

var (
	paper   = color.NRGBA{0xf6, 0xf4, 0xef, 0xff}
	ink     = color.NRGBA{0x22, 0x2a, 0x2e, 0xff}
	soft    = color.NRGBA{0x6d, 0x75, 0x78, 0xff}
	hair    = color.NRGBA{0xd4, 0xcf, 0xc4, 0xff}
	night   = color.NRGBA{0x1d, 0x24, 0x28, 0xff}
	white   = color.NRGBA{0xff, 0xff, 0xff, 0xff}
	warning = color.NRGBA{0xb3, 0x3a, 0x2b, 0xff}
)

const (
	sheetWidth = 1240
	margin     = 36
	gap        = 18
)

// LabelLength is how many characters of a short name launchers show before they cut it off.
const LabelLength = 12

type canvas struct {
	*image.NRGBA
	scaled map[scaledKey]*image.NRGBA // what was scaled already
}

type scaledKey struct {
	m    image.Image
	size int
}

type textStyle struct {
	size float64
	bold bool
}

var (
	heading = textStyle{17, true}
	plain   = textStyle{13, false}
	small   = textStyle{11.5, false}
	label   = textStyle{13, true}
)

// faces are made once for each style; a face is not safe for several goroutines.
var faces struct {
	sync.Mutex
	made map[textStyle]font.Face
}

func faceOf(s textStyle) font.Face {
	if f := faces.made[s]; f != nil {
		return f
	}
	text := goregular.TTF
	if s.bold {
		text = gobold.TTF
	}
	parsed, err := opentype.Parse(text)
	if err != nil {
		panic("icon: the embedded font does not parse")
	}
	f, err := opentype.NewFace(parsed, &opentype.FaceOptions{Size: s.size, DPI: 72, Hinting: font.HintingFull})
	if err != nil {
		panic("icon: the embedded font has no such size")
	}
	if faces.made == nil {
		faces.made = map[textStyle]font.Face{}
	}
	faces.made[s] = f
	return f
}

func width(text string, s textStyle) int { return font.MeasureString(faceOf(s), text).Ceil() }

// write sets a text with its baseline at y, cut to at most most pixels; align is 0 for left, 1 for centred.
func (c canvas) write(text string, x, y int, s textStyle, col color.Color, align, most int) {
	if most > 0 && width(text, s) > most {
		r := []rune(text)
		for len(r) > 1 && width(string(r)+"…", s) > most {
			r = r[:len(r)-1]
		}
		text = string(r) + "…"
	}
	if align == 1 {
		x -= width(text, s) / 2
	}
	d := font.Drawer{Dst: c, Src: image.NewUniform(col), Face: faceOf(s), Dot: fixed.P(x, y)}
	d.DrawString(text)
}

func (c canvas) fill(r image.Rectangle, col color.Color) {
	draw.Draw(c, r, image.NewUniform(col), image.Point{}, draw.Over)
}

// outline adds a closed shape to a rasterizer; at gives points of it for angles from 0 to 1.
type outline func(t float64) (x, y float64)

func circle(cx, cy, r float64) outline {
	return func(t float64) (float64, float64) {
		return cx + r*math.Cos(2*math.Pi*t), cy + r*math.Sin(2*math.Pi*t)
	}
}

// superellipse is a squircle for n = 4 or so, a rounded square for larger n.
func superellipse(cx, cy, r, n float64) outline {
	return func(t float64) (float64, float64) {
		cos, sin := math.Cos(2*math.Pi*t), math.Sin(2*math.Pi*t)
		return cx + r*math.Copysign(math.Pow(math.Abs(cos), 2/n), cos), cy + r*math.Copysign(math.Pow(math.Abs(sin), 2/n),
			sin)
	}
}

// rounded is a rectangle with corners of radius r.
func rounded(x, y, w, h, r float64) outline {
	return func(t float64) (float64, float64) {
		corner := int(t * 4)
		a := (t*4 - float64(corner)) * math.Pi / 2
		cos, sin := math.Cos(a), math.Sin(a)
		switch corner {
		case 0:
			return x + w - r + r*sin, y + r - r*cos
		case 1:
			return x + w - r + r*cos, y + h - r + r*sin
		case 2:
			return x + r - r*sin, y + h - r + r*cos
		}
		return x + r - r*cos, y + r - r*sin
	}
}

// teardrop is a circle with one square corner, at the lower right.
func teardrop(cx, cy, r float64) outline {
	return func(t float64) (float64, float64) {
		if t < 0.25 {
			a := t * 4
			if a < 0.5 {
				return cx + r, cy + r*a*2*0.86
			}
			return cx + r - r*(a-0.5)*2, cy + r
		}
		return circle(cx, cy, r)(t)
	}
}

// shape paints what src shows at the same place, inside an outline.
func (c canvas) shape(o outline, src image.Image) {
	const steps = 240
	var points [steps][2]float64
	box := image.Rectangle{}
	for i := range points {
		x, y := o(float64(i) / steps)
		points[i] = [2]float64{x, y}
		box = box.Union(image.Rect(int(x)-1, int(y)-1, int(x)+2, int(y)+2))
	}
	box = box.Intersect(c.Bounds())
	z := vector.NewRasterizer(box.Dx(), box.Dy())
	for i, p := range points {
		x, y := float32(p[0]-float64(box.Min.X)), float32(p[1]-float64(box.Min.Y))
		if i == 0 {
			z.MoveTo(x, y)
		} else {
			z.LineTo(x, y)
		}
	}
	z.ClosePath()
	z.Draw(c, box, src, box.Min)
}

func (c canvas) solid(o outline, col color.Color) { c.shape(o, image.NewUniform(col)) }

// dashes draws a dashed circle.
func (c canvas) dashes(cx, cy, r float64, col color.Color) {
	const n = 44
	for i := range n {
		a := 2 * math.Pi * float64(i) / n
		b := a + 2*math.Pi/n*0.55
		c.solid(func(t float64) (float64, float64) {
			rr, s := r-0.8, t*2
			if t >= 0.5 {
				rr, s = r+0.8, 2-t*2
			}
			return cx + rr*math.Cos(a+(b-a)*s), cy + rr*math.Sin(a+(b-a)*s)
		}, col)
	}
}

// at gives a picture scaled to size pixels with its corner at x, y of the sheet.
func (c canvas) at(m image.Image, x, y, size int) *image.NRGBA {
	img := c.scaled[scaledKey{m, size}]
	if img == nil {
		p := linear(toNRGBA(m))
		scale := float64(size) / float64(max(p.w, p.h))
		img = p.resize(max(int(float64(p.w)*scale+0.5), 1), max(int(float64(p.h)*scale+0.5), 1)).image()
		c.scaled[scaledKey{m, size}] = img
	}
	out := image.NewNRGBA(image.Rect(x, y, x+size, y+size))
	off := image.Pt(x+(size-img.Rect.Dx())/2, y+(size-img.Rect.Dy())/2)
	draw.Draw(out, img.Rect.Add(off), img, image.Point{}, draw.Src)
	return out
}

// picture draws an icon as it is.
func (c canvas) picture(m image.Image, x, y, size int) {
	p := c.at(m, x, y, size)
	draw.Draw(c, p.Rect, p, p.Rect.Min, draw.Over)
}

// masked draws an icon inside an outline.
func (c canvas) masked(m image.Image, x, y, size int, o outline) {
	c.shape(o, c.at(m, x, y, size))
}

func (c canvas) chequers(r image.Rectangle) {
	const n = 8
	for y := r.Min.Y; y < r.Max.Y; y += n {
		for x := r.Min.X; x < r.Max.X; x += n {
			col := white
			if (x/n+y/n)%2 == 0 {
				col = color.NRGBA{0xe9, 0xe6, 0xde, 0xff}
			}
			c.fill(image.Rect(x, y, min(x+n, r.Max.X), min(y+n, r.Max.Y)), col)
		}
	}
}

// best gives the largest icon with one of the roles, those named first preferred.
func (s *Sheet) best(roles ...string) (best image.Image, role string) {
	for _, want := range roles {
		for _, i := range s.Icons {
			if i.Role == want && (best == nil || i.Picture.Bounds().Dx() > best.Bounds().Dx()) {
				best, role = i.Picture, want
			}
		}
		if best != nil {
			return best, role
		}
	}
	return nil, ""
}

// Draw draws the sheet. The same sheet gives the same picture.
func (s *Sheet) Draw() *image.NRGBA {
	faces.Lock()
	defer faces.Unlock()
	const filesTop = 118
	rows := s.rows()
	masksTop := filesTop + 24
	for _, r := range rows {
		masksTop += r.height + 52
	}
	masksTop += 20
	screensTop := masksTop + 352
	c := canvas{image.NewNRGBA(image.Rect(0, 0, sheetWidth, screensTop+400)), map[scaledKey]*image.NRGBA{}}
	c.fill(c.Bounds(), paper)
	c.write(s.Name, margin, 52, textStyle{26, true}, ink, 0, sheetWidth-2*margin-200)
	c.write(s.Host, sheetWidth-margin-width(s.Host, plain), 52, plain, soft, 0, 0)
	c.section("The files, at their true size up to 192 pixels", filesTop-14)
	y := filesTop + 14
	for _, r := range rows {
		x := margin
		for _, i := range r.icons {
			n := shownSize(i)
			box := image.Rect(x, y+r.height-n, x+n, y+r.height)
			c.chequers(box)
			c.picture(i.Picture, box.Min.X, box.Min.Y, n)
			c.write(i.File, x, y+r.height+17, small, ink, 0, max(n, 84)+10)
			size := SizeText(i.Picture.Bounds().Dx())
			c.write(size+" "+i.Role, x, y+r.height+32, small, soft, 0, 0)
			x += max(n, 104) + gap
		}
		y += r.height + 52
	}
	s.masks(c, masksTop)
	s.screens(c, screensTop)
	return c.NRGBA
}

func (c canvas) section(title string, y int) {
	c.write(title, margin, y, heading, ink, 0, 0)
	c.fill(image.Rect(margin, y+8, sheetWidth-margin, y+9), hair)
}

func shownSize(i SheetIcon) int {
	return min(max(i.Picture.Bounds().Dx(), i.Picture.Bounds().Dy()), 192)
}

type sheetRow struct {
	icons  []SheetIcon
	height int
}

// rows breaks the files into rows.
func (s *Sheet) rows() (rows []sheetRow) {
	x := margin
	for _, i := range s.Icons {
		n := shownSize(i)
		if len(rows) == 0 || x+max(n, 104) > sheetWidth-margin {
			rows = append(rows, sheetRow{})
			x = margin
		}
		r := &rows[len(rows)-1]
		r.icons = append(r.icons, i)
		r.height = max(r.height, n)
		x += max(n, 104) + gap
	}
	return rows
}

// masks shows the icon under the shapes that launchers cut it to, on light and dark ground.
func (s *Sheet) masks(c canvas, top int) {
	c.section("Under the masks of launchers", top)
	picture, role := s.best("maskable", "any", "apple")
	if picture == nil {
		c.write("There is no icon to show.", margin, top+40, plain, warning, 0, 0)
		return
	}
	const n = 104
	shapes := []struct {
		name string
		of   func(cx, cy, r float64) outline
	}{
		{"circle", circle},
		{"squircle", func(cx, cy, r float64) outline { return superellipse(cx, cy, r, 4) }},
		{"rounded", func(cx, cy, r float64) outline { return rounded(cx-r, cy-r, 2*r, 2*r, r*0.36) }},
		{"teardrop", teardrop},
		{"full bleed", func(cx, cy, r float64) outline { return rounded(cx-r, cy-r, 2*r, 2*r, 0.01) }},
	}
	y := top + 28
	for row, ground := range []color.NRGBA{white, night} {
		strip := image.Rect(margin, y+row*(n+30), margin+5*(n+34)+6, y+row*(n+30)+n+22)
		c.fill(strip, ground)
		for i, shape := range shapes {
			x := margin + 20 + i*(n+34)
			cy := strip.Min.Y + 11
			o := shape.of(float64(x)+n/2, float64(cy)+n/2, n/2)
			if role != "maskable" {
				// Without a maskable icon launchers lay the plain one, smaller, on a white ground of their shape.
				c.solid(o, white)
				inner := n * 66 / 100
				c.picture(picture, x+(n-inner)/2, cy+(n-inner)/2, inner)
			} else {
				c.masked(picture, x, cy, n, o)
			}
			if row == 1 {
				c.write(shape.name, x+n/2, strip.Max.Y+18, small, soft, 1, 0)
			}
		}
	}
	const big = 220
	x := margin + 5*(n+34) + 44
	box := image.Rect(x, y, x+big, y+big)
	c.chequers(box)
	c.picture(picture, x, y, big)
	c.dashes(float64(x)+big/2, float64(y)+big/2, big*SafeRadius, warning)
	c.dashes(float64(x)+big/2, float64(y)+big/2, big*SafeRadius-1.6, white)
	tx := x + big + 24
	lines := []string{"Inside the dashed circle every", "launcher shows the picture;", "outside it some cut it away."}
	if role != "maskable" {
		lines = []string{"There is no maskable icon:", "launchers lay the plain one", "smaller on white, as shown."}
	}
	for i, l := range lines {
		c.write(l, tx, y+20+i*19, plain, ink, 0, 0)
	}
}

// screens shows where people meet the app: home screen, splash, prompt, task switcher, window.
func (s *Sheet) screens(c canvas, top int) {
	c.section("Where people meet it", top)
	y := top + 30
	app, role := s.best("maskable", "any", "apple")
	plainIcon, _ := s.best("any", "maskable", "apple")
	apple, appleRole := s.best("apple", "any", "maskable")
	if app == nil {
		return
	}
	background := s.Background
	if background.A == 0 {
		background = white
	}
	short := s.ShortName
	if short == "" {
		short = s.Name
	}
	cutName := short
	if r := []rune(short); len(r) > LabelLength {
		cutName = string(r[:LabelLength]) + "…"
	}
	// Home screens: Android's and the iPhone's, on a dark and a light ground.
	for i, where := range []struct {
		title      string
		ground     color.NRGBA
		text       color.NRGBA
		appleStyle bool
	}{{"home screen, Android", color.NRGBA{0x2d, 0x45, 0x50, 0xff}, white, false}, {"home screen, iPhone",
		color.NRGBA{0xc9, 0xd6, 0xd8, 0xff}, ink, true}} {
		x := margin + i*190
		frame := rounded(float64(x), float64(y), 170, 200, 18)
		c.solid(frame, where.ground)
		ix, iy, n := x+49, y+44, 72
		switch {
		case where.appleStyle:
			c.solid(rounded(float64(ix), float64(iy), float64(n), float64(n), 16), blackOr(appleRole))
			c.masked(apple, ix, iy, n, rounded(float64(ix), float64(iy), float64(n), float64(n), 16))
		case role == "maskable":
			c.masked(app, ix, iy, n, circle(float64(ix)+36, float64(iy)+36, 36))
		default:
			c.solid(circle(float64(ix)+36, float64(iy)+36, 36), white)
			c.picture(app, ix+12, iy+12, 48)
		}
		c.write(cutName, x+85, iy+n+22, label, where.text, 1, 0)
		c.write(where.title, x+85, y+222, small, soft, 1, 0)
		if cutName != short {
			c.write("“"+short+"” is cut off", x+85, y+240, small, warning, 1, 200)
		}
	}
	// The splash screen.
	x := margin + 2*190 + 10
	c.solid(rounded(float64(x), float64(y), 150, 290, 18), hair)
	c.solid(rounded(float64(x)+4, float64(y)+4, 142, 282, 15), background)
	if s.Theme.A > 0 {
		c.solid(rounded(float64(x)+4, float64(y)+4, 142, 22, 11), s.Theme)
		c.fill(image.Rect(x+4, y+14, x+146, y+26), s.Theme)
	}
	c.picture(plainIcon, x+39, y+92, 72)
	for i, line := range twoLines(s.Name, plain, 128) {
		c.write(line, x+75, y+240+i*18, plain, readable(background), 1, 128)
	}
	c.write("splash screen", x+75, y+312, small, soft, 1, 0)
	// The prompt that asks to install.
	x += 180
	c.solid(rounded(float64(x), float64(y), 300, 120, 12), hair)
	c.solid(rounded(float64(x)+1, float64(y)+1, 298, 118, 11), white)
	c.picture(plainIcon, x+18, y+18, 44)
	c.write(s.Name, x+76, y+36, label, ink, 0, 208)
	c.write(s.Host, x+76, y+56, small, soft, 0, 208)
	c.solid(rounded(float64(x)+196, float64(y)+78, 86, 28, 14), color.NRGBA{0x3a, 0x5a, 0x66, 0xff})
	c.write("Install", x+239, y+97, label, white, 1, 0)
	c.write("Not now", x+150, y+97, label, soft, 1, 0)
	c.write("install prompt", x+150, y+142, small, soft, 1, 0)
	// The window on a desktop.
	wy := y + 168
	theme := s.Theme
	if theme.A == 0 {
		theme = color.NRGBA{0xe4, 0xe2, 0xdc, 0xff}
	}
	c.solid(rounded(float64(x), float64(wy), 300, 122, 10), hair)
	c.solid(rounded(float64(x)+1, float64(wy)+1, 298, 120, 9), white)
	c.solid(rounded(float64(x)+1, float64(wy)+1, 298, 32, 9), theme)
	c.fill(image.Rect(x+1, wy+20, x+299, wy+33), theme)
	c.picture(plainIcon, x+12, wy+9, 16)
	c.write(s.Name, x+36, wy+22, plain, readable(theme), 0, 200)
	for i := range 3 {
		c.solid(circle(float64(x)+282-float64(i)*18, float64(wy)+17, 5), faded(readable(theme)))
	}
	for i := range 3 {
		c.solid(rounded(float64(x)+16, float64(wy)+50+float64(i)*20, 180+float64(i*31), 9, 4),
			color.NRGBA{0xec, 0xe9, 0xe2, 0xff})
	}
	c.write("window on a desktop", x+150, wy+144, small, soft, 1, 0)
	// The entry in the list of open apps.
	x += 330
	c.solid(rounded(float64(x), float64(y), 180, 290, 16), hair)
	c.solid(rounded(float64(x)+1, float64(y)+1, 178, 288, 15), white)
	c.solid(rounded(float64(x)+1, float64(y)+1, 178, 44, 15), theme)
	c.fill(image.Rect(x+1, y+24, x+179, y+45), theme)
	c.picture(plainIcon, x+12, y+12, 22)
	c.write(short, x+44, y+28, label, readable(theme), 0, 124)
	for i := range 6 {
		c.solid(rounded(float64(x)+16, float64(y)+64+float64(i)*34, float64(148-(i*37)%60), 12, 5),
			color.NRGBA{0xec, 0xe9, 0xe2, 0xff})
	}
	c.write("task switcher", x+90, y+312, small, soft, 1, 0)
}

// twoLines breaks a text that is too wide for one line at a space.
func twoLines(text string, s textStyle, most int) []string {
	if width(text, s) <= most {
		return []string{text}
	}
	words := strings.Fields(text)
	n := 1
	for n < len(words) && width(strings.Join(words[:n+1], " "), s) <= most {
		n++
	}
	return []string{strings.Join(words[:n], " "), strings.Join(words[n:], " ")}
}

// blackOr is the ground that an iPhone lays under transparent icons.
func blackOr(role string) color.NRGBA {
	if role == "apple" {
		return color.NRGBA{0, 0, 0, 255}
	}
	return color.NRGBA{0x10, 0x10, 0x10, 255}
}

// readable is black or white, whichever stands out more on a ground (WCAG 2, relative luminance).
func readable(ground color.NRGBA) color.NRGBA {
	l := 0.2126*toLinear[ground.R] + 0.7152*toLinear[ground.G] + 0.0722*toLinear[ground.B]
	if l > 0.18 {
		return ink
	}
	return white
}

func faded(c color.NRGBA) color.NRGBA {
	c.A = 0x70
	return c
}

// PNG draws the sheet and encodes it.
func (s *Sheet) PNG() ([]byte, error) {
	var b bytes.Buffer
	err := png.Encode(&b, s.Draw())
	return b.Bytes(), err
}
