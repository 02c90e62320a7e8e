package icon

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
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

// masters are pictures of different kinds: the example's mark, a clear square frame that reaches into the corners, a
// photo.
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
		require.GreaterOrEqual(t, len(set), 6)
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

// Scaling happens in linear light: a fine chessboard of black and white becomes the grey that is half as bright, not
// half the number.
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
		"deep.svg":   {"<svg viewBox='0 0 9 9'>" + strings.Repeat("<g>", 60000) + "</svg>", "more than 400"},
		"many.svg":   {"<svg viewBox='0 0 9 9'>" + strings.Repeat("<g/>", 60000) + "</svg>", "50 000"},
		"faded.svg": {"<svg viewBox='0 0 9 9'>" + strings.Repeat("\n<g opacity='.9'>", 40) + "<rect width='5' height='5'/>" +
			strings.Repeat("</g>", 40) + "</svg>", "faded.svg:26"},
		"rules.svg": {"<svg viewBox='0 0 9 9'><style>" + strings.Repeat("a,", 30000) + "b{fill:red}</style>" +
			strings.Repeat("<rect/>", 3000) + "</svg>", "selectors"},
		"html.svg":  {"<?xml version='1.0'?><html/>", "no SVG"},
		"cross.svg": {"<svg viewBox='0 0 9 9'><g></svg></g>", "closes nothing"},
		"cycle.svg": {"<svg viewBox='0 0 9 9'>\n<g id='a'><use href='#a'/></g></svg>", "in a circle"},
		"bomb.svg":  {"<svg viewBox='0 0 9 9'><g id='a0'><path d='M0 0'/></g>" + bomb() + "</svg>", "50 000"},
		"box.svg": {"<svg viewBox='0 0 9 9'>\n<clipPath id='a' clipPathUnits='objectBoundingBox'/><path " +
			"clip-path='url(#a)' d='M0 0'/></svg>", "box.svg:2"},
		"basic.svg": {"<svg viewBox='0 0 9 9'><path style='clip-path: circle(3px)' d='M0 0'/></svg>", "circle(3px)"},
		"gone.svg":  {"<svg viewBox='0 0 9 9'>\n<use href='#none'/></svg>", "gone.svg:2"},
		"other.svg": {"<svg viewBox='0 0 9 9'><use href='icons.svg#a'/></svg>", "another file"},
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
		`<style>rect { fill: #0f0 }</style>` + rect +
			` fill="#f00"/>`: {0, 255, 0, 255},
		`<style>.b { fill: #00f } rect { fill: #0f0 } @media print { .b { fill: #f00 } }</style>` + rect +
			` class="a b"/>`: {0, 0, 255, 255},
		`<style><![CDATA[g > #x, circle { fill: #0f0; }]]></style><g>` + rect +
			` id="x"/></g>`: {0, 255, 0, 255},
		`<style>rect { fill: #0f0 }</style>` + rect +
			` style="fill:#00f"/>`: {0, 0, 255, 255},
		`<defs>` + rect +
			` id="r" fill="#f00"/></defs><use href="#r"/>`: {255, 0, 0, 255},
		`<symbol id="s">` + rect +
			` fill="#0f0"/></symbol><use xlink:href="#s" x="-1" y="-1"/>`: {0, 255, 0, 255},
		`<g id="one"><rect width="4" height="8" fill="#00f"/></g><use href="#one" x="4" transform="translate(0,0)"/>`: {0, 0,
			255, 255},
		`<clipPath id="c"><rect x="4" width="4" height="8"/></clipPath>` + rect +
			` fill="#f00" clip-path="url(#c)"/>`: {255, 0, 0, 255},
		`<clipPath id="c"><rect width="4" height="8"/></clipPath><g style="clip-path:url(#c)">` + rect +
			`/></g>`: {},
		`<clipPath id="c"><rect width="4" height="8"/></clipPath><g transform="translate(4 0)" clip-path="url(#c)"><rect x="-4" width="8" height="8" fill="#0f0"/></g>`: {0, 255, 0, 255},
		`<clipPath id="c"><path clip-rule="evenodd" d="M0 0h8v8h-8zM2 2h5v5h-5z"/></clipPath><style>.k{clip-path:url(#c)}</style>` + rect + ` class="k"/>`:              {},
		`<path fill-rule="evenodd" d="M0 0h8v8h-8zM2 2h5v5h-5z"/>`:                                                                {},
		`<g fill-rule="evenodd"><path d="M0 0h8v8h-8z"/><path fill="#00f" fill-rule="nonzero" d="M0 0h8v8h-8zM2 2h5v5h-5z"/></g>`: {0, 0, 255, 255},
		`<g opacity=".5"><rect width="8" height="8"/>` + rect +
			` fill="#f00"/></g>`: {255, 0, 0, 128},
		`<linearGradient id="l"><stop stop-color="#0f0"/></linearGradient><g opacity="1" fill-rule="evenodd">` + rect +
			` fill="url(#l)"/></g>`: {0, 255, 0, 255},
		`<style>.u rect { fill: #0f0 }</style><defs>` + rect + ` id="r"/></defs><use href="#r" class="u"/>`: {0, 255, 0, 255},
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

// A picture that would hardly be seen on white stands on the backdrop, unless that is not wanted; other masters serve
// where they are named.
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
	assert.Equal(t, 6, n)
	_, edge, _ = corner(Recipe{Master: m, Backdrop: blue, Ground: "clear"}, "any-192.png")
	assert.Zero(t, edge.A)
	_, edge, _ = corner(Recipe{Master: m, Backdrop: color.NRGBA{255, 255, 255, 255}}, "any-192.png")
	assert.Zero(t, edge.A, "white on white would help nobody")
	c, _, _ = corner(Recipe{Master: dark, Backdrop: blue}, "any-192.png")
	assert.Equal(t, color.NRGBA{200, 40, 40, 255}, c, "it can be seen, so it stays as it is")
	c, _, n = corner(Recipe{Master: m, Monochrome: dark, Maskable: dark, Small: dark, Backdrop: blue},
		"monochrome-512.png")
	assert.Equal(t, color.NRGBA{200, 40, 40, 255}, c)
	assert.Equal(t, 7, n)
}

// Pictures from cameras stand upright, whichever way they lie in the file.
func TestOrientation(t *testing.T) {
	base := image.NewNRGBA(image.Rect(0, 0, 2, 1))
	base.Pix[3], base.Pix[7] = 10, 20
	for o, want := range map[int]string{1: "2x1 10 20", 2: "2x1 20 10", 3: "2x1 20 10", 4: "2x1 10 20", 5: "1x2 10 20",
		6: "1x2 10 20", 7: "1x2 20 10", 8: "1x2 20 10"} {
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
	s := &Sheet{Name: "Skerry Line sailings and tides of all the isles", ShortName: "Skerry Line ferries",
		Host: "line.example", Theme: color.NRGBA{11, 79, 108, 255}}
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

// profileWith is a colour profile of three primaries, under D50, and one curve for all.
func profileWith(primaries [3][3]float64, curve []byte) []byte {
	p := make([]byte, 128)
	copy(p[16:], "RGB XYZ ")
	type tag struct {
		name string
		data []byte
	}
	var tags []tag
	for i, n := range []string{"r", "g", "b"} {
		xyz := append([]byte("XYZ "), 0, 0, 0, 0)
		for _, v := range primaries[i] {
			xyz = binary.BigEndian.AppendUint32(xyz, uint32(int32(v*65536)))
		}
		tags = append(tags, tag{n + "XYZ", xyz}, tag{n + "TRC", curve})
	}
	p = binary.BigEndian.AppendUint32(p, uint32(len(tags)))
	at := len(p) + 12*len(tags)
	for _, t := range tags {
		p = append(p, t.name...)
		p = binary.BigEndian.AppendUint32(p, uint32(at))
		p = binary.BigEndian.AppendUint32(p, uint32(len(t.data)))
		at += len(t.data)
	}
	for _, t := range tags {
		p = append(p, t.data...)
	}
	return p
}

// Colours of a wider profile come out as they look, in sRGB; what cannot be understood is refused and never guessed.
func TestProfile(t *testing.T) {
	curve := append([]byte("para"), 0, 0, 0, 0, 0, 3, 0, 0)
	for _, v := range []float64{2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045} {
		curve = binary.BigEndian.AppendUint32(curve, uint32(int32(v*65536)))
	}
	// Display P3
	wide := profileWith([3][3]float64{{0.51512, 0.24120, -0.00105}, {0.29198, 0.69225, 0.04189},
		{0.15710, 0.06657, 0.78407}}, curve)
	usual := profileWith([3][3]float64{{0.43607, 0.22249, 0.01392}, {0.38515, 0.71687, 0.09708},
		{0.14307, 0.06061, 0.71410}}, curve)
	c, err := readProfile(usual)
	require.NoError(t, err)
	assert.Nil(t, c, "sRGB under another name")

	m := image.NewNRGBA(image.Rect(0, 0, 512, 512))
	for i := 0; i < len(m.Pix); i += 4 {
		copy(m.Pix[i:], []byte{180, 90, 60, 255})
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	var packed bytes.Buffer
	z := zlib.NewWriter(&packed)
	z.Write(wide)
	z.Close()
	var chunk bytes.Buffer
	pngChunk(&chunk, "iCCP", append([]byte("wide\x00\x00"), packed.Bytes()...))
	file := append(append(bytes.Clone(b.Bytes()[:33]), chunk.Bytes()...), b.Bytes()[33:]...)
	assert.Equal(t, wide, profileOf(file))
	path := filepath.Join(t.TempDir(), "wide.png")
	require.NoError(t, os.WriteFile(path, file, 0o644))
	master, err := LoadMaster(path)
	require.NoError(t, err)
	p, err := master.square(64)
	require.NoError(t, err)
	// By the matrix from linear Display P3 to linear sRGB: 0.456, 0.102, 0.045 become 0.536, 0.087, 0.033.
	assert.LessOrEqual(t, apart(color.NRGBA{193, 83, 51, 255}, p.image().NRGBAAt(32, 32)), 2, p.image().NRGBAAt(32, 32))

	jpeg := append([]byte("\xff\xd8\xff\xe2"), 0, byte(16+4))
	jpeg = append(append(jpeg, "ICC_PROFILE\x00\x01\x01"...), "abcd"...)
	assert.Equal(t, "abcd", string(profileOf(jpeg)))
	webp := []byte("RIFF\x20\x00\x00\x00WEBPVP8X\x02\x00\x00\x00abICCP\x03\x00\x00\x00xyz\x00")
	assert.Equal(t, "xyz", string(profileOf(webp)))
	tables := bytes.ReplaceAll(wide, []byte("rXYZ"), []byte("A2B0"))
	_, err = readProfile(tables)
	assert.ErrorContains(t, err, "tables")
	for n := range wide {
		_, _ = readProfile(wide[:n]) // nothing breaks where it is cut off
		profileOf(file[:min(n, len(file))])
	}
}

// The set is what the targets use; startup images have the exact sizes of the screens, and their media queries tell
// them apart.
func TestSetByTarget(t *testing.T) {
	m, err := LoadMaster(demoMark)
	require.NoError(t, err)
	names := func(r Recipe) string {
		list, err := Make(r)
		require.NoError(t, err)
		var b []string
		for _, i := range list {
			b = append(b, strings.TrimSuffix(i.Name, ".png"))
		}
		return strings.Join(b, " ")
	}
	white := color.NRGBA{255, 255, 255, 255}
	assert.Equal(t, "any-192 any-512 favicon.ico favicon.svg",
		names(Recipe{Master: m, Targets: []string{"chromium-desktop"}, Backdrop: white}))
	assert.Equal(t, "apple-180 favicon.ico", names(Recipe{Master: m, Targets: []string{"safari-ios"}, Ground: "filled"}))
	assert.Equal(t, "any-192 any-512 tile-44 tile-71 tile-150 tile-310 maskable-192 maskable-512 favicon.ico "+
		"favicon.svg shortcut-to-skerra-96 shortcut-to-skerra-192",
		names(Recipe{Master: m, Targets: []string{"chromium-android"}, Ground: "clear", Tiles: true,
			Shortcuts: []ShortcutMaster{{"To Skerra!", m}}}))

	list, err := MakeStartup(StartupRecipe{Recipe: Recipe{Master: m, Backdrop: color.NRGBA{11, 79, 108, 255}},
		StartGround: white, DarkGround: color.NRGBA{6, 40, 58, 255}, Dark: true})
	require.NoError(t, err)
	assert.Len(t, list, 2*len(Screens))
	seen := map[string]bool{}
	for _, s := range list {
		assert.False(t, seen[s.Media], s.Media)
		seen[s.Media] = true
		cfg, err := png.DecodeConfig(bytes.NewReader(s.Data))
		require.NoError(t, err)
		assert.Equal(t, [2]int{s.Width, s.Height}, [2]int{cfg.Width, cfg.Height}, s.Name)
	}
	img := decode(t, list[1].Data)
	at := func(x, y int) color.NRGBA { return color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA) }
	assert.Equal(t, color.NRGBA{6, 40, 58, 255}, at(3, 3))
	assert.Equal(t, color.NRGBA{6, 40, 58, 255}, at(3, 1330))
	assert.NotEqual(t, at(3, 3), at(375, 690), "the picture is in the middle")
}
