package page

import (
	"encoding/json"
)

// speculation reads rules for what to fetch ahead (HTML, 7.6.1), of those that name addresses and do not wait for a
// pointer.
func (w *walker) speculation(t Tag, text string) {
	type rule struct {
		Source    string   `json:"source"`
		URLs      []string `json:"urls"`
		Eagerness string   `json:"eagerness"`
	}
	var rules struct{ Prefetch, Prerender []rule }
	if json.Unmarshal([]byte(text), &rules) != nil {
		return
	}
	for _, r := range append(rules.Prefetch, rules.Prerender...) {
		if r.Eagerness != "" && r.Eagerness != "immediate" && r.Eagerness != "eager" {
			continue
		}
		for _, u := range r.URLs {
			w.add(t, u, Reference{Hint: true})
		}
	}
}
