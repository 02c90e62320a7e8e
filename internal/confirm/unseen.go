package confirm

import (
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/project"
	"tachyform/internal/weburl"
)

// UnseenRequests returns the requests that pages made in a real browser and that the audit did not see, by page. Queries are left out.
func UnseenRequests(r *audit.Report, answers []Answer) (list []project.Asks) {
	known := map[string]bool{}
	for _, v := range r.Visits {
		for _, path := range v.Requests {
			known[weburl.WithoutQuery(path)] = true
		}
	}
	for _, p := range r.Rehearsal.Pages {
		if p.Seen == nil {
			continue
		}
		for _, u := range p.Seen.Requests {
			known[weburl.WithoutQuery(strings.TrimPrefix(u.URL, r.Origin))] = true
		}
	}
	done := map[string]bool{}
	for _, a := range answers {
		asks := project.Asks{Page: weburl.WithoutQuery(a.Path)}
		for _, path := range a.Requests {
			if !known[path] {
				asks.For = append(asks.For, path)
			}
		}
		if len(asks.For) > 0 && !done[asks.Page] {
			done[asks.Page] = true
			list = append(list, asks)
		}
	}
	return list
}
