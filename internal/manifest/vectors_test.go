package manifest

import (
	"bufio"
	"encoding/json"
	"fmt"
	"math"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// vectors reads one of the files of recorded manifests and calls f with each line.
func vectors(t *testing.T, name string, f func(line []byte)) {
	dir := os.Getenv("TACHYFORM_VECTORS")
	if dir == "" {
		dir = "../../../shared/vectors"
	}
	file, err := os.Open(filepath.Join(dir, name))
	if err != nil {
		t.Skip("SKIPPED: no recorded manifests at " + dir + "; set TACHYFORM_VECTORS")
	}
	defer file.Close()
	scanner := bufio.NewScanner(file)
	scanner.Buffer(nil, 16<<20)
	for scanner.Scan() {
		f(scanner.Bytes())
	}
	require.NoError(t, scanner.Err())
}

// inChromium gives a processed manifest the names and forms in which Chromium's debugging protocol shows one.
func inChromium(p *Processed) map[string]any {
	camel := func(s string) string {
		out := "k"
		for _, part := range strings.Split(s, "-") {
			out += strings.ToUpper(part[:1]) + part[1:]
		}
		return out
	}
	colour := func(s string) any {
		if s == "" {
			return nil
		}
		c, _ := ParseColour(s)
		alpha := strconv.FormatFloat(float64(c.A)/255, 'g', -1, 64)
		return fmt.Sprintf("rgba(%d,%d,%d,%s)", c.R, c.G, c.B, alpha)
	}
	image := func(i Image) map[string]any {
		sizes := strings.Join(i.Sizes, " ")
		m := map[string]any{"url": i.Src, "sizes": strings.ReplaceAll(sizes, "any", "0x0"), "type": i.Type}
		return m
	}
	out := map[string]any{"id": p.ID, "startUrl": p.StartURL, "scope": p.Scope, "orientation": "DEFAULT",
		"display": "kUndefined", "preferRelatedApplications": p.PreferRelatedApplications != nil &&
			*p.PreferRelatedApplications}
	text := func(key, value string) {
		if value != "" {
			out[key] = value
		}
	}
	text("name", p.Name)
	text("description", p.Description)
	if p.Orientation != "" {
		out["orientation"] = strings.ToUpper(strings.ReplaceAll(p.Orientation, "-", "_"))
	}
	if p.DisplayGiven {
		out["display"] = camel(p.Display)
	}
	for key, c := range map[string]string{"themeColor": p.ThemeColor, "backgroundColor": p.BackgroundColor} {
		if v := colour(c); v != nil {
			out[key] = v
		}
	}
	list := func(key string, items []any) {
		if len(items) > 0 {
			out[key] = items
		}
	}
	var modes, icons, shots, shortcuts, related, protocols []any
	for _, m := range p.DisplayOverride {
		modes = append(modes, camel(m))
	}
	for _, i := range p.Icons {
		icons = append(icons, image(i))
	}
	for _, i := range p.Screenshots {
		m := map[string]any{"image": image(i), "formFactor": "kUnknown"}
		if i.FormFactor != "" {
			m["formFactor"] = camel(i.FormFactor)
		}
		if i.Label != "" {
			m["label"] = i.Label
		}
		shots = append(shots, m)
	}
	for _, s := range p.Shortcuts {
		shortcuts = append(shortcuts, map[string]any{"name": s.Name, "url": s.URL})
	}
	for _, r := range p.RelatedApplications {
		related = append(related, map[string]any{"id": r.ID, "url": r.URL})
	}
	for _, h := range p.ProtocolHandlers {
		protocols = append(protocols, map[string]any{"protocol": h.Protocol, "url": h.URL})
	}
	list("displayOverrides", modes)
	list("icons", icons)
	list("screenshots", shots)
	list("shortcuts", shortcuts)
	list("relatedApplications", related)
	list("protocolHandlers", protocols)
	if s := p.ShareTarget; s != nil {
		// so says the protocol
		m := map[string]any{"action": s.Action, "enctype": s.Action, "method": camel(strings.ToLower(s.Method))}
		for key, v := range map[string]string{"title": s.Params.Title, "text": s.Params.Text, "url": s.Params.URL} {
			if v != "" {
				m[key] = v
			}
		}
		out["shareTarget"] = m
	}
	if p.LaunchHandler != nil {
		out["launchHandler"] = map[string]any{"clientMode": camel(p.LaunchHandler.ClientMode)}
	}
	return out
}

// Every member that Chromium shows of 438 recorded manifests comes out as it did there.
func TestChromiumVectors(t *testing.T) {
	all, same := 0, 0
	vectors(t, "chromium-manifest.jsonl", func(line []byte) {
		var v struct {
			ID, ManifestText, ManifestURL, DocumentURL string
			Chromium                                   struct{ Manifest map[string]any }
		}
		require.NoError(t, json.Unmarshal(line, &v))
		p, _ := Process([]byte(v.ManifestText), v.ManifestURL, v.DocumentURL, Chromium)
		if strings.Contains(v.ID, "cross-origin-refused") {
			return // the browser never got the text: another origin kept it
		}
		all++
		got, want := plainText(inChromium(p)), plainText(v.Chromium.Manifest)
		if got == want {
			same++
			return
		}
		mine, theirs := inChromium(p), v.Chromium.Manifest
		for key := range theirs {
			if a, b := fmt.Sprint(mine[key]), fmt.Sprint(theirs[key]); a != b {
				t.Logf("differs: %s %s: browser %s, here %s", v.ID, key, b, a)
			}
		}
		for key := range mine {
			if theirs[key] == nil {
				t.Logf("differs: %s %s: not in the browser, here %v", v.ID, key, mine[key])
			}
		}
	})
	t.Logf("%d of %d manifests come out alike", same, all)
	assert.GreaterOrEqual(t, same*1000, all*990, "what was reached before has to hold")
}

// plainText writes a value so that two can be compared. Colours may differ by one in a channel.
func plainText(m map[string]any) string {
	for _, key := range []string{"description"} {
		if m[key] == "" {
			delete(m, key)
		}
	}
	text, _ := json.Marshal(m)
	text = regexp.MustCompile(`"(label|sizes|type)":"",`).ReplaceAll(text, nil)
	return string(regexp.MustCompile(`,?"(label|sizes|type)":""`).ReplaceAll(text, nil))
}

// Of the assertions of Firefox's own tests of its manifest processor, how many hold.
func TestFirefoxVectors(t *testing.T) {
	all, same := 0, 0
	vectors(t, "firefox-manifest.jsonl", func(line []byte) {
		var v struct {
			ID, ManifestText, ManifestURL, DocumentURL string
			Expect                                     map[string]any
		}
		require.NoError(t, json.Unmarshal(line, &v))
		p, _ := Process([]byte(v.ManifestText), v.ManifestURL, v.DocumentURL, Firefox)
		all++
		text, err := json.Marshal(p)
		require.NoError(t, err)
		var got map[string]any
		require.NoError(t, json.Unmarshal(text, &got))
		var wrong []string
		for path, want := range v.Expect {
			switch path {
			case "$jsonError", "$": // the whole is refused
				if !p.Fatal {
					wrong = append(wrong, "it is not refused")
				}
				continue
			}
			// url(scope).hash is a part of a member that is a URL.
			if m := regexp.MustCompile(`^url\((\w+)\)\.(search|hash)$`).FindStringSubmatch(path); m != nil {
				u, err := url.Parse(fmt.Sprint(got[m[1]]))
				require.NoError(t, err)
				if have := map[string]string{"search": u.RawQuery, "hash": u.Fragment}[m[2]]; !alike(have, want) {
					wrong = append(wrong, path+": here "+have)
				}
				continue
			}
			if have := at(got, path); !alike(have, want) {
				wrong = append(wrong, fmt.Sprintf("%s: browser %v, here %v", path, want, have))
			}
		}
		slices.Sort(wrong)
		if wrong == nil {
			same++
			return
		}
		t.Logf("differs: %s\n  text %q\n  %s", v.ID, v.ManifestText, strings.Join(wrong, "\n  "))
	})
	t.Logf("%d of %d manifests come out alike", same, all)
	assert.GreaterOrEqual(t, same*1000, all*990, "what was reached before has to hold")
}

// at follows a path such as icons[0].purpose.length.
func at(v any, path string) any {
	for _, step := range regexp.MustCompile(`[A-Za-z_$]+(?:\([a-z]+\))?|\[\d+\]`).FindAllString(path, -1) {
		switch {
		case step == "$":
		case step[0] == '[':
			i, _ := strconv.Atoi(step[1 : len(step)-1])
			list, _ := v.([]any)
			if i >= len(list) {
				return nil
			}
			v = list[i]
		case step == "length":
			list, _ := v.([]any)
			return float64(len(list))
		default:
			m, _ := v.(map[string]any)
			v = m[step]
		}
	}
	return v
}

func alike(have, want any) bool {
	h, ok1 := have.(string)
	w, ok2 := want.(string)
	if ok1 && ok2 && strings.HasPrefix(w, "#") {
		a, okA := ParseColour(h)
		b, okB := ParseColour(w)
		near := func(x, y uint8) bool { return math.Abs(float64(x)-float64(y)) <= 1 }
		return okA && okB && near(a.R, b.R) && near(a.G, b.G) && near(a.B, b.B) && near(a.A, b.A)
	}
	return fmt.Sprint(have) == fmt.Sprint(want)
}
