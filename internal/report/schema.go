package report

import (
	"maps"
	"reflect"
	"strings"

	"tachyform/internal/audit"
)

// AuditSchema is the JSON Schema (2020-12) of the audit's JSON report.
func AuditSchema() map[string]any {
	s := jsonSchema(reflect.TypeOf(audit.Report{}))
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = "tachyform.audit/1"
	properties := s["properties"].(map[string]any)
	properties["schema"] = map[string]any{"const": "tachyform.audit/1"}
	words := func(in any, key string, list ...string) {
		in.(map[string]any)["properties"].(map[string]any)[key] = map[string]any{"enum": list}
	}
	words(properties["summary"], "verdict", "ready", "not ready", "not known")
	words(properties["findings"].(map[string]any)["items"], "weight", audit.Blocker, audit.Risk, audit.Polish)
	page := properties["pages"].(map[string]any)["items"].(map[string]any)["properties"].(map[string]any)
	words(page["under"].(map[string]any)["additionalProperties"], "outcome", "whole", "partial", "stand-in", "lost",
		"stuck")
	return s
}

// jsonSchema describes what encoding/json makes of a type. Members may be added in later versions, so others are
// allowed.
func jsonSchema(t reflect.Type) map[string]any {
	switch t.Kind() {
	case reflect.Pointer:
		s := jsonSchema(t.Elem())
		if kind, plain := s["type"].(string); plain {
			s["type"] = []string{kind, "null"}
		}
		return s
	case reflect.Struct:
		properties, required := map[string]any{}, []string{}
		for i := range t.NumField() {
			f := t.Field(i)
			name, rest, _ := strings.Cut(f.Tag.Get("json"), ",")
			if f.Anonymous && name == "" && f.Type.Kind() == reflect.Struct { // its members are those of the struct around it
				inner := jsonSchema(f.Type)
				maps.Copy(properties, inner["properties"].(map[string]any))
				required = append(required, inner["required"].([]string)...)
				continue
			}
			if name == "-" || name == "" {
				continue
			}
			properties[name] = jsonSchema(f.Type)
			if !strings.Contains(rest, "omitempty") && !strings.Contains(rest, "omitzero") {
				required = append(required, name)
			}
		}
		if len(properties) == 0 {
			return map[string]any{}
		}
		return map[string]any{"type": "object", "properties": properties, "required": required}
	case reflect.Map:
		return map[string]any{"type": "object", "additionalProperties": jsonSchema(t.Elem())}
	case reflect.Slice:
		item := jsonSchema(t.Elem())
		if kinds, nullable := item["type"].([]string); nullable {
			item["type"] = kinds[0] // lists hold no null
		}
		return map[string]any{"type": []string{"array", "null"}, "items": item}
	case reflect.String:
		return map[string]any{"type": "string"}
	case reflect.Bool:
		return map[string]any{"type": "boolean"}
	case reflect.Int, reflect.Int64:
		return map[string]any{"type": "integer"}
	case reflect.Float64:
		return map[string]any{"type": "number"}
	}
	return map[string]any{}
}
