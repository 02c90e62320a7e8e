package audit

import (
	"fmt"
	"strings"
)

var linkUnanswered = newCheck(Check{
	Code: "link.unanswered", Weight: Risk, Rank: 145,
	Title:   "Links work by click, not by address",
	Reason:  "The app draws these pages when a link is clicked. Whoever reloads one, or opens it by a bookmark, gets the host's error page.",
	Mend:    "have the host answer with the app's page where it has no file",
	Example: "the app draws /tides when its link is clicked; a reload of /tides gives 404 Not Found.",
})

// unanswered gives the addresses that a router draws after a click and that the host answers with an error, and that error.
func (a *auditor) unanswered() (urls []string, status int) {
	for _, p := range a.ran.Unanswered {
		if p.Routed {
			urls, status = append(urls, p.URL), p.Status
		}
	}
	return urls, status
}

// checkRoutes names the addresses that only a click leads to.
func (a *auditor) checkRoutes() {
	urls, status := a.unanswered()
	if len(urls) == 0 {
		return
	}
	n := len(a.report.Findings)
	a.findPages(linkUnanswered, urls, 0, 0, fmt.Sprintf("answered with status %d", status))
	for _, f := range a.report.Findings[n:] {
		f.Mend = fallbackRules(a.indexPath())
		if a.Folder != nil {
			f.Mend += ". Then write hosting.single_page: " + a.indexPath()
		}
	}
}

// indexPath is the path of the file behind the entry page, as hosts call it.
func (a *auditor) indexPath() string {
	path, _, _ := strings.Cut(a.Project.Audit.Entry, "?")
	if strings.HasSuffix(path, "/") {
		return path + "index.html"
	}
	return path
}

// fallbackRules says how hosts are told to answer with a page where they have no file.
func fallbackRules(index string) string {
	folder := index[:strings.LastIndexByte(index, '/')+1]
	return fmt.Sprintf("have the host answer with %s where it has no file. nginx: location %s { try_files $uri $uri/ %s; }; Apache: FallbackResource %s; "+
		"a _redirects file: %s* %s 200", index, folder, index, index, folder, index)
}
