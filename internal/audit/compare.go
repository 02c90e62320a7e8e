package audit

import (
	"path/filepath"
	"slices"
)

// Comparison says what became of the findings of an earlier audit.
type Comparison struct {
	// Earlier names the earlier report.
	Earlier string     `json:"earlier"`
	Mended  []*Finding `json:"mended"`
	New     []*Finding `json:"new"`
	Still   int        `json:"still"`
}

// FailsOn says whether a new finding is as heavy as a weight.
func (c *Comparison) FailsOn(weight string) bool {
	return slices.ContainsFunc(c.New, func(f *Finding) bool { return Heavier(f.Weight, weight) })
}

// Compare fills in what changed since an earlier report, whose findings count as the same by code and place.
func (r *Report) Compare(earlier *Report, name string) {
	same := func(f *Finding) func(*Finding) bool {
		return func(x *Finding) bool {
			return x.Code == f.Code && x.Where.URL == f.Where.URL && filepath.Base(x.Where.File) == filepath.Base(f.Where.File)
		}
	}
	s := &Comparison{Earlier: name, Mended: []*Finding{}, New: []*Finding{}}
	for _, f := range r.Findings {
		if slices.ContainsFunc(earlier.Findings, same(f)) {
			s.Still++
		} else {
			s.New = append(s.New, f)
		}
	}
	for _, f := range earlier.Findings {
		if !slices.ContainsFunc(r.Findings, same(f)) {
			s.Mended = append(s.Mended, f)
		}
	}
	r.Since = s
}
