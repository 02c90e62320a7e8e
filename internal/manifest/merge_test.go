package manifest

import (
	"encoding/json"
	"errors"
	"image/color"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
)

// members makes a list of members from pairs of name and value.
func members(pairs ...any) (m project.Members) {
	for i := 0; i < len(pairs); i += 2 {
		m.Set(pairs[i].(string), pairs[i+1])
	}
	return m
}

// A manifest that is there keeps every byte that nothing asks to change.
func TestMerge(t *testing.T) {
	icon := []any{members("src", "/a.png", "sizes", "512x512")}
	for _, c := range []struct {
		name, text string
		set        project.Members
		want       string
	}{
		{"nothing to change", "{ \"name\" :\t\"Line\" }", members("name", "Line"), "{ \"name\" :\t\"Line\" }"},
		{"the same, written otherwise", `{"name":"\u004cine","n":1.0,"o":{"a":1,"b":[true,null]}}`,
			members("name", "Line", "n", 1, "o", members("b", []any{true, nil}, "a",
				1)), `{"name":"\u004cine","n":1.0,"o":{"a":1,"b":[true,null]}}`},
		{"one value", "{\n  \"name\": \"Old\",\n  \"x-own\": {\"a\":1 }\n}\n", members("name", "Line"),
			"{\n  \"name\": \"Line\",\n  \"x-own\": {\"a\":1 }\n}\n"},
		{"one that is missing", "{\n\t\"name\": \"Line\"\n}\n", members("name", "Line", "lang", "en"),
			"{\n\t\"name\": \"Line\",\n\t\"lang\": \"en\"\n}\n"},
		{"Windows line ends", "{\r\n  \"name\": \"Line\"\r\n}\r\n", members("icons", icon),
			"{\r\n  \"name\": \"Line\",\r\n  \"icons\": [\r\n    {\r\n      \"src\": \"/a.png\",\r\n      \"sizes\": " +
				"\"512x512\"\r\n    }\r\n  ]\r\n}\r\n"},
		{"one line", `{"name":"Line"}`, members("icons", icon, "lang", "en"),
			`{"name":"Line", "icons": [{"src":"/a.png","sizes":"512x512"}], "lang": "en"}`},
		{"empty", "{}", members("name", "Line"), "{\n  \"name\": \"Line\"\n}"},
		{"a name twice", `{"name":"A","name":"B"}`, members("name", "C"), `{"name":"A","name":"C"}`},
		{"another kind", `{"name":5,"lang":null}`, members("name", "Line", "lang", "en"), `{"name":"Line","lang":"en"}`},
		{"a list that is longer", `{"categories":["a"]}`, members("categories", []any{"a", "b"}), `{"categories":["a","b"]}`},
		{"an object with another member", `{"o":{"a":1}}`, members("o", members("b", 1)), `{"o":{"b":1}}`},
		{"signs of markup", `{"name":"a"}`, members("name", "a<b>&c"), `{"name":"a<b>&c"}`},
		{"byte order mark", "\xef\xbb\xbf{\"name\":\"a\"}", members("name", "b"), "\xef\xbb\xbf{\"name\":\"b\"}"},
	} {
		got, err := Merge([]byte(c.text), c.set)
		require.NoError(t, err, c.name)
		assert.Equal(t, c.want, string(got), c.name)
		again, err := Merge(got, c.set)
		require.NoError(t, err, c.name)
		assert.Equal(t, string(got), string(again), "%s: the second time nothing is left to do", c.name)
	}
	for _, text := range []string{"", "[]", `"name"`, "{", `{"a":1,}`, "{} {}", "<!doctype html>"} {
		_, err := Merge([]byte(text), members("name", "Line"))
		var wrong *SyntaxError
		assert.True(t, errors.As(err, &wrong), text)
		assert.NotEmpty(t, err.Error())
	}
}

// A manifest that is written anew has members in their order and the same bytes each time.
func TestWrite(t *testing.T) {
	app := members("x-own", 1, "theme_color", "#fff", "name", "Line & <Isles>", "icons", "replaced", "start_url", "/")
	got, err := Write(app, []Image{{Src: "a.png", Sizes: []string{"192x192", "512x512"}, Type: "image/png",
		Purpose: []string{"any", "maskable"}}, {Src: "b.svg"}})
	require.NoError(t, err)
	assert.Equal(t, `{
  "name": "Line & <Isles>",
  "start_url": "/",
  "theme_color": "#fff",
  "icons": [
    {
      "src": "a.png",
      "sizes": "192x192 512x512",
      "type": "image/png",
      "purpose": "any maskable"
    },
    {
      "src": "b.svg"
    }
  ],
  "x-own": 1
}
`, string(got))
	assert.True(t, json.Valid(got))
	got, err = Write(members("name", "Line"), nil)
	require.NoError(t, err)
	assert.NotContains(t, string(got), "icons")
}

// Colours as CSS Color 4 has them, also in the spaces that few write.
func TestColourSpaces(t *testing.T) {
	for text, want := range map[string]color.NRGBA{
		"hwb(120 0% 0%)":                 {0, 255, 0, 255},
		"hwb(0 50% 50%)":                 {128, 128, 128, 255},
		"hwb(0 100% 100%)":               {128, 128, 128, 255}, // more than there is: they share it
		"hwb(240deg 20% 0% / 50%)":       {51, 51, 255, 128},
		"hsl(120 100% 25%)":              {0, 128, 0, 255},
		"hsl(0.5turn, 100%, 50%)":        {0, 255, 255, 255},
		"hsl(200grad 100% 50%)":          {0, 255, 255, 255},
		"lab(100% 0 0)":                  {255, 255, 255, 255},
		"lab(0% 0 0)":                    {0, 0, 0, 255},
		"lab(50% 0 0)":                   {119, 119, 119, 255},
		"lch(50% 0 120)":                 {119, 119, 119, 255},
		"lab(54.29 80.82 69.89)":         {255, 0, 0, 255},
		"oklab(100% 0 0)":                {255, 255, 255, 255},
		"oklch(62.8% 0.2577 29.23)":      {255, 0, 0, 255},
		"color(srgb 1 0.5 0)":            {255, 128, 0, 255},
		"color(srgb 100% 50% 0%)":        {255, 128, 0, 255},
		"color(srgb-linear 1 0.2140 0)":  {255, 128, 0, 255},
		"color(display-p3 1 1 1 / 0.5)":  {255, 255, 255, 128},
		"color(a98-rgb 1 1 1)":           {255, 255, 255, 255},
		"color(prophoto-rgb 1 1 1)":      {255, 255, 255, 255},
		"color(rec2020 0 0 0)":           {0, 0, 0, 255},
		"color(xyz 0.9505 1 1.089)":      {255, 255, 255, 255},
		"color(xyz-d65 0.9505 1 1.089)":  {255, 255, 255, 255},
		"color(xyz-d50 0.9643 1 0.8251)": {255, 255, 255, 255},
		"rgb(300 -20 0)":                 {255, 0, 0, 255},
		"rgb(none 0 0)":                  {0, 0, 0, 255},
		"RebeccaPurple":                  {0x66, 0x33, 0x99, 255},
		" #FfF8 ":                        {255, 255, 255, 0x88},
		"rgba(0, 0, 0, 1)":               {0, 0, 0, 255},
		"rgb(10% 20% 30%)":               {26, 51, 77, 255},
	} {
		got, ok := ParseColour(text)
		if assert.True(t, ok, text) {
			for i, pair := range [][2]uint8{{got.R, want.R}, {got.G, want.G}, {got.B, want.B}, {got.A, want.A}} {
				assert.InDelta(t, pair[1], pair[0], 1, "%s, channel %d: %v", text, i, got)
			}
		}
	}
	for _, text := range []string{
		"", "#", "#12", "#12345", "#ggg", "notacolour", "rgb(1,2)", "rgb(1, 2 3)", "rgb(1 2 3 4)", "rgb(1,2,3,)",
		"rgb(a b c)", "hwb(0,0%,0%)", "hsl(1 2 3 4 5)",
		"lab(1,2,3)", "color(odd 1 1 1)", "color(srgb 1 1)", "color(srgb 1, 1, 1)", "color()", "color(srgb 1 / 1 1)",
		"color(srgb 1 1 1 1)", "currentcolor ;", "url(x)", "rgb(1 2 3) rgb(1 2 3)", "--x", "var(--x)", "rgb(NaN 0 0)",
	} {
		_, ok := ParseColour(text)
		assert.False(t, ok, text)
	}
}
