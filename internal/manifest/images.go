package manifest

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"tachyform/internal/spelling"
)

var sizeToken = regexp.MustCompile(`^(any|[1-9][0-9]*x[1-9][0-9]*)$`)

// images follows "process image resources" (Image Resource, 3).
func (p *processor) images(o *Value, name, path string) []Image {
	var list []Image
	for i, item := range p.list(o, name, path) {
		member := fmt.Sprintf("%s%s[%d]", path, name, i)
		if item.Kind != Object {
			p.wrongType(member, item, Object)
			continue
		}
		src, ok := p.str(item, "src", member+".")
		if !ok || src.Text == "" && p.as == Firefox {
			p.issue("ignored-value", member, item.Offset, member+" is ignored: it names no file in src", "")
			continue
		}
		u, err := p.base.Parse(src.Text)
		if err != nil {
			p.ignored(member+".src", src, fmt.Sprintf("%q is not a URL", src.Text), "")
			continue
		}
		if u.Scheme() == "javascript" && p.as == Chromium {
			p.ignored(member+".src", src, "pictures are not made by scripts", "")
			continue
		}
		if src.Text == "" {
			p.issue("ignored-value", member+".src", src.Offset, member+".src is empty, which means the manifest itself",
				"name the picture's file")
		}
		img := Image{Src: u.Href(false)}
		img.Line, img.Column = p.pos.At(item.Offset)
		if v, ok := p.str(item, "type", member+"."); ok {
			if img.Type = p.trim(v.Text); p.as != Chromium && img.Type != "" {
				essence, ok := mimeEssence(img.Type)
				if !ok {
					p.ignored(member+".type", v, fmt.Sprintf("%q is no media type", v.Text), "such as image/png")
				}
				img.Type = essence
			}
		}
		if v, ok := p.str(item, "sizes", member+"."); ok {
			for _, token := range strings.FieldsFunc(v.Text, p.separates()) {
				written := token
				token = strings.ToLower(token)
				switch {
				case !sizeToken.MatchString(token):
					p.ignored(member+".sizes", v, fmt.Sprintf("%q is no size", token), `sizes look like "192x192"`)
				case p.as == Chromium:
					img.Sizes = append(img.Sizes, inRange(token)) // what stands twice counts twice there
				case p.as == Firefox && !slices.Contains(img.Sizes, written):
					img.Sizes = append(img.Sizes, written) // as it stands there
				case p.as == Standard && !slices.Contains(img.Sizes, token):
					img.Sizes = append(img.Sizes, token)
				}
			}
		}
		if name == "icons" {
			if !p.purpose(item, member, &img) {
				continue
			}
		} else {
			if v, ok := p.str(item, "label", member+"."); ok {
				img.Label = p.trim(v.Text)
			}
			if v, ok := p.str(item, "platform", member+"."); ok {
				img.Platform = p.trim(v.Text)
			}
			if v, ok := p.str(item, "form_factor", member+"."); ok {
				switch word := strings.ToLower(p.trim(v.Text)); word {
				case "wide", "narrow":
					img.FormFactor = word
				default:
					p.ignored(member+".form_factor", v, fmt.Sprintf("there is no %q", v.Text), "wide or narrow")
				}
			}
		}
		list = append(list, img)
	}
	return list
}

// inRange gives a size as Chromium keeps it: numbers beyond 32 bits become 0, and 0x0 is what any is there.
func inRange(size string) string {
	if size == "any" {
		return size
	}
	width, height, _ := strings.Cut(size, "x")
	for _, n := range []*string{&width, &height} {
		if _, err := strconv.ParseInt(*n, 10, 32); err != nil {
			*n = "0"
		}
	}
	if width == "0" && height == "0" {
		return "any"
	}
	return width + "x" + height
}

var mimeForm = regexp.MustCompile("^([!#$%&'*+.^_`|~0-9A-Za-z-]+/[!#$%&'*+.^_`|~0-9A-Za-z-]+)[ \\t]*(;.*)?$")

// mimeEssence gives type and subtype of a media type (MIME Sniffing, 4.4).
func mimeEssence(text string) (string, bool) {
	m := mimeForm.FindStringSubmatch(text)
	if m == nil {
		return "", false
	}
	return strings.ToLower(m[1]), true
}

// purpose follows "determine the purpose of an image"; false means that the image serves none.
func (p *processor) purpose(item *Value, member string, img *Image) bool {
	img.Purpose = []string{"any"}
	v, ok := p.str(item, "purpose", member+".")
	if !ok {
		return true
	}
	tokens := p.keywords(strings.ToLower(v.Text))
	if len(tokens) == 0 {
		return true
	}
	img.Purpose = nil
	for _, token := range tokens {
		switch token {
		case "any", "maskable", "monochrome":
			if !slices.Contains(img.Purpose, token) {
				img.Purpose = append(img.Purpose, token)
			}
		default:
			mend := "one or more of any, maskable, monochrome"
			if near := spelling.Nearest(token, []string{"any", "maskable", "monochrome"}); near != "" {
				mend = "did you mean " + near + "?"
			}
			p.ignored(member+".purpose", v, fmt.Sprintf("there is no purpose %q", token), mend)
		}
	}
	return len(img.Purpose) > 0
}
