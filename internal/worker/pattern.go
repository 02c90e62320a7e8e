package worker

import (
	"fmt"
	"regexp"
	"strings"

	"tachyform/internal/site"
)

// matcher is a URL pattern as regular expressions in JavaScript syntax, so that no browser needs to know URL patterns.
// An empty expression matches everything.
type matcher struct {
	Origin string // "" for the site's own origin
	Path   string
	Search string
}

// compileMatcher turns a URL pattern into regular expressions; own is the site's origin.
func compileMatcher(text, own string) (matcher, error) {
	p, err := site.NewPattern(text, own)
	if err != nil {
		return matcher{}, fmt.Errorf("%q is not a URL pattern: %w", text, err)
	}
	protocol, hostname, port, pathname, search := p.Components()
	var m matcher
	if !strings.HasPrefix(text, "/") {
		var parts [3]string
		for i, c := range []string{protocol, hostname, port} {
			delimiter := ""
			if i == 1 {
				delimiter = "."
			}
			if parts[i], err = componentRegexp(c, delimiter, ""); err != nil {
				return m, err
			}
		}
		m.Origin = "^" + parts[0] + ":\\/\\/" + parts[1]
		switch port {
		case "":
		case "*":
			m.Origin += "(?::\\d+)?"
		default:
			m.Origin += ":" + parts[2]
		}
		m.Origin += "$"
	}
	if m.Path, err = componentRegexp(pathname, "/", "/"); err != nil {
		return m, err
	}
	if m.Path == ".*" {
		m.Path = ""
	} else {
		m.Path = anchor(m.Path)
	}
	if search != "*" {
		if m.Search, err = componentRegexp(search, "", ""); err != nil {
			return m, err
		}
		m.Search = anchor(m.Search)
	}
	return m, nil
}

// anchor ties an expression to both ends; a tail that matches anything needs no end.
func anchor(expr string) string {
	if head, ok := strings.CutSuffix(expr, ".*"); ok {
		return "^" + head
	}
	return "^" + expr + "$"
}

// part is one piece of a pattern: fixed text, or a group with what stands around it (URL Pattern, 2.1).
type part struct {
	prefix, value, suffix string // value is a regular expression, "" for fixed text alone
	modifier              byte   // 0, ?, * or +
}

// componentRegexp generates the regular expression of one canonical pattern component (URL Pattern, "generate a regular
// expression and name list"), without capturing.
func componentRegexp(text, delimiter, prefixes string) (string, error) {
	parts, err := parseParts(text, delimiter, prefixes)
	if err != nil {
		return "", err
	}
	var b strings.Builder
	for _, p := range parts {
		pre, suf := escapeRegexp(p.prefix), escapeRegexp(p.suffix)
		switch {
		case p.value == "" && p.modifier == 0:
			b.WriteString(pre)
		case p.value == "":
			b.WriteString("(?:" + pre + ")" + string(p.modifier))
		case p.modifier == 0:
			b.WriteString(pre + p.value + suf)
		case p.modifier == '?' || p.prefix == "" && p.suffix == "":
			b.WriteString("(?:" + pre + p.value + suf + ")" + string(p.modifier))
		default:
			b.WriteString("(?:" + pre + p.value + "(?:" + suf + pre + p.value + ")*" + suf + ")")
			if p.modifier == '*' {
				b.WriteString("?")
			}
		}
	}
	return b.String(), nil
}

var nameStart = regexp.MustCompile(`^[\p{L}_$][\p{L}\p{N}_$]*`)

func parseParts(text, delimiter, prefixes string) ([]part, error) {
	segment := `[^` + escapeRegexp(delimiter) + `]+?`
	if delimiter == "" {
		segment = `.+?`
	}
	var parts []part
	fixed := ""
	flush := func() {
		if fixed != "" {
			parts = append(parts, part{prefix: fixed})
			fixed = ""
		}
	}
	// takePrefix moves a delimiter that stands right before a group into the group.
	takePrefix := func() string {
		if prefixes != "" && strings.HasSuffix(fixed, prefixes) {
			fixed = strings.TrimSuffix(fixed, prefixes)
			return prefixes
		}
		return ""
	}
	i := 0
	modifier := func() byte {
		if i < len(text) && strings.IndexByte("?*+", text[i]) >= 0 {
			i++
			return text[i-1]
		}
		return 0
	}
	group := func() (string, error) { // at "(": the expression inside
		depth, start := 1, i+1
		for i++; i < len(text); i++ {
			switch text[i] {
			case '\\':
				i++
			case '(':
				depth++
			case ')':
				if depth--; depth == 0 {
					i++
					return "(?:" + text[start:i-1] + ")", nil
				}
			}
		}
		return "", fmt.Errorf("a parenthesis is not closed in %q", text)
	}
	token := func() (string, bool, error) { // a matching group at i, if one stands there
		switch text[i] {
		case '*':
			i++
			return ".*", true, nil
		case ':':
			name := nameStart.FindString(text[i+1:])
			if name == "" {
				return "", false, nil
			}
			i += 1 + len(name)
			if i < len(text) && text[i] == '(' {
				value, err := group()
				return value, true, err
			}
			return segment, true, nil
		case '(':
			value, err := group()
			return value, true, err
		}
		return "", false, nil
	}
	for i < len(text) {
		value, is, err := token()
		if err != nil {
			return nil, err
		}
		if is {
			pre := takePrefix()
			m := modifier()
			flush()
			parts = append(parts, part{prefix: pre, value: value, modifier: m})
			continue
		}
		if text[i] == '{' {
			flush()
			i++
			p := part{}
			for i < len(text) && text[i] != '}' {
				value, is, err := token()
				if err != nil {
					return nil, err
				}
				if is {
					p.value = value
					continue
				}
				if text[i] == '\\' && i+1 < len(text) {
					i++
				}
				if p.value == "" {
					p.prefix += text[i : i+1]
				} else {
					p.suffix += text[i : i+1]
				}
				i++
			}
			i++
			p.modifier = modifier()
			parts = append(parts, p)
			continue
		}
		if text[i] == '\\' && i+1 < len(text) {
			i++
		}
		fixed += text[i : i+1]
		i++
	}
	flush()
	return parts, nil
}

// escapeRegexp escapes what has a meaning in regular expressions, and the slash that ends a literal.
func escapeRegexp(s string) string {
	var b strings.Builder
	for _, c := range []byte(s) {
		if strings.IndexByte(`.+*?^${}()[]|/\`, c) >= 0 {
			b.WriteByte('\\')
		}
		b.WriteByte(c)
	}
	return b.String()
}
