// Package manifest processes, checks and writes web app manifests by the W3C standard, keeping the place of every
// member.
package manifest

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// Kind is the kind of a JSON value.
type Kind int

// The kinds of JSON values.
const (
	Null Kind = iota
	Bool
	Number
	String
	Array
	Object
)

// Value is a JSON value with its place in the text.
type Value struct {
	Kind    Kind
	Text    string // of a string; of a number as written
	Truth   bool
	Items   []*Value
	Members []Member
	Offset  int // of the first byte
	End     int // after the last byte
}

// Member is a name and value of an object. Of members with one name the last counts.
type Member struct {
	Name   string
	Offset int
	Value  *Value
}

// Get gives the last member called name, or nil.
func (v *Value) Get(name string) *Value {
	if v == nil {
		return nil
	}
	for i := len(v.Members) - 1; i >= 0; i-- {
		if v.Members[i].Name == name {
			return v.Members[i].Value
		}
	}
	return nil
}

// number gives the value of a number.
func (v *Value) number() (float64, bool) {
	if v.Kind != Number {
		return 0, false
	}
	f, err := strconv.ParseFloat(v.Text, 64)
	return f, err == nil
}

// describe names the kind of a value in plain words.
func (v *Value) describe() string {
	switch v.Kind {
	case Null:
		return "null"
	case Bool:
		return fmt.Sprintf("the boolean %v", v.Truth)
	case Number:
		return "the number " + v.Text
	case String:
		return strconv.Quote(v.Text)
	case Array:
		return "a list"
	}
	return "an object"
}

// SyntaxError tells where a text stops being JSON.
type SyntaxError struct {
	Offset int
	What   string
}

func (e *SyntaxError) Error() string { return e.What }

// maxDepth bounds nesting; deeper texts are refused as browsers refuse them.
const maxDepth = 500

// Limit bounds what is read of a manifest, in bytes.
const Limit = 16 << 20

// ParseJSON reads a JSON text (RFC 8259). Extended, // and /* */ comments count as white space
// and \v is an escape, as one browser has it.
func ParseJSON(text []byte, extended bool) (*Value, error) {
	p := &jsonParser{text: text, extended: extended}
	if bytes.HasPrefix(text, []byte("\xef\xbb\xbf")) {
		p.at = 3
	}
	v := p.value(0)
	p.space()
	if p.err == nil && p.at < len(text) {
		p.fail(p.at, "there is more after the end of the manifest")
	}
	if p.err != nil {
		return nil, p.err
	}
	return v, nil
}

type jsonParser struct {
	text     []byte
	at       int
	extended bool
	err      error
}

func (p *jsonParser) fail(at int, what string) {
	if p.err == nil {
		p.err = &SyntaxError{at, what}
	}
}

func (p *jsonParser) peek() byte {
	if p.at < len(p.text) {
		return p.text[p.at]
	}
	return 0
}

func (p *jsonParser) space() {
	for p.at < len(p.text) {
		switch c := p.text[p.at]; {
		case c == ' ' || c == '\t' || c == '\n' || c == '\r':
			p.at++
		case c == '/' && bytes.HasPrefix(p.text[p.at:], []byte("//")):
			if !p.extended {
				p.fail(p.at, "JSON has no comments")
				return
			}
			if end := bytes.IndexAny(p.text[p.at:], "\r\n"); end >= 0 {
				p.at += end
			} else {
				p.at = len(p.text)
			}
		case c == '/' && bytes.HasPrefix(p.text[p.at:], []byte("/*")):
			if !p.extended {
				p.fail(p.at, "JSON has no comments")
				return
			}
			end := bytes.Index(p.text[p.at+2:], []byte("*/"))
			if end < 0 {
				p.fail(p.at, "a comment is not closed")
				return
			}
			p.at += end + 4
		default:
			return
		}
	}
}

func (p *jsonParser) value(depth int) *Value {
	p.space()
	if p.err != nil {
		return nil
	}
	if depth > maxDepth {
		p.fail(p.at, "values are nested too deeply")
		return nil
	}
	v := &Value{Offset: p.at}
	switch c := p.peek(); {
	case c == '{':
		p.object(v, depth)
	case c == '[':
		p.array(v, depth)
	case c == '"':
		v.Kind, v.Text = String, p.str()
	case c == '-' || c >= '0' && c <= '9':
		p.number(v)
	case p.word("true"):
		v.Kind, v.Truth = Bool, true
	case p.word("false"):
		v.Kind = Bool
	case p.word("null"):
	case p.at >= len(p.text):
		p.fail(p.at, "the text ends where a value belongs")
	case c == '<':
		p.fail(p.at, "this is not JSON; it begins like HTML")
	case c == '\'':
		p.fail(p.at, "JSON takes double quotes, not single ones")
	case c == ',' || c == ']' || c == '}':
		p.fail(p.at, fmt.Sprintf("a value is missing before %q", string(rune(c))))
	default:
		r, _ := utf8.DecodeRune(p.text[p.at:])
		p.fail(p.at, fmt.Sprintf("%q begins no JSON value", string(r)))
	}
	v.End = p.at
	return v
}

func (p *jsonParser) word(w string) bool {
	if !bytes.HasPrefix(p.text[p.at:], []byte(w)) {
		return false
	}
	p.at += len(w)
	return true
}

func (p *jsonParser) object(v *Value, depth int) {
	v.Kind = Object
	p.at++
	p.space()
	if p.peek() == '}' {
		p.at++
		return
	}
	for p.err == nil {
		p.space()
		if p.peek() != '"' {
			switch c := p.peek(); {
			case c == '}':
				p.fail(p.at, "JSON allows no comma after the last member")
			case c == 0:
				p.fail(p.at, "the text ends inside an object")
			default:
				p.fail(p.at, "a member's name in double quotes belongs here")
			}
			return
		}
		m := Member{Offset: p.at}
		m.Name = p.str()
		p.space()
		if p.err == nil && p.peek() != ':' {
			p.fail(p.at, "a colon belongs after the name "+strconv.Quote(m.Name))
			return
		}
		p.at++
		m.Value = p.value(depth + 1)
		v.Members = append(v.Members, m)
		p.space()
		switch p.peek() {
		case ',':
			p.at++
		case '}':
			p.at++
			return
		default:
			p.fail(p.at, "a comma or } belongs after the member "+strconv.Quote(m.Name))
		}
	}
}

func (p *jsonParser) array(v *Value, depth int) {
	v.Kind = Array
	p.at++
	p.space()
	if p.peek() == ']' {
		p.at++
		return
	}
	for p.err == nil {
		p.space()
		if p.peek() == ']' {
			p.fail(p.at, "JSON allows no comma after the last item")
			return
		}
		v.Items = append(v.Items, p.value(depth+1))
		p.space()
		switch p.peek() {
		case ',':
			p.at++
		case ']':
			p.at++
			return
		default:
			p.fail(p.at, "a comma or ] belongs after this item")
		}
	}
}

func (p *jsonParser) number(v *Value) {
	v.Kind = Number
	start := p.at
	digits := func() bool {
		from := p.at
		for c := p.peek(); c >= '0' && c <= '9'; c = p.peek() {
			p.at++
		}
		return p.at > from
	}
	if p.peek() == '-' {
		p.at++
	}
	ok := true
	if p.peek() == '0' {
		p.at++
	} else {
		ok = digits()
	}
	if p.peek() == '.' {
		p.at++
		ok = ok && digits()
	}
	if c := p.peek(); c == 'e' || c == 'E' {
		p.at++
		if c := p.peek(); c == '+' || c == '-' {
			p.at++
		}
		ok = ok && digits()
	}
	v.Text = string(p.text[start:p.at])
	if _, err := strconv.ParseFloat(v.Text, 64); !ok || err != nil {
		p.fail(start, fmt.Sprintf("%q is not a number that JSON knows", v.Text))
	}
}

func (p *jsonParser) str() string {
	start := p.at
	p.at++
	var b strings.Builder
	for p.at < len(p.text) {
		switch c := p.text[p.at]; {
		case c == '"':
			p.at++
			return b.String()
		case c == '\\':
			p.escape(&b)
			if p.err != nil {
				return ""
			}
		case c < 0x20:
			if c == '\n' || c == '\r' {
				p.fail(start, "a text is not closed on its line")
			} else {
				p.fail(p.at, "a control character stands in a text; write it as \\u00XX")
			}
			return ""
		default:
			r, n := utf8.DecodeRune(p.text[p.at:])
			b.WriteRune(r)
			p.at += n
		}
	}
	p.fail(start, "a text is not closed")
	return ""
}

func (p *jsonParser) escape(b *strings.Builder) {
	at := p.at
	p.at++
	c := p.peek()
	p.at++
	switch c {
	case '"', '\\', '/':
		b.WriteByte(c)
	case 'b':
		b.WriteByte('\b')
	case 'f':
		b.WriteByte('\f')
	case 'n':
		b.WriteByte('\n')
	case 'r':
		b.WriteByte('\r')
	case 't':
		b.WriteByte('\t')
	case 'u':
		r, ok := p.hex4()
		if !ok {
			p.fail(at, "\\u takes four hexadecimal digits")
			return
		}
		if utf16.IsSurrogate(r) {
			if p.peek() == '\\' && p.at+1 < len(p.text) && p.text[p.at+1] == 'u' {
				p.at += 2
				low, ok := p.hex4()
				if both := utf16.DecodeRune(r, low); ok && both != utf8.RuneError {
					b.WriteRune(both)
					return
				}
			}
			p.fail(at, "half of a surrogate pair stands alone")
			return
		}
		b.WriteRune(r)
	case 'v':
		if p.extended {
			b.WriteByte('\v')
			return
		}
		fallthrough
	default:
		p.fail(at, "there is no such escape in JSON")
	}
}

func (p *jsonParser) hex4() (rune, bool) {
	if p.at+4 > len(p.text) {
		return 0, false
	}
	n, err := strconv.ParseUint(string(p.text[p.at:p.at+4]), 16, 32)
	p.at += 4
	return rune(n), err == nil
}
