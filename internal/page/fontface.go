package page

import (
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2/css"

	"tachyform/internal/request"
)

// families gives the names of a font-family value, in lower case.
func families(value []styleToken) (list []string) {
	name := ""
	end := func() {
		if name = strings.ToLower(strings.TrimSpace(name)); name != "" && name != "!important" {
			list = append(list, name)
		}
		name = ""
	}
	for _, t := range value {
		switch t.kind {
		case css.CommaToken:
			end()
		case css.StringToken:
			name = stringValue(t.data)
		case css.DelimToken:
			end()
			return list
		default:
			name += cssUnescape(t.data)
		}
	}
	end()
	return list
}

// fontFace reads the block of an @font-face rule.
func (p *styleParser) fontFace() {
	f := FontFace{Weights: [2]int{400, 400}}
	for p.at < len(p.tokens) {
		tokens, end := p.prelude()
		if end == '{' {
			p.passBlock()
			continue
		}
		if len(tokens) > 2 && tokens[0].kind == css.IdentToken {
			value := trimTokens(trimTokens(tokens[1:])[1:])
			switch strings.ToLower(tokens[0].data) {
			case "font-family":
				if names := families(value); len(names) > 0 {
					f.Family = names[0]
				}
			case "src":
				f.Source = p.fontSource(value)
			case "font-weight":
				words := strings.Fields(strings.ToLower(text(value)))
				f.Weights = [2]int{weightOf(words[0]), weightOf(words[len(words)-1])}
			case "font-style":
				f.Italic = !strings.HasPrefix(strings.ToLower(text(value)), "normal")
			case "unicode-range":
				f.Ranges = unicodeRanges(text(value))
			}
		}
		if end == '}' {
			p.at++
			break
		}
	}
	if f.Family != "" {
		p.style.Faces = append(p.style.Faces, f)
	}
}

// fontSource takes the first source whose format browsers show.
func (p *styleParser) fontSource(value []styleToken) Reference {
	for len(value) > 0 {
		part := value
		depth := 0
		for i, t := range value {
			if t.kind == css.FunctionToken || t.kind == css.LeftParenthesisToken {
				depth++
			} else if t.kind == css.RightParenthesisToken {
				depth--
			} else if t.kind == css.CommaToken && depth == 0 {
				part = value[:i]
				break
			}
		}
		if refs := p.urls(part, Reference{Destination: request.Font, Mode: request.CORS, Credentials: "same-origin"},
			false); len(refs) > 0 && shownFormat(text(part)) {
			return refs[0]
		}
		value = value[min(len(part)+1, len(value)):]
	}
	return Reference{}
}

func shownFormat(source string) bool {
	_, format, has := strings.Cut(strings.ToLower(source), "format(")
	if !has {
		return true
	}
	format, _, _ = strings.Cut(format, ")")
	switch strings.Fields(strings.Trim(format, `"' `) + " x")[0] {
	case "woff2", "woff", "truetype", "opentype", "woff2-variations", "woff-variations", "truetype-variations",
		"opentype-variations", "collection":
		return true
	}
	return false
}

// unicodeRanges reads a unicode-range value (CSS Fonts, 4.5).
func unicodeRanges(value string) (list [][2]rune) {
	for _, part := range strings.Split(strings.ToLower(value), ",") {
		part, ok := strings.CutPrefix(strings.TrimSpace(part), "u+")
		if !ok {
			continue
		}
		low, high, ranged := strings.Cut(part, "-")
		if !ranged {
			low, high = strings.ReplaceAll(part, "?", "0"), strings.ReplaceAll(part, "?", "f")
		}
		a, err := strconv.ParseInt(low, 16, 32)
		b, err2 := strconv.ParseInt(high, 16, 32)
		if err == nil && err2 == nil {
			list = append(list, [2]rune{rune(a), rune(b)})
		}
	}
	return list
}

func urlTokenValue(token string) string {
	inner := strings.TrimSpace(strings.TrimSuffix(token[4:], ")"))
	if len(inner) >= 2 && (inner[0] == '"' || inner[0] == '\'') {
		inner = strings.Trim(inner, inner[:1])
	}
	return cssUnescape(inner)
}

// cssUnescape resolves escapes in a string or URL (CSS Syntax, 4.3.7).
func cssUnescape(s string) string {
	if !strings.Contains(s, `\`) {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] != '\\' || i+1 == len(s) {
			b.WriteByte(s[i])
			continue
		}
		i++
		n, digits := rune(0), 0
		for digits < 6 && i < len(s) && strings.IndexByte("0123456789abcdefABCDEF", s[i]) >= 0 {
			n = n*16 + rune(hexValue(s[i]))
			i++
			digits++
		}
		switch {
		case digits > 0:
			b.WriteRune(n)
			if i < len(s) && s[i] != ' ' {
				i--
			}
		case s[i] == '\n':
		default:
			b.WriteByte(s[i])
		}
	}
	return b.String()
}

func hexValue(c byte) int {
	switch {
	case c <= '9':
		return int(c - '0')
	case c <= 'F':
		return int(c-'A') + 10
	}
	return int(c-'a') + 10
}
