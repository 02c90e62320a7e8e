package page

import (
	"bytes"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"

	"tachyform/internal/request"
	"tachyform/internal/selector"
	"tachyform/internal/textpos"
)

// Style is what a style sheet says as far as it makes requests: imports, font faces, and the rules that name pictures
// or fonts.
type Style struct {
	// Imports are asked for whatever the page looks like.
	Imports []Reference
	Faces   []FontFace
	Rules   []StyleRule
	// Variables are the custom properties, wherever they are declared; the last declaration counts.
	Variables map[string]string
	// loose are the pictures in values that only an element's custom properties complete, and in custom properties
	// themselves.
	loose []Reference
}

// FontFace is one @font-face rule (CSS Fonts, 4.1).
type FontFace struct {
	Family string // in lower case
	// Source is the first source whose format browsers show; its URL is "" when there is none to fetch.
	Source Reference
	// Ranges are the characters that it is for; none means all.
	Ranges [][2]rune
	// Weights are the least and the greatest that it is for.
	Weights [2]int
	Italic  bool
}

// StyleRule is a rule with the declarations that matter for requests.
type StyleRule struct {
	// Selector is as written, with nesting resolved.
	Selector string
	Declared []Declaration
}

// Declaration is what a rule says about a property: the pictures it names, the font families, or that the element is
// not shown.
type Declaration struct {
	// Property is the longhand, such as background-image.
	Property  string
	Important bool
	Pictures  []Reference
	Families  []string
	// Hidden tells of display: none, or of content that makes no box.
	Hidden bool
	// Colour is that of a background as written; "?" where a picture or a gradient lies over it.
	Colour string

	text   string // of content
	word   string // of display, visibility, text-transform and content-visibility
	weight int    // 1 to 1000, bolder or lighter, 0 for that of the parent
	italic bool
	// variable is a value that holds var(), with the place that its URLs start from.
	variable   string
	name       string
	from, base string
}

// Relative font weights.
const (
	bolder  = -1
	lighter = -2
)

// ParseStyle reads a style sheet. from is where the text stands, base what URLs resolve against.
func ParseStyle(from, base string, text []byte) *Style {
	return ParseStyleOn(Desktop, from, base, text)
}

// ParseStyleOn reads a style sheet for a screen: rules for others are left away.
func ParseStyleOn(screen Screen, from, base string, text []byte) *Style {
	p := newStyleParser(from, base, text)
	p.screen = screen
	p.rules("")
	return p.style
}

// parseDeclarations reads the content of a style attribute.
func parseDeclarations(from, base string, text []byte) []Declaration {
	p := newStyleParser(from, base, text)
	var rule StyleRule
	p.block(&rule)
	return rule.Declared
}

// All lists every request that the style sheet could make on some page.
func (s *Style) All() []Reference {
	refs := append([]Reference(nil), s.Imports...)
	for _, f := range s.Faces {
		if f.Source.URL != "" {
			refs = append(refs, f.Source)
		}
	}
	for _, r := range s.Rules {
		for _, d := range r.Declared {
			refs = append(refs, d.Pictures...)
		}
	}
	refs = append(refs, s.loose...)
	return refs
}

type styleToken struct {
	kind  css.TokenType
	data  string
	start int
}

type styleParser struct {
	from, base string
	pos        *textpos.Index
	tokens     []styleToken
	at         int
	style      *Style
	screen     Screen
	late       bool // a rule has come after which nothing is imported
	depth      int  // of blocks within each other
}

// mostDepth bounds how deep blocks are read within each other; those that are deeper are passed over.
const mostDepth = 64

// within reads a block whose brace was read, unless it is too deep.
func (p *styleParser) within(read func()) {
	if p.depth == mostDepth {
		p.passBlock()
		return
	}
	p.depth++
	read()
	p.depth--
}

func newStyleParser(from, base string, text []byte) *styleParser {
	p := &styleParser{from: from, base: base, pos: textpos.New(text), style: &Style{}, screen: Desktop}
	l := css.NewLexer(parse.NewInputBytes(bytes.Clone(text)))
	offset := 0
	for {
		kind, data := l.Next()
		if kind == css.ErrorToken {
			return p
		}
		if kind != css.CommentToken {
			p.tokens = append(p.tokens, styleToken{kind, string(data), offset})
		}
		offset += len(data)
	}
}

// prelude reads up to the block or semicolon that ends it (CSS Syntax, 5.4). end is '{', ';', '}' or 0 at the end of
// the text.
func (p *styleParser) prelude() (tokens []styleToken, end byte) {
	first := p.at
	depth := 0
	for ; p.at < len(p.tokens); p.at++ {
		switch p.tokens[p.at].kind {
		case css.LeftParenthesisToken, css.FunctionToken, css.LeftBracketToken:
			depth++
		case css.RightParenthesisToken, css.RightBracketToken:
			depth--
		case css.LeftBraceToken:
			// A custom property may hold a block.
			if depth <= 0 && !customProperty(p.tokens[first:p.at]) {
				p.at++
				return trimTokens(p.tokens[first : p.at-1]), '{'
			}
			p.skipBlock()
		case css.SemicolonToken:
			if depth <= 0 {
				p.at++
				return trimTokens(p.tokens[first : p.at-1]), ';'
			}
		case css.RightBraceToken:
			return trimTokens(p.tokens[first:p.at]), '}'
		}
	}
	return trimTokens(p.tokens[first:]), 0
}

func customProperty(tokens []styleToken) bool {
	tokens = trimTokens(tokens)
	return len(tokens) > 1 && (tokens[0].kind == css.CustomPropertyNameToken || strings.HasPrefix(tokens[0].data, "--")) &&
		tokens[1].kind == css.ColonToken
}

func trimTokens(t []styleToken) []styleToken {
	for len(t) > 0 && (t[0].kind == css.WhitespaceToken || t[0].kind == css.CDOToken || t[0].kind == css.CDCToken) {
		t = t[1:]
	}
	for len(t) > 0 && t[len(t)-1].kind == css.WhitespaceToken {
		t = t[:len(t)-1]
	}
	return t
}

// skipBlock passes over a block whose brace is the current token, up to its closing brace.
func (p *styleParser) skipBlock() {
	depth := 0
	for ; p.at < len(p.tokens); p.at++ {
		switch p.tokens[p.at].kind {
		case css.LeftBraceToken:
			depth++
		case css.RightBraceToken:
			if depth--; depth == 0 {
				return
			}
		}
	}
}

// passBlock passes over a block whose opening brace was read.
func (p *styleParser) passBlock() {
	p.at--
	p.skipBlock()
	p.at++
}

func text(tokens []styleToken) string {
	var b strings.Builder
	for _, t := range tokens {
		b.WriteString(t.data)
	}
	return strings.TrimSpace(b.String())
}

// rules reads a list of rules up to the closing brace or the end; outer is the selector around it.
func (p *styleParser) rules(outer string) {
	for p.at < len(p.tokens) {
		tokens, end := p.prelude()
		switch {
		case end == '}':
			p.at++
			return
		case len(tokens) > 0 && tokens[0].kind == css.AtKeywordToken:
			name := strings.ToLower(tokens[0].data)
			// Imports stand before all other rules, but for the order of layers (CSS Cascade 5, 2).
			p.late = p.late || end == '{' || name == "@namespace"
			p.atRule(tokens, end, outer)
		case end == '{':
			p.late = true
			p.within(func() { p.rule(nested(outer, text(tokens))) })
		}
	}
}

// rule reads the block of a style rule, with the rules nested in it (CSS Nesting).
func (p *styleParser) rule(selector string) {
	rule := StyleRule{Selector: selector}
	p.block(&rule)
	if len(rule.Declared) > 0 {
		p.style.Rules = append(p.style.Rules, rule)
	}
}

func (p *styleParser) block(rule *StyleRule) {
	for p.at < len(p.tokens) {
		tokens, end := p.prelude()
		switch {
		case len(tokens) > 0 && tokens[0].kind == css.AtKeywordToken:
			p.atRule(tokens, end, rule.Selector)
		case end == '{':
			p.within(func() { p.rule(nested(rule.Selector, text(tokens))) })
		default:
			rule.Declared = append(rule.Declared, p.declarations(tokens)...)
		}
		if end == '}' {
			p.at++
			return
		}
	}
}

// unknownSelector is one that no element is known to match, or not to match.
const unknownSelector = "?"

// nested resolves a selector inside another one. The text may double with each level; beyond a limit it is unknown.
func nested(outer, inner string) string {
	if outer == "" {
		return inner
	}
	if strings.Contains(outer, ",") {
		outer = ":is(" + outer + ")"
	}
	var parts []string
	for _, s := range selector.Split(inner) {
		if len(outer)*(1+strings.Count(s, "&"))+len(s) > mostText || len(parts) > mostOfList {
			return unknownSelector
		}
		if strings.Contains(s, "&") {
			parts = append(parts, strings.ReplaceAll(s, "&", outer))
		} else {
			parts = append(parts, outer+" "+s)
		}
	}
	return strings.Join(parts, ", ")
}

func (p *styleParser) atRule(tokens []styleToken, end byte, outer string) {
	name := strings.ToLower(strings.TrimPrefix(tokens[0].data, "@"))
	condition := text(tokens[1:])
	if end != '{' {
		if name == "import" && !p.late && outer == "" {
			p.importRule(tokens[1:])
		}
		return
	}
	switch name {
	case "media":
		if !p.screen.matches(condition) {
			p.passBlock()
			return
		}
		p.within(func() { p.inside(outer) })
	case "supports":
		if strings.HasPrefix(strings.ToLower(condition), "not ") {
			p.passBlock()
			return
		}
		p.within(func() { p.inside(outer) })
	case "layer", "container", "scope", "starting-style", "-moz-document", "document":
		p.within(func() { p.inside(outer) })
	case "font-face":
		p.fontFace()
	default: // keyframes, page, property and the like ask for nothing by themselves
		p.passBlock()
	}
}

// inside reads the block of a conditional rule: rules, or, inside a style rule, declarations.
func (p *styleParser) inside(outer string) {
	if outer == "" {
		p.rules("")
		return
	}
	p.rule(outer)
}

func (p *styleParser) importRule(tokens []styleToken) {
	refs := p.urls(tokens, Reference{Destination: request.Style, Mode: request.NoCORS, Credentials: "include"}, true)
	if len(refs) == 0 {
		return
	}
	for i, t := range tokens {
		if t.kind == css.URLToken || t.kind == css.StringToken {
			condition := text(tokens[i+1:])
			condition = strings.TrimSpace(strings.TrimPrefix(condition, ")"))
			if !strings.HasPrefix(condition, "layer") && !strings.HasPrefix(condition, "supports") {
				refs[0].Off = !p.screen.matches(condition)
			}
			break
		}
	}
	p.style.Imports = append(p.style.Imports, refs[0])
}

// urls gives what the url() functions, and with strings the strings, of a value refer to.
func (p *styleParser) urls(tokens []styleToken, kind Reference, withStrings bool) (refs []Reference) {
	set := false // inside image-set(), of which the first candidate is asked for on a plain screen
	setDone := false
	depth, setDepth := 0, 0
	function := ""
	add := func(ref string, at int) {
		if set && setDone {
			return
		}
		setDone = set
		if r, ok := p.reference(ref, at, kind); ok {
			refs = append(refs, r)
		}
	}
	for _, t := range tokens {
		switch t.kind {
		case css.FunctionToken:
			depth++
			function = strings.ToLower(strings.TrimSuffix(t.data, "("))
			if strings.HasSuffix(function, "image-set") {
				set, setDone, setDepth = true, false, depth
			}
		case css.LeftParenthesisToken:
			depth++
		case css.RightParenthesisToken:
			if set && depth == setDepth {
				set = false
			}
			depth--
			function = ""
			if set {
				function = "image-set"
			}
		case css.URLToken:
			add(urlTokenValue(t.data), t.start)
		case css.StringToken:
			if function == "url" || function == "src" || strings.HasSuffix(function, "image-set") || withStrings &&
				function == "" {
				add(stringValue(t.data), t.start)
			}
		}
	}
	return refs
}

func stringValue(token string) string { return cssUnescape(token[1:max(len(token)-1, 1)]) }

func (p *styleParser) reference(ref string, at int, r Reference) (Reference, bool) {
	if ref == "" || strings.HasPrefix(ref, "#") {
		return r, false
	}
	u, ok := Resolve(p.base, ref)
	if !ok {
		return r, false
	}
	r.URL, r.From = u, p.from
	r.Line, r.Column = p.pos.At(at)
	return r, true
}
