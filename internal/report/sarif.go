package report

import (
	"net/url"
	"path/filepath"
	"slices"
	"strings"

	"tachyform/internal/audit"
)

type sarifText struct {
	Text string `json:"text"`
}

type sarifRule struct {
	ID               string            `json:"id"`
	ShortDescription sarifText         `json:"shortDescription"`
	FullDescription  sarifText         `json:"fullDescription"`
	Help             sarifText         `json:"help"`
	Default          map[string]string `json:"defaultConfiguration"`
}

type sarifRegion struct {
	StartLine   int `json:"startLine"`
	StartColumn int `json:"startColumn,omitempty"`
}

type sarifPhysical struct {
	Artifact struct {
		URI string `json:"uri"`
	} `json:"artifactLocation"`
	Region *sarifRegion `json:"region,omitempty"`
}

type sarifLocation struct {
	Physical sarifPhysical `json:"physicalLocation"`
}

type sarifResult struct {
	RuleID    string          `json:"ruleId"`
	RuleIndex int             `json:"ruleIndex"`
	Level     string          `json:"level"`
	Message   sarifText       `json:"message"`
	Locations []sarifLocation `json:"locations,omitempty"`
}

var sarifLevels = map[string]string{audit.Blocker: "error", audit.Risk: "warning", audit.Polish: "note"}

// SARIF writes the findings in the Static Analysis Results Interchange Format, 2.1.0.
func SARIF(r *audit.Report) ([]byte, error) {
	rules, results := []sarifRule{}, []sarifResult{}
	index := map[string]int{}
	for _, c := range audit.Catalogue {
		if slices.ContainsFunc(r.Findings, func(f *audit.Finding) bool { return f.Code == c.Code }) {
			index[c.Code] = len(rules)
			rules = append(rules, sarifRule{c.Code, sarifText{c.Title + "."}, sarifText{c.Reason}, sarifText{capital(c.Mend) +
				"."}, map[string]string{"level": sarifLevels[c.Weight]}})
		}
	}
	for _, f := range r.Findings {
		result := sarifResult{RuleID: f.Code, RuleIndex: index[f.Code], Level: sarifLevels[f.Weight],
			Message: sarifText{sentence(f)}}
		var at sarifPhysical
		switch {
		case f.Where.File != "":
			at.Artifact.URI = (&url.URL{Path: filepath.ToSlash(f.Where.File)}).EscapedPath()
			if f.Where.Line > 0 {
				at.Region = &sarifRegion{f.Where.Line, f.Where.Column}
			}
		case strings.HasPrefix(f.Where.URL, "/"):
			at.Artifact.URI = r.Origin + f.Where.URL
		default:
			at.Artifact.URI = f.Where.URL
		}
		if at.Artifact.URI != "" {
			result.Locations = []sarifLocation{{at}}
		}
		results = append(results, result)
	}
	out := map[string]any{
		"$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json",
		"version": "2.1.0",
		"runs": []any{map[string]any{
			"tool":    map[string]any{"driver": map[string]any{"name": "Tachyform", "rules": rules}},
			"results": results,
		}},
	}
	return JSON(out, true)
}

// sentence says a finding in a line: what, the evidence, and the mend.
func sentence(f *audit.Finding) string {
	text := f.Title
	if f.Evidence != "" {
		text += ": " + f.Evidence
	}
	return safe(text + ". " + f.Reason + " " + capital(f.Mend) + ".")
}
