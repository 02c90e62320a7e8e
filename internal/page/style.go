package page

import (
	"bytes"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"

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
			p.rule(nested(outer, text(tokens)))
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
			p.rule(nested(rule.Selector, text(tokens)))
		default:
			rule.Declared = append(rule.Declared, p.declarations(tokens)...)
		}
		if end == '}' {
			p.at++
			return
		}
	}
}

// nested resolves a selector inside another one.
func nested(outer, inner string) string {
	if outer == "" {
		return inner
	}
	if strings.Contains(outer, ",") {
		outer = ":is(" + outer + ")"
	}
	var parts []string
	for _, s := range splitSelectors(inner) {
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
		p.inside(outer)
	case "supports":
		if strings.HasPrefix(strings.ToLower(condition), "not ") {
			p.passBlock()
			return
		}
		p.inside(outer)
	case "layer", "container", "scope", "starting-style", "-moz-document", "document":
		p.inside(outer)
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
	refs := p.urls(tokens, Reference{Destination: "style", Mode: "no-cors", Credentials: "include"}, true)
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
var picture = Reference{Destination: "image", Mode: "no-cors", Credentials: "include"}

// value reads the value of a property.
func (p *styleParser) value(name string, value []styleToken) []Declaration {
	long := pictureProperties[name]
	switch name {
	case "font", "font-family", "font-weight", "font-style", "display", "background-color":
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
	case "display":
		d.Hidden = strings.HasPrefix(written, "none")
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
		if refs := p.urls(part, Reference{Destination: "font", Mode: "cors", Credentials: "same-origin"},
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
