package icon

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"io"
	"math"
)

// maxProfile bounds the colour profiles that are read.
const maxProfile = 4 << 20

// profileOf gives the ICC profile inside a PNG, JPEG or WebP file, nil when there is none.
func profileOf(data []byte) []byte {
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		for at := 8; at+12 <= len(data); {
			size := int(binary.BigEndian.Uint32(data[at:]))
			if size < 0 || size > len(data)-at-12 {
				return nil
			}
			body := data[at+8 : at+8+size]
			switch string(data[at+4 : at+8]) {
			case "iCCP":
				_, packed, ok := bytes.Cut(body, []byte{0})
				if !ok || len(packed) < 1 {
					return nil
				}
				z, err := zlib.NewReader(bytes.NewReader(packed[1:]))
				if err != nil {
					return nil
				}
				profile, err := io.ReadAll(io.LimitReader(z, maxProfile))
				if err != nil {
					return nil
				}
				return profile
			case "IDAT":
				return nil
			}
			at += 12 + size
		}
	case bytes.HasPrefix(data, []byte{0xff, 0xd8}):
		var profile []byte // its parts stand in order
		for at := 2; at+4 <= len(data) && data[at] == 0xff; {
			size := int(binary.BigEndian.Uint16(data[at+2:]))
			if data[at+1] == 0xda || size < 2 || at+2+size > len(data) {
				break
			}
			if part, is := bytes.CutPrefix(data[at+4:at+2+size], []byte("ICC_PROFILE\x00")); data[at+1] == 0xe2 && is &&
				len(part) > 2 {
				profile = append(profile, part[2:]...)
			}
			at += 2 + size
		}
		return profile
	case len(data) > 12 && string(data[:4]) == "RIFF" && string(data[8:12]) == "WEBP":
		for at := 12; at+8 <= len(data); {
			size := int(binary.LittleEndian.Uint32(data[at+4:]))
			if size < 0 || size > len(data)-at-8 {
				return nil
			}
			if string(data[at:at+4]) == "ICCP" {
				return data[at+8 : at+8+size]
			}
			at += 8 + size + size%2
		}
	}
	return nil
}

// colours turns the values of a picture into linear sRGB light.
type colours struct {
	curves [3][256]float64
	// matrix takes linear values of the profile to linear sRGB.
	matrix [3][3]float64
}

// fromD50 takes XYZ under the profile connection space's white, D50, to linear sRGB (ICC.1, Annex E; IEC 61966-2-1,
// adapted by Bradford).
var fromD50 = [3][3]float64{{3.1338561, -1.6168667, -0.4906146}, {-0.9787684, 1.9161415, 0.0334540},
	{0.0719453, -0.2289914, 1.4052427}}

// errTables tells of a profile that works with tables of colours.
var errTables = errors.New("its colour profile works with tables")

// readProfile reads a profile of three curves and a matrix, or of one grey curve (ICC.1:2022, 8.3). It gives nil for
// one that comes to the same as sRGB.
func readProfile(p []byte) (*colours, error) {
	if len(p) < 132 {
		return nil, fmt.Errorf("its colour profile is cut off")
	}
	tags := map[string][]byte{}
	for i := range int(binary.BigEndian.Uint32(p[128:])) {
		at := 132 + 12*i
		if i > 200 || at+12 > len(p) {
			return nil, fmt.Errorf("its colour profile is cut off")
		}
		from, size := int(binary.BigEndian.Uint32(p[at+4:])), int(binary.BigEndian.Uint32(p[at+8:]))
		if from < 0 || size < 0 || from > len(p) || size > len(p)-from {
			return nil, fmt.Errorf("its colour profile is cut off")
		}
		tags[string(p[at:at+4])] = p[from : from+size]
	}
	c := &colours{matrix: [3][3]float64{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}
	switch space := string(p[16:20]); space {
	case "GRAY":
		curve, err := curveOf(tags["kTRC"])
		if err != nil {
			return nil, err
		}
		c.curves = [3][256]float64{curve, curve, curve}
	case "RGB ":
		var columns [3][3]float64
		for i, name := range []string{"r", "g", "b"} {
			xyz := tags[name+"XYZ"]
			if len(xyz) < 20 {
				return nil, errTables
			}
			for j := range 3 {
				columns[i][j] = float64(int32(binary.BigEndian.Uint32(xyz[8+4*j:]))) / 65536
			}
			var err error
			if c.curves[i], err = curveOf(tags[name+"TRC"]); err != nil {
				return nil, err
			}
		}
		for row := range 3 {
			for col := range 3 {
				c.matrix[row][col] = 0
				for k := range 3 {
					c.matrix[row][col] += fromD50[row][k] * columns[col][k]
				}
			}
		}
	default:
		return nil, fmt.Errorf("its colours are %q, not RGB", space)
	}
	if c.isSRGB() {
		return nil, nil
	}
	return c, nil
}

// curveOf reads a tone curve: a power, a table, or one of the parametric forms (ICC.1:2022, 10.6 and 10.18).
func curveOf(tag []byte) (curve [256]float64, err error) {
	cut := fmt.Errorf("its colour profile is cut off")
	if len(tag) < 12 {
		return curve, errTables
	}
	f := func(x float64) float64 { return x }
	switch string(tag[:4]) {
	case "curv":
		n := int(binary.BigEndian.Uint32(tag[8:]))
		if n < 0 || n > (len(tag)-12)/2 {
			return curve, cut
		}
		at := func(i int) float64 { return float64(binary.BigEndian.Uint16(tag[12+2*i:])) }
		switch n {
		case 0:
		case 1:
			gamma := at(0) / 256
			f = func(x float64) float64 { return math.Pow(x, gamma) }
		default:
			f = func(x float64) float64 {
				i := min(int(x*float64(n-1)), n-2)
				part := x*float64(n-1) - float64(i)
				return (at(i)*(1-part) + at(i+1)*part) / 65535
			}
		}
	case "para":
		kind := int(binary.BigEndian.Uint16(tag[8:]))
		counts := []int{1, 3, 4, 5, 7}
		if kind >= len(counts) || len(tag) < 12+4*counts[kind] {
			return curve, cut
		}
		var v [7]float64 // g a b c d e f
		for i := range counts[kind] {
			v[i] = float64(int32(binary.BigEndian.Uint32(tag[12+4*i:]))) / 65536
		}
		g, a, b, c, d, e, low := v[0], v[1], v[2], v[3], v[4], v[5], v[6]
		power := func(x float64) float64 { return math.Pow(max(a*x+b, 0), g) }
		switch kind {
		case 0:
			f = func(x float64) float64 { return math.Pow(x, g) }
		case 1, 2:
			f = func(x float64) float64 {
				if a*x+b >= 0 {
					return power(x) + c
				}
				return c
			}
		default:
			f = func(x float64) float64 {
				if x >= d {
					return power(x) + e
				}
				return c*x + low
			}
		}
	default:
		return curve, errTables
	}
	for i := range curve {
		curve[i] = f(float64(i) / 255)
	}
	return curve, nil
}

// light gives linear sRGB for three values.
func (c *colours) light(r, g, b uint8) (out [3]float32) {
	x, y, z := c.curves[0][r], c.curves[1][g], c.curves[2][b]
	for i := range out {
		out[i] = float32(min(max(c.matrix[i][0]*x+c.matrix[i][1]*y+c.matrix[i][2]*z, 0), 1))
	}
	return out
}

// isSRGB says whether the profile comes to the same as sRGB, within one step of 255.
func (c *colours) isSRGB() bool {
	t := fromLinearTable()
	for r := 0; r < 256; r += 51 {
		for g := 0; g < 256; g += 51 {
			for b := 0; b < 256; b += 51 {
				got := c.light(uint8(r), uint8(g), uint8(b))
				for i, want := range []int{r, g, b} {
					if d := int(fromLinear(t, got[i])) - want; d > 1 || d < -1 {
						return false
					}
				}
			}
		}
	}
	return true
}

// plane gives a picture in linear light, its colours understood by the profile.
func (c *colours) plane(m *image.NRGBA) *plane {
	p := linear(m)
	b := m.Bounds()
	for y := range p.h {
		row := m.Pix[m.PixOffset(b.Min.X, b.Min.Y+y):]
		for x := range p.w {
			to := p.pix[4*(y*p.w+x):]
			for i, v := range c.light(row[4*x], row[4*x+1], row[4*x+2]) {
				to[i] = v * to[3]
			}
		}
	}
	return p
}
