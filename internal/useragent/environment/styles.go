package environment

import (
	"encoding/json"
	"regexp"
	"strings"
	"sync"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
)

// Rules of style sheets (CSS Syntax 3, 5.4), as the environment takes them: told apart here, once for all pages that
// use the same sheet; declarations are read by the environment, when an element matches.

// styleRule is a rule as it goes into the engine: its selector, null for an at-rule that styles no element; what stands
// between its braces; the media query that it stands under; and of such an at-rule all its text. Then the selectors of its
// list, each followed by what an element has for certain that matches it, unless this takes a parser of selectors.
type styleRule struct {
	selector, block, media, whole *string
	parts                         []string
}

func (r styleRule) MarshalJSON() ([]byte, error) {
	return json.Marshal([]any{r.selector, r.block, r.media, r.whole, r.parts})
}

var styleOperations = operations{
	"css.rules": plain(func(_ *Realm, args arguments) (any, error) { return styleSheets.rules(args.text(0)), nil }),
}

// keptSheets is how many bytes of style sheets are kept with their rules.
const keptSheets = 8 << 20

var styleSheets sheetCache

// sheetCache keeps the rules of style sheets by their text.
type sheetCache struct {
	mu    sync.Mutex
	known map[string]string
	bytes int
}

func (c *sheetCache) rules(text string) string {
	c.mu.Lock()
	out, known := c.known[text]
	c.mu.Unlock()
	if known {
		return out
	}
	list := styleRules(text, "", 0)
	if list == nil {
		list = []styleRule{}
	}
	encoded, err := json.Marshal(list)
	if err != nil {
		return "[]"
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.bytes += len(text) + len(encoded); c.known == nil || c.bytes > keptSheets {
		c.known, c.bytes = map[string]string{}, len(text)+len(encoded)
	}
	c.known[text] = string(encoded)
	return string(encoded)
}

var atRule = regexp.MustCompile(`(?s)^@([-\w]+)\s*(.*)$`)

// mostGroups bounds how deep conditional groups are read within each other.
const mostGroups = 64

// styleRules are the rules of a text under a media query, those in conditional groups among them, in order.
func styleRules(text, media string, depth int) (rules []styleRule) {
	if depth > mostGroups {
		return nil
	}
	for _, r := range qualifiedRules(text) {
		at := atRule.FindStringSubmatch(r.prelude)
		switch {
		case at == nil:
			rule := styleRule{selector: &r.prelude, block: &r.block, parts: selectorKeys(r.prelude)}
			if media != "" {
				rule.media = &media
			}
			rules = append(rules, rule)
		case at[1] == "media":
			condition := at[2]
			if media != "" {
				condition = media + " and " + condition
			}
			rules = append(rules, styleRules(r.block, condition, depth+1)...)
		case at[1] == "supports", at[1] == "layer", at[1] == "container", at[1] == "scope":
			rules = append(rules, styleRules(r.block, media, depth+1)...)
		default:
			whole := r.prelude + " {" + r.block + "}"
			rules = append(rules, styleRule{whole: &whole})
		}
	}
	return rules
}

// selectorKeys are the selectors of a list, each followed by the id, the class or the name that an element needs to match it, * where nothing is
// certain; nil where one has escapes, or brackets that do not close.
func selectorKeys(list string) (parts []string) {
	if strings.Contains(list, `\`) {
		return nil
	}
	from, last, depth, quote := 0, 0, 0, byte(0)
	end := func(to int) {
		if text := strings.TrimSpace(list[from:to]); text != "" {
			parts = append(parts, text, compoundKey(list[last:to]))
		}
	}
	for i := 0; i < len(list); i++ {
		switch c := list[i]; {
		case c == quote:
			quote = 0
		case quote != 0 && strings.IndexByte("()[],", c) >= 0:
			return nil // what follows would not be told apart from the selector's own
		case quote != 0:
		case c == '"' || c == '\'':
			quote = c
		case c == '(' || c == '[':
			depth++
		case c == ')' || c == ']':
			depth--
		case depth > 0:
		case c == ',':
			end(i)
			from, last = i+1, i+1
		case c == '>' || c == '+' || c == '~':
			last = i + 1
		case isStyleSpace(c) && strings.TrimLeft(list[i:], " \t\n\f\r") != "":
			if next := strings.TrimLeft(list[i:], " \t\n\f\r")[0]; next != ',' {
				last = i + 1
			}
		}
	}
	if depth != 0 || quote != 0 {
		return nil
	}
	end(len(list))
	return parts
}

func isStyleSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\f' || c == '\r' }

// named are the name, the ids and the classes of a compound selector whose brackets are taken out.
var (
	bracketed = regexp.MustCompile(`\[[^\]]*\]`)
	named     = regexp.MustCompile(`^[a-zA-Z][-\w]*|[.#][a-zA-Z_-][-\w]*`)
)

// compoundKey is the id, the first class or the name that an element has for certain which a compound selector matches, else *.
func compoundKey(compound string) string {
	compound = bracketed.ReplaceAllString(strings.TrimSpace(compound), "")
	if at := strings.IndexByte(compound, ':'); at >= 0 {
		compound = compound[:at] // what follows pseudo-classes adds to it
	}
	key, rest := "*", strings.TrimPrefix(strings.TrimPrefix(compound, "*"), "&")
	for _, name := range named.FindAllString(rest, -1) {
		rest = rest[len(name):]
	}
	if rest != "" {
		return "*" // with namespaces, or letters beyond ASCII
	}
	for _, name := range named.FindAllString(compound, -1) {
		switch {
		case name[0] == '#':
			return name
		case name[0] == '.' && key[0] != '.':
			key = name
		case name[0] != '.' && key == "*":
			key = strings.ToLower(name)
		}
	}
	return key
}

// qualifiedRule is what stands before and between the braces of a rule, without comments.
type qualifiedRule struct{ prelude, block string }

// qualifiedRules are the rules of a text at its top that have a block; one that is open at the end counts.
func qualifiedRules(text string) (rules []qualifiedRule) {
	l := css.NewLexer(parse.NewInputString(text))
	var prelude, block strings.Builder
	depth := 0
	end := func() {
		if depth > 0 {
			rules = append(rules, qualifiedRule{strings.TrimSpace(prelude.String()), block.String()})
		}
		prelude.Reset()
		block.Reset()
		depth = 0
	}
	for {
		kind, data := l.Next()
		if kind == css.ErrorToken {
			end()
			return rules
		}
		into := &prelude
		if depth > 0 {
			into = &block
		}
		switch kind {
		case css.CommentToken, css.CDOToken, css.CDCToken:
			into.WriteByte(' ')
			continue
		case css.LeftBraceToken:
			if depth++; depth == 1 {
				continue
			}
		case css.RightBraceToken:
			if depth <= 1 {
				end()
				continue
			}
			depth--
		case css.SemicolonToken:
			if depth == 0 {
				prelude.Reset()
				continue
			}
		}
		into.Write(data)
	}
}
