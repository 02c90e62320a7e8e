package icon

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"hash/crc32"
	"image"
	"image/png"
)

// trueColour writes a picture as a PNG of eight bits a channel (PNG, third edition), with the filters that give the
// fewest bytes: those of drawings with few tones compress best unfiltered, photos with a filter of each row's own.
func trueColour(m *image.NRGBA, opaque bool) ([]byte, error) {
	channels := 4
	if opaque {
		channels = 3
	}
	w, h := m.Rect.Dx(), m.Rect.Dy()
	rows := make([][]byte, h)
	for y := range h {
		src := m.Pix[y*m.Stride:]
		row := make([]byte, 0, channels*w)
		for x := range w {
			p := src[4*x : 4*x+4]
			if channels == 4 && p[3] == 0 {
				row = append(row, 0, 0, 0, 0) // what nobody sees costs least as nothing
				continue
			}
			row = append(row, p[:channels]...)
		}
		rows[y] = row
	}
	// Which way of filtering is best a quick look tells; only that one is compressed with all effort.
	var best []byte
	least := -1
	for _, choose := range []func(dst, prev, row []byte) []byte{
		func(dst, _, row []byte) []byte { return append(append(dst, 0), row...) },
		func(dst, prev, row []byte) []byte { return filtered(dst, 2, channels, prev, row) },
		func(dst, prev, row []byte) []byte { return leastFilter(dst, channels, prev, row) },
	} {
		text := make([]byte, 0, h*(channels*w+1))
		prev := make([]byte, channels*w)
		for _, row := range rows {
			text = choose(text, prev, row)
			prev = row
		}
		n, err := deflated(text, zlib.BestSpeed)
		if err != nil {
			return nil, err
		}
		if least < 0 || n.Len() < least {
			least, best = n.Len(), text
		}
	}
	packed, err := deflated(best, zlib.BestCompression)
	if err != nil {
		return nil, err
	}
	head := make([]byte, 13)
	binary.BigEndian.PutUint32(head, uint32(w))
	binary.BigEndian.PutUint32(head[4:], uint32(h))
	head[8], head[9] = 8, 6
	if opaque {
		head[9] = 2
	}
	return pngFile(head, packed.Bytes()), nil
}

func pngChunk(out *bytes.Buffer, kind string, data []byte) {
	body := append([]byte(kind), data...)
	_ = binary.Write(out, binary.BigEndian, uint32(len(data)))
	out.Write(body)
	_ = binary.Write(out, binary.BigEndian, crc32.ChecksumIEEE(body))
}

func deflated(text []byte, level int) (*bytes.Buffer, error) {
	var packed bytes.Buffer
	z, err := zlib.NewWriterLevel(&packed, level)
	if err != nil {
		return nil, err
	}
	if _, err := z.Write(text); err != nil {
		return nil, err
	}
	return &packed, z.Close()
}

// filtered appends a row with a filter type before it (PNG, 9.2).
func filtered(dst []byte, kind, channels int, prev, row []byte) []byte {
	dst = append(dst, byte(kind))
	for i, v := range row {
		var a, c byte
		if i >= channels {
			a, c = row[i-channels], prev[i-channels]
		}
		b := prev[i]
		switch kind {
		case 1:
			v -= a
		case 2:
			v -= b
		case 3:
			v -= byte((int(a) + int(b)) / 2)
		case 4:
			v -= paeth(a, b, c)
		}
		dst = append(dst, v)
	}
	return dst
}

func paeth(a, b, c byte) byte {
	p := int(a) + int(b) - int(c)
	d := func(x byte) int { return max(p-int(x), int(x)-p) }
	switch {
	case d(a) <= d(b) && d(a) <= d(c):
		return a
	case d(b) <= d(c):
		return b
	}
	return c
}

// leastFilter appends a row with the filter whose differences are smallest in sum, which mostly compress best (PNG,
// 12.7).
func leastFilter(dst []byte, channels int, prev, row []byte) []byte {
	best, least := 0, -1
	start := len(dst)
	for kind := range 5 {
		dst = filtered(dst[:start], kind, channels, prev, row)
		sum := 0
		for _, v := range dst[start+1:] {
			sum += int(min(v, -v))
		}
		if least < 0 || sum < least {
			least, best = sum, kind
		}
	}
	return filtered(dst[:start], best, channels, prev, row)
}

// encodePNG writes the smallest of the lossless forms: a palette where the colours fit one, else true colour.
func encodePNG(m *image.NRGBA) ([]byte, error) {
	if p := paletted(m); p != nil {
		var b bytes.Buffer
		enc := png.Encoder{CompressionLevel: png.BestCompression}
		err := enc.Encode(&b, p)
		return b.Bytes(), err
	}
	return trueColour(m, m.Opaque())
}
