package fit

import (
	"bytes"
	"fmt"
	"html"
	"regexp"
	"slices"
	"strings"

	"tachyform/internal/markup"
	"tachyform/internal/page"
)

// span is a tag's place in the text. A tag that a template writes parts of is templated, and is left as it is.
type span struct {
	page.Tag
	start, end int
	templated  bool
	now        string // its text as it is to be
}

// templates are the marks between which templates stand: PHP and other processing instructions, ERB and its kin, and
// braces.
var templates = [][2]string{{"<?", "?>"}, {"<%", "%>"}, {"{{", "}}"}, {"{%", "%}"}, {"{#", "#}"}}

// blanked gives the text with spaces in the place of templates, so that what stands in them is taken for neither tags
// nor text.
func blanked(text []byte) []byte {
	out := text
	for _, mark := range templates {
		for at := 0; ; {
			start := bytes.Index(out[at:], []byte(mark[0]))
			if start < 0 {
				break
			}
			start += at
			end := bytes.Index(out[start+2:], []byte(mark[1]))
			if end < 0 {
				break // a mark that is never closed is none
			}
			at = start + 2 + end + 2
			if &out[0] == &text[0] {
				out = bytes.Clone(text)
			}
			for i := start; i < at; i++ {
				if out[i] != '\n' && out[i] != '\r' {
					out[i] = ' '
				}
			}
		}
	}
	return out
}

// scan finds the link, meta and script tags of the head and where the head ends: the offset at which lines are
// inserted.
func scan(original []byte) (tags []span, end int, err error) {
	text := blanked(original)
	end = -1
	inHead, template, skip := true, 0, ""
	leave := func(at int) { inHead, end = false, at }
	for token := range markup.Tokens(text) {
		if token.Kind == markup.Unfinished {
			if rest := bytes.TrimSpace(token.Raw()); len(rest) > 0 {
				return nil, 0, fmt.Errorf("the page ends in the middle of a tag: %q", string(rest[:min(len(rest), 40)]))
			}
		}
		if !inHead {
			continue
		}
		switch token.Kind {
		case markup.Comment:
			if !bytes.HasSuffix(token.Raw(), []byte(">")) {
				return nil, 0, fmt.Errorf("the page ends in the middle of a comment")
			}
		case markup.Text:
			if skip == "" && template == 0 && len(bytes.TrimSpace(bytes.TrimPrefix(token.Raw(), []byte("\xef\xbb\xbf")))) > 0 {
				leave(token.Start)
			}
		case markup.StartTag, markup.SelfClosingTag:
			switch token.Name {
			case "link", "meta", "base", "script":
				if template == 0 && skip == "" {
					written := original[token.Start:token.End]
					tag := page.Tag{Name: token.Name, Attr: token.Attributes()}
					if tag.Attr == nil {
						tag.Attr = map[string]string{}
					}
					tags = append(tags, span{tag, token.Start, token.End, !bytes.Equal(token.Raw(), written), string(written)})
				}
				if token.Name == "script" && token.Kind == markup.StartTag {
					skip = "script"
				}
			case "style", "title", "noscript", "noframes":
				if token.Kind == markup.StartTag {
					skip = token.Name
				}
			case "template":
				template++
			case "html", "head", "basefont", "bgsound":
			default:
				if template == 0 && skip == "" {
					leave(token.Start)
				}
			}
		case markup.EndTag:
			switch {
			case token.Name == skip:
				skip = ""
			case token.Name == "template" && template > 0:
				template--
			case token.Name == "head" && template == 0, token.Name == "html", token.Name == "body":
				leave(token.Start)
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

// Edited is what became of a page's head.
type Edited struct {
	Text []byte
	// Added lists the lines that were put in, Changed the tags as they read now, Misnamed what bears a wrong name still.
	Added, Changed []string
	Misnamed       []page.Misnamed
}

type replacement struct {
	start, end int
	text       string
}

// EditHead gives the page's text with what its head lacks, all other bytes as they were. url is the page's own
// address. Lines of earlier that an earlier fit put in are taken out again where they are not wanted any more.
func EditHead(text []byte, url string, w HeadTags, earlier []string) (*Edited, error) {
	if bytes.HasPrefix(text, []byte{0xff, 0xfe}) || bytes.HasPrefix(text, []byte{0xfe, 0xff}) {
		return nil, fmt.Errorf("the page is written in UTF-16")
	}
	tags, end, err := scan(text)
	if err != nil {
		return nil, err
	}
	out := &Edited{Text: text}
	items := w.items()
	edits := outdated(text, &tags, items, earlier)
	base := url
	for _, t := range tags {
		if t.Name == "base" && t.Attr["href"] != "" && !t.templated {
			if u, ok := page.Resolve(url, t.Attr["href"]); ok {
				base = u
			}
			break
		}
	}
	for i, t := range tags {
		m, wrong := page.CheckTagName(t.Tag)
		switch {
		case !wrong || t.templated:
		case w.Mend && m.Right != "":
			tags[i].now = setAttr(t.now, m.Attr, m.Right)
			tags[i].Attr[m.Attr] = m.Right
		default:
			m.Tag.Line = bytes.Count(text[:t.start], []byte("\n")) + 1
			out.Misnamed = append(out.Misnamed, m)
		}
	}
	for _, item := range items {
		found := false
		for i, t := range tags {
			if t.Name != item.element {
				continue
			}
			if item.is == nil { // a script is known by its address alone
				a, ok1 := page.Resolve(base, t.Attr["src"])
				b, ok2 := page.Resolve(url, item.value)
				if found = ok1 && ok2 && t.Attr["src"] != "" && a == b; found {
					if w.StandIn != "" && t.Attr[standInAttr] != w.StandIn && !t.templated {
						tags[i].now = setAttr(t.now, standInAttr, w.StandIn)
					}
					break
				}
				continue
			}
			if !item.is(t.Tag) {
				continue
			}
			found = true
			if item.keep || t.templated {
				break
			}
			a, ok1 := page.Resolve(base, t.Attr[item.attr])
			b, ok2 := page.Resolve(url, item.value)
			if !(ok1 && ok2 && a == b) {
				tags[i].now = setAttr(t.now, item.attr, item.value)
			}
			if w.Credentials && t.Rel("manifest") && !strings.EqualFold(t.Attr["crossorigin"], "use-credentials") {
				tags[i].now = setAttr(tags[i].now, "crossorigin", "use-credentials")
			}
			break
		}
		if !found {
			out.Added = append(out.Added, item.line)
		}
	}
	for _, t := range tags {
		if t.now != string(text[t.start:t.end]) {
			edits = append(edits, replacement{t.start, t.end, t.now})
			out.Changed = append(out.Changed, t.now)
		}
	}
	if len(out.Added) > 0 {
		at, added := block(text, end, out.Added)
		edits = append(edits, replacement{at, at, added})
	}
	if len(edits) == 0 {
		return out, nil
	}
	slices.SortStableFunc(edits, func(a, b replacement) int { return a.start - b.start })
	var b bytes.Buffer
	at := 0
	for _, e := range edits {
		if e.start < at { // it stands in a line that goes
			continue
		}
		b.Write(text[at:e.start])
		b.WriteString(e.text)
		at = e.end
	}
	b.Write(text[at:])
	out.Text = b.Bytes()
	return out, nil
}

// outdated takes out the tags whose lines an earlier fit put in and that are not wanted as they are any more.
func outdated(text []byte, tags *[]span, items []headItem, earlier []string) (edits []replacement) {
	wanted := map[string]bool{}
	for _, i := range items {
		wanted[i.line] = true
	}
	*tags = slices.DeleteFunc(*tags, func(t span) bool {
		for _, line := range earlier {
			if wanted[line] || !bytes.HasPrefix(text[t.start:], []byte(line)) {
				continue
			}
			start, end := t.start, t.start+len(line)
			// With the whole line, when nothing else stands on it.
			lineStart := bytes.LastIndexByte(text[:start], '\n') + 1
			if rest := bytes.TrimLeft(text[end:], " \t\r"); len(bytes.TrimSpace(text[lineStart:start])) == 0 && len(rest) > 0 &&
				rest[0] == '\n' {
				start, end = lineStart, len(text)-len(rest)+1
			}
			edits = append(edits, replacement{start, end, ""})
			return true
		}
		return false
	})
	return edits
}

// standInAttr marks the registration script of the page stand-in.
const standInAttr = "data-stand-in"

var attrValue = map[string]*regexp.Regexp{}

func init() {
	for _, name := range []string{"href", "content", "name", "rel", "crossorigin", standInAttr} {
		attrValue[name] = regexp.MustCompile(`(?i)(\s` + name + `\s*=\s*)("[^"]*"|'[^']*'|[^\s"'>]+)`)
	}
}

// setAttr replaces the value of one attribute in a tag's text, keeping its quotes, or adds the attribute.
func setAttr(tag, attr, value string) string {
	escaped := html.EscapeString(value)
	if loc := attrValue[attr].FindStringSubmatchIndex(tag); loc != nil {
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

// block lays out new lines so that they look as if they had always stood there: with the line ends and the indentation
// of what is around them. It gives the offset they go to, at or before the end of the head.
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
