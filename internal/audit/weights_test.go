package audit

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/target"
)

func TestWeightsByTarget(t *testing.T) {
	codes, ranks := map[string]bool{}, map[int]bool{}
	for _, c := range Catalogue {
		heaviest, _ := c.weighted(target.All)
		assert.Equal(t, c.Weight, heaviest, "%s: what is written in the catalogue is its heaviest weight", c.Code)
		for name := range c.Otherwise {
			assert.Contains(t, target.All, name, c.Code)
		}
		assert.False(t, codes[c.Code] || ranks[c.Rank] || c.Rank == 0, "%s stands twice, or has no rank of its own", c.Code)
		codes[c.Code], ranks[c.Rank] = true, true
		assert.Same(t, c, CheckOf(c.Code))
		for name, text := range map[string]string{"title": c.Title, "reason": c.Reason, "mend": c.Mend,
			"example": c.Example} {
			assert.NotEmpty(t, text, "%s has no %s", c.Code, name)
		}
	}
	assert.Nil(t, CheckOf("page.none"))
	for _, c := range []struct{ code, target, want string }{
		{"app.start", "chromium-desktop", Blocker}, {"app.start", "safari-ios", Polish}, {"worker.ranges", "safari-macos",
			Risk}, {"worker.ranges", "chromium-android", Polish},
		{"icon.maskable", "safari-ios", ""}, {"app.nameless", "firefox-android", Risk}, {"offline.start", "safari-ios",
			Blocker}, {"page.apple", "chromium-desktop", ""},
	} {
		assert.Equal(t, c.want, CheckOf(c.code).WeightOn(c.target), "%s on %s", c.code, c.target)
	}
}

// A fault that none of the targets feels is no finding; one that some feel says which, and the project file can weigh
// it for some alone.
func TestTargetsOfFindings(t *testing.T) {
	files := goodSite()
	files["m.json"] = strings.Replace(files["m.json"], `"purpose": "maskable"`, `"purpose": "any"`, 1)
	files["far.html"] = strings.Replace(files["far.html"], `name="viewport"`, `name="other"`, 1)
	find := func(settings, code string) *Finding {
		for _, f := range judge(t, files, settings).Findings {
			if f.Code == code {
				return f
			}
		}
		return nil
	}
	assert.Nil(t, find("audit: {targets: [safari-ios, safari-macos]}", "icon.maskable"))
	f := find("", "icon.maskable")
	require.NotNil(t, f)
	assert.Equal(t, []string{"chromium-android", "firefox-android"}, f.Targets)
	assert.Equal(t, map[string]string{"chromium-android": Polish, "firefox-android": Polish}, f.Weights)
	f = find("audit: {weights: [{check: page.viewport, weight: polish, on: [chromium-android, firefox-android], "+
		"reason: kiosk}]}", "page.viewport")
	assert.Equal(t, Risk, f.Weight, "iPhones still feel it")
	assert.Equal(t, map[string]string{"chromium-android": Polish, "firefox-android": Polish, "safari-ios": Risk},
		f.Weights)
	f = find("audit: {weights: [{check: page.viewport, weight: off, on: [safari-ios], reason: kiosk}, {check: "+
		"page.viewport, weight: polish, on: [chromium-android, firefox-android], reason: kiosk}]}", "page.viewport")
	assert.Equal(t, Polish, f.Weight)
	assert.NotContains(t, f.Targets, "safari-ios")
	assert.Nil(t, find("audit: {weights: [{check: page.viewport, weight: off, reason: kiosk}]}", "page.viewport"))
}

// Only Chromium reads display_override, and iOS knows no minimal-ui: each target goes by what it reads.
func TestDisplayByTarget(t *testing.T) {
	for members, stopped := range map[string]string{
		`"display": "standalone"`:                                     "",
		`"display": "minimal-ui"`:                                     "safari-ios",
		`"display": "browser", "display_override": ["standalone"]`:    "firefox-android safari-ios",
		`"display": "standalone", "display_override": ["browser"]`:    "chromium-android chromium-desktop",
		`"display": "standalone", "display_override": ["minimal-ui"]`: "",
		`"display": "browser"`: "chromium-android chromium-desktop " +
			"firefox-android safari-ios",
	} {
		files := goodSite()
		files["m.json"] = strings.Replace(files["m.json"], `"display": "standalone"`, members, 1)
		r := judge(t, files, "")
		var got []string
		for _, target := range sortedKeys(r.Targets) {
			if !r.Targets[target].Installable {
				got = append(got, target)
			}
		}
		assert.Equal(t, stopped, strings.Join(got, " "), members)
	}
}
