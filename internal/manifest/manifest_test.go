package manifest

import (
	"bufio"
	"encoding/json"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const (
	murl = "https://line.example/app/site.webmanifest"
	durl = "https://line.example/app/"
)

func process(text string) (*Processed, []Issue) { return Process([]byte(text), murl, durl, Standard) }

func TestProcess(t *testing.T) {
	p, issues := process(`{"name":" Skerry\n Line ","start_url":"./?from=home","id":"/line","scope":"/","display":"Standalone","theme_color":"rgb(11 79 108)",
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
		`{"name": 7}`:                               "1:10 wrong-type double quotes",
		`{"display": "standalon"}`:                  "1:13 ignored-value standalone",
		`{"theme_color": "#12345"}`:                 "1:17 ignored-value",
		`{"name": "a", "name": "b"}`:                "1:15 duplicate-member",
		`{"icons": {"src": "a"}}`:                   "1:11 wrong-type list",
		`{"icons": [{"src": "a", "sizes": "192"}]}`: "1:34 ignored-value",
		`{"start_url": "https://other.example/"}`:   "1:15 ignored-value origin",
		`{"lang": "not a language"}`:                "1:10 ignored-value",
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
		"hsl(0.5turn 100% 50%)": "#00ffff", "hwb(0 0% 0%)": "#ff0000", "blu": "", "#ab": "", "rgb(1,2)": "", "rgb(a b c)": "",
	} {
		c, ok := ParseColour(text)
		if want == "" {
			assert.False(t, ok, text)
		} else {
			assert.Equal(t, want, ColourText(c), text)
		}
	}
}

// How often the name, addresses and display come out as a real browser's did. Every difference left is work that is still to do;
// the bound keeps what is reached.
func TestBrowserVectors(t *testing.T) {
	path := os.Getenv("TACHYFORM_VECTORS")
	if path == "" {
		path = "../../../shared/vectors"
	}
	file, err := os.Open(path + "/chromium-manifest.jsonl")
	if err != nil {
		t.Skip("SKIPPED: no recorded manifests at " + path + "; set TACHYFORM_VECTORS")
	}
	defer file.Close()
	scanner := bufio.NewScanner(file)
	scanner.Buffer(nil, 16<<20)
	all, same := 0, 0
	for scanner.Scan() {
		var v struct {
			ID, ManifestText, ManifestURL, DocumentURL string
			Chromium                                   struct {
				Manifest struct{ Name, ShortName, ID, StartURL, Scope, Display string }
			}
		}
		require.NoError(t, json.Unmarshal(scanner.Bytes(), &v))
		p, _ := Process([]byte(v.ManifestText), v.ManifestURL, v.DocumentURL, Chromium)
		m := v.Chromium.Manifest
		all++
		display := strings.ToLower(strings.TrimPrefix(m.Display, "k"))
		mine := strings.ReplaceAll(p.Display, "-", "")
		if display == "undefined" || display == "" {
			display = "browser"
		}
		if m.Name == p.Name && m.ShortName == p.ShortName && (m.StartURL == "" || m.StartURL == p.StartURL) && (m.Scope == "" || m.Scope == p.Scope) && (m.ID == "" || m.ID == p.ID) && display == mine {
			same++
		} else {
			t.Logf("differs: %s: browser %+v, here %q %q %s %s %s %s", v.ID, m, p.Name, p.ShortName, p.ID, p.StartURL, p.Scope, p.Display)
		}
	}
	require.NoError(t, scanner.Err())
	t.Logf("%d of %d manifests come out alike", same, all)
	assert.GreaterOrEqual(t, same*100, all*96)
}

func FuzzProcess(f *testing.F) {
	f.Add([]byte(`{"name":"a","icons":[{"src":"\ud83d\ude00","sizes":"1x1"}],"scope":"..","id":"?#"}`))
	f.Add([]byte("\xef\xbb\xbf{\"start_url\":\"\\u0000\"/**/}"))
	f.Fuzz(func(t *testing.T, text []byte) {
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
