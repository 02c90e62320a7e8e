package page

import (
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
)

// kleene is what a condition comes to in the three-valued logic of Media Queries 4, 3.1: a feature that is not known
// makes it neither true nor false.
type kleene int8

const (
	isFalse kleene = iota - 1
	isUnknown
	isTrue
)

func kleeneOf(b bool) kleene {
	if b {
		return isTrue
	}
	return isFalse
}

// Limits of a media query list, in bytes, and of brackets within each other. A condition that is deeper is unknown.
const (
	mostQuery    = 64 << 10
	mostBrackets = 64
)

// matches evaluates a media query list (Media Queries 4, 3) for a page in light colours.
func (s Screen) matches(query string) bool {
	if len(query) > mostQuery {
		return false
	}
	tokens := lowerTokens(query)
	if len(trimTokens(tokens)) == 0 {
		return true
	}
	for _, one := range splitTokens(tokens, css.CommaToken) {
		m := mediaQuery{screen: s, tokens: trimTokens(one)}
		if result, ok := m.query(); ok && m.at == len(m.tokens) && result == isTrue {
			return true
		}
	}
	return false
}

// lowerTokens gives the tokens of a text in lower case, without comments.
func lowerTokens(text string) (tokens []styleToken) {
	l := css.NewLexer(parse.NewInputString(strings.ToLower(text)))
	for {
		kind, data := l.Next()
		if kind == css.ErrorToken {
			return tokens
		}
		if kind != css.CommentToken {
			tokens = append(tokens, styleToken{kind: kind, data: string(data)})
		}
	}
}

// splitTokens splits at tokens of a kind that stand in no brackets.
func splitTokens(tokens []styleToken, at css.TokenType) (parts [][]styleToken) {
	first, depth := 0, 0
	for i, t := range tokens {
		switch t.kind {
		case css.LeftParenthesisToken, css.FunctionToken, css.LeftBracketToken, css.LeftBraceToken:
			depth++
		case css.RightParenthesisToken, css.RightBracketToken, css.RightBraceToken:
			depth--
		case at:
			if depth == 0 {
				parts = append(parts, tokens[first:i])
				first = i + 1
			}
		}
	}
	return append(parts, tokens[first:])
}

// mediaQuery reads one media query. What is no media query is none that matches (Media Queries 4, 3.2).
type mediaQuery struct {
	screen Screen
	tokens []styleToken
	at     int
	depth  int
}

func (m *mediaQuery) space() (found bool) {
	for ; m.at < len(m.tokens) && m.tokens[m.at].kind == css.WhitespaceToken; m.at++ {
		found = true
	}
	return found
}

// peek gives the word at the current place, "" for anything else.
func (m *mediaQuery) peek() string {
	if m.at < len(m.tokens) && m.tokens[m.at].kind == css.IdentToken {
		return m.tokens[m.at].data
	}
	return ""
}

// query reads a <media-query>.
func (m *mediaQuery) query() (result kleene, ok bool) {
	word, start := m.peek(), m.at
	if word == "" {
		return m.condition(true)
	}
	m.at++
	if word == "not" || word == "only" {
		if !m.space() {
			return 0, false
		}
		kind := m.peek()
		if kind == "" {
			if word == "only" {
				return 0, false
			}
			m.at = start
			return m.condition(true)
		}
		m.at++
		return m.ofType(kind, word == "not")
	}
	return m.ofType(word, false)
}

// ofType reads what follows a <media-type>.
func (m *mediaQuery) ofType(kind string, negated bool) (result kleene, ok bool) {
	if slices.Contains([]string{"not", "only", "and", "or", "layer"}, kind) {
		return 0, false
	}
	result = kleeneOf(kind == "all" || kind == "screen")
	if m.space() && m.at < len(m.tokens) {
		if m.peek() != "and" {
			return 0, false
		}
		m.at++
		if !m.space() {
			return 0, false
		}
		more, ok := m.condition(false)
		if !ok {
			return 0, false
		}
		result = min(result, more)
	}
	if negated {
		result = -result
	}
	return result, true
}

// condition reads a <media-condition>, or with or false a <media-condition-without-or>.
func (m *mediaQuery) condition(or bool) (result kleene, ok bool) {
	if m.peek() == "not" {
		m.at++
		if !m.space() {
			return 0, false
		}
		result, ok = m.inParens()
		return -result, ok
	}
	if result, ok = m.inParens(); !ok {
		return 0, false
	}
	joined := ""
	for {
		before := m.at
		m.space()
		word := m.peek()
		if word != "and" && word != "or" || joined != "" && word != joined || word == "or" && !or {
			m.at = before
			return result, true
		}
		joined = word
		m.at++
		if !m.space() {
			return 0, false
		}
		next, ok := m.inParens()
		if !ok {
			return 0, false
		}
		if word == "and" {
			result = min(result, next)
		} else {
			result = max(result, next)
		}
	}
}

// inParens reads a <media-in-parens>: a condition, a feature, or what is neither and may mean something some day.
func (m *mediaQuery) inParens() (kleene, bool) {
	if m.at >= len(m.tokens) {
		return 0, false
	}
	kind := m.tokens[m.at].kind
	if kind != css.LeftParenthesisToken && kind != css.FunctionToken {
		return 0, false
	}
	depth, end := 1, m.at+1
	for ; end < len(m.tokens) && depth > 0; end++ {
		switch m.tokens[end].kind {
		case css.LeftParenthesisToken, css.FunctionToken, css.LeftBracketToken:
			depth++
		case css.RightParenthesisToken, css.RightBracketToken:
			depth--
		}
	}
	inside := m.tokens[m.at+1 : end]
	if depth == 0 {
		inside = inside[:len(inside)-1] // else the end of the text closes it
	}
	m.at = end
	if kind == css.FunctionToken {
		return isUnknown, true
	}
	inside = trimTokens(inside)
	if m.depth == mostBrackets {
		return isUnknown, true
	}
	nested := mediaQuery{screen: m.screen, tokens: inside, depth: m.depth + 1}
	if result, ok := nested.condition(true); ok && nested.at == len(inside) {
		return result, true
	}
	return m.screen.featureHolds(inside), true
}

// featureHolds evaluates a <media-feature>: a name, a name and a value, or a range.
func (s Screen) featureHolds(tokens []styleToken) kleene {
	parts := withoutSpace(tokens)
	name := func(t styleToken) string {
		if t.kind == css.IdentToken {
			return t.data
		}
		return ""
	}
	if len(parts) == 0 {
		return isUnknown
	}
	if len(parts) == 1 || parts[1].kind == css.ColonToken {
		word := name(parts[0])
		if word == "" {
			return isUnknown
		}
		if len(parts) == 1 {
			return s.boolean(word)
		}
		op := "="
		for _, bound := range []struct{ prefix, op string }{{"min-", ">="}, {"max-", "<="}, {"-webkit-min-", ">="},
			{"-webkit-max-", "<="}} {
			if rest, is := strings.CutPrefix(word, bound.prefix); is {
				if strings.HasPrefix(bound.prefix, "-webkit-") {
					rest = "-webkit-" + rest
				}
				if !s.feature(rest).isRange || bound.prefix[0] != '-' && rest[0] == '-' {
					return isUnknown
				}
				word, op = rest, bound.op
				break
			}
		}
		return s.compared(word, op, parts[2:])
	}
	// A range: one or two comparisons.
	var values [][]styleToken
	var ops []string
	first := 0
	for i := 0; i < len(parts); i++ {
		op := ""
		if parts[i].kind == css.DelimToken && strings.Contains("<>=", parts[i].data) {
			op = parts[i].data
		}
		if op == "" {
			continue
		}
		values = append(values, parts[first:i])
		if op != "=" && i+1 < len(parts) && parts[i+1].kind == css.DelimToken && parts[i+1].data == "=" &&
			adjacent(tokens, parts[i]) {
			op += "="
			i++
		}
		ops = append(ops, op)
		first = i + 1
	}
	values = append(values, parts[first:])
	flip := map[string]string{"<": ">", "<=": ">=", ">": "<", ">=": "<=", "=": "="}
	feature := func(i int) string {
		if len(values[i]) == 1 {
			if word := name(values[i][0]); s.feature(word).isRange && !strings.HasPrefix(word, "-webkit-") {
				return word
			}
		}
		return ""
	}
	switch {
	case len(ops) == 1 && feature(0) != "":
		return s.compared(feature(0), ops[0], values[1])
	case len(ops) == 1 && feature(1) != "":
		return s.compared(feature(1), flip[ops[0]], values[0])
	case len(ops) == 2 && feature(1) != "" && ops[0][0] == ops[1][0] && ops[0] != "=":
		return min(s.compared(feature(1), flip[ops[0]], values[0]), s.compared(feature(1), ops[1], values[2]))
	}
	return isUnknown
}

func withoutSpace(tokens []styleToken) (parts []styleToken) {
	for _, t := range tokens {
		if t.kind != css.WhitespaceToken {
			parts = append(parts, t)
		}
	}
	return parts
}

// adjacent says whether nothing stands between a sign and the next.
func adjacent(tokens []styleToken, sign styleToken) bool {
	for i, t := range tokens {
		if t == sign && i+1 < len(tokens) {
			return tokens[i+1].kind == css.DelimToken && tokens[i+1].data == "="
		}
	}
	return false
}

// mediaValue is what a screen has for a feature.
type mediaValue struct {
	// isRange tells that the feature is a number that is compared; unit is px, dppx, ratio or none.
	isRange bool
	number  float64
	unit    string
	// word is the keyword that holds, words all that there are.
	word  string
	words []string
}

// feature gives what the screen has for a feature of Media Queries 4 and 5; its zero value for one that is not known.
func (s Screen) feature(name string) mediaValue {
	word := func(is string, words ...string) mediaValue { return mediaValue{word: is, words: append(words, is)} }
	number := func(n float64, unit string) mediaValue { return mediaValue{isRange: true, number: n, unit: unit} }
	switch name {
	case "width", "device-width":
		return number(s.Width, "px")
	case "height", "device-height":
		return number(s.Height, "px")
	case "aspect-ratio", "device-aspect-ratio":
		return number(s.Width/s.Height, "ratio")
	case "resolution":
		return number(s.Density, "dppx")
	case "-webkit-device-pixel-ratio":
		return number(s.Density, "")
	case "color":
		return number(8, "")
	case "color-index", "monochrome":
		return number(0, "")
	case "horizontal-viewport-segments", "vertical-viewport-segments":
		return number(1, "")
	case "grid":
		return word("0", "1")
	case "-webkit-transform-3d":
		return word("1", "0")
	case "orientation":
		if s.Width > s.Height {
			return word("landscape", "portrait")
		}
		return word("portrait", "landscape")
	case "hover", "any-hover":
		if s.Touch {
			return word("none", "hover")
		}
		return word("hover", "none")
	case "pointer", "any-pointer":
		if s.Touch {
			return word("coarse", "none", "fine")
		}
		return word("fine", "none", "coarse")
	case "update":
		return word("fast", "none", "slow")
	case "overflow-block":
		return word("scroll", "none", "paged")
	case "overflow-inline":
		return word("scroll", "none")
	case "color-gamut":
		return word("srgb", "p3", "rec2020")
	case "dynamic-range":
		return word("standard", "high")
	case "scripting":
		return word("enabled", "none", "initial-only")
	case "display-mode":
		if s.Installed {
			return word("standalone", "browser", "minimal-ui", "fullscreen", "window-controls-overlay", "picture-in-picture")
		}
		return word("browser", "standalone", "minimal-ui", "fullscreen", "window-controls-overlay", "picture-in-picture")
	case "device-posture":
		return word("continuous", "folded")
	case "prefers-color-scheme":
		return word("light", "dark")
	case "prefers-reduced-motion", "prefers-reduced-transparency":
		return word("no-preference", "reduce")
	case "prefers-contrast":
		return word("no-preference", "more", "less", "custom")
	case "forced-colors":
		return word("none", "active")
	}
	return mediaValue{}
}

// boolean evaluates a feature that is named alone: whether it is neither zero nor none.
func (s Screen) boolean(name string) kleene {
	v := s.feature(name)
	switch {
	case v.isRange:
		return kleeneOf(v.number != 0)
	case v.word == "":
		return isUnknown
	}
	return kleeneOf(v.word != "none" && v.word != "no-preference" && v.word != "0")
}

// compared evaluates a feature against a value.
func (s Screen) compared(name, op string, value []styleToken) kleene {
	v := s.feature(name)
	if !v.isRange {
		if len(value) != 1 || !slices.Contains(v.words, value[0].data) {
			return isUnknown
		}
		return kleeneOf(v.word == value[0].data)
	}
	n, ok := s.amount(value, v.unit)
	if !ok {
		return isUnknown
	}
	have := v.number
	if v.unit == "ratio" || v.unit == "dppx" || v.unit == "px" {
		// Fractions that came out of a division are the same where nobody could see the difference.
		if math.Abs(have-n) < 1e-6 {
			have = n
		}
	}
	switch op {
	case "<":
		return kleeneOf(have < n)
	case "<=":
		return kleeneOf(have <= n)
	case ">":
		return kleeneOf(have > n)
	case ">=":
		return kleeneOf(have >= n)
	}
	return kleeneOf(have == n)
}

// amount reads a value of a unit.
func (s Screen) amount(value []styleToken, unit string) (float64, bool) {
	plain := func(t styleToken) (float64, bool) {
		if t.kind != css.NumberToken {
			return 0, false
		}
		n, err := strconv.ParseFloat(t.data, 64)
		return n, err == nil
	}
	switch unit {
	case "ratio":
		if len(value) == 3 && value[1].kind == css.DelimToken && value[1].data == "/" {
			a, ok1 := plain(value[0])
			b, ok2 := plain(value[2])
			if !ok1 || !ok2 || a < 0 || b < 0 {
				return 0, false
			}
			if b == 0 {
				return math.Inf(1), true
			}
			return a / b, true
		}
		if len(value) == 1 {
			n, ok := plain(value[0])
			return n, ok && n >= 0
		}
		return 0, false
	}
	if unit == "px" && len(value) > 1 {
		return s.calculated(value)
	}
	if len(value) != 1 {
		return 0, false
	}
	switch unit {
	case "px":
		if n, ok := plain(value[0]); ok {
			return 0, n == 0 // zero needs no unit
		}
		return s.length(value[0].data)
	case "dppx":
		for _, u := range []struct {
			unit  string
			scale float64
		}{{"dppx", 1}, {"dpi", 1.0 / 96}, {"dpcm", 2.54 / 96}, {"x", 1}} {
			if text, is := strings.CutSuffix(value[0].data, u.unit); is {
				n, err := strconv.ParseFloat(text, 64)
				return n * u.scale, err == nil
			}
		}
		return 0, false
	}
	return plain(value[0])
}

// calculated gives the pixels of a calc() (CSS Values 4, 10) of lengths and numbers, without its white space.
func (s Screen) calculated(tokens []styleToken) (pixels float64, ok bool) {
	c := calculation{screen: s, tokens: tokens}
	v, ok := c.factor()
	return v.n, ok && v.length && c.at == len(tokens)
}

// calculation reads the inside of calc().
type calculation struct {
	screen Screen
	tokens []styleToken
	at     int
}

// calculatedValue is a number, or a length in pixels.
type calculatedValue struct {
	n      float64
	length bool
}

// sign gives the operator at the current place and passes over it, if it is one of some.
func (c *calculation) sign(of string) byte {
	if c.at < len(c.tokens) && c.tokens[c.at].kind == css.DelimToken && strings.Contains(of, c.tokens[c.at].data) {
		c.at++
		return c.tokens[c.at-1].data[0]
	}
	return 0
}

func (c *calculation) sum() (v calculatedValue, ok bool) {
	v, ok = c.product()
	for ok {
		sign := c.sign("+-")
		if sign == 0 {
			return v, true
		}
		var w calculatedValue
		if w, ok = c.product(); w.length != v.length {
			return v, false
		}
		if sign == '-' {
			w.n = -w.n
		}
		v.n += w.n
	}
	return v, ok
}

func (c *calculation) product() (v calculatedValue, ok bool) {
	v, ok = c.factor()
	for ok {
		sign := c.sign("*/")
		if sign == 0 {
			return v, true
		}
		var w calculatedValue
		w, ok = c.factor()
		switch {
		case sign == '*' && v.length && w.length, sign == '/' && (w.length || w.n == 0):
			return v, false
		case sign == '*':
			v = calculatedValue{v.n * w.n, v.length || w.length}
		default:
			v.n /= w.n
		}
	}
	return v, ok
}

func (c *calculation) factor() (v calculatedValue, ok bool) {
	if c.at == len(c.tokens) {
		return v, false
	}
	t := c.tokens[c.at]
	c.at++
	switch {
	case t.kind == css.NumberToken:
		n, err := strconv.ParseFloat(t.data, 64)
		return calculatedValue{n: n}, err == nil
	case t.kind == css.DimensionToken:
		n, ok := c.screen.length(t.data)
		return calculatedValue{n, true}, ok
	case t.kind == css.LeftParenthesisToken, t.kind == css.FunctionToken && t.data == "calc(":
		if v, ok = c.sum(); !ok || c.at == len(c.tokens) || c.tokens[c.at].kind != css.RightParenthesisToken {
			return v, false
		}
		c.at++
		return v, true
	}
	return v, false
}
