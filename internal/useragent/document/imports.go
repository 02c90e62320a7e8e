package document

import (
	"encoding/json"
	"errors"
	"hash/maphash"
	"io"
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

// transformImports reads the tokens of a script (ECMAScript, 12) and replaces those of dynamic imports.
func transformImports(text, url string) string {
	quoted, _ := json.Marshal(url)
	lexer := js.NewLexer(parse.NewInputString(text))
	var out strings.Builder
	at, from := 0, 0
	var last js.TokenType      // but for white space and comments
	importAt, waiting := -1, 0 // after import: 1, after import and a dot: 2
	for {
		token, data := lexer.Next()
		if (token == js.DivToken || token == js.DivEqToken) && mayBeginExpression(last) {
			token, data = lexer.RegExp()
		}
		if token == js.ErrorToken {
			if !errors.Is(lexer.Err(), io.EOF) {
				return out.String() + transformPlainly(text[from:], url)
			}
			break
		}
		start := at
		at += len(data)
		switch token {
		case js.WhitespaceToken, js.LineTerminatorToken, js.CommentToken, js.CommentLineTerminatorToken:
			continue
		}
		switch {
		case token == js.ImportToken && last != js.DotToken && last != js.OptChainToken:
			importAt, waiting = start, 1
		case waiting == 1 && token == js.OpenParenToken:
			out.WriteString(text[from:importAt])
			out.WriteString("__tachyform_import(" + string(quoted) + ",")
			from, waiting = at, 0
		case waiting == 1 && token == js.DotToken:
			waiting = 2
		case waiting == 2 && string(data) == "meta":
			out.WriteString(text[from:importAt])
			out.WriteString("__tachyform_meta(" + string(quoted) + ")")
			from, waiting = at, 0
		default:
			waiting = 0
		}
		last = token
	}
	out.WriteString(text[from:])
	return out.String()
}

// mayBeginExpression says whether an expression, and so a regular expression, may stand after a token.
func mayBeginExpression(last js.TokenType) bool {
	switch last {
	case js.CloseParenToken, js.CloseBracketToken, js.CloseBraceToken, js.StringToken, js.TemplateToken, js.TemplateEndToken,
		js.RegExpToken, js.IncrToken, js.DecrToken, js.ThisToken, js.SuperToken, js.NullToken, js.TrueToken, js.FalseToken,
		js.PrivateIdentifierToken, js.MetaToken:
		return false
	}
	return !js.IsIdentifier(last) && !js.IsNumeric(last)
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
