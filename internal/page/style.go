package page

import (
	"bytes"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
)

// ParseStyle reads a style sheet or a style attribute and gives the requests it makes: imports, pictures and,
// of each font face, the first source whose format browsers show. from is where the text stands, base what URLs resolve against.
func ParseStyle(from, base string, text []byte) []Reference {
	s := &styleReader{from: from, base: base, pos: &position{text: text}}
	s.read(text)
	return s.refs
}

type styleReader struct {
	from, base string
	pos        *position
	refs       []Reference

	atRule   string // name of the at-rule whose prelude is being read
	fontFace int    // nesting depth at which an @font-face block began, 0 outside
	depth    int
	srcDone  bool // the current src declaration of a font face has its source
	pending  string
	pendAt   int
	property string
	function string
}

func (s *styleReader) read(text []byte) {
	l := css.NewLexer(parse.NewInputBytes(bytes.Clone(text)))
	offset := 0
	previous := css.ErrorToken
	var word string
	for {
		kind, data := l.Next()
		if kind == css.ErrorToken {
			s.flush()
			return
		}
		start := offset
		offset += len(data)
		switch kind {
		case css.WhitespaceToken, css.CommentToken:
			continue
		case css.AtKeywordToken:
			s.atRule = strings.ToLower(string(data[1:]))
		case css.IdentToken:
			word = strings.ToLower(string(data))
		case css.ColonToken:
			if previous == css.IdentToken {
				s.property = word
				s.srcDone = false
			}
		case css.LeftBraceToken:
			s.depth++
			if s.atRule == "font-face" {
				s.fontFace = s.depth
			}
			s.atRule, s.property = "", ""
		case css.RightBraceToken:
			s.flush()
			if s.depth == s.fontFace {
				s.fontFace = 0
			}
			s.depth--
			s.property = ""
		case css.SemicolonToken:
			s.flush()
			s.atRule, s.property = "", ""
		case css.CommaToken:
			if s.fontFace > 0 {
				s.flush()
			}
		case css.FunctionToken:
			s.function = strings.ToLower(strings.TrimSuffix(string(data), "("))
		case css.RightParenthesisToken:
			s.function = ""
		case css.URLToken:
			s.found(urlTokenValue(string(data)), start)
		case css.StringToken:
			value := cssUnescape(string(data[1:max(len(data)-1, 1)]))
			switch {
			case s.function == "url" || s.function == "src":
				s.found(value, start)
			case s.atRule == "import" || strings.HasSuffix(s.function, "image-set"):
				s.found(value, start)
			case s.function == "format":
				s.format(value)
			}
		}
		if kind == css.IdentToken && s.function == "format" {
			s.format(word)
		}
		previous = kind
	}
}

func (s *styleReader) found(ref string, at int) {
	if s.fontFace > 0 {
		s.pending, s.pendAt = ref, at
		return
	}
	if s.atRule != "" && s.atRule != "import" {
		return // @namespace, @document and the like fetch nothing
	}
	r := Reference{Destination: "image", Mode: "no-cors", Credentials: "include"}
	if s.atRule == "import" {
		r.Destination = "style"
		s.atRule = "imported"
	} else if strings.HasSuffix(s.function, "image-set") || s.property == "behavior" {
		// Of a set only the first candidate is asked for on a plain screen.
		if s.srcDone {
			return
		}
		s.srcDone = true
	}
	s.emit(ref, at, r)
}

// format drops a font source that browsers do not show.
func (s *styleReader) format(name string) {
	switch strings.ToLower(name) {
	case "woff2", "woff", "truetype", "opentype", "woff2-variations", "woff-variations", "truetype-variations", "opentype-variations", "collection":
	default:
		s.pending = ""
	}
}

// flush takes the font source read last, unless an earlier one of the same declaration was taken.
func (s *styleReader) flush() {
	if s.pending != "" && !s.srcDone {
		s.emit(s.pending, s.pendAt, Reference{Destination: "font", Mode: "cors", Credentials: "same-origin"})
		s.srcDone = true
	}
	s.pending = ""
}

func (s *styleReader) emit(ref string, at int, r Reference) {
	if ref == "" || strings.HasPrefix(ref, "#") {
		return
	}
	u, ok := Resolve(s.base, ref)
	if !ok {
		return
	}
	r.URL, r.From = u, s.from
	r.Line, r.Column = s.pos.at(at)
	s.refs = append(s.refs, r)
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
