package manifest

import (
	"bytes"
	"encoding/json"
	"strings"

	"tachyform/internal/project"
)

// order is how members follow one another in a manifest that is written anew; others come after, as given.
var order = []string{"name", "short_name", "description", "lang", "dir", "id", "start_url", "scope", "display",
	"display_override",
	"orientation", "theme_color", "background_color", "categories"}

// Write gives the text of a manifest with the app's members and icons: two spaces of indentation, a line end at its
// end, the same bytes for the same input.
func Write(app project.Members, icons []Image) ([]byte, error) {
	var all project.Members
	for _, name := range order {
		if v, ok := app.Get(name); ok {
			all.Set(name, v)
		}
	}
	if len(icons) > 0 {
		all.Set("icons", Images(icons))
	}
	for _, m := range app {
		if _, there := all.Get(m.Name); !there {
			all.Set(m.Name, m.Value)
		}
	}
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	if err := enc.Encode(all); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := json.Indent(&out, b.Bytes(), "", "  "); err != nil {
		return nil, err
	}
	return out.Bytes(), nil
}

// Images gives icons as the value of a manifest's member.
func Images(icons []Image) []any {
	list := make([]any, len(icons))
	for i, icon := range icons {
		entry := project.Members{{Name: "src", Value: icon.Src}}
		if len(icon.Sizes) > 0 {
			entry.Set("sizes", joinWords(icon.Sizes))
		}
		if icon.Type != "" {
			entry.Set("type", icon.Type)
		}
		if len(icon.Purpose) > 0 {
			entry.Set("purpose", joinWords(icon.Purpose))
		}
		list[i] = entry
	}
	return list
}

func joinWords(words []string) string { return strings.Join(words, " ") }
