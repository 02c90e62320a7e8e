package report

import (
	"fmt"
	"strings"
	"time"

	"tachyform/internal/audit"
)

// Remembered is what an earlier audit came to.
type Remembered struct {
	At      time.Time     `json:"at"`
	Summary audit.Summary `json:"summary"`
	Pages   int           `json:"pages"`
	// Whole counts the pages that were whole offline.
	Whole int `json:"whole"`
}

// maxRemembered bounds the lines of a history that are shown.
const maxRemembered = 10

// History shows what the last audits came to, the newest last, with a bar for the pages that are whole offline.
func History(list []Remembered) string {
	var b strings.Builder
	fmt.Fprintf(&b, "\n%s\n", bold.Render("HISTORY"))
	for _, r := range list[max(0, len(list)-maxRemembered):] {
		const width = 16
		full := 0
		if r.Pages > 0 {
			full = r.Whole * width / r.Pages
		}
		verdict := verdictStyle(r.Summary.Verdict).Render(pad(r.Summary.Verdict, 9))
		fmt.Fprintf(&b, "  %s  %s %s%s  %s %s %s\n", faint.Render(r.At.Format("2006-01-02 15:04")), verdict,
			green.Render(strings.Repeat("█", full)), faint.Render(strings.Repeat("░", width-full)),
			padLeft(count(r.Summary.Blockers, "blocker", "blockers"), 11), padLeft(count(r.Summary.Risks, "risk", "risks"),
				8), padLeft(fmt.Sprintf("%d polish", r.Summary.Polish), 9))
	}
	return b.String()
}
