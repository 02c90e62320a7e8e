package report

import (
	"encoding/xml"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/target"
)

type junitFailure struct {
	Message string `xml:"message,attr"`
	Type    string `xml:"type,attr"`
	Text    string `xml:",chardata"`
}

type junitCase struct {
	Class   string        `xml:"classname,attr"`
	Name    string        `xml:"name,attr"`
	Failure *junitFailure `xml:"failure,omitempty"`
	Output  string        `xml:"system-out,omitempty"`
}

type junitSuite struct {
	Name     string      `xml:"name,attr"`
	Tests    int         `xml:"tests,attr"`
	Failures int         `xml:"failures,attr"`
	Cases    []junitCase `xml:"testcase"`
}

func (s *junitSuite) add(c junitCase) {
	s.Tests++
	if c.Failure != nil {
		s.Failures++
	}
	s.Cases = append(s.Cases, c)
}

// JUnit writes the audit as test results: a suite of targets, one of checks, one of pages offline. What is lighter
// than failOn does not fail, and is told in the case's output.
func JUnit(r *audit.Report, failOn string) ([]byte, error) {
	targets, checks, pages := junitSuite{Name: "installing"}, junitSuite{Name: "checks"}, junitSuite{Name: "pages offline"}
	for _, t := range target.All {
		if v := r.Targets[t]; v != nil {
			c := junitCase{Class: "installing", Name: t}
			if !v.Installable {
				c.Failure = &junitFailure{"it is not installed there", "installing", strings.Join(v.Blockers, "\n")}
			}
			targets.add(c)
		}
	}
	for _, check := range audit.Catalogue {
		c := junitCase{Class: "checks", Name: check.Code}
		var failed, said []string
		for _, f := range r.Findings {
			if f.Code != check.Code {
				continue
			}
			text := placeText(f.Where) + "\n" + sentence(f)
			if audit.Heavier(f.Weight, failOn) {
				failed = append(failed, text)
			} else {
				said = append(said, text)
			}
		}
		if failed != nil {
			c.Failure = &junitFailure{check.Title, check.Weight, safeLines(strings.Join(failed, "\n\n"))}
		}
		c.Output = safeLines(strings.Join(said, "\n\n"))
		checks.add(c)
	}
	for _, p := range r.Pages {
		if o := p.Under[condition.Offline.Name]; o != nil {
			c := junitCase{Class: "pages offline", Name: safe(p.URL), Output: string(o.Outcome)}
			if !o.Known {
				c.Output += safeLines(", but that is not known: " + o.Why)
			}
			if len(o.Missing) > 0 {
				c.Output += safeLines(", missing " + strings.Join(o.Missing, ", "))
			}
			pages.add(c)
		}
	}
	return junitText("Tachyform: "+r.Site, targets, checks, pages)
}

// junitText writes suites as one file of results.
func junitText(name string, suites ...junitSuite) ([]byte, error) {
	all := struct {
		XMLName  xml.Name     `xml:"testsuites"`
		Name     string       `xml:"name,attr"`
		Tests    int          `xml:"tests,attr"`
		Failures int          `xml:"failures,attr"`
		Suites   []junitSuite `xml:"testsuite"`
	}{Name: name, Suites: suites}
	for _, s := range all.Suites {
		all.Tests += s.Tests
		all.Failures += s.Failures
	}
	text, err := xml.MarshalIndent(all, "", "  ")
	return append([]byte(xml.Header), append(text, '\n')...), err
}

// safeLines is safe for a text of several lines.
func safeLines(s string) string {
	lines := strings.Split(s, "\n")
	for i := range lines {
		lines[i] = safe(lines[i])
	}
	return strings.Join(lines, "\n")
}
