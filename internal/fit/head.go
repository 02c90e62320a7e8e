package fit

import (
	"bytes"
	"fmt"
	"html"
	"regexp"
	"slices"
	"strings"

	xhtml "golang.org/x/net/html"

	"tachyform/internal/page"
)

// Wanted is what the head of a page is to hold. Empty members are not wanted.
type Wanted struct {
	Manifest   string // URL path of the manifest
	ThemeColor string
	Icon       string // URL path of the favicon
	AppleIcon  string // URL path of the Apple touch icon
	Register   string // URL path of the registration script
	// Viewport asks for a page as wide as the screen, AppName for the name under an icon on an iPhone's home screen.
	Viewport bool
	AppName  string
}

// Snippet gives all wanted lines, to be pasted into a template.
func (w Wanted) Snippet() []string {
	var lines []string
	for _, item := range w.items() {
		lines = append(lines, item.line)
	}
	return lines
}

// headItem is one wanted tag: how to find it when it is there, which of its attributes must say what, and its line when it is not.
type headItem struct {
	element string
	is      func(page.Tag) bool
	attr    string
	value   string
	// keep leaves a tag that is there as it is, whatever it says.
	keep bool
	line string
}

func (w Wanted) items() []headItem {
	var list []headItem
	rel := func(k string) func(page.Tag) bool { return func(t page.Tag) bool { return t.Rel(k) } }
	esc := html.EscapeString
	if w.Manifest != "" {
		list = append(list, headItem{"link", rel("manifest"), "href", w.Manifest, false, fmt.Sprintf(`<link rel="manifest" href="%s">`, esc(w.Manifest))})
	}
	named := func(name string) func(page.Tag) bool {
		return func(t page.Tag) bool { return strings.EqualFold(t.Attr["name"], name) }
	}
	if w.Viewport {
		list = append(list, headItem{"meta", named("viewport"), "content", "", true, `<meta name="viewport" content="width=device-width, initial-scale=1">`})
	}
	if w.ThemeColor != "" {
		list = append(list, headItem{"meta", named("theme-color"), "content", w.ThemeColor, true, fmt.Sprintf(`<meta name="theme-color" content="%s">`, esc(w.ThemeColor))})
	}
	if w.Icon != "" {
		list = append(list, headItem{"link", rel("icon"), "href", w.Icon, true, fmt.Sprintf(`<link rel="icon" href="%s" sizes="16x16 32x32 48x48">`, esc(w.Icon))})
	}
	if w.AppleIcon != "" {
		list = append(list, headItem{"link", rel("apple-touch-icon"), "href", w.AppleIcon, true, fmt.Sprintf(`<link rel="apple-touch-icon" href="%s">`, esc(w.AppleIcon))})
	}
	if w.AppName != "" {
		list = append(list, headItem{"meta", named("apple-mobile-web-app-title"), "content", w.AppName, true, fmt.Sprintf(`<meta name="apple-mobile-web-app-title" content="%s">`, esc(w.AppName))})
	}
	if w.Register != "" {
		list = append(list, headItem{"script", nil, "src", w.Register, false, fmt.Sprintf(`<script src="%s" defer></script>`, esc(w.Register))})
	}
	return list
}

// span is a tag's place in the text.
type span struct {
	page.Tag
	start, end int
}

// scan finds the link, meta and script tags of the head and where the head ends: the offset at which lines are inserted.
func scan(text []byte) (tags []span, end int, err error) {
	z := xhtml.NewTokenizer(bytes.NewReader(text))
	offset, end := 0, -1
	inHead, template, skip := true, 0, ""
	for {
		kind := z.Next()
		start := offset
		raw := z.Raw()
		offset += len(raw)
		if kind == xhtml.ErrorToken {
			if rest := bytes.TrimSpace(text[start:]); len(rest) > 0 {
				return nil, 0, fmt.Errorf("the page ends in the middle of a tag: %q", string(rest[:min(len(rest), 40)]))
			}
			break
		}
		if !inHead {
			continue
		}
		switch kind {
		case xhtml.CommentToken:
			if !bytes.HasSuffix(raw, []byte(">")) {
				return nil, 0, fmt.Errorf("the page ends in the middle of a comment")
			}
		case xhtml.TextToken:
			if skip == "" && template == 0 && len(bytes.TrimSpace(bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf")))) > 0 {
				inHead = false
				end = start
			}
		case xhtml.StartTagToken, xhtml.SelfClosingTagToken:
			name, more := z.TagName()
			tag := page.Tag{Name: string(name), Attr: map[string]string{}}
			for more {
				var k, v []byte
				k, v, more = z.TagAttr()
				if _, twice := tag.Attr[string(k)]; !twice {
					tag.Attr[string(k)] = string(v)
				}
			}
			switch tag.Name {
			case "link", "meta", "base":
				if template == 0 && skip == "" {
					tags = append(tags, span{tag, start, offset})
				}
			case "script":
				if template == 0 && skip == "" {
					tags = append(tags, span{tag, start, offset})
				}
				if kind == xhtml.StartTagToken {
					skip = "script"
				}
			case "style", "title", "noscript", "noframes":
				if kind == xhtml.StartTagToken {
					skip = tag.Name
				}
			case "template":
				template++
			case "html", "head", "basefont", "bgsound":
			default:
				if template == 0 && skip == "" {
					inHead = false
					end = start
				}
			}
		case xhtml.EndTagToken:
			name, _ := z.TagName()
			switch n := string(name); {
			case n == skip:
				skip = ""
			case n == "template" && template > 0:
				template--
			case n == "head" && template == 0:
				inHead = false
				end = start
			case n == "html" || n == "body":
				inHead = false
				end = start
			}
		}
	}
	if template > 0 && inHead {
		skip = "template"
	}
	if skip != "" && inHead {
		return nil, 0, fmt.Errorf("the page ends inside <%s>", skip)
	}
	if end < 0 {
		end = len(text)
	}
	return tags, end, nil
}

var lineStart = regexp.MustCompile(`^[ \t]*`)

// EditHead gives the page's text with what its head lacks, all other bytes as they were. url is the page's own address.
func EditHead(text []byte, url string, w Wanted) ([]byte, error) {
	if bytes.HasPrefix(text, []byte{0xff, 0xfe}) || bytes.HasPrefix(text, []byte{0xfe, 0xff}) {
		return nil, fmt.Errorf("the page is written in UTF-16")
	}
	tags, end, err := scan(text)
	if err != nil {
		return nil, err
	}
	base := url
	for _, t := range tags {
		if t.Name == "base" && t.Attr["href"] != "" {
			if u, ok := page.Resolve(url, t.Attr["href"]); ok {
				base = u
			}
			break
		}
	}
	type replacement struct {
		start, end int
		text       string
	}
	var edits []replacement
	var lines []string
	for _, item := range w.items() {
		found := false
		for _, t := range tags {
			if t.Name != item.element {
				continue
			}
			if item.is == nil { // a script is known by its address alone
				a, ok1 := page.Resolve(base, t.Attr["src"])
				b, ok2 := page.Resolve(url, item.value)
				if found = ok1 && ok2 && t.Attr["src"] != "" && a == b; found {
					break
				}
				continue
			}
			if !item.is(t.Tag) {
				continue
			}
			found = true
			if item.keep {
				break
			}
			a, ok1 := page.Resolve(base, t.Attr[item.attr])
			b, ok2 := page.Resolve(url, item.value)
			if !(ok1 && ok2 && a == b) {
				edits = append(edits, replacement{t.start, t.end, setAttr(string(text[t.start:t.end]), item.attr, item.value)})
			}
			break
		}
		if !found {
			lines = append(lines, item.line)
		}
	}
	if len(lines) > 0 {
		at, added := block(text, end, lines)
		edits = append(edits, replacement{at, at, added})
	}
	if len(edits) == 0 {
		return text, nil
	}
	slices.SortFunc(edits, func(a, b replacement) int { return a.start - b.start })
	var out bytes.Buffer
	at := 0
	for _, e := range edits {
		out.Write(text[at:e.start])
		out.WriteString(e.text)
		at = e.end
	}
	out.Write(text[at:])
	return out.Bytes(), nil
}

var attrValue = map[string]*regexp.Regexp{
	"href":    regexp.MustCompile(`(?i)(\shref\s*=\s*)("[^"]*"|'[^']*'|[^\s"'>]+)`),
	"content": regexp.MustCompile(`(?i)(\scontent\s*=\s*)("[^"]*"|'[^']*'|[^\s"'>]+)`),
}

// setAttr replaces the value of one attribute in a tag's text, keeping its quotes, or adds the attribute.
func setAttr(tag, attr, value string) string {
	escaped := html.EscapeString(value)
	re := attrValue[attr]
	if loc := re.FindStringSubmatchIndex(tag); loc != nil {
		old := tag[loc[4]:loc[5]]
		quote := `"`
		if old[0] == '\'' {
			quote = "'"
		}
		return tag[:loc[4]] + quote + escaped + quote + tag[loc[5]:]
	}
	at := strings.LastIndexAny(tag, "/>")
	if strings.HasSuffix(tag, "/>") {
		at = len(tag) - 2
	}
	return strings.TrimRight(tag[:at], " ") + fmt.Sprintf(` %s="%s"`, attr, escaped) + tag[at:]
}

// block lays out new lines so that they look as if they had always stood there: with the line ends and the indentation of what
// is around them. It gives the offset they go to, at or before the end of the head.
func block(text []byte, end int, lines []string) (int, string) {
	newline := "\n"
	if bytes.Contains(text, []byte("\r\n")) {
		newline = "\r\n"
	}
	before := text[:end]
	lineAt := bytes.LastIndexByte(before, '\n') + 1
	switch {
	case len(bytes.TrimSpace(before[lineAt:])) > 0 || !bytes.Contains(text, []byte("\n")):
		return end, strings.Join(lines, "")
	case lineAt == 0:
		return end, strings.Join(lines, newline) + newline
	}
	indent := string(before[lineAt:])
	// The last line of the head that is not empty shows how its siblings are indented.
	rest := strings.TrimRight(string(before[:lineAt]), " \t\r\n")
	last := rest[strings.LastIndexByte(rest, '\n')+1:]
	if strings.HasPrefix(strings.ToLower(strings.TrimLeft(last, "\ufeff \t")), "<head") {
		indent += "  "
	} else {
		indent = lineStart.FindString(last)
	}
	var b strings.Builder
	for _, l := range lines {
		b.WriteString(indent + l + newline)
	}
	return lineAt, b.String()
}
