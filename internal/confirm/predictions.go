package confirm

import (
	"fmt"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/rehearsal"
	"tachyform/internal/weburl"
)

// Predictions returns the predictions of a rehearsal for the pages of the site's origin, condition by condition.
func Predictions(r *audit.Report, conditions []condition.Condition) (list []Prediction) {
	judged := map[string]*audit.PageReport{}
	for _, p := range r.Pages {
		judged[p.URL] = p
	}
	for _, c := range conditions {
		for _, page := range r.Rehearsal.Pages {
			o := page.Under[c.Name]
			if o == nil || !o.IsUsual() || weburl.OriginOf(page.URL) != r.Origin {
				continue
			}
			p := Prediction{Path: strings.TrimPrefix(page.URL, r.Origin), Condition: c, Outcome: string(o.Outcome), Whole: o.Outcome == rehearsal.Whole, Title: o.Title}
			if v := o.View; v != nil && !v.Failed && !v.Stuck {
				p.Shows, p.Text = true, v.Text()
			}
			for _, l := range o.Loads {
				state := fmt.Sprintf("%d, %s", l.Status, l.Source)
				if !l.Done || l.Missing {
					state = "missing"
				}
				p.Requests = append(p.Requests, weburl.WithoutQuery(strings.TrimPrefix(l.URL, r.Origin))+" "+state)
			}
			if said := judged[p.Path]; said != nil && said.Under[c.Name] != nil && !said.Under[c.Name].Known {
				p.Unknown = said.Under[c.Name].Why
			}
			list = append(list, p)
		}
	}
	return list
}
