package environment

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strconv"

	urlpattern "github.com/dunglas/go-urlpattern"
)

// patternOperations are of the URL Pattern Standard.
var patternOperations = operations{
	"pattern":      plain(func(_ *Realm, args arguments) (any, error) { return readPattern(args.text(0)), nil }),
	"patternInput": plain(func(_ *Realm, args arguments) (any, error) { return patternTarget(args.text(0)), nil }),
}

// patternInput is what a script gives to URLPattern: text with an optional base, or an object.
type patternInput struct {
	Text string
	Base *string
	Init map[string]*string
}

func (p patternInput) init() *urlpattern.URLPatternInit {
	m := p.Init
	return &urlpattern.URLPatternInit{
		Protocol: m["protocol"], Username: m["username"], Password: m["password"], Hostname: m["hostname"], Port: m["port"],
		Pathname: m["pathname"], Search: m["search"], Hash: m["hash"], BaseURL: m["baseURL"],
	}
}

func (p patternInput) base() string {
	if p.Base == nil {
		return ""
	}
	return *p.Base
}

// readPattern reads a URL pattern ("create a URL pattern") and gives its components in canonical syntax, or the error.
// Regular expressions in it are held back from the library, which knows those of Go alone, and put back into what it
// gives.
func readPattern(input string) string {
	var in patternInput
	if err := json.Unmarshal([]byte(input), &in); err != nil {
		return toJSON(map[string]string{"error": err.Error()})
	}
	var held []string
	in.Text = holdRegexps(in.Text, &held)
	for part, text := range in.Init {
		if text != nil && part != "baseURL" {
			without := holdRegexps(*text, &held)
			in.Init[part] = &without
		}
	}
	var p *urlpattern.URLPattern
	var err error
	if in.Init != nil {
		p, err = in.init().New(&urlpattern.Options{})
	} else {
		p, err = urlpattern.New(in.Text, in.base(), &urlpattern.Options{})
	}
	if err != nil {
		return toJSON(map[string]string{"error": err.Error()})
	}
	parts := map[string]string{
		"protocol": p.Protocol(), "username": p.Username(), "password": p.Password(), "hostname": p.Hostname(),
		"port":     p.Port(),
		"pathname": p.Pathname(), "search": p.Search(), "hash": p.Hash(),
	}
	for part, text := range parts {
		parts[part] = heldRegexp.ReplaceAllStringFunc(text, func(mark string) string {
			i, _ := strconv.Atoi(mark[2 : len(mark)-1])
			return "(" + held[i] + ")"
		})
	}
	return toJSON(map[string]any{"parts": parts})
}

// heldRegexp is what stands in place of a regular expression. A parenthesis of the text itself is always escaped in a
// pattern.
var heldRegexp = regexp.MustCompile(`\(g\d+\)`)

// wildcard is how the standard writes its own wildcards as regular expressions; the library must go on seeing them as
// such.
var wildcard = regexp.MustCompile(`^(\.\*|\[\^(\\[./])?\]\+\?)$`)

// holdRegexps replaces each regular expression of a pattern by a mark, and adds it to held. What is no regular
// expression by the standard ("tokenize", step for an open parenthesis) stays, and is an error for who reads on.
func holdRegexps(text string, held *[]string) string {
	var out []byte
	for i := 0; i < len(text); i++ {
		if text[i] == '\\' && i+1 < len(text) {
			out = append(out, text[i], text[i+1])
			i++
			continue
		}
		length := 0
		if text[i] == '(' {
			length = regexpLength(text[i+1:])
		}
		if length == 0 || wildcard.MatchString(text[i+1:i+1+length]) {
			out = append(out, text[i])
			continue
		}
		out = fmt.Appendf(out, "(g%d)", len(*held))
		*held = append(*held, text[i+1:i+1+length])
		i += length + 1
	}
	return string(out)
}

// regexpLength gives the length of the regular expression that text begins with, up to the parenthesis that closes it;
// 0 where there is none.
func regexpLength(text string) int {
	depth := 1
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c >= 0x80, c == '?' && i == 0:
			return 0
		case c == '\\':
			i++
			if i == len(text) || text[i] >= 0x80 {
				return 0
			}
		case c == ')':
			if depth--; depth == 0 {
				return i
			}
		case c == '(':
			if depth++; i+1 == len(text) || text[i+1] != '?' {
				return 0
			}
		}
	}
	return 0
}

// anything matches every URL: what it says of one are the URL's components in canonical form.
var anything = func() *urlpattern.URLPattern {
	p, err := (&urlpattern.URLPatternInit{}).New(&urlpattern.Options{})
	if err != nil {
		panic(err)
	}
	return p
}()

// patternTarget gives the components of what a pattern is held against ("match a URL pattern", its first steps);
// "null" where that is no URL.
func patternTarget(input string) string {
	var in patternInput
	if err := json.Unmarshal([]byte(input), &in); err != nil {
		return "null"
	}
	var m *urlpattern.URLPatternResult
	if in.Init != nil {
		m = anything.ExecInit(in.init())
	} else {
		m = anything.Exec(in.Text, in.base())
	}
	if m == nil {
		return "null"
	}
	return toJSON(map[string]string{
		"protocol": m.Protocol.Input, "username": m.Username.Input, "password": m.Password.Input,
		"hostname": m.Hostname.Input,
		"port":     m.Port.Input, "pathname": m.Pathname.Input, "search": m.Search.Input, "hash": m.Hash.Input,
	})
}
