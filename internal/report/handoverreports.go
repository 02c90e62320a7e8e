package report

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"reflect"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/handover"
)

// scenariosText is what both pages share: their colours, and the picture of scenarios.
//
//go:embed scenarios.html
var scenariosText string

//go:embed handover.html
var handoverText string

var handoverTemplate = template.Must(template.New("handover").Funcs(template.FuncMap{
	"place": placeText, "code": slugCode, "plural": count, "size": size,
}).Parse(scenariosText + handoverText))

// handoverView is what the template of a handover takes.
type handoverView struct {
	R    *audit.HandoverReport
	Rows []handoverRow
}

// handoverRow is the picture of a scenario: what was shown, step by step.
type handoverRow struct {
	Name, About, Words string
	Arrives            bool
	Steps              []handoverStep
	Notes              []string
}

type handoverStep struct {
	Name, Word, Detail string
	// Row is the line of the picture that the step stands in: 0 the new release, 1 the old one; Both marks a mixture.
	Row  int
	Both bool
	Gone bool
}

func handoverRows(r *audit.HandoverReport) (rows []handoverRow) {
	for _, s := range r.Scenarios {
		row := handoverRow{Name: s.Name, About: r.About[s.Name], Words: arrivalWords(s), Arrives: s.Arrival.Arrives}
		for _, step := range s.Steps {
			word := shownRelease(step)
			h := handoverStep{Name: step.Name, Word: word, Both: word == "mixed", Gone: word == "lost"}
			if word == "old" || word == "other" {
				h.Row = 1
			}
			h.Detail = fmt.Sprintf("%s: %s, %s, %s", step.URL, step.Outcome, count(step.Requests, "request", "requests"), size(step.Bytes))
			row.Steps = append(row.Steps, h)
		}
		for _, m := range s.Mixtures {
			row.Notes = append(row.Notes, fmt.Sprintf("%s: the page is %s, %s is %s", m.Step, m.Document, m.File, m.Whose))
		}
		for _, f := range s.Failed {
			row.Notes = append(row.Notes, fmt.Sprintf("%s: a worker could not be installed: %s", f.Step, f.Text))
		}
		rows = append(rows, row)
	}
	return rows
}

// HandoverHTML writes the handover as a page that needs nothing else.
func HandoverHTML(r *audit.HandoverReport) ([]byte, error) {
	var b bytes.Buffer
	err := handoverTemplate.Execute(&b, handoverView{r, handoverRows(r)})
	return b.Bytes(), err
}

// HandoverMarkdown writes it for a pull request.
func HandoverMarkdown(r *audit.HandoverReport) []byte {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	line("## %s: the new release arrives in %d of %d scenarios", plainMarkdown(r.Site), r.Summary.Arrived, r.Summary.Scenarios)
	line("")
	line("%s, %s, %d polish; handed over from %s.", count(r.Summary.Blockers, "blocker", "blockers"), count(r.Summary.Risks, "risk", "risks"),
		r.Summary.Polish, plainMarkdown(strings.Join(r.Old, ", ")))
	line("")
	line("| scenario | shown, step by step | |")
	line("|---|---|---|")
	for _, s := range r.Scenarios {
		var words []string
		for _, step := range s.Steps {
			word := shownRelease(step)
			if word == "mixed" || word == "lost" {
				word = "**" + word + "**"
			}
			words = append(words, word)
		}
		line("| %s | %s | %s |", s.Name, strings.Join(words, ", "), plainMarkdown(arrivalWords(s)))
	}
	for _, f := range r.Findings {
		line("")
		line("- **%s** `%s` (%s)  ", plainMarkdown(f.Title), f.Code, f.Weight)
		line("  %s  ", plainMarkdown(f.Evidence))
		line("  → %s", plainMarkdown(f.Mend))
	}
	return []byte(b.String())
}

// HandoverJUnit writes it as test results: a case for each scenario and each check of releases.
func HandoverJUnit(r *audit.HandoverReport, failOn string) ([]byte, error) {
	scenarios, checks := junitSuite{Name: "scenarios"}, junitSuite{Name: "checks"}
	for _, s := range r.Scenarios {
		scenarios.add(junitCase{Class: "scenarios", Name: s.Name, Output: arrivalWords(s)})
	}
	for _, c := range audit.Catalogue {
		if !strings.HasPrefix(c.Code, "release.") {
			continue
		}
		one := junitCase{Class: "checks", Name: c.Code}
		for _, f := range r.Findings {
			if f.Code != c.Code {
				continue
			}
			if text := safeLines(placeText(f.Where) + "\n" + sentence(f)); audit.Heavier(f.Weight, failOn) {
				one.Failure = &junitFailure{c.Title, c.Weight, text}
			} else {
				one.Output = text
			}
		}
		checks.add(one)
	}
	return junitText("Tachyform handover: "+safe(r.Site), scenarios, checks)
}

// HandoverSARIF writes its findings in the Static Analysis Results Interchange Format.
func HandoverSARIF(r *audit.HandoverReport) ([]byte, error) {
	return SARIF(&audit.Report{Site: r.Site, Origin: r.Origin, Findings: r.Findings})
}

// HandoverSchema is the JSON Schema (2020-12) of the handover's JSON, with the names of all scenarios and their steps.
func HandoverSchema() map[string]any {
	s := jsonSchema(reflect.TypeOf(audit.HandoverReport{}))
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = "tachyform.handover/1"
	properties := s["properties"].(map[string]any)
	properties["schema"] = map[string]any{"const": "tachyform.handover/1"}
	scenario := properties["scenarios"].(map[string]any)["items"].(map[string]any)
	of := scenario["properties"].(map[string]any)
	var names, steps []string
	var choices []any
	known := map[string]bool{}
	for _, d := range handover.Known() {
		names = append(names, d.Name)
		choices = append(choices, map[string]any{"title": d.Name, "description": "Somebody who " + d.About + ".",
			"properties": map[string]any{"name": map[string]any{"const": d.Name},
				"steps": map[string]any{"items": map[string]any{"properties": map[string]any{"step": map[string]any{"enum": d.Steps}}}}}})
		for _, step := range d.Steps {
			if !known[step] {
				known[step] = true
				steps = append(steps, step)
			}
		}
	}
	of["name"] = map[string]any{"enum": names}
	step := of["steps"].(map[string]any)["items"].(map[string]any)["properties"].(map[string]any)
	step["step"] = map[string]any{"enum": steps}
	step["outcome"] = map[string]any{"enum": []string{"whole", "partial", "stand-in", "lost", "stuck"}}
	whose := map[string]any{"enum": []handover.Whose{handover.Old, handover.New, handover.Same, handover.Missing, handover.Other}}
	step["document"] = whose
	step["files"] = map[string]any{"type": "object", "additionalProperties": whose}
	scenario["oneOf"] = choices
	return s
}
