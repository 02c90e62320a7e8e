package cli

import (
	"encoding/json"
	"slices"
	"strings"

	"tachyform/internal/audit"
	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/project"
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

// checkReports rejects a --report whose kind is not among those of the command.
func checkReports(specs, kinds []string) error {
	for _, spec := range specs {
		kind, file, ok := strings.Cut(spec, "=")
		if !ok || file == "" || !slices.Contains(kinds, kind) {
			return usagef("--report takes KIND=FILE, with a kind of %s, not %q", strings.Join(kinds, ", "), spec)
		}
	}
	return nil
}

// hasReport reports whether a --report of a kind is wanted.
func hasReport(specs []string, kind string) bool {
	return slices.ContainsFunc(specs, func(s string) bool { return strings.HasPrefix(s, kind+"=") })
}

var reportKinds = []string{"html", "json", "sarif", "junit", "markdown"}

// reportForms make a report of each kind but json, which is the value itself.
type reportForms map[string]func() ([]byte, error)

func auditForms(r *audit.Report, failOn string) reportForms {
	return reportForms{
		"html":     func() ([]byte, error) { return report.HTML(r) },
		"sarif":    func() ([]byte, error) { return report.SARIF(r) },
		"junit":    func() ([]byte, error) { return report.JUnit(r, failOn) },
		"markdown": func() ([]byte, error) { return report.Markdown(r), nil },
	}
}

func handoverForms(r *audit.HandoverReport, failOn string) reportForms {
	return reportForms{
		"html":     func() ([]byte, error) { return report.HandoverHTML(r) },
		"sarif":    func() ([]byte, error) { return report.HandoverSARIF(r) },
		"junit":    func() ([]byte, error) { return report.HandoverJUnit(r, failOn) },
		"markdown": func() ([]byte, error) { return report.HandoverMarkdown(r), nil },
	}
}

func writeReports(specs []string, value any, forms reportForms) error {
	for _, spec := range specs {
		kind, file, _ := strings.Cut(spec, "=")
		make_ := forms[kind]
		if make_ == nil {
			make_ = func() ([]byte, error) {
				return report.JSON(value, true)
			}
		}
		content, err := make_()
		if err != nil {
			return err
		}
		if err := writeOutput(file, content, "the report", "name a file in a folder that can be written to"); err != nil {
			return err
		}
	}
	return nil
}

// setFailOn takes the threshold that the command line names, if it names one.
func setFailOn(p *project.Project, weight string) error {
	switch weight {
	case "":
		return nil
	case audit.Blocker, audit.Risk, audit.Polish:
		p.Audit.FailOn = weight
		return nil
	}
	return usagef("--fail-on takes blocker, risk or polish, not %q", weight)
}
