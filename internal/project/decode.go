package project

import (
	"bytes"
	"errors"
	"fmt"
	"net/url"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"tachyform/internal/condition"
	"tachyform/internal/pattern"
	"tachyform/internal/problem"
	"tachyform/internal/spelling"
	"tachyform/internal/target"
)

// Parse reads the text of a project file; name stands in its messages.
func Parse(name string, text []byte) (*Project, error) {
	p := &Project{places: map[string]Place{}}
	if line := tooDeep(text); line > 0 {
		return nil, &problem.Problem{Kind: problem.Usage, Where: fmt.Sprintf("%s:%d", name, line),
			What: fmt.Sprintf("this is nested more than %d deep",
				maxDepth), Mend: "a project file needs no more than ten levels"}
	}
	file, err := parser.ParseBytes(text, 0)
	if err != nil {
		return nil, syntaxProblem(name, err)
	}
	d := &decoder{name: name, places: p.places}
	filled := 0
	for _, doc := range file.Docs {
		if doc.Body != nil {
			if filled++; filled == 2 {
				d.report(doc.Body, "a second document begins here", "keep one; everything stands in a single document")
				break
			}
			d.node(doc.Body, reflect.ValueOf(p).Elem(), "", reflect.StructTag(""))
		}
	}
	d.whole(p)
	if err := d.problems.Or(); err != nil {
		return nil, err
	}
	p.fill()
	return p, nil
}

// maxDepth bounds how deep a project file is nested: what reads it goes down that far.
const maxDepth = 60

// tooDeep gives the line in which a text is nested too deep, 0 for none. It looks at brackets, indentation and dashes
// alone, before anything that reads YAML has to.
func tooDeep(text []byte) int {
	var indents []int
	flow := 0
	for i, line := range bytes.Split(text, []byte("\n")) {
		rest := bytes.TrimLeft(line, " ")
		if len(rest) == 0 || rest[0] == '#' {
			continue
		}
		indent, dashes := len(line)-len(rest), 0
		for len(rest) > 1 && (rest[0] == '-' || rest[0] == '?') && (rest[1] == ' ' || rest[1] == '\t') {
			rest = bytes.TrimLeft(rest[1:], " \t")
			dashes++
		}
		for len(indents) > 0 && indents[len(indents)-1] >= indent {
			indents = indents[:len(indents)-1]
		}
		indents = append(indents, indent)
		deepest := flow
		for _, c := range rest {
			switch c {
			case '[', '{':
				flow++
				deepest = max(deepest, flow)
			case ']', '}':
				flow = max(0, flow-1)
			}
		}
		if len(indents)+dashes+deepest > maxDepth {
			return i + 1
		}
	}
	return 0
}

// syntaxProblem turns the YAML library's report, which starts with "[line:column] message", into ours.
func syntaxProblem(name string, err error) error {
	first, _, _ := strings.Cut(err.Error(), "\n")
	where := name
	if m := regexp.MustCompile(`^\[(\d+):(\d+)\] (.*)$`).FindStringSubmatch(first); m != nil {
		where, first = fmt.Sprintf("%s:%s:%s", name, m[1], m[2]), m[3]
	}
	mend := "check the indentation and quote values that hold : # [ ] { }"
	if strings.Contains(first, "already defined") {
		mend = "remove one of the two"
	}
	return &problem.Problem{Kind: problem.Usage, Where: where, What: "this is not valid YAML: " + first, Mend: mend,
		Cause: err}
}

type decoder struct {
	name     string
	places   map[string]Place
	problems problem.List
}

func (d *decoder) report(n ast.Node, what, mend string) {
	pos := n.GetToken().Position
	d.problems = append(d.problems, &problem.Problem{Kind: problem.Usage,
		Where: fmt.Sprintf("%s:%d:%d", d.name, pos.Line, pos.Column), What: what, Mend: mend})
}

// node decodes n into v, whose key path is key.
func (d *decoder) node(n ast.Node, v reflect.Value, key string, tag reflect.StructTag) {
	if a, ok := n.(*ast.AnchorNode); ok {
		n = a.Value
	}
	pos := n.GetToken().Position
	d.places[key] = Place{pos.Line, pos.Column}
	if _, null := n.(*ast.NullNode); null {
		return
	}
	switch v.Interface().(type) {
	case Members:
		if value, ok := d.value(n, key).(Members); ok {
			v.Set(reflect.ValueOf(value))
		} else {
			d.wrong(n, key, "a mapping of members")
		}
		return
	case Duration, Size:
		d.amount(n, v, key)
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		elem := reflect.New(v.Type().Elem())
		d.node(n, elem.Elem(), key, tag)
		v.Set(elem)
	case reflect.Struct:
		d.object(n, v, key)
	case reflect.Slice:
		items, ok := n.(*ast.SequenceNode)
		if !ok {
			d.wrong(n, key, "a list")
			return
		}
		v.Set(reflect.MakeSlice(v.Type(), 0, len(items.Values)))
		for i, item := range items.Values {
			elem := reflect.New(v.Type().Elem()).Elem()
			d.node(item, elem, fmt.Sprintf("%s[%d]", key, i), tag)
			v.Set(reflect.Append(v, elem))
		}
	case reflect.Map:
		d.mapping(n, v, key)
	case reflect.String:
		d.text(n, v, key, tag)
	case reflect.Int:
		num, ok := n.(*ast.IntegerNode)
		if !ok {
			d.wrong(n, key, "a whole number")
			return
		}
		switch x := num.Value.(type) {
		case uint64:
			v.SetInt(int64(min(x, 1<<31)))
		case int64:
			v.SetInt(x)
		}
	}
}

func (d *decoder) wrong(n ast.Node, key, expected string) {
	d.report(n, fmt.Sprintf("%s takes %s, not %s", key, expected, describe(n)), "")
}

func describe(n ast.Node) string {
	switch x := n.(type) {
	case *ast.MappingNode, *ast.MappingValueNode:
		return "a mapping"
	case *ast.SequenceNode:
		return "a list"
	case *ast.StringNode:
		return fmt.Sprintf("the text %q", x.Value)
	case *ast.BoolNode:
		return fmt.Sprintf("the truth value %v", x.Value)
	}
	return fmt.Sprintf("%q", strings.TrimSpace(n.String()))
}

// entries gives the pairs of a mapping node; a mapping of one pair is a node of its own kind.
func entries(n ast.Node) ([]*ast.MappingValueNode, bool) {
	switch x := n.(type) {
	case *ast.MappingNode:
		return x.Values, true
	case *ast.MappingValueNode:
		return []*ast.MappingValueNode{x}, true
	}
	return nil, false
}

func keyText(k ast.MapKeyNode) string {
	if s, ok := k.(*ast.StringNode); ok {
		return s.Value
	}
	return strings.Trim(k.String(), `"'`)
}

func join(key, name string) string {
	if key == "" {
		return name
	}
	return key + "." + name
}

func (d *decoder) object(n ast.Node, v reflect.Value, key string) {
	pairs, ok := entries(n)
	if !ok {
		if key == "" {
			d.report(n, "the project file holds "+describe(n)+" where keys such as site: and app: belong",
				"tachyform init SITE writes a complete one")
		} else {
			d.wrong(n, key, "a mapping of keys")
		}
		return
	}
	fields := map[string]int{}
	var names []string
	for i := range v.NumField() {
		if name := v.Type().Field(i).Tag.Get("yaml"); name != "" && name != "-" {
			fields[name] = i
			names = append(names, name)
		}
	}
	seen := map[string]bool{}
	for _, pair := range pairs {
		name := keyText(pair.Key)
		i, known := fields[name]
		if !known {
			mend := "the keys here are " + strings.Join(names, ", ")
			if near := spelling.Nearest(name, names); near != "" {
				mend = "did you mean " + near + "?"
			}
			d.report(pair.Key, fmt.Sprintf("there is no key %q%s", name, in(key)), mend)
			continue
		}
		seen[name] = true
		d.node(pair.Value, v.Field(i), join(key, name), v.Type().Field(i).Tag)
	}
	for i := range v.NumField() {
		f := v.Type().Field(i)
		if f.Tag.Get("need") != "" && !seen[f.Tag.Get("yaml")] {
			d.report(n, fmt.Sprintf("%s lacks the key %q", key, f.Tag.Get("yaml")), strings.ToLower(f.Tag.Get("doc")[:1])+
				strings.TrimSuffix(f.Tag.Get("doc")[1:], "."))
		}
	}
}

func in(key string) string {
	if key == "" {
		return ""
	}
	return " in " + key
}

func (d *decoder) mapping(n ast.Node, v reflect.Value, key string) {
	pairs, ok := entries(n)
	if !ok {
		d.wrong(n, key, "a mapping")
		return
	}
	v.Set(reflect.MakeMap(v.Type()))
	for _, pair := range pairs {
		at := pair.Key.GetToken().Position
		d.places[join(key, keyText(pair.Key))] = Place{at.Line, at.Column}
		elem := reflect.New(v.Type().Elem()).Elem()
		if elem.Kind() == reflect.Pointer {
			if _, null := pair.Value.(*ast.NullNode); !null {
				s := reflect.New(elem.Type().Elem())
				d.text(pair.Value, s.Elem(), join(key, keyText(pair.Key)), "")
				elem.Set(s)
			}
		} else {
			d.text(pair.Value, elem, join(key, keyText(pair.Key)), "")
		}
		v.SetMapIndex(reflect.ValueOf(keyText(pair.Key)), elem)
	}
}

var cssColour = regexp.MustCompile(`^(#[0-9A-Fa-f]{3,4}|#[0-9A-Fa-f]{6}|#[0-9A-Fa-f]{8}|[A-Za-z]+|(rgb|rgba|hsl|hsla|hwb|lab|lch|oklab|oklch|color)\([^()]*\))$`)

// lists are the values of keys whose words stand elsewhere, by what their tags call them.
var lists = map[string][]string{"targets": target.All, "conditions": condition.Names()}

// wordsOf gives the words that a key takes, nil where it takes any text.
func wordsOf(tag reflect.StructTag) []string {
	enum := tag.Get("enum")
	if enum == "" {
		return nil
	}
	if words, ok := lists[enum]; ok {
		return words
	}
	return strings.Split(enum, ",")
}

func (d *decoder) text(n ast.Node, v reflect.Value, key string, tag reflect.StructTag) {
	var s string
	switch x := n.(type) {
	case *ast.StringNode:
		s = x.Value
	case *ast.LiteralNode:
		s = x.Value.Value
	case *ast.BoolNode:
		if !strings.Contains(tag.Get("enum"), "yes,no") {
			d.wrong(n, key, "text")
			return
		}
		if s = "no"; x.Value {
			s = "yes"
		}
	case *ast.IntegerNode, *ast.FloatNode:
		s = strings.TrimSpace(n.String())
	default:
		d.wrong(n, key, "text")
		return
	}
	v.SetString(s)
	if words := wordsOf(tag); words != nil {
		if !slices.Contains(words, s) {
			mend := "one of " + strings.Join(words, ", ")
			if near := spelling.Nearest(s, words); near != "" {
				mend = "did you mean " + near + "? It takes " + mend
			}
			d.report(n, fmt.Sprintf("%s does not take %q", key, s), mend)
		}
	}
	switch tag.Get("check") {
	case "origin":
		u, err := url.Parse(s)
		if err != nil || (u.Scheme != "https" && u.Scheme != "http") || u.Host == "" || strings.Trim(u.Path, "/") != "" ||
			u.RawQuery != "" {
			d.report(n, fmt.Sprintf("%s takes an origin, not %q", key, s),
				"write scheme and host alone, such as https://skerry-line.example")
		}
		v.SetString(strings.TrimRight(s, "/"))
	case "path":
		if word := tag.Get("or"); !strings.HasPrefix(s, "/") && (word == "" || s != word) {
			d.report(n, fmt.Sprintf("%s takes a path from the origin, not %q", key, s),
				"start it with / and include the address the site is mounted at")
		}
	case "pattern":
		var wrong *pattern.Error
		if _, err := pattern.New(s, "https://site.example"); errors.As(err, &wrong) {
			d.report(n, fmt.Sprintf("%s takes a URL pattern, and %q is none: %s", key, s, wrong.Reason),
				"patterns look like /assets/*, /old/:page or https://tiles.example/*")
		}
	case "colour":
		if !cssColour.MatchString(s) {
			d.report(n, fmt.Sprintf("%s takes a CSS colour, not %q", key, s),
				`such as "#0b4f6c"; quote it, since # starts a comment in YAML`)
		}
	}
}

func (d *decoder) amount(n ast.Node, v reflect.Value, key string) {
	var s reflect.Value = reflect.New(reflect.TypeOf("")).Elem()
	d.text(n, s, key, "")
	if s.String() == "" {
		return
	}
	switch v.Interface().(type) {
	case Duration:
		value, err := parseDuration(s.String())
		if err != nil {
			d.wrong(n, key, err.Error())
		}
		v.SetInt(int64(value))
	case Size:
		value, err := parseSize(s.String())
		if err != nil {
			d.wrong(n, key, err.Error())
		}
		v.SetInt(int64(value))
	}
}

// value turns a node into JSON kinds, keeping the order and places of members.
func (d *decoder) value(n ast.Node, key string) any {
	if pairs, ok := entries(n); ok {
		m := Members{}
		for _, pair := range pairs {
			name := keyText(pair.Key)
			pos := pair.Key.GetToken().Position
			path := join(key, name)
			d.places[path] = Place{pos.Line, pos.Column}
			m = append(m, Member{name, d.value(pair.Value, path), Place{pos.Line, pos.Column}})
		}
		return m
	}
	switch x := n.(type) {
	case *ast.SequenceNode:
		list := []any{}
		for i, item := range x.Values {
			list = append(list, d.value(item, fmt.Sprintf("%s[%d]", key, i)))
		}
		return list
	case *ast.StringNode:
		return x.Value
	case *ast.LiteralNode:
		return x.Value.Value
	case *ast.BoolNode:
		return x.Value
	case *ast.IntegerNode:
		return x.Value
	case *ast.FloatNode:
		return x.Value
	}
	return nil
}
