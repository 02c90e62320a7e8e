package page

import (
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2/css"

	"tachyform/internal/request"
)

// pictureProperties are those whose values name pictures, with their longhands.
var pictureProperties = map[string]string{"background": "background-image", "background-image": "background-image",
	"list-style": "list-style-image", "list-style-image": "list-style-image",
	"border-image": "border-image-source", "border-image-source": "border-image-source", "mask": "mask-image",
	"mask-image": "mask-image", "-webkit-mask": "mask-image", "-webkit-mask-image": "mask-image", "cursor": "cursor",
	"filter":                 "filter",
	"-webkit-mask-box-image": "-webkit-mask-box-image", "content": "content", "shape-outside": "shape-outside",
	"-webkit-box-reflect": "-webkit-box-reflect"}

// declarations reads a declaration; none come of those that make no difference to requests.
func (p *styleParser) declarations(tokens []styleToken) []Declaration {
	if len(tokens) < 2 {
		return nil
	}
	if customProperty(tokens) {
		if p.style.Variables == nil {
			p.style.Variables = map[string]string{}
		}
		value := trimTokens(tokens[1:])[1:]
		p.style.Variables[tokens[0].data] = text(value)
		p.style.loose = append(p.style.loose, p.urls(value, picture, false)...)
		return nil
	}
	rest := trimTokens(tokens[1:])
	if tokens[0].kind != css.IdentToken || len(rest) < 2 || rest[0].kind != css.ColonToken {
		return nil
	}
	return p.value(strings.ToLower(tokens[0].data), trimTokens(rest[1:]))
}

// picture is how style sheets ask for pictures.
var picture = Reference{Destination: request.Image, Mode: request.NoCORS, Credentials: "include"}

// value reads the value of a property.
func (p *styleParser) value(name string, value []styleToken) []Declaration {
	long := pictureProperties[name]
	switch name {
	case "font", "font-family", "font-weight", "font-style", "display", "background-color", "visibility",
		"text-transform", "content-visibility":
	default:
		if long == "" {
			return nil
		}
	}
	written := strings.ToLower(text(value))
	d := Declaration{Property: name, Important: strings.HasSuffix(written, "important")}
	if long != "" {
		d.Property = long
	}
	if strings.Contains(written, "var(") {
		d.variable, d.name, d.from, d.base = text(value), name, p.from, p.base
		if long != "" {
			p.style.loose = append(p.style.loose, p.urls(value, picture, false)...)
		}
		if name == "font" {
			d.Property = "font-family"
		}
		if name == "background" {
			ground := d
			ground.Property = "background-color"
			return []Declaration{d, ground}
		}
		return []Declaration{d}
	}
	switch name {
	case "font-family":
		d.Families = families(value)
	case "font-weight":
		d.weight = weightOf(written)
	case "font-style":
		d.italic = strings.HasPrefix(written, "italic") || strings.HasPrefix(written, "oblique")
	case "display", "visibility", "text-transform", "content-visibility":
		d.word, _, _ = strings.Cut(strings.TrimSpace(strings.TrimSuffix(strings.TrimSuffix(written, "important"), "!")), " ")
		d.Hidden = d.word == "none"
	case "font":
		return fontShorthand(d, value)
	case "background-color":
		d.Colour = strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(strings.TrimSuffix(written, "important")), "!"))
	default:
		if name == "background" {
			ground := d
			ground.Property, ground.Colour = "background-color", groundColour(value)
			d.Pictures = p.urls(value, picture, false)
			return []Declaration{d, ground}
		}
		if name == "background-image" && strings.Contains(written, "gradient(") {
			d.Colour = "?"
		}
		d.Pictures = p.urls(value, picture, false)
		if name == "content" {
			d.Hidden = strings.HasPrefix(written, "none") || strings.HasPrefix(written, "normal")
			for _, t := range value {
				if t.kind == css.StringToken {
					d.text += stringValue(t.data)
				}
			}
		}
	}
	return []Declaration{d}
}

// groundColour gives the colour in the value of a background property, "transparent" for none.
func groundColour(value []styleToken) string {
	for i, t := range value {
		word := strings.ToLower(t.data)
		switch {
		case t.kind == css.URLToken || t.kind == css.FunctionToken &&
			(word == "url(" || strings.Contains(word, "gradient(") || strings.Contains(word, "image")):
			return "?"
		case t.kind == css.HashToken:
			return word
		case t.kind == css.FunctionToken && strings.Contains(" rgb( rgba( hsl( hsla( hwb( lab( lch( oklab( oklch( color( ",
			" "+word+" "):
			end := i
			for end < len(value)-1 && value[end].kind != css.RightParenthesisToken {
				end++
			}
			return strings.ToLower(text(value[i : end+1]))
		case t.kind == css.IdentToken && !strings.Contains(" none repeat no-repeat repeat-x repeat-y space round scroll "+
			"fixed local left right top bottom center cover contain auto border-box padding-box content-box important ", " "+
			word+" "):
			return word
		}
	}
	return "transparent"
}

func weightOf(word string) int {
	word, _, _ = strings.Cut(word, " ")
	word = strings.TrimSuffix(word, "!important")
	switch word {
	case "normal", "initial":
		return 400
	case "bold":
		return 700
	case "bolder":
		return bolder
	case "lighter":
		return lighter
	}
	n, _ := strconv.Atoi(word)
	return n
}

// fontShorthand reads a font property: style and weight before the size, the families after it.
func fontShorthand(d Declaration, value []styleToken) []Declaration {
	family, weight, style := d, d, d
	family.Property, weight.Property, style.Property = "font-family", "font-weight", "font-style"
	weight.weight = 400
	for i, t := range value {
		word := strings.ToLower(t.data)
		switch {
		case t.kind == css.DimensionToken || t.kind == css.PercentageToken || t.kind == css.NumberToken && word == "0" ||
			t.kind == css.FunctionToken || t.kind == css.IdentToken &&
			strings.Contains(" xx-small x-small small medium large x-large xx-large smaller larger ", " "+word+" "):
			rest := value[i+1:]
			if t.kind == css.FunctionToken {
				for len(rest) > 0 && rest[0].kind != css.RightParenthesisToken {
					rest = rest[1:]
				}
				rest = rest[min(1, len(rest)):]
			}
			family.Families = families(afterLineHeight(rest))
			return []Declaration{family, weight, style}
		case t.kind == css.NumberToken:
			weight.weight = weightOf(word)
		case word == "bold" || word == "bolder" || word == "lighter":
			weight.weight = weightOf(word)
		case word == "italic" || word == "oblique":
			style.italic = true
		case word == "inherit":
			family.Families, weight.weight = []string{"inherit"}, 0
			return []Declaration{family, weight}
		}
	}
	return nil
}

// resolved puts the values of custom properties in the place of var(). What has none leaves the declaration without
// effect.
func (d Declaration) resolved(vars map[string]string) Declaration {
	value := d.variable
	for range 20 {
		start := strings.Index(value, "var(")
		if start < 0 {
			break
		}
		end, depth := start+4, 1
		for ; end < len(value) && depth > 0; end++ {
			switch value[end] {
			case '(':
				depth++
			case ')':
				depth--
			}
		}
		if depth > 0 || len(value) > 1<<16 {
			return Declaration{Property: d.Property}
		}
		name, fallback, _ := strings.Cut(value[start+4:end-1], ",")
		with, ok := vars[strings.TrimSpace(name)]
		if !ok {
			with = fallback
		}
		value = value[:start] + with + value[end:]
	}
	p := newStyleParser(d.from, d.base, []byte(value))
	for _, r := range p.value(d.name, trimTokens(p.tokens)) {
		if r.Property == d.Property && r.variable == "" {
			return r
		}
	}
	return Declaration{Property: d.Property}
}

func afterLineHeight(t []styleToken) []styleToken {
	t = trimTokens(t)
	if len(t) > 1 && t[0].data == "/" {
		if t = trimTokens(t[1:]); len(t) > 0 {
			return t[1:]
		}
	}
	return t
}
