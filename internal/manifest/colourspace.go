package manifest

import (
	"image/color"
	"math"
	"strings"
)

// perceptual reads lab(), lch(), oklab() and oklch() (CSS Color 4, 9) and gives sRGB from 0 to 1.
func perceptual(name string, args []string) (r, g, b float64, ok bool) {
	full := [3]float64{100, 125, 125}
	switch name {
	case "lch":
		full = [3]float64{100, 150, 1}
	case "oklab":
		full = [3]float64{1, 0.4, 0.4}
	case "oklch":
		full = [3]float64{1, 0.4, 1}
	}
	l, ok1 := channel(args[0], full[0])
	x, ok2 := channel(args[1], full[1])
	var y float64
	var ok3 bool
	if strings.HasSuffix(name, "ch") {
		var h float64
		h, ok3 = hue(args[2])
		x, y = max(0, x)*math.Cos(h*math.Pi/180), max(0, x)*math.Sin(h*math.Pi/180)
	} else {
		y, ok3 = channel(args[2], full[2])
	}
	if !ok1 || !ok2 || !ok3 {
		return 0, 0, 0, false
	}
	l = max(0, min(full[0], l))
	if strings.HasPrefix(name, "ok") {
		r, g, b = fromOklab(l, x, y)
	} else {
		r, g, b = fromLab(l, x, y)
	}
	return r, g, b, true
}

func gamma(c float64) float64 {
	a := math.Abs(c)
	if a <= 0.0031308 {
		return 12.92 * c
	}
	return math.Copysign(1.055*math.Pow(a, 1/2.4)-0.055, c)
}

func ungamma(c float64) float64 {
	a := math.Abs(c)
	if a <= 0.04045 {
		return c / 12.92
	}
	return math.Copysign(math.Pow((a+0.055)/1.055, 2.4), c)
}

func fromOklab(l, a, b float64) (float64, float64, float64) {
	cube := func(x float64) float64 { return x * x * x }
	x, y, z := cube(l+0.3963377774*a+
		0.2158037573*b), cube(l-0.1055613458*a-0.0638541728*b), cube(l-0.0894841775*a-1.2914855480*b)
	return gamma(4.0767416621*x - 3.3077115913*y + 0.2309699292*z), gamma(-1.2684380046*x +
		2.6097574011*y - 0.3413193965*z), gamma(-0.0041960863*x - 0.7034186147*y + 1.7076147010*z)
}

// fromLab converts CIE Lab with the white point D50 to sRGB.
func fromLab(l, a, b float64) (float64, float64, float64) {
	const k, e = 24389.0 / 27, 216.0 / 24389
	fy := (l + 16) / 116
	fx, fz := a/500+fy, fy-b/200
	part := func(f float64) float64 {
		if f*f*f > e {
			return f * f * f
		}
		return (116*f - 16) / k
	}
	y := l / k
	if l > k*e {
		y = fy * fy * fy
	}
	return fromXYZ50(part(fx)*0.3457/0.3585, y, part(fz)*(1-0.3457-0.3585)/0.3585)
}

func fromXYZ50(x, y, z float64) (float64, float64, float64) {
	return fromXYZ(0.9554734527042182*x-0.023098536874261423*y+0.0632593086610217*z,
		-0.028369706963208136*x+1.0099954580058226*y+0.021041398966943008*z,
		0.012314001688319899*x-0.020507696433477912*y+1.3303659366080753*z)
}

func fromXYZ(x, y, z float64) (float64, float64, float64) {
	return gamma(3.2409699419045226*x - 1.537383177570094*y - 0.4986107602930034*z),
		gamma(-0.9692436362808796*x + 1.8759675015077202*y + 0.04155505740717559*z),
		gamma(0.05563007969699366*x - 0.20397695888897652*y + 1.0569715142428786*z)
}

// predefined reads the inside of color() (CSS Color 4, 10).
func predefined(inside string) (color.NRGBA, bool) {
	args := strings.Fields(strings.ReplaceAll(inside, "/", " "))
	if len(args) < 4 || len(args) > 5 || strings.Contains(inside, ",") ||
		!slashForm(strings.TrimPrefix(strings.TrimSpace(inside), args[0]), len(args)-1) {
		return color.NRGBA{}, false
	}
	var v [3]float64
	for i := range v {
		var ok bool
		if v[i], ok = channel(args[i+1], 1); !ok {
			return color.NRGBA{}, false
		}
	}
	alpha := 1.0
	if len(args) == 5 {
		var ok bool
		if alpha, ok = channel(args[4], 1); !ok {
			return color.NRGBA{}, false
		}
	}
	var r, g, b float64
	switch args[0] {
	case "srgb":
		r, g, b = v[0], v[1], v[2]
	case "srgb-linear":
		r, g, b = gamma(v[0]), gamma(v[1]), gamma(v[2])
	case "display-p3":
		x, y, z := ungamma(v[0]), ungamma(v[1]), ungamma(v[2])
		r, g, b = fromXYZ(0.4865709486482162*x+0.26566769316909306*y+0.1982172852343625*z, 0.2289745640697488*x+
			0.6917385218365064*y+0.079286914093745*z, 0.04511338185890264*y+1.043944368900976*z)
	case "xyz", "xyz-d65":
		r, g, b = fromXYZ(v[0], v[1], v[2])
	case "xyz-d50":
		r, g, b = fromXYZ50(v[0], v[1], v[2])
	case "a98-rgb":
		linear := func(c float64) float64 { return math.Copysign(math.Pow(math.Abs(c), 563.0/256), c) }
		x, y, z := linear(v[0]), linear(v[1]), linear(v[2])
		r, g, b = fromXYZ(573536.0/994567*x+263643.0/1420810*y+187206.0/994567*z, 591459.0/1989134*x+6239551.0/9945670*y+
			374412.0/4972835*z,
			53769.0/1989134*x+351524.0/4972835*y+4929758.0/4972835*z)
	case "prophoto-rgb":
		linear := func(c float64) float64 {
			if math.Abs(c) <= 16.0/512 {
				return c / 16
			}
			return math.Copysign(math.Pow(math.Abs(c), 1.8), c)
		}
		x, y, z := linear(v[0]), linear(v[1]), linear(v[2])
		r, g, b = fromXYZ50(0.7977666449006423*x+0.13518129740053308*y+0.0313477341283922*z, 0.2880748288194013*x+
			0.711835234241873*y+0.00008993693872564*z, 0.8251046025104602*z)
	case "rec2020":
		const a, bend = 1.09929682680944, 0.018053968510807
		linear := func(c float64) float64 {
			if math.Abs(c) < bend*4.5 {
				return c / 4.5
			}
			return math.Copysign(math.Pow((math.Abs(c)+a-1)/a, 1/0.45), c)
		}
		x, y, z := linear(v[0]), linear(v[1]), linear(v[2])
		r, g, b = fromXYZ(63426534.0/99577255*x+20160776.0/139408157*y+47086771.0/278816314*z, 26158966.0/99577255*x+
			472592308.0/697040785*y+8267143.0/139408157*z,
			19567812.0/697040785*y+295819943.0/278816314*z)
	default:
		return color.NRGBA{}, false
	}
	return color.NRGBA{eight(r), eight(g), eight(b), eight(alpha)}, true
}
