// Command draw makes the example's pictures of islands, the same bytes on each run: go run ./examples/skerry-line/draw
package main

import (
	"image"
	"image/color"
	"image/png"
	"math"
	"os"
	"path/filepath"
)

// view is one picture: a sky, a sea and the outline of an island.
type view struct {
	name           string
	high, low, sea color.NRGBA
	land           color.NRGBA
	peaks          []float64 // position, height, width, each as part of the picture's width
	beacon, clouds float64
}

var views = []view{
	{"skerra", color.NRGBA{96, 150, 186, 255}, color.NRGBA{238, 226, 204, 255}, color.NRGBA{28, 92, 116, 255},
		color.NRGBA{62, 84, 66, 255}, []float64{.35, .22, .2, .62, .14, .25, .2, .08, .1}, .72, .5},
	{"calder", color.NRGBA{222, 152, 110, 255}, color.NRGBA{250, 222, 180, 255}, color.NRGBA{62, 84, 110, 255},
		color.NRGBA{48, 52, 66, 255}, []float64{.5, .3, .14, .4, .12, .3, .8, .06, .1}, 0, .3},
	{"inch-orrin", color.NRGBA{120, 170, 190, 255}, color.NRGBA{222, 236, 236, 255}, color.NRGBA{40, 120, 124, 255},
		color.NRGBA{96, 112, 72, 255}, []float64{.3, .06, .3, .7, .09, .24}, .22, .8},
}

func mix(a, b color.NRGBA, t float64) color.NRGBA {
	f := func(x, y uint8) uint8 { return uint8(float64(x) + (float64(y)-float64(x))*t) }
	return color.NRGBA{f(a.R, b.R), f(a.G, b.G), f(a.B, b.B), 255}
}

func draw(v view, w, h int) image.Image {
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	horizon := 0.62
	for y := range h {
		for x := range w {
			fx, fy := float64(x)/float64(w), float64(y)/float64(h)
			c := mix(v.high, v.low, math.Min(fy/horizon, 1))
			cloud := math.Sin(fx*9+v.clouds*7)*math.Sin(fx*3.1+fy*14) + math.Sin(fx*17+fy*31+v.clouds)
			if fy < horizon && cloud > 1.1 {
				c = mix(c, color.NRGBA{255, 252, 246, 255}, math.Min((cloud-1.1)*v.clouds, .6))
			}
			ridge := 0.0
			for i := 0; i+2 < len(v.peaks); i += 3 {
				d := (fx - v.peaks[i]) / v.peaks[i+2]
				ridge = math.Max(ridge, v.peaks[i+1]*math.Exp(-d*d*2)*(1+.06*math.Sin(fx*70+v.peaks[i]*9)))
			}
			if ridge > .012 && fy < horizon && fy > horizon-ridge {
				c = mix(v.land, v.low, .25*(horizon-fy)/.3+.04*math.Sin(fx*110+fy*60))
			}
			if v.beacon > 0 && math.Abs(fx-v.beacon) < .006 && fy < horizon && fy > horizon-.2 {
				c = color.NRGBA{246, 242, 234, 255}
				if math.Mod(fy*40, 2) < 1 {
					c = color.NRGBA{186, 62, 50, 255}
				}
			}
			if fy >= horizon {
				depth := (fy - horizon) / (1 - horizon)
				wave := math.Sin((fx*40+math.Sin(fy*90)*1.5)*(1.4-depth)) * math.Sin(fy*240*(1.2-depth))
				c = mix(mix(v.low, v.sea, .45+.55*depth), color.NRGBA{255, 255, 255, 255}, math.Max(0, wave-.7)*.5)
			}
			img.SetNRGBA(x, y, c)
		}
	}
	return img
}

func main() {
	for _, v := range views {
		f, err := os.Create(filepath.Join("examples", "skerry-line", "plain", "site", "pictures", v.name+".png"))
		if err != nil {
			panic(err)
		}
		enc := png.Encoder{CompressionLevel: png.BestCompression}
		if err := enc.Encode(f, draw(v, 480, 270)); err != nil {
			panic(err)
		}
		if err := f.Close(); err != nil {
			panic(err)
		}
	}
}
