package page

import (
	"math"
	"sort"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2/css"

	"tachyform/internal/request"
)

// image adds the one request that an img element makes, after choosing among its candidates (HTML, 4.8.4.3).
func (w *walker) image(t Tag) {
	chosen := w.candidate(w.screen, t)
	if other := Phone; w.screen != other && !w.doc.Varies {
		w.doc.Varies = chosen != w.candidate(other, t)
	}
	w.add(t, chosen, cors(t, Reference{Destination: request.Image}))
}

// candidate chooses among an img element's candidates for a screen.
func (w *walker) candidate(screen Screen, t Tag) string {
	for _, s := range w.picture {
		if s.mime != "" && !shownImageType(s.mime) || s.media != "" && !screen.matches(s.media) {
			continue
		}
		if chosen := screen.choose(s.srcset, "", t.Attr["sizes"]); chosen != "" {
			return chosen
		}
	}
	return screen.choose(t.Attr["srcset"], t.Attr["src"], t.Attr["sizes"])
}

func shownImageType(mime string) bool {
	switch strings.ToLower(strings.TrimSpace(mime)) {
	case "image/png", "image/jpeg", "image/gif", "image/webp", "image/avif", "image/svg+xml", "image/bmp", "image/x-icon",
		"image/apng":
		return true
	}
	return false
}

// choose picks a candidate of a srcset (HTML, 4.8.4.2.3), as Chromium does.
func (s Screen) choose(srcset, src, sizes string) string {
	best, bestDensity := src, 1.0
	if src == "" {
		bestDensity = 0
	}
	width := s.sourceSize(sizes)
	candidates := splitSrcset(srcset)
	for _, candidate := range candidates {
		// Beside candidates with widths the src attribute is none.
		if f := strings.Fields(candidate); len(f) > 1 && strings.HasSuffix(f[1], "w") {
			best, bestDensity = "", 0
			break
		}
	}
	want := s.Density
	var found []sized
	for _, candidate := range candidates {
		fields := strings.Fields(candidate)
		if len(fields) == 0 {
			continue
		}
		density := 1.0
		if len(fields) > 1 {
			d := fields[1]
			n, err := strconv.ParseFloat(d[:len(d)-1], 64)
			if err != nil {
				continue
			}
			switch d[len(d)-1] {
			case 'w':
				density = n / width
			case 'x':
				density = n
			default:
				continue
			}
		}
		if density == 1 && bestDensity == 1 && best == src && best != "" {
			best = fields[0]
			continue
		}
		found = append(found, sized{fields[0], density})
	}
	if best != "" {
		found = append(found, sized{best, bestDensity})
	}
	if len(found) == 0 {
		return ""
	}
	sort.SliceStable(found, func(i, j int) bool { return found[i].density < found[j].density })
	i := 0
	for ; i < len(found)-1; i++ {
		if next := found[i+1].density; next >= want {
			// Between two, the geometric mean decides; a screen of one device pixel never gets less than that.
			if want <= 1 && want > found[i].density || want >= math.Sqrt(found[i].density*next) {
				i++
			}
			break
		}
	}
	return found[i].url
}

type sized struct {
	url     string
	density float64
}

// splitSrcset splits at commas that end a candidate; commas inside URLs such as data: stay.
func splitSrcset(s string) []string {
	var list []string
	for len(s) > 0 {
		s = strings.TrimLeft(s, " \t\r\n\f,")
		end := strings.IndexAny(s, " \t\r\n\f")
		if end < 0 {
			return append(list, strings.TrimRight(s, ","))
		}
		if strings.HasSuffix(s[:end], ",") {
			list = append(list, strings.TrimRight(s[:end], ","))
			s = s[end:]
			continue
		}
		comma := strings.IndexByte(s[end:], ',')
		if comma < 0 {
			return append(list, s)
		}
		list = append(list, s[:end+comma])
		s = s[end+comma:]
	}
	return list
}

// sourceSize gives the width in CSS pixels that a sizes attribute names for the screen (HTML, "parse a sizes
// attribute").
func (s Screen) sourceSize(sizes string) float64 {
	for _, part := range splitTokens(lowerTokens(sizes), css.CommaToken) {
		part = trimTokens(part)
		if len(part) == 0 {
			continue
		}
		first := len(part) - 1 // the last component value is the size
		if part[first].kind == css.RightParenthesisToken {
			for depth := 0; first >= 0; first-- {
				if part[first].kind == css.RightParenthesisToken {
					depth++
				} else if part[first].kind == css.LeftParenthesisToken || part[first].kind == css.FunctionToken {
					if depth--; depth == 0 {
						break
					}
				}
			}
			if first < 0 {
				continue
			}
		}
		n, ok := s.amount(withoutSpace(part[first:]), "px")
		if !ok || n < 0 {
			continue
		}
		condition := mediaQuery{screen: s, tokens: trimTokens(part[:first])}
		if len(condition.tokens) > 0 {
			if holds, ok := condition.condition(true); !ok || condition.at < len(condition.tokens) || holds != isTrue {
				continue
			}
		}
		return n
	}
	return s.Width
}
