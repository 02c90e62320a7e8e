package report

import (
	"bytes"
	"fmt"
	"os"
	"regexp"
	"strings"
	"testing"

	"tachyform/internal/survey"

	"github.com/charmbracelet/colorprofile"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"tachyform/internal/audit"
	"tachyform/internal/manifest"
	"tachyform/internal/problem"
	"tachyform/internal/rehearsal"
	"tachyform/internal/useragent"
	"tachyform/internal/useragent/account"
	"tachyform/internal/useragent/fetch"
)

// hostile is text as a site might hold it: escape sequences, markup, direction marks, and no place to break.
const hostile = "\x1b[31mred\x07\u202e<script>alert(1)</script>" +
	"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa"

// sample is a report with every kind of thing in it.
func sample(pages int) *audit.Report {
	r := &audit.Report{Site: "dist", Origin: "https://line.example", Targets: map[string]*audit.TargetVerdict{
		"chromium-android": {Installable: true, Blockers: []string{}}, "safari-ios": {Blockers: []string{"app.unlinked"}}},
		Manifest: &audit.ManifestReport{Processed: &manifest.Processed{Name: hostile}},
		Summary:  audit.Summary{Verdict: "not ready", Blockers: 1, Risks: 1, Polish: 9}}
	failed := hostile
	r.Worker = &audit.WorkerReport{URL: "/w.js", Scope: "/", State: "redundant", Error: &failed,
		Caches: map[string][]string{hostile: {"/"}}}
	for i := range pages {
		r.Pages = append(r.Pages, &audit.PageReport{URL: fmt.Sprintf("/a-rather-long-folder-name/page-%d.html", i),
			Title: "Tides <" + fmt.Sprint(i), Under: map[string]*audit.PageResult{
				"offline": {Outcome: []rehearsal.Outcome{"whole", "partial", "lost"}[i%3], Status: 200, Known: true,
					AnsweredBy: "pack", Missing: []string{"/" +
						hostile}}, "stalled": {Outcome: "stuck", Known: i > 0, Why: "a reason", Missing: []string{}}}})
	}
	for i := range 11 {
		weight := audit.Polish
		if i < 2 {
			weight = []string{audit.Blocker, audit.Risk}[i]
		}
		r.Findings = append(r.Findings, &audit.Finding{Code: "page.theme", Weight: weight, Title: "Pages set no theme colour",
			Where: audit.Where{File: "dist/index.html", Line: 3, Column: 1,
				URL: "/"}, Evidence: hostile, Reason: "The bar keeps its colour.", Mend: "tachyform fit adds the tag"})
	}
	r.Rehearsal = &rehearsal.Result{Caches: []useragent.CacheContent{{Name: hostile,
		Entries: []useragent.CachedEntry{{URL: "https://line.example/" + hostile, Bytes: 7}}}}}
	return r
}

// plain is what a terminal without colours shows.
func plain(text string) string {
	var b bytes.Buffer
	w := colorprofile.NewWriter(&b, []string{"NO_COLOR=1", "TERM=dumb"})
	w.Profile = colorprofile.NoTTY
	w.Write([]byte(text))
	return b.String()
}

// Text from a site can't command the terminal, and lines that could be broken fit it.
func TestTerminal(t *testing.T) {
	summary := &survey.Summary{Site: "dist", Pages: 3, Files: 9,
		Kinds: []survey.KindTotal{{Kind: "pages", Files: 3, Bytes: 1000}}, Heaviest: []survey.FileWeight{{URL: "/" +
			hostile, Bytes: 99}},
		Broken: []survey.Broken{{URL: "/x", From: "/" + "y", Line: 2,
			Places: 3}}, Others: []survey.OtherOrigin{{Origin: "https://other.example", Requests: 2}}, Unlinked: []string{"/a",
			"/b"}}
	traced := []*rehearsal.Traced{{Condition: "stalled", Handled: fetch.ByWorker, Status: 200,
		Source: fetch.Source{Kind: fetch.CacheSource, Cache: "tachyform / kept /x"}, Notes: []account.Note{{Level: "error",
			Text: hostile}}}, {Condition: "offline", Reason: fetch.Failure{Kind: fetch.NetworkFailed}}}
	for name, text := range map[string]string{
		"audit": Audit(sample(30), 80), "rehearsal": Rehearsal(sample(60), 80), "survey": Survey(summary,
			80), "trace": Trace("/x", "", "https://line.example", traced, 80),
		"problem": Problem(&problem.Problem{What: hostile, Where: "a:1:2", Mend: "mend it"}, 80),
	} {
		shown := plain(text)
		assert.NotContains(t, shown, "\x1b", name)
		assert.NotContains(t, shown, "\x07", name)
		assert.NotContains(t, shown, "\u202e", name)
		for _, line := range strings.Split(shown, "\n") {
			if !strings.Contains(line, "aaaaaaaa") {
				assert.LessOrEqual(t, len([]rune(line)), 80, name+": "+line)
			}
		}
	}
	text := plain(Audit(sample(30), 80))
	assert.Contains(t, text, "NOT READY")
	assert.Contains(t, text, "and 3 more", "polish is shortened with a count")
	assert.Contains(t, text, "dist/index.html:3:1")
	assert.Contains(t, plain(Rehearsal(sample(60), 80)), "and 20 more, none worse than these")
}

// The HTML report stands alone: nothing comes from elsewhere, nothing a site says is run, and it stays small.
func TestHTML(t *testing.T) {
	text, err := HTML(sample(5000))
	require.NoError(t, err)
	assert.Less(t, len(text), 2_000_000)
	assert.Contains(t, string(text), "And 4000 more")
	text, err = HTML(sample(100))
	require.NoError(t, err)
	assert.Less(t, len(text), 300_000)
	doc, err := html.Parse(bytes.NewReader(text))
	require.NoError(t, err)
	ids := map[string]bool{}
	var links []string
	var walk func(*html.Node)
	walk = func(n *html.Node) {
		if n.Type == html.ElementNode {
			assert.NotContains(t, []string{"script", "iframe", "img", "link", "object"}, n.Data)
			for _, a := range n.Attr {
				switch {
				case a.Key == "id":
					ids[a.Val] = true
				case a.Key == "href":
					links = append(links, strings.TrimPrefix(a.Val, "#"))
				}
				assert.False(t, strings.HasPrefix(a.Key, "on"), a.Key)
			}
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
	}
	walk(doc)
	assert.NotContains(t, links, "")
	assert.NotRegexp(t, regexp.MustCompile(`(?i)(src|href|url)\s*[=(]\s*["']?(https?:)?//`), string(text))
	large, err := HTML(sample(5000))
	require.NoError(t, err)
	assert.Less(t, len(large), 2_000_000, "a large site's report lists its worst pages")
	if dir := os.Getenv("TACHYFORM_KEEP"); dir != "" {
		require.NoError(t, os.WriteFile(dir+"/sample.html", text, 0o644))
	}
}

func TestShortening(t *testing.T) {
	assert.Equal(t, "/a-very-l….html", fitTo("/a-very-long-name/that-goes-on/page.html", 15))
	assert.Equal(t, "short", fitTo("short", 15))
	assert.Equal(t, "one two…", cut("one two three", 9))
	for _, c := range []struct {
		text  string
		width int
		want  string
	}{
		{"fits as it is", 20, "fits as it is"},
		{"12 pages: /, /tides/ …; no <link rel=icon>", 30, "12 pages: /, /tides/ …"}, // a scrap of the last clause goes whole
		{"site/index.html: no startup images", 28, "site/index.html: no …"},
		{"/a-path-without-any-word-to-end-at", 12, "/a-path-wi …"},
	} {
		got := cutAtWord(c.text, c.width)
		assert.Equal(t, c.want, got)
		assert.LessOrEqual(t, textWidth(got), c.width)
	}
	assert.Equal(t, "one two\n  three", wrap("one two three", 8, 2))
	assert.Equal(t, "Site is missing", capital("site is missing"))
	assert.Equal(t, "app.name is missing", capital("app.name is missing"))
}

// docs/checks.md is made from the catalogue, and every check tells what a person needs.
func TestChecksDocument(t *testing.T) {
	const file = "../../docs/checks.md"
	want := ChecksDocument(audit.Catalogue)
	if os.Getenv("TACHYFORM_WRITE_DOCS") != "" {
		require.NoError(t, os.WriteFile(file, []byte(want), 0o644))
	}
	got, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, want == string(got), "docs/checks.md is out of date; TACHYFORM_WRITE_DOCS=1 writes it anew")
	for _, c := range audit.Catalogue {
		text := Explain(c, 80)
		for _, line := range strings.Split(text, "\n") {
			assert.LessOrEqual(t, textWidth(line), 80, c.Code)
		}
		assert.NotEmpty(t, c.Example, c.Code)
	}
}
