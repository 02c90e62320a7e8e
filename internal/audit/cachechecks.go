package audit

import (
	"fmt"
	"strings"
)

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
		a.find("keep.redirected", at, redirected[0]+more+" followed a redirect", "")
	}
	entries, bytes := a.sizeOfStores()
	if bytes > heavyInstall || entries > manyFiles {
		a.find("worker.heavy", at, fmt.Sprintf("after the first visits %d answers are kept, %.1f MB", entries, float64(bytes)/1e6), "")
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
