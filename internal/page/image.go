package page

import (
	"regexp"
	"strconv"
	"strings"
)

// Pictures are chosen as for a desktop screen of this width in CSS pixels, at one device pixel per CSS pixel.
const viewportWidth = 1280

var cssLength = regexp.MustCompile(`^([0-9.]+)(px|vw|em|rem)$`)

// image adds the one request that an img element makes, after choosing among its candidates (HTML, 4.8.4.3).
func (w *walker) image(t Tag) {
	chosen := ""
	for _, s := range w.picture {
		if s.mime != "" && !shownImageType(s.mime) || s.media != "" && !mediaMatches(s.media) {
			continue
		}
		if chosen = choose(s.srcset, "", t.Attr["sizes"]); chosen != "" {
			break
		}
	}
	if chosen == "" {
		chosen = choose(t.Attr["srcset"], t.Attr["src"], t.Attr["sizes"])
	}
	w.add(t, chosen, cors(t, Reference{Destination: "image"}))
}

func shownImageType(mime string) bool {
	switch strings.ToLower(strings.TrimSpace(mime)) {
	case "image/png", "image/jpeg", "image/gif", "image/webp", "image/avif", "image/svg+xml", "image/bmp", "image/x-icon", "image/apng":
		return true
	}
	return false
}

// choose picks a candidate of a srcset (HTML, 4.8.4.2.3) for one device pixel per CSS pixel.
func choose(srcset, src, sizes string) string {
	best, bestDensity := src, 1.0
	if src == "" {
		bestDensity = 0
	}
	width := sourceSize(sizes)
	candidates := splitSrcset(srcset)
	for _, candidate := range candidates {
		// Beside candidates with widths the src attribute is none.
		if f := strings.Fields(candidate); len(f) > 1 && strings.HasSuffix(f[1], "w") {
			best, bestDensity = "", 0
			break
		}
	}
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
		// The smallest density that still fills the screen wins; below that the largest does.
		if best == "" || bestDensity < 1 && density > bestDensity || density >= 1 && density < bestDensity || density == 1 && bestDensity == 1 && best == src {
			best, bestDensity = fields[0], density
		}
	}
	return best
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

// sourceSize gives the width in CSS pixels that a sizes attribute names for our screen.
func sourceSize(sizes string) float64 {
	for _, part := range strings.Split(sizes, ",") {
		part = strings.TrimSpace(part)
		i := strings.LastIndexAny(part, " )")
		length, condition := part[i+1:], part[:i+1]
		if condition != "" && !mediaMatches(condition) {
			continue
		}
		if m := cssLength.FindStringSubmatch(length); m != nil {
			n, _ := strconv.ParseFloat(m[1], 64)
			switch m[2] {
			case "vw":
				return n * viewportWidth / 100
			case "px":
				return n
			}
			return n * 16
		}
	}
	return viewportWidth
}

var mediaFeature = regexp.MustCompile(`\(\s*([a-z-]+)\s*(?::\s*([^)]+?)\s*)?\)`)

// mediaMatches evaluates a media query for a light desktop screen. Features it does not know count as matching.
func mediaMatches(query string) bool {
	for _, alternative := range strings.Split(strings.ToLower(query), ",") {
		q := strings.TrimSpace(alternative)
		not := strings.HasPrefix(q, "not ")
		ok := !strings.HasPrefix(strings.TrimPrefix(q, "not "), "print") && !strings.HasPrefix(strings.TrimPrefix(q, "not "), "speech")
		for _, m := range mediaFeature.FindAllStringSubmatch(q, -1) {
			px := func() float64 {
				if l := cssLength.FindStringSubmatch(m[2]); l != nil {
					n, _ := strconv.ParseFloat(l[1], 64)
					if l[2] != "px" {
						n *= 16
					}
					return n
				}
				return 0
			}
			switch m[1] {
			case "min-width":
				ok = ok && viewportWidth >= px()
			case "max-width":
				ok = ok && viewportWidth <= px()
			case "prefers-color-scheme":
				ok = ok && m[2] == "light"
			case "orientation":
				ok = ok && m[2] == "landscape"
			}
		}
		if ok != not {
			return true
		}
	}
	return false
}
