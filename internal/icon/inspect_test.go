package icon

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/color"
	"image/gif"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// tile is a picture of one colour.
func tile(w, h int, c color.NRGBA) *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, w, h))
	for i := range w * h {
		copy(m.Pix[4*i:], []byte{c.R, c.G, c.B, c.A})
	}
	return m
}

func pngOf(t *testing.T, m image.Image) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	return b.Bytes()
}

// icoOf puts PNG pictures into an icon file, in the order in which they are given.
func icoOf(pictures ...[]byte) []byte {
	out := []byte{0, 0, 1, 0, byte(len(pictures)), 0}
	offset := 6 + 16*len(pictures)
	for _, p := range pictures {
		size := byte(binary.BigEndian.Uint32(p[16:])) // 256 is written as 0
		entry := []byte{size, size, 0, 0, 1, 0, 32, 0}
		entry = binary.LittleEndian.AppendUint32(entry, uint32(len(p)))
		out = append(out, binary.LittleEndian.AppendUint32(entry, uint32(offset))...)
		offset += len(p)
	}
	for _, p := range pictures {
		out = append(out, p...)
	}
	return out
}

// avifOf is the beginning of an AVIF picture that tells its size.
func avifOf(w, h uint32) []byte {
	out := []byte("\x00\x00\x00\x1cftypavif\x00\x00\x00\x00avifmif1miaf\x00\x00\x00\x14ispe\x00\x00\x00\x00")
	return binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(out, w), h)
}

// What a picture is, whatever its name says; and why browsers could not show it.
func TestInspect(t *testing.T) {
	blue, clear := color.NRGBA{11, 79, 108, 255}, color.NRGBA{11, 79, 108, 80}
	var jpg, anim bytes.Buffer
	require.NoError(t, jpeg.Encode(&jpg, tile(30, 20, blue), nil))
	require.NoError(t, gif.Encode(&anim, tile(7, 9, blue), nil))
	huge := pngOf(t, tile(8, 8, blue))
	binary.BigEndian.PutUint32(huge[16:], 100_000)
	binary.BigEndian.PutUint32(huge[20:], 100_000)
	binary.BigEndian.PutUint32(huge[29:], crc32.ChecksumIEEE(huge[12:29]))
	whole := pngOf(t, tile(64, 64, blue))
	const svg = `xmlns="http://www.w3.org/2000/svg"`
	for name, c := range map[string]struct {
		data  []byte
		want  Facts
		fails string
	}{
		"PNG":              {whole, Facts{Type: "image/png", Width: 64, Height: 64, Opaque: true}, ""},
		"PNG, see-through": {pngOf(t, tile(5, 6, clear)), Facts{Type: "image/png", Width: 5, Height: 6}, ""},
		"JPEG":             {jpg.Bytes(), Facts{Type: "image/jpeg", Width: 30, Height: 20, Opaque: true}, ""},
		"GIF":              {anim.Bytes(), Facts{Type: "image/gif", Width: 7, Height: 9, Opaque: true}, ""},
		"AVIF":             {avifOf(300, 200), Facts{Type: "image/avif", Width: 300, Height: 200}, ""},
		"icon file": {icoOf(pngOf(t, tile(16, 16, blue)), pngOf(t, tile(48, 48, blue))),
			Facts{Type: "image/x-icon", Width: 48, Height: 48}, ""},
		"large icon file": {icoOf(pngOf(t, tile(256, 256, blue))),
			Facts{Type: "image/x-icon", Width: 256, Height: 256}, ""},
		"SVG":               {[]byte(`<svg ` + svg + `/>`), Facts{Type: "image/svg+xml", Vector: true}, ""},
		"SVG with a prefix": {[]byte(`<?xml version="1.0"?><!-- x --><s:svg xmlns:s="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"><s:use xlink:href="#a"/></s:svg>`), Facts{Type: "image/svg+xml", Vector: true}, ""},
		"SVG with an entity": {[]byte(`<!DOCTYPE svg [<!ENTITY sea "#0b4f6c">]><svg ` + svg +
			`><rect fill="&sea;"/></svg>`), Facts{Type: "image/svg+xml", Vector: true}, ""},
		"empty": {nil, Facts{}, "the file is empty"},
		"a page": {[]byte("<!doctype html><title>Not found</title>"), Facts{},
			"no picture that browsers show"},
		"PNG, cut off":       {whole[:60], Facts{}, "the file is damaged"},
		"PNG, huge":          {huge, Facts{}, "100000 by 100000 pixels, too many"},
		"AVIF without size":  {avifOf(1, 1)[:32], Facts{}, "it tells no size"},
		"AVIF of no size":    {avifOf(0, 5), Facts{}, "it has 0 by 5 pixels"},
		"icon file, cut off": {icoOf(whole)[:40], Facts{}, "the icon file is cut off"},
		"icon file, empty":   {[]byte{0, 0, 1, 0, 0, 0}, Facts{}, "the icon file is cut off"},
		"icon file, short":   {[]byte{0, 0, 1, 0}, Facts{}, "the icon file is cut off"},
		"SVG, no namespace":  {[]byte(`<svg width="5"></svg>`), Facts{}, "it lacks xmlns="},
		"SVG, a mistake":     {[]byte("<svg " + svg + ">\n<g></svg>"), Facts{}, "line 2"},
		"SVG, twice": {[]byte(`<svg ` + svg + ` width="1" width="2"/>`), Facts{},
			"has the attribute width twice"},
		"SVG, not declared": {[]byte(`<svg ` + svg + `><use xlink:href="#a"/></svg>`), Facts{},
			"uses xlink: without declaring it"},
		"SVG, a line before": {[]byte("\n<?xml version=\"1.0\"?><svg " + svg + "/>"), Facts{},
			"anything before its <?xml"},
		"SVG, an entity of HTML": {[]byte(`<svg ` + svg + `><text>a&nbsp;b</text></svg>`), Facts{}, "line 1"},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := Inspect(c.data)
			if c.fails != "" {
				require.Error(t, err)
				assert.Contains(t, err.Error(), c.fails)
				return
			}
			require.NoError(t, err)
			got.pixels = nil
			assert.Equal(t, c.want, *got)
		})
	}
}

// Of an icon file the largest picture is shown, wherever it stands.
func TestDecodeIconFile(t *testing.T) {
	blue := color.NRGBA{11, 79, 108, 255}
	small, middle, large := pngOf(t, tile(16, 16, blue)), pngOf(t, tile(48, 48, blue)), pngOf(t, tile(256, 256, blue))
	for _, order := range [][][]byte{{small, large, middle}, {large, middle, small}, {small, middle, large}} {
		m, err := Decode(icoOf(order...))
		require.NoError(t, err)
		assert.Equal(t, 256, m.Bounds().Dx())
	}
	bitmap := append([]byte("\x28\x00\x00\x00"), make([]byte, 60)...)
	_, err := Decode(icoOf(bitmap))
	require.Error(t, err)
	assert.Contains(t, err.Error(), "bitmaps")
}

// A picture that was scaled up is told from one that was drawn at its size.
func TestEnlarged(t *testing.T) {
	sharp := tile(192, 192, color.NRGBA{255, 255, 255, 255})
	for y := range 192 {
		for x := range 192 {
			if (x/24+y/24)%2 == 0 {
				sharp.Set(x, y, color.Black)
			}
		}
	}
	soft := image.NewNRGBA(sharp.Rect)
	for y := range 192 {
		for x := range 192 { // the mean of what lies around, as scaling up from a sixth makes it
			sum, n := 0, 0
			for dy := -4; dy <= 4; dy++ {
				for dx := -4; dx <= 4; dx++ {
					if p := image.Pt(x+dx, y+dy); p.In(sharp.Rect) {
						sum += int(sharp.NRGBAAt(p.X, p.Y).R)
						n++
					}
				}
			}
			soft.SetNRGBA(x, y, color.NRGBA{uint8(sum / n), uint8(sum / n), uint8(sum / n), 255})
		}
	}
	for _, c := range []struct {
		name string
		m    *image.NRGBA
		want bool
	}{{"sharp", sharp, false}, {"soft", soft, true}, {"plain", tile(192, 192, color.NRGBA{1, 2, 3, 255}), false}, {"small",
		tile(16, 16, color.NRGBA{1, 2, 3, 255}), false}} {
		f, err := Inspect(pngOf(t, c.m))
		require.NoError(t, err)
		assert.Equal(t, c.want, f.Enlarged(), c.name)
	}
}
