package document

import (
	"encoding/json"
	"errors"
	"hash/maphash"
	"io"
	"slices"
	"strings"
	"sync"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// transformed keeps scripts as the engine runs them, by address and text: pages of a site share them.
var (
	transformed     sync.Map
	transformedSeed = maphash.MakeSeed()
)

type transformedKey struct {
	url  string
	hash uint64
	size int
}

// transform gives a script that the engine can run: import() has to wait for the network, and import.meta to know its
// place, which the engine can't by itself. What stands in texts and comments stays as it is.
func transform(text, url string) string {
	if !strings.Contains(text, "import") {
		return text
	}
	key := transformedKey{url, maphash.String(transformedSeed, text), len(text)}
	if v, ok := transformed.Load(key); ok {
		return v.(string)
	}
	out := transformImports(text, url)
	transformed.Store(key, out)
	return out
}

// transformImports reads the tokens of a script (ECMAScript, 12) and replaces those of dynamic imports: what stands in texts, comments
// and regular expressions, and members and methods of that name, stay as they are.
func transformImports(text, url string) string {
	quoted, _ := json.Marshal(url)
	r := importReader{call: "__tachyform_import(" + string(quoted) + ",", meta: "__tachyform_meta(" + string(quoted) + ")"}
	lexer := js.NewLexer(parse.NewInputString(text))
	at := 0
	for {
		token, data := lexer.Next()
		if (token == js.DivToken || token == js.DivEqToken) && r.mayBeginExpression() {
			token, data = lexer.RegExp()
		}
		if token == js.ErrorToken {
			if !errors.Is(lexer.Err(), io.EOF) {
				return r.replaced(text[:at]) + transformPlainly(text[at:], url)
			}
			return r.replaced(text)
		}
		start := at
		at += len(data)
		switch token {
		case js.WhitespaceToken, js.LineTerminatorToken, js.CommentToken, js.CommentLineTerminatorToken:
			continue
		}
		r.read(token, string(data), start, at)
	}
}

// bracket is one that is open.
type bracket struct {
	token js.TokenType
	// before is the token in front of it.
	before js.TokenType
	// holds is what stands between braces.
	holds braces
	// method is the replacement of a word import in front of it, which may be the name of a method, nil for none.
	method *replacement
}

// braces is what braces hold.
type braces int

const (
	statements braces = iota
	members           // of a class
	properties        // of an object
	unsure            // statements or properties
)

// replacement is a part of the text that is replaced.
type replacement struct {
	from, to int
	by       string
}

// importReader finds dynamic imports among tokens.
type importReader struct {
	call, meta string

	open         []bracket
	last, before js.TokenType // the last two tokens
	lastText     string
	// closed is the bracket that was closed last; class is how many brackets were open at the last word class that still waits for
	// its braces, -1 for none.
	closed bracket
	class  []int
	// importAt is where a word import stands that may be a dynamic import: dots is 1 right behind it, 2 behind a dot after it.
	importAt, dots int
	// perhaps is the replacement of a call that is none if braces follow.
	perhaps *replacement
	found   []replacement
}

func (r *importReader) innermost() bracket {
	if len(r.open) == 0 {
		return bracket{}
	}
	return r.open[len(r.open)-1]
}

// read takes the next token.
func (r *importReader) read(token js.TokenType, text string, start, end int) {
	if r.perhaps != nil {
		if token != js.OpenBraceToken {
			r.found = append(r.found, *r.perhaps)
		}
		r.perhaps = nil
	}
	isMember := r.last == js.DotToken || r.last == js.OptChainToken
	var method *replacement
	switch {
	case token == js.ImportToken && !isMember:
		r.importAt, r.dots = start, 1
		r.before, r.last, r.lastText = r.last, token, text
		return
	case r.dots == 1 && token == js.OpenParenToken:
		if r.mayNameMethod() {
			method = &replacement{r.importAt, end, r.call}
		} else {
			r.found = append(r.found, replacement{r.importAt, end, r.call})
		}
	case r.dots == 1 && token == js.DotToken:
		r.dots = 2
		r.before, r.last, r.lastText = r.last, token, text
		return
	case r.dots == 2 && text == "meta":
		r.found = append(r.found, replacement{r.importAt, end, r.meta})
	}
	r.dots = 0
	switch token {
	case js.ClassToken:
		if !isMember {
			r.class = append(r.class, len(r.open))
		}
	case js.OpenParenToken, js.OpenBracketToken, js.TemplateStartToken:
		r.open = append(r.open, bracket{token: token, before: r.last, method: method})
	case js.OpenBraceToken:
		r.open = append(r.open, bracket{token: token, before: r.last, holds: r.braces()})
	case js.CloseParenToken, js.CloseBracketToken, js.CloseBraceToken, js.TemplateEndToken:
		if len(r.open) == 0 {
			break
		}
		r.closed = r.innermost()
		r.open = r.open[:len(r.open)-1]
		if token == js.CloseParenToken {
			r.perhaps = r.closed.method
		}
	}
	r.before, r.last, r.lastText = r.last, token, text
}

// mayNameMethod says whether the word import, which was the last token, may be the name of a method (ECMAScript, 13.2.5 and 15.7): behind
// what may stand before a name between braces that hold members or properties.
func (r *importReader) mayNameMethod() bool {
	in := r.innermost()
	if in.token != js.OpenBraceToken || in.holds == statements {
		return false
	}
	switch r.before {
	case js.OpenBraceToken, js.CommaToken, js.SemicolonToken, js.CloseBraceToken, js.MulToken, js.StaticToken, js.AsyncToken, js.GetToken, js.SetToken:
		return true
	}
	return false
}

// braces says what the braces hold that come next.
func (r *importReader) braces() braces {
	if n := len(r.class); n > 0 && r.class[n-1] == len(r.open) {
		r.class = r.class[:n-1]
		return members
	}
	switch r.last {
	case js.ColonToken:
		if in := r.innermost(); in.token == js.OpenBraceToken && in.holds == statements {
			return unsure
		}
		return properties
	case js.CloseParenToken, js.SemicolonToken, js.OpenBraceToken, js.CloseBraceToken, js.ArrowToken, js.ElseToken, js.DoToken, js.TryToken,
		js.FinallyToken, js.StaticToken, js.ErrorToken:
		return statements
	}
	if js.IsIdentifier(r.last) {
		return statements
	}
	return properties
}

// mayBeginExpression says whether an expression, and so a regular expression, may stand next.
func (r *importReader) mayBeginExpression() bool {
	switch r.last {
	case js.CloseParenToken:
		return isControl(r.closed.before)
	case js.CloseBracketToken, js.CloseBraceToken, js.StringToken, js.TemplateToken, js.TemplateEndToken,
		js.RegExpToken, js.IncrToken, js.DecrToken, js.ThisToken, js.SuperToken, js.NullToken, js.TrueToken, js.FalseToken,
		js.PrivateIdentifierToken, js.MetaToken:
		return false
	}
	return !js.IsIdentifier(r.last) && !js.IsNumeric(r.last)
}

// isControl says whether parentheses behind a word hold the condition of a statement.
func isControl(word js.TokenType) bool {
	return word == js.IfToken || word == js.WhileToken || word == js.ForToken || word == js.WithToken
}

// replaced gives the text with its replacements.
func (r *importReader) replaced(text string) string {
	if r.perhaps != nil {
		r.found = append(r.found, *r.perhaps)
	}
	for _, b := range r.open {
		if b.method != nil {
			r.found = append(r.found, *b.method)
		}
	}
	slices.SortFunc(r.found, func(a, b replacement) int { return a.from - b.from })
	var b strings.Builder
	from := 0
	for _, f := range r.found {
		b.WriteString(text[from:f.from])
		b.WriteString(f.by)
		from = f.to
	}
	b.WriteString(text[from:])
	return b.String()
}

// transformPlainly does the same by the text alone, for what the tokens cannot be told of.
func transformPlainly(text, url string) string {
	const word = "import"
	quoted, _ := json.Marshal(url)
	var out strings.Builder
	from := 0
	for at := 0; ; {
		next := strings.Index(text[at:], word)
		if next < 0 {
			break
		}
		start := at + next
		at = start + len(word)
		if start > 0 && (isNamePart(text[start-1]) || strings.IndexByte("\"'`", text[start-1]) >= 0) {
			continue // part of a name, or the beginning of a string
		}
		rest := strings.TrimLeft(text[at:], " \t\r\n")
		end := len(text) - len(rest)
		replacement := ""
		switch {
		case strings.HasPrefix(rest, "("):
			replacement, end = "__tachyform_import("+string(quoted)+",", end+1
		case strings.HasPrefix(rest, "."):
			rest = strings.TrimLeft(rest[1:], " \t\r\n")
			if !strings.HasPrefix(rest, "meta") || len(rest) > 4 && isNamePart(rest[4]) && rest[4] != '.' {
				continue
			}
			replacement, end = "__tachyform_meta("+string(quoted)+")", len(text)-len(rest)+4
		default:
			continue
		}
		out.WriteString(text[from:start])
		out.WriteString(replacement)
		from, at = end, end
	}
	out.WriteString(text[from:])
	return out.String()
}

// isNamePart says whether a character before or behind a word makes it part of another one.
func isNamePart(c byte) bool {
	return c == '_' || c == '$' || c == '.' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' ||
		c >= 0x80
}
