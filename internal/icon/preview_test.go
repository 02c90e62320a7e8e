package icon

import (
	"image/color"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func masterOf(t *testing.T, svg string) *Master {
	t.Helper()
	path := filepath.Join(t.TempDir(), "m.svg")
	require.NoError(t, os.WriteFile(path, []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 512 512">`+svg+`</svg>`), 0o644))
	m, err := LoadMaster(path)
	require.NoError(t, err)
	return m
}

// The leading colour of a picture is one that a person would name, not its paper or its ink.
func TestLeading(t *testing.T) {
	for svg, want := range map[string]string{
		`<rect width="512" height="512" fill="#0b4f6c"/><circle cx="256" cy="256" r="90" fill="#fff"/>`:                                                  "0b4f6c",
		`<rect width="512" height="512" fill="#fff"/><rect width="512" height="200" fill="#111"/><rect y="200" width="512" height="90" fill="#b3261e"/>`: "b3261e",
		`<circle cx="256" cy="256" r="200" fill="#888"/>`:                                                                                                "",
		`<circle cx="256" cy="256" r="20" fill="#b3261e"/>`:                                                                                              "",
		`<rect width="512" height="512" fill="#fff" opacity=".5"/>`:                                                                                      "",
	} {
		c, ok := masterOf(t, svg).Leading()
		assert.Equal(t, want != "", ok, svg)
		if ok {
			assert.Less(t, apart(c, colourOf(t, want)), 8, svg)
		}
	}
}

func colourOf(t *testing.T, hex string) color.NRGBA {
	t.Helper()
	v := func(i int) uint8 {
		n := 0
		for _, c := range hex[i : i+2] {
			n *= 16
			if c <= '9' {
				n += int(c - '0')
			} else {
				n += int(c-'a') + 10
			}
		}
		return uint8(n)
	}
	return color.NRGBA{v(0), v(2), v(4), 255}
}

// The preview lies on its ground, with the corners cut off.
func TestPreview(t *testing.T) {
	ground, behind := color.NRGBA{10, 20, 30, 255}, color.NRGBA{200, 210, 220, 255}
	p, err := masterOf(t, `<circle cx="256" cy="256" r="100" fill="#ff0000"/>`).Preview(20, ground, behind)
	require.NoError(t, err)
	assert.Equal(t, behind, p.NRGBAAt(0, 0))
	assert.Equal(t, behind, p.NRGBAAt(19, 19))
	assert.Equal(t, ground, p.NRGBAAt(10, 1))
	assert.Equal(t, color.NRGBA{255, 0, 0, 255}, p.NRGBAAt(10, 10))
}
