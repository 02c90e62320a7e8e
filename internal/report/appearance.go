package report

import (
	"fmt"
	"image"
	"image/color"
	"strings"

	"tachyform/internal/icon"
)

// Appearance is what an app looks like while it starts: its names, its colours, its icon (nil for none).
type Appearance struct {
	Name, ShortName   string
	Theme, Background color.NRGBA
	Icon              image.Image
}

// previewWidth is the width of the preview in columns.
const previewWidth = 36

// Preview draws the start of an app with blocks of colour: the bar with the name, the icon in the middle, its name below.
func Preview(a Appearance) string {
	var b strings.Builder
	cell := func(fore, back color.NRGBA, text string) string {
		return fmt.Sprintf("\x1b[38;2;%d;%d;%dm\x1b[48;2;%d;%d;%dm%s\x1b[0m", fore.R, fore.G, fore.B, back.R, back.G, back.B, text)
	}
	row := func(ground color.NRGBA, text string, centred bool) {
		text = fitTo(safe(text), previewWidth-2)
		left := 1
		if centred {
			left = (previewWidth - textWidth(text)) / 2
		}
		b.WriteString(cell(icon.Readable(ground), ground, pad(strings.Repeat(" ", left)+text, previewWidth)) + "\n")
	}
	row(a.Theme, a.Name, false)
	row(a.Background, "", false)
	size := 0
	if a.Icon != nil {
		size = a.Icon.Bounds().Dx()
	}
	at := func(x, y int) color.NRGBA { return color.NRGBAModel.Convert(a.Icon.At(x, y)).(color.NRGBA) }
	for y := 0; y+1 < size; y += 2 {
		left := (previewWidth - size) / 2
		b.WriteString(cell(a.Background, a.Background, strings.Repeat(" ", left)))
		for x := range size {
			b.WriteString(cell(at(x, y), at(x, y+1), "▀"))
		}
		b.WriteString(cell(a.Background, a.Background, strings.Repeat(" ", previewWidth-left-size)) + "\n")
	}
	row(a.Background, "", false)
	row(a.Background, a.ShortName, true)
	return b.String()
}
