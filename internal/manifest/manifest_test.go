package manifest

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
)

const (
	murl = "https://line.example/app/site.webmanifest"
	durl = "https://line.example/app/"
)

func process(text string) (*Processed, []Issue) { return Process([]byte(text), murl, durl, Standard) }

func TestProcess(t *testing.T) {
	p,
		issues := process(`{"name":" Skerry\n Line ","start_url":"./?from=home","id":"/line","scope":"/","display":"Standalone","theme_color":"rgb(11 79 108)",
	 "icons":[{"src":"i.png","sizes":"192x192 any 0x1","purpose":"maskable any badge"},{"src":"j.png","purpose":"badge"},{"sizes":"1x1"}],
	 "shortcuts":[{"name":"Tides","url":"/tides/"},{"name":"Away","url":"https://other.example/"}]}`)
	assert.Equal(t, "Skerry Line", p.Name)
	assert.Equal(t, "https://line.example/app/?from=home", p.StartURL)
	assert.Equal(t, "https://line.example/line", p.ID)
	assert.Equal(t, "https://line.example/", p.Scope)
	assert.Equal(t, "standalone", p.Display)
	assert.Equal(t, "#0b4f6c", p.ThemeColor)
	require.Len(t, p.Icons, 1)
	assert.Equal(t, []string{"192x192", "any"}, p.Icons[0].Sizes)
	assert.Equal(t, []string{"maskable", "any"}, p.Icons[0].Purpose)
	require.Len(t, p.Shortcuts, 1)
	assert.Len(t, issues, 5)

	p, _ = process(`{"start_url":"https://other.example/","scope":"/else/","display":"window"}`)
	assert.Equal(t, durl, p.StartURL)
	assert.Equal(t, "https://line.example/app/", p.Scope)
	assert.Equal(t, "browser", p.Display)
	assert.False(t, p.StartURLValid)
}

// Members that tie the app into the system.
func TestHandlers(t *testing.T) {
	p, issues := process(`{"scope": "/app/",
	 "share_target": {"action": "share", "method": "post", "enctype": "Multipart/Form-Data", "params": {"title": "t", "files": [{"name": "f", "accept": ["image/*", ".csv"]}, {"accept": ".x"}]}},
	 "file_handlers": [{"action": "open", "name": "Tide tables", "accept": {"text/csv": [".csv", ".tide"], "odd": ".x"}}],
	 "protocol_handlers": [{"protocol": "WEB+tide", "url": "go?u=%s"}, {"protocol": "mailto", "url": "mail?u=%s"}],
	 "launch_handler": {"client_mode": ["later", "focus-existing"]}, "handle_links": "preferred",
	 "scope_extensions": [{"type": "origin", "origin": "https://tickets.example/x"}], "edge_side_panel": {"preferred_width": 400}, "note_taking": {"new_note_url": "new"},
	 "name_localized": {"de-at": "Linie", "FR": {"value": " Ligne ", "dir": "ltr"}}, "lang": "EN-gb"}`)
	assert.Equal(t, &ShareTarget{"https://line.example/app/share", "POST", "multipart/form-data",
		ShareParams{Title: "t", Files: []ShareFile{{"f", []string{"image/*", ".csv"}}}}}, p.ShareTarget)
	assert.Equal(t, []FileHandler{{Action: "https://line.example/app/open", Name: "Tide tables",
		Accept: map[string][]string{"text/csv": {".csv", ".tide"}}}}, p.FileHandlers)
	assert.Equal(t, []ProtocolHandler{{"web+tide", "https://line.example/app/go?u=%s"},
		{"mailto", "https://line.example/app/mail?u=%s"}}, p.ProtocolHandlers)
	assert.Equal(t, "focus-existing", p.LaunchHandler.ClientMode)
	assert.Equal(t, "preferred", p.HandleLinks)
	assert.Equal(t, []ScopeExtension{{"origin", "https://tickets.example"}}, p.ScopeExtensions)
	assert.Equal(t, 400.0, p.EdgeSidePanel.PreferredWidth)
	assert.Equal(t, "https://line.example/app/new", p.NoteTaking.NewNoteURL)
	assert.Equal(t, map[string]Localized{"de-AT": {Value: "Linie"}, "fr": {Value: "Ligne", Dir: "ltr"}}, p.NameLocalized)
	assert.Equal(t, "en-GB", p.Lang)
	assert.Len(t, issues, 3, "%v", issues)
}

// Mistakes are told with their place and what was probably meant.
func TestIssues(t *testing.T) {
	for text, want := range map[string]string{
		"{\"name\": \"a\",\n}": "2:1 syntax",
		"{\n // tides\n}":      "2:2 syntax",
		"<!doctype html><p>":   "1:1 syntax host answered with an HTML page",
		"":                     "1:1 syntax empty",
		"[]":                   "1:1 syntax object",
		`{"name": "a" "b": 1}`: "1:14 syntax comma",
		"{'name': 1}":          "1:2 syntax",
		`{"nane": "a"}`:        "1:2 unknown-member name",
		`{"prefer_related_applications": "true"}`: "1:33 wrong-type without quotes",
		`{"name": 7}`:                                                           "1:10 wrong-type double quotes",
		`{"display": "standalon"}`:                                              "1:13 ignored-value standalone",
		`{"theme_color": "#12345"}`:                                             "1:17 ignored-value",
		`{"name": "a", "name": "b"}`:                                            "1:15 duplicate-member",
		`{"icons": {"src": "a"}}`:                                               "1:11 wrong-type list",
		`{"icons": [{"src": "a", "sizes": "192"}]}`:                             "1:34 ignored-value",
		`{"start_url": "https://other.example/"}`:                               "1:15 ignored-value origin",
		`{"manifest_version": 3}`:                                               "1:2 unknown-member extension",
		`{"dependencies": {}}`:                                                  "1:2 unknown-member package",
		`{"share_target": {"action": "/app/s"}}`:                                "1:18 ignored-value params",
		`{"share_target": {"action": "/s", "params": {}}}`:                      "1:29 ignored-value outside the scope",
		`{"share_target": {"action": "/app/s", "method": "PUT", "params": {}}}`: "1:49 ignored-value GET or POST",
		`{"share_target": {"action": "/app/s", "params": {"files": [{"name": "f", "accept": "image/*"}]}}}`: "1:59 ignored-value POST",
		`{"file_handlers": [{"action": "/app/o"}]}`:                                                         "1:20 ignored-value accept",
		`{"file_handlers": [{"action": "/app/o", "accept": {"text/csv": "csv"}}]}`:                          "1:64 ignored-value dot",
		`{"protocol_handlers": [{"protocol": "tea", "url": "/app/?u=%s"}]}`:                                 "1:37 ignored-value web+",
		`{"protocol_handlers": [{"protocol": "web+tea", "url": "/app/?u="}]}`:                               "1:55 ignored-value no %s",
		`{"launch_handler": {"client_mode": "navigate-exising"}}`:                                           "1:36 ignored-value navigate-existing",
		`{"scope_extensions": [{"origin": "line.example"}]}`:                                                "1:34 ignored-value https origin",
		`{"name_localized": {"not a language": "x"}}`:                                                       "1:39 ignored-value language tag",
		`{"screenshots": [{"src": "a.png", "form_factor": "tablet"}]}`:                                      "1:50 ignored-value wide or narrow",
		`{"lang": "not a language"}`:                                                                        "1:10 ignored-value",
	} {
		_, issues := process(text)
		require.NotEmpty(t, issues, text)
		fields := strings.SplitN(want, " ", 3)
		i := issues[0]
		assert.Equal(t, fields[0]+" "+fields[1], strings.TrimSpace(place(i)+" "+i.Code), text)
		if len(fields) > 2 {
			assert.Contains(t, i.What+" "+i.Mend, fields[2], text)
		}
	}
}

func place(i Issue) string {
	b, _ := json.Marshal(i.Line)
	c, _ := json.Marshal(i.Column)
	return string(b) + ":" + string(c)
}

func TestColours(t *testing.T) {
	for text, want := range map[string]string{
		"red": "#ff0000", "RebeccaPurple": "#663399", "transparent": "#00000000", "#abc": "#aabbcc", "#abcd": "#aabbccdd",
		"rgb(0, 128, 255)": "#0080ff", "rgb(0% 50% 100% / 50%)": "#0080ff80", "hsl(120, 100%, 25%)": "#008000",
		"hsl(0.5turn 100% 50%)": "#00ffff", "hwb(0 0% 0%)": "#ff0000", "oklch(60% .2 30)": "#de3e2d",
		"lab(50% 40 59.5)": "#bf5700", "color(srgb 1 0 0 / .5)": "#ff000080", "color(display-p3 1 1 1)": "#ffffff",
		"oklab(1 0 0)":     "#ffffff",
		"rgb(110, 0%, 0%)": "", "hsl(120, 100%, 50)": "", "rgb(1 2 3 4)": "", "rgb(1, 2, 3 / 4)": "", "blu": "", "#ab": "",
		"rgb(1,2)": "", "rgb(a b c)": "",
	} {
		c, ok := ParseColour(text)
		if want == "" {
			assert.False(t, ok, text)
		} else {
			assert.Equal(t, want, ColourText(c), text)
		}
	}
}

func FuzzProcess(f *testing.F) {
	f.Add([]byte(`{"name":"a","icons":[{"src":"\ud83d\ude00","sizes":"1x1"}],"scope":"..","id":"?#"}`))
	f.Add([]byte("\xef\xbb\xbf{\"start_url\":\"\\u0000\"/**/}"))
	set := project.Members{{Name: "name", Value: "Pier"}, {Name: "icons", Value: []any{}}}
	f.Fuzz(func(t *testing.T, text []byte) {
		if once, err := Merge(text, set); err == nil {
			if twice, err := Merge(once, set); err != nil || string(twice) != string(once) {
				t.Fatalf("merging twice makes %q of %q (%v)", twice, once, err)
			}
		}
		for _, as := range []As{Standard, Chromium} {
			p, issues := Process(text, murl, durl, as)
			if p.StartURL == "" || p.Scope == "" || p.ID == "" || p.Display == "" {
				t.Fatalf("what is always there is missing: %+v", p)
			}
			for _, i := range issues {
				if i.Line < 1 || i.Column < 1 || i.What == "" {
					t.Fatalf("an issue without a place: %+v", i)
				}
			}
		}
	})
}
