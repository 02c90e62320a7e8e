package audit

import (
	"fmt"
	"strings"
)

// What is judged here.
var keepRedirected = newCheck(Check{
	Code: "keep.redirected", Weight: Risk, Rank: 400,
	Title:    "Pages are kept with the redirect that led to them",
	Reason:   "Browsers refuse a redirected answer to a page load: the page shows an error.",
	Mend:     "keep the page under the address that it answers at, or a plain copy of the answer",
	Standard: "Fetch, 4.3",
	Example:  "cache.add('/pier') where the host redirects to /pier/.",
})

var workerHeavy = newCheck(Check{
	Code: "worker.heavy", Weight: Polish, Rank: 650,
	Title:   "The installation is heavy",
	Reason:  "The first visit costs that much on a metered connection, and half-way it may break off.",
	Mend:    "keep less: worker.pack.leave_out, or rules for what is rarely seen",
	Example: "the pack holds every picture in three sizes.",
})

// checkStores judges what is in the caches after the visits.
func (a *auditor) checkStores(at Where) {
	var redirected []string
	for _, c := range a.ran.Caches {
		for _, e := range c.Entries {
			if url, _, _ := strings.Cut(e.URL, "?"); e.Redirect && a.documents[url] != nil {
				redirected = append(redirected, a.local(e.URL)+" in the cache "+c.Name)
			}
		}
	}
	if len(redirected) > 0 {
		more := ""
		if n := len(redirected) - 1; n > 0 {
			more = fmt.Sprintf(", and %d more,", n)
		}
		a.find(keepRedirected, at, redirected[0]+more+" followed a redirect", "")
	}
	entries, bytes := a.sizeOfStores()
	if bytes > heavyInstall || entries > manyFiles {
		a.find(workerHeavy, at, fmt.Sprintf("after the first visits %d answers are kept, %.1f MB", entries,
			float64(bytes)/1e6), "")
	}
}

// sizeOfStores counts what is in the caches after the visits, and its bytes.
func (a *auditor) sizeOfStores() (entries int, bytes int64) {
	for _, c := range a.ran.Caches {
		for _, e := range c.Entries {
			entries++
			bytes += e.Bytes
		}
	}
	return entries, bytes
}
