package audit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/project"
)

// A later audit says what was mended, what is new and what is still there.
func TestCompare(t *testing.T) {
	files := goodSite()
	files["far.html"] = "<title>Far</title>"
	earlier := judge(t, files, "")
	files["far.html"] = goodSite()["far.html"]
	files["index.html"] = files["index.html"] + "<img src=/gone.png>"
	r := judge(t, files, "")
	r.Compare(earlier, "earlier.json")
	list := func(findings []*Finding) (codes []string) {
		for _, f := range findings {
			codes = append(codes, f.Code)
		}
		return codes
	}
	assert.Contains(t, list(r.Since.Mended), "page.viewport")
	assert.Contains(t, list(r.Since.New), "link.broken")
	assert.NotContains(t, list(r.Since.New), "page.viewport")
}

// A project may weigh checks otherwise, with a reason that the report shows; the targets' verdicts stay.
func TestWeights(t *testing.T) {
	files := goodSite()
	delete(files, "m.json")
	r := judge(t, files, "audit: {weights: [{check: link.broken, weight: polish, reason: it comes later}, {check: "+
		"app.unreachable, weight: off, reason: tried elsewhere}]}")
	assert.NotContains(t, codes(r), "app.unreachable")
	assert.False(t, r.Targets["chromium-desktop"].Installable)
	require.Len(t, r.Changed, 2)
	assert.Equal(t, Override{Code: "app.unreachable", From: Blocker, To: "off", Reason: "tried elsewhere", Findings: 1},
		r.Changed[1])
	p, err := project.Parse("tachyform.yaml", []byte("audit: {weights: [{check: link.brokn, weight: off, reason: x}]}"))
	require.NoError(t, err)
	assert.ErrorContains(t, checkSettings(p), "did you mean link.broken?")
}

// What people meet differs by target: the label, the picture, the splash.
func TestSees(t *testing.T) {
	files := goodSite()
	files["index.html"] = strings.Replace(files["index.html"], "<link rel=\"manifest\"",
		"<meta name=\"apple-mobile-web-app-title\" content=\"Quay\"><link rel=\"manifest\"", 1)
	files["m.json"] = strings.Replace(files["m.json"], `"short_name": "Pier"`, `"short_name": "Pr"`, 1)
	r := judge(t, files, "")
	for target, want := range map[string]Appearance{
		"chromium-android": {"Pr", "/mask.png", "standalone", "icon and name on white", "", ""},
		"chromium-desktop": {"Pier", "/any.png", "standalone", "", "", ""},
		"safari-ios": {"Quay", "/any.png", "standalone", "the startup image for the screen", "#0b4f6c",
			"of its own: signed out, and nothing kept until it was open online once"},
	} {
		assert.Equal(t, want, *r.Targets[target].Sees, target)
	}
}
