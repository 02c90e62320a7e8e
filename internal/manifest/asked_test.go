package manifest

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/driver/chromium"
)

// askedManifests are texts about which a real Chromium is asked: every member of the standards and of their
// extensions, each with values of the wrong type, and what their texts do not decide.
func askedManifests() []string {
	var out []string
	wrong := []string{`7`, `"x"`, `[]`, `{}`, `true`, `null`, `[7]`, `["x"]`, `[{}]`, `{"x":7}`}
	for _, member := range strings.Fields(`name short_name description id start_url scope display display_override orientation lang dir
		theme_color background_color icons screenshots shortcuts categories related_applications prefer_related_applications iarc_rating_id
		share_target file_handlers protocol_handlers launch_handler handle_links scope_extensions edge_side_panel note_taking
		permissions_policy url_handlers capture_links tab_strip isolated_storage lock_screen dark user_preferences gcm_sender_id
		gcm_user_visible_only translations name_localized short_name_localized description_localized serviceworker version
		update_token migrate_from migrate_to related_origins widgets borderless_url_patterns sub_apps splash_pages photo_capture`) {
		for _, v := range wrong {
			out = append(out, fmt.Sprintf(`{"name":"Tide Clock","theme_color":"#0b4f6c",%q:%s}`, member, v))
		}
	}
	for _, values := range []string{`{"fullscreen":7}`, `{"fullscreen":"self"}`, `{"fullscreen":[7]}`, `{"fullscreen":["self"]}`, `{"fullscreen":["x y"]}`, `{"fullscreen":["https://orrin.example"]}`, `{"fullscreen":[]}`, `{"unheard-of":["self"]}`} {
		out = append(out, fmt.Sprintf(`{"name":"Tide Clock","permissions_policy":%s}`, values))
	}
	icon := func(rest string) {
		out = append(out, fmt.Sprintf(`{"name":"Tide Clock","icons":[{"src":"a.png",%s}]}`, rest))
	}
	for _, space := range []string{` `, `\t`, `\n`, `\f`, `\r`, `\u000b`, `\u00a0`, `\u2003`, `\u3000`, `\ufeff`, `\u0085`, `\u200b`} {
		icon(`"purpose":"x` + space + `maskable"`)
		icon(`"purpose":"` + space + `maskable"`)
		icon(`"purpose":"` + space + `"`)
		icon(`"sizes":"48x48` + space + `96x96"`)
		icon(`"sizes":"` + space + `48x48"`)
		icon(`"type":"` + space + `image/png` + space + `"`)
		out = append(out, `{"name":"`+space+`Tide`+space+`Clock`+space+`","short_name":"`+space+`Tide`+space+`Clock"}`,
			`{"description":"`+space+`Tide`+space+`Clock`+space+`"}`, `{"display":"`+space+`standalone"}`, `{"orientation":"`+space+`any`+space+`"}`,
			`{"theme_color":"`+space+`red"}`, `{"start_url":"`+space+`/tides"}`, `{"display_override":["`+space+`standalone"]}`,
			`{"lang":"`+space+`de"}`, `{"dir":"`+space+`rtl"}`, `{"name":"Tide Clock",`+strings.NewReplacer(`\t`, "\t", `\n`, "\n", `\f`, "\f", `\r`, "\r", `\u000b`, "\v", `\u00a0`, "\u00a0", `\u3000`, "\u3000", `\u0085`, "\u0085").Replace(space)+`"short_name":"Tide"}`)
	}
	for _, sizes := range []string{`48x48 48x48`, `48X48 48x48`, `any any`, `any 48x48`, `0x0`, `048x48`, `48x`, `48x48x48`, `+48x48`, `4294967296x4294967296`, `2147483648x2147483648`, `99999999999x1`, `1x99999999999`, `-1x-1`, `48×48`} {
		icon(`"sizes":"` + sizes + `"`)
	}
	for _, n := range []int{9, 10, 11, 30, 200, 1200} {
		var items []string
		for i := range n {
			items = append(items, fmt.Sprintf(`{"name":"Quay %d","url":"/quay/%d"}`, i, i))
		}
		out = append(out, `{"shortcuts":[`+strings.Join(items, ",")+`]}`, `{"shortcuts":[{},`+strings.Join(items, ",")+`]}`)
	}
	for _, escape := range []string{`\x41`, `\v`, `\'`, `\a`, `\0`, `\u41`, `\u{41}`, `\ud800`, `\udc00`, `\ud800\u0041`, `\ud83d\ude00`, `\u0000`, `\`, "\x01", "\x7f", "\xff", "\xc3", "\xed\xa0\x80", "\x00"} {
		out = append(out, `{"name":"Tide`+escape+`Clock"}`)
	}
	out = append(out, "{\"name\":\"Tide\nClock\"}", "{\"name\":\"Tide\tClock\"}", "{'name':'Tide'}", `{"name":"Tide",}`, `{name:"Tide"}`, `{"name":"Tide"} x`,
		`{"name":"Tide"}//`, `//x`+"\n"+`{"name":"Tide"}`, `/*x*/{"name":"Tide"}`, `{"name":"Tide"/*x*/}`, `{"name":"Tide"/*x}`, "\ufeff"+`{"name":"Tide"}`,
		`{"name":"Tide","name":"Clock"}`, `{"name":"Tide","n":01}`, `{"name":"Tide","n":.5}`, `{"name":"Tide","n":1.}`, `{"name":"Tide","n":+1}`,
		`{"name":"Tide","n":1e999}`, `{"name":"Tide","n":-0}`, `{"name":"Tide","n":NaN}`, `{"name":"Tide","n":True}`, `[]`, `null`, `"x"`, ``, ` `)
	for _, colour := range []string{
		"color(a98-rgb 0.3 0.6 0.2)", "color(a98-rgb 1 0 0)", "color(prophoto-rgb 0.3 0.6 0.2)", "color(prophoto-rgb 0.01 0.02 0.9)", "color(rec2020 0.3 0.6 0.2)", "color(rec2020 0.01 0.5 1)",
		"color(display-p3 0.3 0.6 0.2)", "color(display-p3 1 0 0)", "color(xyz 0.3 0.6 0.2)", "color(xyz-d50 0.3 0.4 0.2)", "color(srgb-linear 0.3 0.6 0.2)", "color(srgb 30% 0.6 20% / 50%)",
		"color(srgb 1 / 1 1)", "color(srgb 1 1 1 1)", "color(srgb 1, 1, 1)", "color(srgb 1 1)", "color(srgb none 1 1)", "color(SRGB 1 1 1)", "color(odd 1 1 1)",
		"hwb(120 30% 40%)", "hwb(120 80% 80%)", "hwb(120, 30%, 40%)", "hwb(120 30 40)", "hsl(120 30 40)", "hsl(120, 30, 40)", "hsl(none 30% 40%)", "hsl(-0.25turn 30% 40%)", "hsl(2rad 30% 40%)",
		"lab(50 40 20)", "lab(50% 40% 20%)", "lab(150 40 20)", "lch(50 40 120)", "lch(50% 40% 120deg)", "lch(50 -40 120)", "oklab(0.5 0.1 0.1)", "oklab(50% 40% 20%)", "oklch(0.5 0.1 120)", "oklch(50% 40% none)",
		"rgb(300 -20 0)", "rgb(1.5 2.5 3.5)", "rgb(10% 20 30%)", "rgb(10%, 20, 30%)", "rgb(1 2 3 / none)", "rgb(none none none)", "rgb(1,2,3,0.5)", "rgb(1 2 3, 0.5)", "rgb(1e1 2 3)", "rgb( 1 2 3 )", "rgb (1 2 3)",
		"rgb(1 2 3", "currentcolor", "CurrentColor", "ButtonFace", "Canvas", "transparent", "color-mix(in srgb, red, blue)", "rgb(from red r g b)", "light-dark(red, blue)", "var(--a)",
		"#ABCDEF80", "#abcde", "red;", "red blue", "rgb(1/**/2 3)", "r\\65 d",
	} {
		out = append(out, fmt.Sprintf(`{"theme_color":%q}`, colour))
	}
	return out
}

// askChromium gives what a real Chromium makes of the texts.
func askChromium(t *testing.T, texts []string) []string {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		number, file, _ := strings.Cut(strings.TrimPrefix(r.URL.Path, "/"), "/")
		n, err := strconv.Atoi(number)
		switch {
		case err != nil || n >= len(texts):
			http.NotFound(w, r)
		case file == "m.json":
			w.Header().Set("Content-Type", "application/manifest+json")
			_, _ = w.Write([]byte(texts[n]))
		default:
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprintf(w, `<!doctype html><link rel="manifest" href="m.json"><link rel="icon" href="data:,">`)
		}
	}))
	defer server.Close()
	c, err := chromium.Start(context.Background())
	if err != nil {
		t.Skip("SKIPPED: " + err.Error())
	}
	defer c.Close()
	var urls []string
	for i := range texts {
		urls = append(urls, fmt.Sprintf("%s/%d/", server.URL, i))
	}
	answers, err := c.Manifests(urls)
	require.NoError(t, err)
	var out []string
	for i, a := range answers {
		out = append(out, strings.ReplaceAll(strings.ReplaceAll(string(a), server.URL, "https://site.example"), fmt.Sprintf("https://site.example/%d/", i), "https://site.example/0/"))
	}
	return out
}

// What a real Chromium made of the texts is kept; a part of them is asked anew where there is one, all with TACHYFORM_RECORD=1.
func TestAskedManifests(t *testing.T) {
	const kept = "testdata/asked.json"
	texts := askedManifests()
	var answers []string
	if os.Getenv("TACHYFORM_RECORD") != "" {
		answers = askChromium(t, texts)
		text, err := json.MarshalIndent(answers, "", " ")
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(kept, text, 0o644))
	} else {
		text, err := os.ReadFile(kept)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(text, &answers))
	}
	require.Len(t, answers, len(texts), "ask again with TACHYFORM_RECORD=1")
	for i, text := range texts {
		p, issues := Process([]byte(text), "https://site.example/0/m.json", "https://site.example/0/", Chromium)
		var theirs map[string]any
		require.NoError(t, json.Unmarshal([]byte(answers[i]), &theirs))
		assert.Equal(t, plainText(theirs), plainText(inChromium(p)), "%q", text)
		if p.Fatal {
			assert.NotEmpty(t, issues, "%q is thrown away without a word", text)
		}
	}
	t.Run("anew", func(t *testing.T) {
		var some, before []string
		for i := 3; i < len(texts); i += 12 {
			some, before = append(some, texts[i]), append(before, answers[i])
		}
		assert.Equal(t, before, askChromium(t, some))
	})
}

// Where the browsers and the standard read a text differently.
func TestReadings(t *testing.T) {
	type reading func(p *Processed) string
	name := func(p *Processed) string { return p.Name }
	id := func(p *Processed) string { return p.ID }
	lang := func(p *Processed) string { return p.Lang }
	sizes := func(p *Processed) string { return strings.Join(p.Icons[0].Sizes, " ") }
	for _, c := range []struct {
		text                        string
		of                          reading
		standard, chromium, firefox string
	}{
		{`{"name":" Tide\nClock "}`, name, "TideClock", "TideClock", "Tide\nClock"},
		{`{"name":"\ufeffTide\u2003"}`, name, "\ufeffTide\u2003", "\ufeffTide", "Tide"},
		{`{"name":"\u00a0Tide"}`, name, "\u00a0Tide", "\u00a0Tide", "Tide"},
		{`{"name":"\u0085Tide"}`, name, "\u0085Tide", "\u0085Tide", "\u0085Tide"},
		{`{"id":"/app#tides"}`, id, "https://site.example/app", "https://site.example/app", "https://site.example/app#tides"},
		{`{"start_url":"/tides#now"}`, id, "https://site.example/tides", "https://site.example/tides", "https://site.example/tides#now"},
		{`{"lang":"iw-SU"}`, lang, "he-RU", "he-RU", "he-RU"},
		{`{"lang":"uk-SU"}`, lang, "uk-UA", "uk-UA", "uk-UA"},
		{`{"icons":[{"src":"a","sizes":"48x48 48X48"}]}`, sizes, "48x48", "48x48 48x48", "48x48 48X48"},
		{`{"icons":[{"src":"a","sizes":"1x4294967296"}]}`, sizes, "1x4294967296", "1x0", "1x4294967296"},
		{`{"name":"Tide","permissions_policy":{"fullscreen":"self"}}`, name, "Tide", "", "Tide"},
		{`{"name":"Tide\v"}`, name, "", "Tide", ""},
	} {
		for as, want := range map[As]string{Standard: c.standard, Chromium: c.chromium, Firefox: c.firefox} {
			p, _ := Process([]byte(c.text), "https://site.example/m.json", "https://site.example/", as)
			assert.Equal(t, want, c.of(p), "%s as %s", c.text, as)
		}
	}
}

// Language tags come out as a real browser's Intl canonicalises them.
func TestAskedLanguages(t *testing.T) {
	var tags []string
	for a := 'a'; a <= 'z'; a++ {
		for b := 'a'; b <= 'z'; b++ {
			two := string(a) + string(b)
			tags = append(tags, two, "de-"+strings.ToUpper(two))
			for c := 'a'; c <= 'z'; c++ {
				tags = append(tags, two+string(c))
			}
		}
	}
	for i := range 1000 {
		tags = append(tags, fmt.Sprintf("en-%03d", i))
	}
	tags = append(tags, strings.Fields(`art-lojban cel-gaulish zh-guoyu zh-hakka zh-cmn de-1901 ja-latn-hepburn-heploc ja-latn-hepburn
		en-u-ca-gregory en-u-kn-true hy-arevela hy-arevmda sr-qaai de-polytoni de-heploc ca-valencia en-oed no-bok sh-cyrl uk-uk uk-su
		hy-su cmn-hans mo-md zh-hant-hk-x-y ru-su sr-yu az-ir en-aaland i-klingon x-tide en_us en-a-bb-x-a-ccc-d e deutsch de-
		en-a-b-c en-bb-a en-1994-1994 sl-rozaj-biske-1994`)...)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "tags") }))
	defer server.Close()
	c, err := chromium.Start(context.Background())
	if err != nil {
		t.Skip("SKIPPED: " + err.Error())
	}
	defer c.Close()
	asked, err := json.Marshal(tags)
	require.NoError(t, err)
	text, err := c.Evaluate(server.URL, `Promise.resolve(JSON.stringify(`+string(asked)+`.map(tag => {
		try { return Intl.getCanonicalLocales(tag)[0]; } catch { return ""; }
	})))`)
	require.NoError(t, err)
	var answers []string
	require.NoError(t, json.Unmarshal([]byte(text), &answers))
	differ := 0
	for i, tag := range tags {
		if here, _ := canonicalLanguage(tag); here != answers[i] {
			differ++
			t.Logf("%s: browser %q, here %q", tag, answers[i], here)
		}
	}
	// Releases of the language data differ in a few.
	assert.LessOrEqual(t, differ, 20)
}
