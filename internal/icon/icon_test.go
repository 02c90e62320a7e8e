package icon

import (
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const demoMark = "../../examples/skerry-line/plain/brand/mark.svg"

func makeSet(t *testing.T, master string) map[string]Icon {
	t.Helper()
	m, err := LoadMaster(master)
	require.NoError(t, err)
	list, err := Make(Recipe{Master: m, Backdrop: color.NRGBA{11, 79, 108, 255}})
	require.NoError(t, err)
	set := map[string]Icon{}
	for _, i := range list {
		set[i.Name] = i
	}
	return set
}

func decode(t *testing.T, data []byte) image.Image {
	t.Helper()
	m, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	return m
}

// masters are pictures of different kinds: the example's mark, a clear square frame that reaches into the corners, a photo.
func masters(t *testing.T) []string {
	dir := t.TempDir()
	frame, photo := image.NewNRGBA(image.Rect(0, 0, 600, 600)), image.NewNRGBA(image.Rect(0, 0, 700, 520))
	for y := range 600 {
		for x := range 600 {
			if min(x, y, 599-x, 599-y) < 60 {
				frame.SetNRGBA(x, y, color.NRGBA{200, 40, 40, 255})
			}
		}
	}
	for y := range 520 {
		for x := range 700 {
			photo.SetNRGBA(x, y, color.NRGBA{uint8(x / 3), uint8(y / 3), uint8(x * y / 900), 255})
		}
	}
	list := []string{demoMark}
	for i, m := range []image.Image{frame, photo} {
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, m))
		path := filepath.Join(dir, []string{"frame.png", "photo.png"}[i])
		require.NoError(t, os.WriteFile(path, b.Bytes(), 0o644))
		list = append(list, path)
	}
	return list
}

func TestSet(t *testing.T) {
	for _, master := range masters(t) {
		set := makeSet(t, master)
		require.Len(t, set, len(wanted))
		again := makeSet(t, master)
		for name, i := range set {
			assert.Equal(t, i.Data, again[name].Data, "the same bytes on each run")
			facts, err := Inspect(i.Data)
			require.NoError(t, err, name)
			assert.Equal(t, i.Size, facts.Width, name)
			assert.Equal(t, i.Size, facts.Height, name)
			assert.Equal(t, i.Type, facts.Type, name)
			if i.Purpose == "maskable" || i.Purpose == "apple" {
				assert.True(t, facts.Opaque, name)
			}
		}
	}
	// Nothing but the backdrop lies outside the safe circle of the maskable icon.
	img := decode(t, makeSet(t, demoMark)["maskable-512.png"].Data)
	inside := 0
	for y := range 512 {
		for x := range 512 {
			far := math.Hypot(float64(x)+.5-256, float64(y)+.5-256) > SafeRadius*512
			if c := color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA); apart(c, color.NRGBA{11, 79, 108, 255}) > 12 {
				require.False(t, far, "%d,%d", x, y)
				inside++
			}
		}
	}
	assert.Greater(t, inside, 512*512/10, "the content is not lost in its backdrop")
}

// Scaling happens in linear light: a fine chessboard of black and white becomes the grey that is half as bright, not half the number.
func TestLinearLight(t *testing.T) {
	m := image.NewNRGBA(image.Rect(0, 0, 512, 512))
	for i := range 512 * 512 {
		v := uint8(255 * ((i + i/512) % 2))
		copy(m.Pix[4*i:], []byte{v, v, v, 255})
	}
	c := linear(m).resize(64, 64).image().NRGBAAt(32, 32)
	assert.InDelta(t, 188, int(c.R), 2)
	// Transparent pixels lend no colour to their neighbours.
	m = image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for i := range 64 * 64 {
		copy(m.Pix[4*i:], []byte{255, 0, 0, 0})
		if i%64 >= 32 {
			copy(m.Pix[4*i:], []byte{0, 0, 255, 255})
		}
	}
	small := linear(m).resize(16, 16).image()
	for x := range 16 {
		assert.Less(t, small.NRGBAAt(x, 8).R, uint8(3))
	}
}

func TestRefusals(t *testing.T) {
	dir := t.TempDir()
	for name, c := range map[string]struct{ text, says string }{
		"empty.png":  {"", "empty"},
		"noise.png":  {"\x89PNG\r\n\x1a\nxxxxxxxxxxxxxxxxxxxxxxxx", "not a picture"},
		"open.svg":   {"<svg viewBox='0 0 9 9'><path></svg>", "not well-formed"},
		"size.svg":   {"<svg><path d='M0 0'/></svg>", "no size"},
		"filter.svg": {"<svg viewBox='0 0 9 9'>\n\n<filter/></svg>", "filter.svg:3"},
		"deep.svg":   {"<svg viewBox='0 0 9 9'>" + strings.Repeat("<g>", 60000) + "</svg>", "50 000"},
		"html.svg":   {"<?xml version='1.0'?><html/>", "no SVG"},
		"cross.svg":  {"<svg viewBox='0 0 9 9'><g></svg></g>", "closes nothing"},
		"cycle.svg":  {"<svg viewBox='0 0 9 9'>\n<g id='a'><use href='#a'/></g></svg>", "in a circle"},
		"bomb.svg":   {"<svg viewBox='0 0 9 9'><g id='a0'><path d='M0 0'/></g>" + bomb() + "</svg>", "50 000"},
		"gone.svg":   {"<svg viewBox='0 0 9 9'>\n<use href='#none'/></svg>", "gone.svg:2"},
		"other.svg":  {"<svg viewBox='0 0 9 9'><use href='icons.svg#a'/></svg>", "another file"},
	} {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, []byte(c.text), 0o644))
		_, err := LoadMaster(path)
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), c.says, name)
	}
}

// bomb is groups that each use the one before ten times.
func bomb() string {
	var b strings.Builder
	for i := 1; i <= 8; i++ {
		fmt.Fprintf(&b, "<g id='a%d'>%s</g>", i, strings.Repeat(fmt.Sprintf("<use href='#a%d'/>", i-1), 10))
	}
	return b.String()
}

// Colours of style elements and used elements are drawn as browsers draw them.
func TestSVG(t *testing.T) {
	const rect = `<rect width="8" height="8"`
	for body, want := range map[string]color.NRGBA{
		rect + ` fill="#f00"/>`: {255, 0, 0, 255},
		`<style>rect { fill: #0f0 }</style>` + rect + ` fill="#f00"/>`:                                                      {0, 255, 0, 255},
		`<style>.b { fill: #00f } rect { fill: #0f0 } @media print { .b { fill: #f00 } }</style>` + rect + ` class="a b"/>`: {0, 0, 255, 255},
		`<style><![CDATA[g > #x, circle { fill: #0f0; }]]></style><g>` + rect + ` id="x"/></g>`:                             {0, 255, 0, 255},
		`<style>rect { fill: #0f0 }</style>` + rect + ` style="fill:#00f"/>`:                                                {0, 0, 255, 255},
		`<defs>` + rect + ` id="r" fill="#f00"/></defs><use href="#r"/>`:                                                    {255, 0, 0, 255},
		`<symbol id="s">` + rect + ` fill="#0f0"/></symbol><use xlink:href="#s" x="-1" y="-1"/>`:                            {0, 255, 0, 255},
		`<g id="one"><rect width="4" height="8" fill="#00f"/></g><use href="#one" x="4" transform="translate(0,0)"/>`:       {0, 0, 255, 255},
		`<style>.u rect { fill: #0f0 }</style><defs>` + rect + ` id="r"/></defs><use href="#r" class="u"/>`:                 {0, 255, 0, 255},
	} {
		m, err := loadSVG("x.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 8 8">`+body+`</svg>`))
		require.NoError(t, err, body)
		p, err := m.square(16)
		require.NoError(t, err, body)
		assert.LessOrEqual(t, apart(want, p.image().NRGBAAt(12, 8)), 2, body)
	}
}

func FuzzSVG(f *testing.F) {
	text, err := os.ReadFile(demoMark)
	require.NoError(f, err)
	f.Add(text)
	f.Add([]byte(`<svg viewBox="0 0 1 1"><defs><path id="a"/></defs><use href="#a" x="1e99"/><circle r="-1"/></svg>`))
	f.Fuzz(func(t *testing.T, text []byte) {
		if m, err := loadSVG("x.svg", text); err == nil {
			if _, err := m.drawSVG(8, 8); err != nil && fmt.Sprint(err) == "" {
				t.Fatal("a refusal without words")
			}
		}
	})
}

// A picture that would hardly be seen on white stands on the backdrop, unless that is not wanted; other masters serve where they are named.
func TestRecipe(t *testing.T) {
	m, err := LoadMaster(demoMark)
	require.NoError(t, err)
	dark, err := LoadMaster(masters(t)[1])
	require.NoError(t, err)
	blue := color.NRGBA{11, 79, 108, 255}
	corner := func(r Recipe, name string) (corner, edge color.NRGBA, n int) {
		list, err := Make(r)
		require.NoError(t, err)
		for _, i := range list {
			if i.Name == name {
				img := decode(t, i.Data)
				corner = color.NRGBAModel.Convert(img.At(0, 0)).(color.NRGBA)
				edge = color.NRGBAModel.Convert(img.At(i.Size/2, 2)).(color.NRGBA)
			}
		}
		return corner, edge, len(list)
	}
	c, edge, n := corner(Recipe{Master: m, Backdrop: blue}, "any-192.png")
	assert.Zero(t, c.A, "round corners")
	assert.Equal(t, blue, edge)
	assert.Equal(t, len(wanted), n)
	_, edge, _ = corner(Recipe{Master: m, Backdrop: blue, Ground: "clear"}, "any-192.png")
	assert.Zero(t, edge.A)
	_, edge, _ = corner(Recipe{Master: m, Backdrop: color.NRGBA{255, 255, 255, 255}}, "any-192.png")
	assert.Zero(t, edge.A, "white on white would help nobody")
	c, _, _ = corner(Recipe{Master: dark, Backdrop: blue}, "any-192.png")
	assert.Equal(t, color.NRGBA{200, 40, 40, 255}, c, "it can be seen, so it stays as it is")
	c, _, n = corner(Recipe{Master: m, Monochrome: dark, Maskable: dark, Small: dark, Backdrop: blue}, "monochrome-512.png")
	assert.Equal(t, color.NRGBA{200, 40, 40, 255}, c)
	assert.Equal(t, len(wanted)+1, n)
}

// Pictures from cameras stand upright, whichever way they lie in the file.
func TestOrientation(t *testing.T) {
	base := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	base.Pix[3], base.Pix[7] = 10, 20
	for o, want := range map[int]string{1: "2x1 10 20", 2: "2x1 20 10", 3: "2x1 20 10", 4: "2x1 10 20", 5: "1x2 10 20", 6: "1x2 10 20", 7: "1x2 20 10", 8: "1x2 20 10"} {
		m := upright(base, o)
		assert.Equal(t, want, fmt.Sprintf("%dx%d %d %d", m.Rect.Dx(), m.Rect.Dy(), m.Pix[3], m.Pix[7]), o)
	}
	exif := func(order string, o byte) []byte {
		if order == "MM" {
			return []byte("\xff\xd8\xff\xe0\x00\x04ab\xff\xe1\x00\x22Exif\x00\x00MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01\x00" + string(o) + "\x00\x00\x00\x00\x00\x00")
		}
		return []byte("\xff\xd8\xff\xe1\x00\x22Exif\x00\x00II\x2a\x00\x08\x00\x00\x00\x01\x00\x12\x01\x03\x00\x01\x00\x00\x00" + string(o) + "\x00\x00\x00\x00\x00\x00\x00")
	}
	assert.Equal(t, 6, orientation(exif("MM", 6)))
	assert.Equal(t, 8, orientation(exif("II", 8)))
	assert.Equal(t, 1, orientation(exif("II", 9)))
	for n := range exif("MM", 6) {
		orientation(exif("MM", 6)[:n]) // nothing breaks where the file is cut off
	}
}

// A sheet shows what there is, the same each time.
func TestSheet(t *testing.T) {
	set := makeSet(t, demoMark)
	s := &Sheet{Name: "Skerry Line sailings and tides of all the isles", ShortName: "Skerry Line ferries", Host: "line.example", Theme: color.NRGBA{11, 79, 108, 255}}
	for _, name := range []string{"any-512.png", "maskable-512.png", "apple-180.png", "favicon.ico"} {
		m, err := Decode(set[name].Data)
		require.NoError(t, err)
		s.Icons = append(s.Icons, SheetIcon{name, set[name].Purpose, m})
	}
	one, err := s.PNG()
	require.NoError(t, err)
	two, err := s.PNG()
	require.NoError(t, err)
	assert.Equal(t, one, two)
	for _, icons := range [][]SheetIcon{nil, s.Icons[:1], s.Icons[3:]} {
		assert.NotPanics(t, func() { (&Sheet{Name: "x", Icons: icons}).Draw() })
	}
	svg, err := os.ReadFile(demoMark)
	require.NoError(t, err)
	m, err := Decode(svg)
	require.NoError(t, err)
	assert.Equal(t, MinMaster, m.Bounds().Dx())
	_, err = Decode([]byte("\x00\x00\x01\x00\x01\x00"))
	assert.Error(t, err)
}
