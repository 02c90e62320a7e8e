package page

import (
	"context"
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
)

// mediaQueries are those that a real Chromium was asked, on a window of 1280 by 720 or whatever it has.
var mediaQueries = strings.Split(strings.TrimSpace(`
all
screen
SCREEN
print
speech
tv
not all
not print
not screen
only screen
only print
only all and (width)
not
only
and
or
layer
not (width)
not (unknown)
only (width)
screen and (min-width: 600px)
screen and (min-width:600px) and (max-width:900px)
screen and (min-width: 600px) or (max-width: 900px)
screen and not (hover: none)
screen and (not (hover: none))
screen and ((min-width: 9000px) or (hover))
not screen and (min-width: 600px)
not print and (min-width: 600px)
not all and (min-width: 9000px)
print, screen
print, (min-width: 600px)
print, nonsense(
screen,
,
(min-width: 600px)
(min-width:600px)
( min-width : 600px )
(min-width: 37.5em)
(min-width: 9000px)
(max-width: 40rem)
(min-width: 600)
(min-width: 0)
(min-width: -1px)
(max-width: -1px)
(min-width: 50vw)
(max-width: 100vw)
(min-width: 101vw)
(min-width: 10cm)
(min-width: 10in)
(max-width: 72pt)
(min-width: calc(1px + 10px))
(width >= 600px)
(width>=600px)
(width > = 600px)
(600px <= width)
(600px <= width <= 2000px)
(600px < width < 700px)
(600px <= width >= 700px)
(2000px > width > 100px)
(width = 600px)
(600px = width)
(width => 600px)
(hover > 1)
(min-width >= 600px)
(600px <= min-width)
(width)
(height)
(min-width)
(color)
(monochrome)
(color-index)
(min-color: 8)
(color: 8)
(color >= 4)
(max-monochrome: 0)
(monochrome: 0)
(grid)
(grid: 0)
(grid: 1)
(orientation: landscape)
(orientation: portrait)
(orientation)
(orientation: sideways)
(aspect-ratio > 1)
(min-aspect-ratio: 1/1)
(min-aspect-ratio: 16/1)
(max-aspect-ratio: 16 / 1)
(aspect-ratio: 0/1)
(max-aspect-ratio: 1/0)
(min-aspect-ratio: 1)
(min-aspect-ratio: 1.2)
(device-width > 10px)
(min-device-width: 100px)
(min-device-aspect-ratio: 1/100)
(resolution)
(resolution: 1dppx)
(resolution: 1x)
(resolution: 96dpi)
(min-resolution: 192dpi)
(max-resolution: 1.5dppx)
(min-resolution: 30dpcm)
(min-resolution: 2)
(-webkit-min-device-pixel-ratio: 1.5)
(-webkit-max-device-pixel-ratio: 1.5)
(-webkit-device-pixel-ratio: 1)
(min--webkit-device-pixel-ratio: 1)
(-webkit-transform-3d)
(hover)
(hover: hover)
(hover: none)
(any-hover)
(pointer)
(pointer: fine)
(pointer: coarse)
(pointer: none)
(any-pointer: fine)
(update)
(update: fast)
(overflow-block: scroll)
(overflow-inline)
(scan: progressive)
(color-gamut: srgb)
(color-gamut: rec2020)
(dynamic-range: standard)
(dynamic-range: high)
(video-dynamic-range: standard)
(scripting)
(scripting: enabled)
(scripting: none)
(display-mode: browser)
(display-mode: standalone)
(display-mode)
(device-posture: continuous)
(horizontal-viewport-segments: 1)
(prefers-color-scheme)
(prefers-color-scheme: light)
(prefers-color-scheme: dark)
(prefers-color-scheme: no-preference)
(prefers-reduced-motion)
(prefers-reduced-motion: reduce)
(prefers-reduced-motion: no-preference)
(prefers-contrast)
(prefers-contrast: no-preference)
(prefers-contrast: more)
(prefers-reduced-transparency: no-preference)
(prefers-reduced-data)
(prefers-reduced-data: no-preference)
(inverted-colors)
(inverted-colors: none)
(forced-colors)
(forced-colors: none)
(unknown)
(unknown: x)
not (unknown: x)
(unknown) or (width)
(unknown) and (width)
(width) or (unknown: 1)
not ((unknown) or (width))
not ((unknown) and (height < 1px))
unknown(x)
not unknown(x)
unknown(x) or (width)
((width))
((width) and (height))
((width) or (height < 1px)) and (hover)
(width) and (height) and (hover)
(width) and (height) or (hover)
(width) or (height) and (hover)
(width)and (height)
(width) and(height)
(width) and
and (width)
(not (width))
(not(width))
not not (width)
(width) (height)
screen (width)
screen and
screen and and (width)
(min-width: 600px
((width)
(min-width: 600px))
{}
()
(:)
(width:)
(: 600px)
"screen"
1
screen and (min-width: 600px) /* wide */
/**/ screen /**/ and /**/ (width)
(MIN-WIDTH: 600PX)
(Prefers-Color-Scheme: LIGHT)
(min-width: 1e2px)
(min-width: +600px)
(min-width: .5px)
(min-width: 600px;)
(min-width 600px)
(light-level: normal)
(environment-blending: opaque)
(nav-controls: back)
(navigation-controls: none)
(shape: rect)
(immersive)
`), "\n")

// askedMedia is what a real Chromium said.
type askedMedia struct {
	Width, Height, Density float64
	Matches                []bool
}

// Media queries come out as in a real Chromium: its answers are kept, and asked anew with TACHYFORM_RECORD=1.
func TestMediaQueries(t *testing.T) {
	const kept = "testdata/media.json"
	var asked askedMedia
	if os.Getenv("TACHYFORM_RECORD") != "" {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "text/html")
			_, _ = w.Write([]byte("<!doctype html><title>x</title>"))
		}))
		defer server.Close()
		c, err := chromium.Start(context.Background())
		require.NoError(t, err)
		defer c.Close()
		list, err := json.Marshal(mediaQueries)
		require.NoError(t, err)
		text, err := c.Evaluate(server.URL, "JSON.stringify({Width: innerWidth, Height: innerHeight, Density: "+
			"devicePixelRatio, Matches: "+string(list)+".map((q) => matchMedia(q).matches)})")
		require.NoError(t, err)
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(kept, []byte(text), 0o644))
	}
	text, err := os.ReadFile(kept)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &asked))
	require.Len(t, asked.Matches, len(mediaQueries), "ask again with TACHYFORM_RECORD=1")
	s := Screen{Width: asked.Width, Height: asked.Height, Density: asked.Density}
	for i, query := range mediaQueries {
		assert.Equal(t, asked.Matches[i], s.matches(query), "%q", query)
	}
}

// A phone is narrow, dense and touched.
func TestPhone(t *testing.T) {
	for query, want := range map[string]bool{
		"": true, " ": true, "(pointer: coarse)": true, "(hover: hover)": false, "(any-pointer: fine)": false,
		"(orientation: portrait)": true, "(min-resolution: 2dppx)": true,
		"(min-resolution: 3x)": false, "(-webkit-min-device-pixel-ratio: 2.625)": true, "(max-width: 412px)": true,
		"(width < 412px)": false, "(aspect-ratio: 412/915)": true, "(min-height: 100vh)": true,
	} {
		assert.Equal(t, want, Phone.matches(query), query)
	}
}

// The width that a sizes attribute names, on a window of 1280 by 800.
func TestSourceSize(t *testing.T) {
	for sizes, want := range map[string]float64{
		"": 1280, "50vw": 640, "300px": 300, "20em": 320, "0": 0, "100vh": 800, "calc(100vw - 2rem)": 1248,
		"calc((100vw - 80px) / 3)": 400, "calc(2 * 10px + 1in)": 116,
		"(min-width: 600px) 50vw, 100vw": 640, "(max-width: 600px) 50vw, 90vw": 1152, "(max-width: 600px) 50vw": 1280,
		"(min-width: 600px) and (hover) calc(50vw + 1px), 9px": 641,
		"(width >= 2000px) 1px, (width >= 1000px) 2px, 3px":    2, "print 5px, 7px": 7, "50%, 7px": 7, "-5px, 7px": 7,
		", 7px": 7, "auto, 7px": 7, "calc(1px * 2px), 7px": 7, "calc(1px / 0), 7px": 7,
		"calc(5), 7px": 7, "calc(1px + 5), 7px": 7, "calc(1px, 7px": 1280, "7px)": 1280, "5px (min-width: 1px), 7px": 7,
		"(unknown: 1) 5px, 7px": 7, "not (width < 5px) 5px, 7px": 5,
	} {
		assert.InDelta(t, want, Desktop.sourceSize(sizes), 1e-9, "%q", sizes)
	}
}

func FuzzMediaQuery(f *testing.F) {
	for _, q := range mediaQueries {
		f.Add(q)
	}
	f.Fuzz(func(t *testing.T, query string) {
		holds := Desktop.matches(query)
		if again := Desktop.matches(strings.ToUpper(query)); strings.EqualFold(strings.ToUpper(query), query) &&
			again != holds {
			t.Fatalf("%q is %v, in capitals %v", query, holds, again)
		}
		if holds && strings.TrimSpace(query) != "" && !Desktop.matches("print, "+query) &&
			!strings.ContainsAny(query, `"'\[{()}]/<`) {
			t.Fatalf("%q holds alone, and not as the second of a list", query)
		}
	})
}
