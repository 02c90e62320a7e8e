package report

import (
	"fmt"
	"runtime"
	"slices"
	"strings"

	"tachyform/internal/confirm"
)

// Differences writes a fault report about Tachyform: for each page that a real browser shows differently than predicted, the requests
// and the outcome. Paths have no queries. Titles and texts are included only with content.
func Differences(r *Rehearsed, version string, content bool) []byte {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	line("# Differences between a prediction and %s", r.Browser.Browser)
	line("")
	line("Tachyform %s on %s/%s. This file was not sent anywhere.", version, runtime.GOOS, runtime.GOARCH)
	if r.Report != nil {
		for _, g := range slices.Compact(slices.Sorted(slices.Values(r.Report.Rehearsal.Gaps))) {
			line("Not simulated: %s.", safe(g))
		}
	}
	n := 0
	for _, row := range r.Browser.Rows {
		if row.Unknown != "" || row.Differs == confirm.Same {
			continue
		}
		n++
		path, _, _ := strings.Cut(row.Path, "?")
		line("")
		line("## %d. %s, %s", n, safe(path), row.Condition.Name)
		line("")
		line("- differs: %s", row.Differs)
		line("- predicted: %s, %s", row.Outcome, shownWords(row.Shows, len([]rune(confirm.Plain(row.Text)))))
		line("- seen: %s", shownWords(row.Seen.Shows, len([]rune(row.Seen.Text))))
		if content {
			line("- predicted title: %q", row.Title)
			line("- seen title: %q", row.Seen.Title)
			line("- predicted text: %q", confirm.Plain(row.Text))
			line("- seen text: %q", row.Seen.Text)
		}
		requests(line, "predicted requests", row.Prediction.Requests)
		requests(line, "requests that reached the host", row.Requests)
	}
	for _, p := range r.Browser.Plans {
		for i, s := range p.Steps {
			if !s.Differs() {
				continue
			}
			n++
			line("")
			line("## %d. Step %d of a rehearsal", n, i+1)
			line("")
			line("- kind: %s", strings.SplitN(s.Predicted.Do, " ", 2)[0])
			line("- predicted: %s, expectations met: %v", s.Predicted.Outcome, len(s.Predicted.Wrong) == 0)
			line("- seen: expectations met: %v", len(s.Wrong) == 0)
			if content {
				predicted, seen := stepWords(s)
				line("- step: %s", safe(s.Predicted.Do))
				line("- predicted: %s", predicted)
				line("- seen: %s", seen)
			}
		}
	}
	if n == 0 {
		line("")
		line("There are no differences.")
	}
	return []byte(b.String())
}

// shownWords describes a result without its content.
func shownWords(shows bool, letters int) string {
	if !shows {
		return "no page"
	}
	return fmt.Sprintf("a page with %d characters of text", letters)
}

func requests(line func(format string, args ...any), title string, list []string) {
	if len(list) == 0 {
		line("- %s: none", title)
		return
	}
	line("- %s:", title)
	const most = 60
	for _, r := range list[:min(len(list), most)] {
		line("  - %s", safe(r))
	}
	if n := len(list) - most; n > 0 {
		line("  - and %d more", n)
	}
}
