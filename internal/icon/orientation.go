package icon

import (
	"bytes"
	"encoding/binary"
	"image"
)

// orientation reads how a JPEG's picture lies, from its Exif data: 1 to 8 as the Exif standard has it, 1 when nothing
// is said.
func orientation(data []byte) int {
	if !bytes.HasPrefix(data, []byte{0xff, 0xd8}) {
		return 1
	}
	for at := 2; at+4 <= len(data) && data[at] == 0xff; {
		marker, size := data[at+1], int(binary.BigEndian.Uint16(data[at+2:]))
		if marker == 0xda || size < 2 || at+2+size > len(data) {
			break
		}
		if segment := data[at+4 : at+2+size]; marker == 0xe1 && bytes.HasPrefix(segment, []byte("Exif\x00\x00")) {
			return exifOrientation(segment[6:])
		}
		at += 2 + size
	}
	return 1
}

func exifOrientation(tiff []byte) int {
	var order binary.ByteOrder = binary.LittleEndian
	switch {
	case len(tiff) < 8:
		return 1
	case bytes.HasPrefix(tiff, []byte("MM")):
		order = binary.BigEndian
	}
	first := int(order.Uint32(tiff[4:]))
	if first < 8 || first+2 > len(tiff) {
		return 1
	}
	for i := range int(order.Uint16(tiff[first:])) {
		entry := first + 2 + 12*i
		if entry+12 > len(tiff) {
			break
		}
		if order.Uint16(tiff[entry:]) == 0x0112 {
			if o := int(order.Uint16(tiff[entry+8:])); o >= 1 && o <= 8 {
				return o
			}
		}
	}
	return 1
}

// upright turns and mirrors a picture that lies in one of the eight ways so that it stands.
func upright(m *image.NRGBA, o int) *image.NRGBA {
	if o == 1 {
		return m
	}
	w, h := m.Rect.Dx(), m.Rect.Dy()
	tw, th := w, h
	if o >= 5 {
		tw, th = h, w
	}
	out := image.NewNRGBA(image.Rect(0, 0, tw, th))
	for y := range h {
		for x := range w {
			tx, ty := x, y
			switch o {
			case 2:
				tx = w - 1 - x
			case 3:
				tx, ty = w-1-x, h-1-y
			case 4:
				ty = h - 1 - y
			case 5:
				tx, ty = y, x
			case 6:
				tx, ty = h-1-y, x
			case 7:
				tx, ty = h-1-y, w-1-x
			case 8:
				tx, ty = y, w-1-x
			}
			copy(out.Pix[out.PixOffset(tx, ty):][:4], m.Pix[m.PixOffset(m.Rect.Min.X+x, m.Rect.Min.Y+y):][:4])
		}
	}
	return out
}
