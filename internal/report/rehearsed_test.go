package report

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/confirm"
	"tachyform/internal/rehearsal"
)

// rehearsed is a result with a page that differs, one that does not, an unknown one, and a rehearsal with a step that differs.
func rehearsed() *Rehearsed {
	row := func(path string, differs confirm.Difference, unknown string) confirm.Row {
		return confirm.Row{Prediction: confirm.Prediction{Path: path, Condition: condition.Offline, Outcome: "whole", Shows: true, Title: "Tides", Text: "secret low",
			Unknown: unknown, Requests: []string{"/data.json 200, network"}}, Seen: confirm.Sight{Shows: true, Title: "Tides <b>", Text: "secret high"}, Differs: differs,
			Requests: []string{"GET /data.json 0, page"}}
	}
	page := func(path string, known bool) *audit.PageReport {
		return &audit.PageReport{URL: path, Title: "Tides", Under: map[string]*audit.PageResult{"offline": {Outcome: rehearsal.Whole, Known: known, Why: "a gap"}}}
	}
	step := audit.PlanStep{Do: "open /secret", Outcome: rehearsal.Whole, Title: "Tides"}
	return &Rehearsed{Site: "dist", Origin: "https://pier.example", Entry: "/", Report: &audit.Report{Pages: []*audit.PageReport{page("/", true), page("/tides?day=1", true), page("/map", false)},
		Rehearsal: &rehearsal.Result{}},
		Played: []*audit.PlanResult{{Name: "A visit", Holds: true, Steps: []audit.PlanStep{step}}},
		Browser: &confirm.Result{Browser: "chromium 156", Rows: []confirm.Row{row("/", confirm.Same, ""), row("/tides?day=1", confirm.Text, ""), row("/map", confirm.Shows, "a gap")},
			Plans: []*confirm.Played{{Name: "A visit", Steps: []confirm.PlayedStep{{Predicted: step, Seen: &confirm.Sight{Shows: true, Title: "Other"}}}}}}}
}

// Each report names the differences, and no other page.
func TestRehearsedReports(t *testing.T) {
	html, err := RehearsalHTML(rehearsed())
	require.NoError(t, err)
	assert.Contains(t, string(html), "1 of 2 results differ from the prediction")
	assert.Contains(t, string(html), "seen: secret high")
	assert.NotContains(t, string(html), "Tides <b>", "texts of the site are escaped")
	junit, err := RehearsalJUnit(rehearsed())
	require.NoError(t, err)
	assert.Contains(t, string(junit), `tests="4" failures="2"`)
	markdown := string(RehearsalMarkdown(rehearsed()))
	assert.Contains(t, markdown, "- /tides?day=1, offline: predicted whole")
	assert.NotContains(t, markdown, "- /map, offline")
	text := RehearsedText(rehearsed(), false, 80)
	assert.Contains(t, text, "1 of 2 as predicted; 1 page without a prediction")
	assert.Contains(t, text, "in chromium 156: 0 of 1 step as predicted")
	assert.Contains(t, text, "seen       “Other”")
}

// The fault report has no query, title or text unless they are wanted.
func TestDifferences(t *testing.T) {
	short := string(Differences(rehearsed(), "1.0", false))
	assert.Contains(t, short, "## 1. /tides, offline")
	assert.Contains(t, short, "  - /data.json 200, network")
	assert.Contains(t, short, "  - GET /data.json 0, page")
	assert.Contains(t, short, "## 2. Step 1 of a rehearsal")
	assert.NotContains(t, short, "/map")
	for _, hidden := range []string{"secret", "day=1", "Tides"} {
		assert.NotContains(t, short, hidden)
	}
	long := string(Differences(rehearsed(), "1.0", true))
	assert.Contains(t, long, `seen text: "secret high"`)
	none := rehearsed()
	none.Browser = &confirm.Result{Browser: "chromium 156"}
	assert.True(t, strings.HasSuffix(string(Differences(none, "1.0", false)), "There are no differences.\n"))
}
