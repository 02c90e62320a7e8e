package cli

import (
	"encoding/json"
	"slices"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/report"
)

// readReport reads an audit's JSON report, nil for no file.
func readReport(file string) (*audit.Report, error) {
	if file == "" {
		return nil, nil
	}
	text, err := inputfile.Read(file, 256<<20)
	r := &audit.Report{}
	if err == nil {
		err = json.Unmarshal(text, r)
	}
	switch {
	case err != nil:
		return nil, &problem.Problem{Kind: problem.Usage, Where: file, What: "the earlier report cannot be read: " +
			err.Error(), Mend: "tachyform audit --report json=FILE writes one", Cause: err}
	case r.Schema != "tachyform.audit/1":
		return nil, &problem.Problem{Kind: problem.Usage, Where: file, What: "this is no report of an audit",
			Mend: "tachyform audit --report json=FILE writes one"}
	}
	return r, nil
}

func checkReports(specs []string) error {
	for _, spec := range specs {
		kind, file, ok := strings.Cut(spec, "=")
		if !ok || file == "" || !slices.Contains(reportKinds, kind) {
			return usagef("--report takes KIND=FILE, with a kind of %s, not %q", strings.Join(reportKinds, ", "), spec)
		}
	}
	return nil
}

func writeReports(specs []string, r *audit.Report, failOn string) error {
	for _, spec := range specs {
		kind, file, _ := strings.Cut(spec, "=")
		var content []byte
		var err error
		switch kind {
		case "html":
			content, err = report.HTML(r)
		case "sarif":
			content, err = report.SARIF(r)
		case "junit":
			content, err = report.JUnit(r, failOn)
		case "markdown":
			content = report.Markdown(r)
		default:
			content, err = json.MarshalIndent(r, "", "  ")
			content = append(content, '\n')
		}
		if err != nil {
			return err
		}
		if err := writeOutput(file, content, "the report", "name a file in a folder that can be written to"); err != nil {
			return err
		}
	}
	return nil
}

var reportKinds = []string{"html", "json", "sarif", "junit", "markdown"}

func writeHandoverReports(specs []string, r *audit.HandoverReport, failOn string) error {
	for _, spec := range specs {
		kind, file, _ := strings.Cut(spec, "=")
		var content []byte
		var err error
		switch kind {
		case "html":
			content, err = report.HandoverHTML(r)
		case "sarif":
			content, err = report.HandoverSARIF(r)
		case "junit":
			content, err = report.HandoverJUnit(r, failOn)
		case "markdown":
			content = report.HandoverMarkdown(r)
		default:
			content, err = json.MarshalIndent(r, "", "  ")
			content = append(content, '\n')
		}
		if err != nil {
			return err
		}
		if err := writeOutput(file, content, "the report", "name a file in a folder that can be written to"); err != nil {
			return err
		}
	}
	return nil
}
