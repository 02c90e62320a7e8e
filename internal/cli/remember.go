package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"tachyform/internal/audit"
	"tachyform/internal/condition"
	"tachyform/internal/fit"
	"tachyform/internal/inputfile"
	"tachyform/internal/problem"
	"tachyform/internal/rehearsal"
	"tachyform/internal/report"
)

// historyFile holds what audits came to, a line of JSON each, beside the journal.
const historyFile = "audits.jsonl"

// mostHistory bounds how much of it is read, in bytes.
const mostHistory = 64 << 20

// remember adds an audit to the history beside the project file and gives the whole of it.
func remember(o *opened, r *audit.Report) ([]report.Remembered, error) {
	if o.folder == nil && o.project.Path == "" {
		return nil, usagef("--remember keeps the history beside the project file, and there is none")
	}
	file := filepath.Join(fit.StateDir(o.project, o.name), historyFile)
	failed := func(err error) error {
		return &problem.Problem{Kind: problem.Write, Where: file, What: "the history cannot be kept: " +
			problem.Innermost(err), Mend: "check that the folder can be written to", Cause: err}
	}
	text, err := inputfile.Read(file, mostHistory)
	if err != nil && !os.IsNotExist(err) {
		return nil, failed(err)
	}
	var list []report.Remembered
	for lines := bufio.NewScanner(bytes.NewReader(text)); lines.Scan(); {
		var one report.Remembered
		if json.Unmarshal(lines.Bytes(), &one) == nil { // a line that was cut off is passed over
			list = append(list, one)
		}
	}
	now := report.Remembered{At: time.Now().UTC().Truncate(time.Second), Summary: r.Summary, Pages: len(r.Pages)}
	for _, p := range r.Pages {
		if u := p.Under[condition.Offline.Name]; u != nil && u.Outcome == rehearsal.Whole {
			now.Whole++
		}
	}
	line, err := json.Marshal(now)
	if err == nil {
		err = os.MkdirAll(filepath.Dir(file), 0o755)
	}
	if err != nil {
		return nil, failed(err)
	}
	// It was a regular file a moment ago; the flag is for a pipe that took its place.
	out, err := os.OpenFile(file, os.O_APPEND|os.O_CREATE|os.O_WRONLY|syscall.O_NONBLOCK, 0o644)
	if err != nil {
		return nil, failed(err)
	}
	if len(text) > 0 && text[len(text)-1] != '\n' {
		line = append([]byte("\n"), line...)
	}
	_, err = fmt.Fprintf(out, "%s\n", line)
	if closeErr := out.Close(); err == nil {
		err = closeErr
	}
	if err != nil {
		return nil, failed(err)
	}
	return append(list, now), nil
}
