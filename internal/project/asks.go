package project

import (
	"errors"
	"fmt"
	"regexp"
	"strings"
)

var (
	auditKey = regexp.MustCompile(`(?m)^audit:[ \t]*(#.*)?$`)
	asksKey  = regexp.MustCompile(`(?m)^[ \t]+asks:`)
	anyAudit = regexp.MustCompile(`(?m)^audit:`)
)

// AsksText returns the key asks of a project file.
func AsksText(list []Asks) string {
	var b strings.Builder
	b.WriteString("asks:\n")
	for _, a := range list {
		var quoted []string
		for _, f := range a.For {
			quoted = append(quoted, fmt.Sprintf("%q", f))
		}
		fmt.Fprintf(&b, "  - {page: %q, for: [%s]}\n", a.Page, strings.Join(quoted, ", "))
	}
	return b.String()
}

// WithAsks adds the key asks to the audit section of a project file. All other bytes stay the same. It returns an error if the section
// has the key, is on one line, or if the result is not a project file.
func WithAsks(file []byte, list []Asks) ([]byte, error) {
	text := string(file)
	indented := "  " + strings.TrimRight(strings.ReplaceAll(AsksText(list), "\n", "\n  "), " ")
	switch at := auditKey.FindStringIndex(text); {
	case asksKey.MatchString(text):
		return nil, errors.New("audit.asks exists")
	case at != nil:
		text = text[:at[1]] + "\n" + strings.TrimRight(indented, "\n") + text[at[1]:]
	case anyAudit.MatchString(text):
		return nil, errors.New("the audit section is on one line")
	default:
		if text != "" && !strings.HasSuffix(text, "\n") {
			text += "\n"
		}
		text += "audit:\n" + indented
	}
	_, err := Parse("", []byte(text))
	return []byte(text), err
}
