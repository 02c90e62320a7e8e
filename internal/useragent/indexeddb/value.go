package indexeddb

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"unicode/utf16"

	"tachyform/internal/useragent/structured"
)

// Path is a key path (2.6): one, or several that make an array; none is an empty list.
type Path struct {
	Parts []string
	Array bool
}

// MarshalJSON writes a path as scripts have it: null, a string or a list.
func (p Path) MarshalJSON() ([]byte, error) {
	switch {
	case p.Array:
		return json.Marshal(append([]string{}, p.Parts...))
	case len(p.Parts) == 0:
		return []byte("null"), nil
	}
	return json.Marshal(p.Parts[0])
}

// UnmarshalJSON reads what MarshalJSON writes.
func (p *Path) UnmarshalJSON(data []byte) error {
	*p = Path{}
	var one string
	if string(data) == "null" {
		return nil
	}
	if json.Unmarshal(data, &one) == nil {
		p.Parts = []string{one}
		return nil
	}
	p.Array = true
	return json.Unmarshal(data, &p.Parts)
}

// Some says whether there is a path.
func (p Path) Some() bool { return p.Array || len(p.Parts) > 0 }

// tree is a value whose JSON has been read.
type tree struct {
	value structured.Value
	root  any
	met   []any // objects in the order of their numbers, once somebody asked for one
}

func read(v structured.Value) (*tree, error) {
	t := &tree{value: v}
	return t, json.Unmarshal(v.Tree, &t.root)
}

// KeyAt is "extract a key from a value using a key path" (7.1). The result is no key where there is none; with
// several, for an index that takes each member of an array, it gives them all, each once.
func (t *tree) keysAt(p Path, multi bool) []Key {
	if p.Array {
		list := Key{kind: arrayKey}
		for _, part := range p.Parts {
			k := t.key(t.at(part), 0)
			if !k.Valid() {
				return nil
			}
			list.list = append(list.list, k)
		}
		return []Key{list}
	}
	if len(p.Parts) == 0 {
		return nil
	}
	node := t.at(p.Parts[0])
	if members, is := t.members(node); is && multi {
		var keys []Key
		for _, m := range members {
			if k := t.key(m, 0); k.Valid() && !slices.ContainsFunc(keys, func(o Key) bool { return o.Compare(k) == 0 }) {
				keys = append(keys, k)
			}
		}
		return keys
	}
	if k := t.key(node, 0); k.Valid() {
		return []Key{k}
	}
	return nil
}

// absent is what a path that leads nowhere gives.
type absent struct{}

// at is "evaluate a key path on a value" (7.1) for one path.
func (t *tree) at(path string) any {
	node := t.root
	if path == "" {
		return node
	}
	for _, name := range strings.Split(path, ".") {
		if node = t.property(t.resolve(node), name); node == (absent{}) {
			break
		}
	}
	return node
}

// property is an own property of a node, or one of those that the standard names for strings, arrays and blobs.
func (t *tree) property(node any, name string) any {
	switch n := node.(type) {
	case string:
		if name == "length" {
			return float64(len(utf16.Encode([]rune(n))))
		}
	case map[string]any:
		values, _ := n["v"].([]any)
		switch n["$"] {
		case "array":
			if name == "length" {
				return float64(len(values))
			}
			if i, err := strconv.Atoi(name); err == nil && i >= 0 && i < len(values) {
				return values[i]
			}
		case "object", "sparse":
			keys, _ := n["k"].([]any)
			if i := slices.Index(keys, any(name)); i >= 0 {
				return values[i]
			}
		case "platform":
			data, _ := n["d"].(map[string]any)
			switch i, _ := data["i"].(float64); name {
			case "size":
				if int(i) < len(t.value.Bodies) {
					return float64(t.value.Bodies[int(i)].Len())
				}
			case "lastModified":
				return data["at"]
			case "type", "name":
				if v, there := data[name]; there {
					return v
				}
			}
		}
	}
	return absent{}
}

// resolve follows a reference to an object that stands elsewhere in the value.
func (t *tree) resolve(node any) any {
	n, _ := node.(map[string]any)
	if n["$"] != "ref" {
		return node
	}
	if t.met == nil {
		t.number(t.root)
	}
	if i, _ := n["i"].(float64); int(i) < len(t.met) {
		return t.met[int(i)]
	}
	return absent{}
}

// number lists objects in the order in which they were serialized.
func (t *tree) number(node any) {
	n, is := node.(map[string]any)
	if !is {
		return
	}
	switch n["$"] {
	case "undefined", "bigint", "number", "ref":
		return
	case "view":
		t.number(n["b"])
		t.met = append(t.met, n)
		return
	}
	t.met = append(t.met, n)
	list, _ := n["v"].([]any)
	for _, v := range list {
		if pair, is := v.([]any); is { // of a map
			for _, part := range pair {
				t.number(part)
			}
			continue
		}
		t.number(v)
	}
}

// members are those of an array.
func (t *tree) members(node any) (list []any, is bool) {
	n, _ := t.resolve(node).(map[string]any)
	if n["$"] != "array" {
		return nil, false
	}
	list, is = n["v"].([]any)
	return list, is
}

// key is "convert a value to a key" (7.4); what is no key gives none.
func (t *tree) key(node any, depth int) Key {
	switch n := t.resolve(node).(type) {
	case float64:
		return Key{kind: numberKey, number: n}
	case string:
		return Key{kind: stringKey, text: n}
	case map[string]any:
		switch n["$"] {
		case "number":
			text, _ := n["v"].(string)
			if f, err := strconv.ParseFloat(text, 64); err == nil && f == f {
				return Key{kind: numberKey, number: f}
			}
		case "date":
			if ms, is := n["v"].(float64); is {
				return Key{kind: dateKey, number: ms}
			}
		case "buffer":
			return t.binary(n, 0, -1)
		case "view":
			buffer, _ := t.resolve(n["b"]).(map[string]any)
			from, _ := n["o"].(float64)
			length, _ := n["l"].(float64)
			kind, _ := n["k"].(string)
			return t.binary(buffer, int(from), int(length)*elementSize(kind))
		case "array":
			members, _ := n["v"].([]any)
			out := Key{kind: arrayKey}
			for _, m := range members {
				k := t.key(m, depth+1)
				if !k.Valid() || depth > maxKeyDepth {
					return Key{}
				}
				out.list = append(out.list, k)
			}
			return out
		}
	}
	return Key{}
}

func elementSize(view string) int {
	switch {
	case strings.HasSuffix(view, "64Array"):
		return 8
	case strings.HasSuffix(view, "32Array"):
		return 4
	case strings.HasSuffix(view, "16Array"):
		return 2
	}
	return 1
}

// binary is the key that a part of a buffer makes; length below zero is all of it.
func (t *tree) binary(buffer map[string]any, from, length int) Key {
	i, is := buffer["i"].(float64)
	if !is || int(i) >= len(t.value.Buffers) {
		return Key{}
	}
	data, err := t.value.Buffers[int(i)].Bytes()
	if err != nil || from > len(data) {
		return Key{}
	}
	data = data[from:]
	if length >= 0 {
		data = data[:min(length, len(data))]
	}
	return Key{kind: binaryKey, bytes: data}
}

// inject is "inject a key into a value using a key path" (7.2): the value with a generated key in its place.
func (t *tree) inject(path string, key Key) (structured.Value, error) {
	parts := strings.Split(path, ".")
	node, _ := t.resolve(t.root).(map[string]any)
	for _, name := range parts[:len(parts)-1] {
		next, _ := t.resolve(t.property(node, name)).(map[string]any)
		if next == nil {
			next = map[string]any{"$": "object", "k": []any{}, "v": []any{}}
			set(node, name, next)
		}
		node = next
	}
	set(node, parts[len(parts)-1], key)
	text, err := json.Marshal(t.root)
	out := t.value
	out.Tree = text
	return out, err
}

// canInject is "check that a key could be injected into a value" (7.2).
func (t *tree) canInject(path string) bool {
	parts := strings.Split(path, ".")
	var node any = t.resolve(t.root)
	for _, name := range parts {
		n, is := node.(map[string]any)
		if !is || n["$"] != "object" && n["$"] != "array" && n["$"] != "sparse" {
			return false
		}
		if node = t.resolve(t.property(n, name)); node == (absent{}) {
			return true
		}
	}
	return true
}

func set(node map[string]any, name string, value any) {
	keys, _ := node["k"].([]any)
	values, _ := node["v"].([]any)
	if i := slices.Index(keys, any(name)); i >= 0 {
		values[i] = value
		return
	}
	node["k"], node["v"] = append(keys, name), append(values, value)
}
