package audit

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"tachyform/internal/condition"
	"tachyform/internal/rehearsal"
)

// Confirmation is the result of a page in a real browser, for pages whose outcome is unknown here.
type Confirmation struct {
	Page      string            `json:"page"` // URL path with its query
	Condition string            `json:"condition"`
	Outcome   rehearsal.Outcome `json:"outcome"`
	Title     string            `json:"title"`
	Browser   string            `json:"browser"` // name and version
	Date      string            `json:"date"`    // YYYY-MM-DD
	// Bytes is the checksum of the site that the browser showed.
	Bytes string `json:"bytes"`
}

// What is judged here.
var offlineSeen = newCheck(Check{
	Code: "offline.seen", Weight: Risk, Rank: 205,
	Title:   "A real browser does not show these pages completely offline",
	Reason:  "Their outcome is unknown to the embedded user agent; a real browser was asked instead.",
	Mend:    "open the page offline in that browser and look at the failed requests in its developer tools",
	Example: "A page that draws a map with WebGL: chromium showed an error page for it offline.",
})

// confirm applies the confirmations to pages whose outcome is unknown. It removes no findings.
func (a *auditor) confirm() {
	for i := range a.Confirmed {
		c := &a.Confirmed[i]
		for _, p := range a.report.Pages {
			if r := p.Under[c.Condition]; p.URL == c.Page && r != nil && !r.Known {
				r.Known, r.Outcome, r.Confirmed = true, c.Outcome, c
			}
		}
	}
	seen := map[string]bool{}
	var parts []string
	first := ""
	for _, p := range a.report.Pages {
		for _, name := range condition.Names() {
			r := p.Under[name]
			if r == nil || r.Confirmed == nil {
				continue
			}
			if !seen[p.URL] {
				seen[p.URL] = true
				a.report.Summary.Confirmed++
				if by := r.Confirmed.Browser + " on " + r.Confirmed.Date; !slices.Contains(a.report.Summary.ConfirmedBy, by) {
					a.report.Summary.ConfirmedBy = append(a.report.Summary.ConfirmedBy, by)
				}
			}
			if r.Outcome != rehearsal.Whole && name == condition.Offline.Name {
				first = cmp.Or(first, p.URL)
				parts = append(parts, fmt.Sprintf("%s: %s in %s", p.URL, r.Outcome, r.Confirmed.Browser))
			}
		}
	}
	if len(parts) > 0 {
		if n := len(parts) - 4; n > 0 {
			parts = append(parts[:4], fmt.Sprintf("and %d more", n))
		}
		a.find(offlineSeen, a.place(a.absolute(first), 0, 0), strings.Join(parts, "; "), "")
	}
}

// isConfirmed reports whether a page's outcome under a condition was confirmed by a real browser.
func (p *PageReport) isConfirmed(condition string) bool {
	r := p.Under[condition]
	return r != nil && r.Confirmed != nil
}
