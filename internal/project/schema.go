package project

import (
	"reflect"
	"slices"
	"strings"
)

// Schema is the JSON Schema (2020-12) of the project file, made from the same tags that reading it checks by.
func Schema() map[string]any {
	s := schemaOf(reflect.TypeOf(Project{}), "")
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = FileName
	app := s["properties"].(map[string]any)["app"].(map[string]any)
	members := map[string]any{}
	kinds := map[MemberKind]string{TextMember: "string", ListMember: "array", TruthMember: "boolean",
		MappingMember: "object"}
	for name, kind := range memberKinds {
		members[name] = map[string]any{"type": kinds[kind]}
	}
	app["properties"] = members
	app["patternProperties"] = map[string]any{"_localized$": map[string]any{"type": "object"}}
	app["additionalProperties"] = false
	return s
}

func schemaOf(t reflect.Type, tag reflect.StructTag) map[string]any {
	s := map[string]any{}
	if doc := tag.Get("doc"); doc != "" {
		s["description"] = doc
	}
	switch t {
	case reflect.TypeOf(Members{}):
		s["type"] = "object"
		return s
	case reflect.TypeOf(Duration(0)):
		s["type"], s["pattern"] = "string", `^[0-9]+(\.[0-9]+)?\s*(ms|s|m|h|d)$`
		return s
	case reflect.TypeOf(Size(0)):
		s["type"], s["pattern"] = []string{"string", "integer"}, `^[0-9]+(\.[0-9]+)?\s*(B|kB|KB|MB|GB)?$`
		return s
	}
	switch t.Kind() {
	case reflect.Pointer:
		return schemaOf(t.Elem(), tag)
	case reflect.Struct:
		properties := map[string]any{}
		var required []string
		for i := range t.NumField() {
			f := t.Field(i)
			name := f.Tag.Get("yaml")
			if name == "" || name == "-" {
				continue
			}
			properties[name] = schemaOf(f.Type, f.Tag)
			if f.Tag.Get("need") != "" {
				required = append(required, name)
			}
		}
		s["type"], s["properties"], s["additionalProperties"] = "object", properties, false
		if required != nil {
			s["required"] = required
		}
	case reflect.Slice:
		s["type"], s["items"] = "array", schemaOf(t.Elem(), reflect.StructTag(strings.Replace(string(tag), "doc:", "x:", 1)))
	case reflect.Map:
		value := map[string]any{"type": "string"}
		if t.Elem().Kind() == reflect.Pointer {
			value["type"] = []string{"string", "null"}
		}
		s["type"], s["additionalProperties"] = "object", value
	case reflect.Int:
		s["type"] = "integer"
	default:
		s["type"] = "string"
		switch words := wordsOf(tag); {
		case slices.Equal(words, []string{"yes", "no"}):
			delete(s, "type")
			s["enum"] = []any{"yes", "no", true, false}
		case words != nil:
			s["enum"] = words
		}
		switch tag.Get("check") {
		case "path":
			s["pattern"] = "^/"
			if word := tag.Get("or"); word != "" {
				s["pattern"] = "^(/.*|" + word + "$)"
			}
		case "origin":
			s["pattern"] = "^https?://"
		}
	}
	return s
}
