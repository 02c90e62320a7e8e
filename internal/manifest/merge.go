package manifest

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"

	"tachyform/internal/project"
)

// Merge gives the text of a manifest in which the members of set have the values given there, all other bytes as they
// were: the order of members, those that no standard knows, indentation and line ends. Members that are missing come
// last. A text that is no JSON object is refused with a *SyntaxError.
func Merge(text []byte, set project.Members) ([]byte, error) {
	root, err := ParseJSON(text, false)
	if err != nil {
		return nil, err
	}
	if root.Kind != Object {
		return nil, &SyntaxError{root.Offset, "a manifest is an object in braces, not " + root.describe()}
	}
	style := styleOf(text, root)
	var out bytes.Buffer
	at := 0
	var missing project.Members
	values := map[*Value][]byte{} // what takes the place of a member's value
	for _, m := range set {
		written, err := style.value(m.Value)
		if err != nil {
			return nil, err
		}
		old := root.Get(m.Name)
		if old == nil {
			missing = append(missing, m)
			continue
		}
		wanted, err := ParseJSON(written, false)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be written as JSON: %w", m.Name, err)
		}
		if !equal(old, wanted) {
			values[old] = written
		}
	}
	if len(values) == 0 && len(missing) == 0 {
		return text, nil
	}
	for _, m := range root.Members {
		if v, changed := values[m.Value]; changed {
			out.Write(text[at:m.Value.Offset])
			out.Write(v)
			at = m.Value.End
		}
	}
	end := root.Offset + 1 // where what is missing goes
	if n := len(root.Members); n > 0 {
		end = root.Members[n-1].Value.End
	}
	out.Write(text[at:end])
	for i, m := range missing {
		if i > 0 || len(root.Members) > 0 {
			out.WriteByte(',')
		}
		out.WriteString(style.before)
		name, _ := json.Marshal(m.Name)
		out.Write(name)
		out.WriteString(": ")
		written, err := style.value(m.Value)
		if err != nil {
			return nil, err
		}
		out.Write(written)
	}
	if len(root.Members) == 0 {
		out.WriteString(style.newline)
	}
	out.Write(text[end:])
	return out.Bytes(), nil
}

// jsonStyle is how a JSON text is laid out.
type jsonStyle struct {
	newline string // "" where all stands on one line
	indent  string // of the members
	// before is what stands between a comma and the next member.
	before string
}

func styleOf(text []byte, root *Value) jsonStyle {
	s := jsonStyle{newline: "\n", indent: "  "}
	if bytes.Contains(text, []byte("\r\n")) {
		s.newline = "\r\n"
	}
	if len(root.Members) > 0 {
		first := root.Members[0].Offset
		line := bytes.LastIndexByte(text[:first], '\n') + 1
		if line <= root.Offset { // the first member stands beside the brace
			return jsonStyle{before: " "}
		}
		s.indent = string(text[line:first])
	}
	s.before = s.newline + s.indent
	return s
}

// value writes a value as it would stand as a member's.
func (s jsonStyle) value(v any) ([]byte, error) {
	written, err := project.PlainJSON(v)
	if err != nil || s.newline == "" {
		return written, err
	}
	var out bytes.Buffer
	if err := json.Indent(&out, written, s.indent, s.indent); err != nil {
		return nil, err
	}
	return []byte(strings.ReplaceAll(out.String(), "\n", s.newline)), nil
}

// equal says whether two values mean the same; the order of an object's members does not count.
func equal(a, b *Value) bool {
	if a.Kind != b.Kind {
		return false
	}
	switch a.Kind {
	case Bool:
		return a.Truth == b.Truth
	case Number:
		x, _ := a.number()
		y, _ := b.number()
		return x == y
	case String:
		return a.Text == b.Text
	case Array:
		if len(a.Items) != len(b.Items) {
			return false
		}
		for i := range a.Items {
			if !equal(a.Items[i], b.Items[i]) {
				return false
			}
		}
	case Object:
		if len(a.Members) != len(b.Members) {
			return false
		}
		for _, m := range a.Members {
			other := b.Get(m.Name)
			if other == nil || !equal(m.Value, other) {
				return false
			}
		}
	}
	return true
}
