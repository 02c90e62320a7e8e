package audit

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// An entry of the project file may accept a check's findings on some pages alone: the others are told as before, and nothing else is.
func TestWeightsOfPages(t *testing.T) {
	site := goodSite()
	for _, name := range []string{"chart.html", "deep/chart.html", "low.html"} {
		site[name] = site["far.html"] + "<script>WebAssembly.compile(new Uint8Array(8)).catch(() => {})</script>"
	}
	site["w.js"] = strings.Replace(site["w.js"], "'/far.html', ", "'/far.html', '/chart.html', '/deep/chart.html', '/low.html', ", 1)
	entry := func(pages string) string {
		return "audit: {pages: [/chart.html, /deep/chart.html, /low.html], weights: [{check: offline.unknown, weight: off, pages: [" + pages +
			"], reason: sums are only for those who are online}, {check: page.title, weight: off, pages: [/low.html], reason: none}]}"
	}
	unknown := func(settings string) (int, *Report) {
		r := judge(t, site, settings)
		return r.Summary.Unknown, r
	}
	all, _ := unknown("audit: {pages: [/chart.html, /deep/chart.html, /low.html]}")
	some, r := unknown(entry("/chart.html, /deep/*"))
	assert.Equal(t, all-2, some)
	require.Len(t, r.Changed, 2)
	assert.Equal(t, 2, r.Changed[0].Findings)
	assert.Equal(t, []string{"/chart.html", "/deep/*"}, r.Changed[0].Pages)
	none, r := unknown(entry("/*"))
	assert.Zero(t, none)
	assert.NotContains(t, codes(r), "offline.unknown")

	titles := goodSite()
	for _, name := range []string{"a.html", "b.html"} {
		titles[name] = "<!doctype html><html lang=en><p>no title</p>"
	}
	r = judge(t, titles, "audit: {weights: [{check: page.title, weight: blocker, pages: [/b.html], reason: it is linked from outside}]}")
	weights := map[string]string{}
	for _, f := range r.Findings {
		if f.Code == "page.title" {
			weights[f.Where.URL] = f.Weight
		}
	}
	assert.Equal(t, map[string]string{"/a.html": Polish, "/b.html": Blocker}, weights)

	// An entry for some pages outweighs one for all, wherever either stands.
	const (
		forSome = "{check: page.title, weight: blocker, pages: [/b.html], reason: x}"
		forAll  = "{check: page.title, weight: off, reason: y}"
	)
	for _, list := range []string{forSome + ", " + forAll, forAll + ", " + forSome} {
		r = judge(t, titles, "audit: {weights: ["+list+"]}")
		found := slices.DeleteFunc(slices.Clone(r.Findings), func(f *Finding) bool { return f.Code != "page.title" })
		require.Len(t, found, 1, list)
		assert.Equal(t, []string{"/b.html", Blocker}, []string{found[0].Where.URL, found[0].Weight})
		for _, c := range r.Changed {
			assert.Equal(t, 1, c.Findings, c)
		}
	}
}
